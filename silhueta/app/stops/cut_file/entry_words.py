"""How an entry of the plan is called in lists, on cards and on the table."""

from __future__ import annotations

from silhueta.core.cutting.plan import Entry
from silhueta.core.geometry.measure import box_of, circle_of
from silhueta.core.geometry.outline import Contour
from silhueta.core.plan_settings import Operation, Side
from silhueta.core.units import Unit, format_length, format_sides
from silhueta.core.wording import counted

OPERATION_NAMES: dict[Operation, str] = {
    "cut": "Cut through",
    "drill": "Drill",
    "pocket": "Pocket",
    "engrave": "Engrave",
    "vgroove": "V-groove",
    "mark": "Mark",
}
SIDE_NAMES: dict[Side, str] = {
    "outside": "outside the line",
    "inside": "inside the line",
    "on": "on the line",
}
TOOL_NAMES = {
    "flat": "Flat bit",
    "ball": "Ball bit",
    "vbit": "V-bit",
    "drill": "Drill",
    "torch": "Torch",
    "beam": "Beam",
    "blade": "Blade",
}


_SIDES: dict[Side, str] = {"outside": "outside", "inside": "inside", "on": "on the line"}


def name_of(entry: Entry) -> str:
    """Return what an entry is, in a word."""
    if entry.operation != "cut":
        return OPERATION_NAMES[entry.operation]
    if not entry.ways[0].closed:
        return "Line"
    if entry.level % 2:
        return "Hole"
    return "Island" if entry.level else "Rim"


def size_of(contour: Contour, units: Unit) -> str:
    """Return how large a contour is."""
    circle = circle_of(contour.path)
    if circle is not None:
        return "Ø " + format_length(2 * circle[1], units)
    left, bottom, right, top = box_of(contour.path)
    return format_sides(round(right - left, 2), round(top - bottom, 2), units)


def told_of(entry: Entry, units: Unit) -> str:
    """Return how an entry is worked, in a line."""
    told = [] if entry.operation != "cut" else [_SIDES[entry.side]]
    told.append(f"tool {entry.tool.number}")
    if entry.depth and not entry.through:
        told.append(f"{format_length(entry.depth, units)} deep")
    if len(entry.steps) > 1:
        told.append(counted(len(entry.steps), "pass", "passes"))
    if entry.tabs:
        told.append(counted(entry.tabs, "tab"))
    if entry.by_hand:
        told.append("by hand")
    return ", ".join(told)

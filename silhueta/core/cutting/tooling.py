"""Which tool does what, how fast and how deep: from what is typed, the tools and the material."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from silhueta.core.cutting.plan import TWO_D
from silhueta.core.errors import EditError
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.inspection.limits import tool_of
from silhueta.core.plan_settings import ByHand, LeadKind, Operation, PlanSettings, Tool, ToolKind
from silhueta.core.shop.machines import Machine, known_machines, machine_of
from silhueta.core.shop.materials import Material, known_materials, material_of

_SAME = 0.02  # mm, that two tools of one diameter differ by at most
_SINKS: dict[Operation, tuple[ToolKind, ...]] = {
    "cut": ("flat", "ball"),
    "pocket": ("flat", "ball"),
    "engrave": ("vbit", "flat", "ball"),
    "mark": ("vbit", "flat", "ball"),
    "vgroove": ("vbit",),
    "drill": ("drill",),
}
_STAYS: dict[Process, ToolKind] = {
    "plasma": "torch",
    "laser": "beam",
    "water": "beam",
    "knife": "blade",
    "saw": "blade",
}
_ANGLE = 60.0  # degrees of a V-bit where nobody said (common practice, no source)
_FEED, _PLUNGE = 1000.0, 0.3  # mm/min, and of the feed, where neither tool nor material says
_POCKET, _GROOVE, _ENGRAVE, _MARK = 3.5, 3.0, 1.0, 0.3  # mm deep (common practice, no source)
_OF_SHEET = 0.6  # of the thickness, that a pocket takes at most where nobody said how deep
_PER_PASS = 0.5  # of the bit's diameter, deep, where neither tool nor material says
_LEAD = 4.0  # mm, where nobody says (common practice, no source)
_KNIFE_LEAP = 1.0  # mm, that a knife goes over its beginning, so that no thread stays
# leads where nobody said: a bit goes down on a ramp along its own way, a knife where it cuts
_LEADS: dict[Process, LeadKind] = {
    "plasma": "arc",
    "water": "arc",
    "laser": "line",
    "router": "none",
    "knife": "none",
    "saw": "none",
}


@dataclass(frozen=True, eq=False)
class Tooling:
    """Everything that is known before a contour is looked at.

    Parameters
    ----------
    process : str
    settings : PlanSettings
    limits : Limits
    tools : tuple of Tool
    material : Material or None
    machine : Machine
    notes : tuple of str

    """

    process: Process
    settings: PlanSettings
    limits: Limits
    tools: tuple[Tool, ...]
    material: Material | None
    machine: Machine
    notes: tuple[str, ...] = ()

    @property
    def flat(self) -> bool:
        """Whether no tool sinks."""
        return self.process in TWO_D

    @property
    def thickness(self) -> float:
        """Of the sheet, mm; 0 where nobody said."""
        return self.limits.thickness or 0.0

    def tool(self, operation: Operation, hand: ByHand, wide: float = 0.0) -> tuple[Tool, str]:
        """Return the tool of an operation, and what does not fit of what was set by hand.

        `wide` is the diameter of a hole that is drilled, mm.

        Raises
        ------
        EditError
            If there is none that can do it.

        """
        kinds = (_STAYS[self.process],) if self.flat else _SINKS[operation]
        if self.flat and operation in ("pocket", "vgroove", "drill"):
            raise EditError(
                f"{self.process} makes no {_NAMES[operation]}; choose another operation"
            )
        able = [one for one in self.tools if one.kind in kinds]
        able = [one for one in able if one.diameter_mm > 0 or one.kind == "blade"]
        if hand.tool is not None:
            own = next((one for one in able if one.number == hand.tool), None)
            if own is not None:
                return own, ""
        fault = f"tool {hand.tool} makes no {_NAMES[operation]}" if hand.tool is not None else ""
        if operation == "drill":
            fits = [one for one in able if abs(one.diameter_mm - wide) <= _SAME]
            if not fits and not self.settings.tools:
                number = max((one.number for one in self.tools), default=0) + 1
                fits = [Tool(number, "drill", round(wide, 3))]
            able = fits
        if not able:
            what = f"of {wide:.2f} mm" if operation == "drill" else f"({' or '.join(kinds)})"
            raise EditError(f"no tool {what} makes a {_NAMES[operation]}; add one at Tools")
        return self._best(able, operation, kinds), fault

    def _best(self, able: Sequence[Tool], operation: Operation, kinds: Sequence[ToolKind]) -> Tool:
        """Return which of several tools it is: the kind that is asked for first, then the width.

        Of two of one width, through cuts take the one that is set on the table, or else the last;
        all other operations take the one that is set on the sheet's top, or else the first.
        """
        first = next(kind for kind in kinds if any(one.kind == kind for one in able))
        some = [one for one in able if one.kind == first]
        width = self.limits.width
        if width is not None and first in ("flat", "ball"):
            same = [one for one in some if abs(one.diameter_mm - width) <= _SAME]
            some = same or some
        through = operation == "cut"
        zero = "table" if through else "top"
        fitting = [one for one in some if one.zero == zero] or some
        if through and not self.flat:
            # the last of those that are as wide as the first
            wide = fitting[0].diameter_mm
            return [one for one in fitting if abs(one.diameter_mm - wide) <= _SAME][-1]
        return fitting[0]

    def depth(self, operation: Operation, hand: ByHand) -> float:
        """Return how deep an operation goes, mm below the sheet's top; 0 where nothing sinks.

        Raises
        ------
        EditError
            If that is deeper than the sheet is thick.

        """
        if self.flat:
            return 0.0
        if operation in ("cut", "drill") and hand.depth is None:
            return self.thickness + self.settings.over_depth
        typed = hand.depth if hand.depth is not None else self.settings.depth
        if operation == "mark" and hand.depth is None:
            typed = None
        if typed is None:
            usual = {"pocket": _POCKET, "vgroove": _GROOVE, "engrave": _ENGRAVE}
            deep = usual.get(operation, _MARK)
            return min(deep, _OF_SHEET * self.thickness) if self.thickness else deep
        most = self.thickness + (self.settings.over_depth if operation in ("cut", "drill") else 0)
        if self.thickness and typed > most + 1e-9:
            raise EditError(
                f"{typed:g} mm deep is more than the sheet has ({self.thickness:g} mm); type a "
                "smaller depth"
            )
        if not typed > 0:
            raise EditError("a depth of 0 mm cuts nothing; type one")
        return typed

    def steps(
        self, operation: Operation, depth: float, tool: Tool, hand: ByHand
    ) -> tuple[float, ...]:
        """Return the depths of the passes, mm, each a like share of the whole."""
        if not depth:
            # a knife may go round more than once
            count = hand.passes or self.settings.passes or 1
            return (0.0,) * count
        told = hand.passes or self.settings.passes
        count = told or 1
        if told is None or operation == "drill":
            step = self.settings.depth_per_pass or tool.depth_per_pass_mm
            step = step or (self.material.depth_per_pass_mm if self.material else 0.0)
            step = step or _PER_PASS * tool.diameter_mm or depth
            if operation in ("drill", "vgroove"):
                step = self.settings.peck or depth if operation == "drill" else depth
            count = max(1, math.ceil(depth / step - 1e-9))
        return tuple(depth * (k + 1) / count for k in range(count))

    def feeds(self, operation: Operation, tool: Tool) -> tuple[float, float]:
        """Return feed and plunge, mm/min: what is usual is held to what the machine can do.

        What a person typed stays as it is, so that the machine's limit can be told.
        """
        known = self.material
        typed = self.settings.feed or tool.feed_mm_min
        light = self.flat and operation in ("engrave", "mark") and not self.settings.feed
        usual = (known.feed_mm_min if known else 0.0) or _FEED
        if light and known is not None and known.engrave_feed_mm_min:
            typed, usual = 0.0, known.engrave_feed_mm_min
        feed = typed or usual
        plunge = tool.plunge_mm_min or (known.plunge_mm_min if known else 0.0) or _PLUNGE * feed
        most = self.machine.max_feed_mm_min
        return typed or min(usual, most), min(plunge, most, self.machine.z_rapid_mm_min)

    def lead(self, operation: Operation, hand: ByHand) -> tuple[LeadKind, float]:
        """Return the kind of lead and its length, mm."""
        if operation != "cut":
            return "none", 0.0
        kind = hand.lead or self.settings.lead or _LEADS[self.process]
        length = self.settings.lead_length if hand.lead_length is None else hand.lead_length
        if length is None:
            length = (self.material.lead_mm if self.material else 0.0) or _LEAD
        return (kind, length) if length > 0 else ("none", 0.0)

    @property
    def overcut(self) -> float:
        """How far a cut goes on beyond its beginning, mm."""
        if self.settings.overcut is not None:
            return self.settings.overcut
        return _KNIFE_LEAP if self.process == "knife" else 0.0

    @property
    def height(self) -> float:
        """How high tabs are, mm: 1 (common practice, no source), a third of a thin sheet."""
        if self.settings.tab_height is not None:
            return self.settings.tab_height
        return min(1.0, self.thickness / 3) if self.thickness else 1.0


_NAMES: dict[Operation, str] = {
    "cut": "through cut",
    "pocket": "pocket",
    "engrave": "engraving",
    "mark": "mark",
    "vgroove": "V-groove",
    "drill": "drilled hole",
}


class Known(NamedTuple):
    """The records that a plan may take its values from, and the machine that was named."""

    materials: tuple[Material, ...]
    machines: tuple[Machine, ...]
    machine: str | None = None


def known_records() -> Known:
    """Return a person's own records and the shipped ones."""
    return Known(known_materials()[0], known_machines()[0])


def tooling(
    process: Process, settings: PlanSettings, limits: Limits, known: Known | None = None
) -> Tooling:
    """Return what is known before a contour is looked at.

    Raises
    ------
    EditError
        If material or machine are not known, or the thickness that a bit needs is not told.

    """
    if process == "router" and not limits.thickness:
        raise EditError("the sheet's thickness is not told: a bit must know how deep it goes")
    known = known or known_records()
    name = limits.material
    try:
        material, said = material_of(process, name, limits.thickness, known.materials)
    except EditError:
        material, said = material_of(process, None, limits.thickness, known.materials)
        taken = "usual ones" if material is None else f"those of {material.name}"
        said = f"no feeds are known for {name} on {process}: {taken} are taken"
    machine = machine_of(process, known.machine or settings.machine, known.machines)
    notes = [said] if said else []
    tools = settings.tools or _usual(process, settings, limits, material)
    if process in TWO_D:
        tools = tuple(_as_wide(one, process, limits, material) for one in tools)
    feed = settings.feed
    if feed is not None and feed > machine.max_feed_mm_min:
        notes.append(
            f"{feed:g} mm/min is more than {machine.name} can do: "
            f"{machine.max_feed_mm_min:g}; a program with it is refused"
        )
    return Tooling(process, settings, limits, tuple(tools), material, machine, tuple(notes))


def _usual(
    process: Process, settings: PlanSettings, limits: Limits, material: Material | None
) -> tuple[Tool, ...]:
    """Return the tools that a process has where nobody told any."""
    if process in TWO_D:
        return (Tool(1, _STAYS[process], _kerf(process, limits, material)),)
    width = tool_of(limits)
    return (
        Tool(1, "flat", width, zero=settings.zero),
        Tool(2, "vbit", 12.7, settings.v_angle or _ANGLE, zero=settings.zero),
    )


def _kerf(process: Process, limits: Limits, material: Material | None) -> float:
    if process == "knife":
        return limits.width or 0.0
    if limits.width is not None:
        return limits.width
    named = material is not None and limits.material is not None
    return (material.kerf_mm if named and material is not None else 0.0) or tool_of(limits)


def _as_wide(tool: Tool, process: Process, limits: Limits, material: Material | None) -> Tool:
    """Return a tool that does not sink with its kerf: as typed, as its file says, as usual."""
    if limits.width is not None:
        return replace(tool, diameter_mm=limits.width)
    if tool.diameter_mm or tool.kind == "blade":
        return tool
    return replace(tool, diameter_mm=_kerf(process, limits, material))

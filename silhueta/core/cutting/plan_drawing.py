"""A cut plan as a drawing: where tools go, by operation and tool, in the order of work."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from silhueta.core.cutting.about import About
from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, LARGEST, MARK, OUTSIDE, suffix
from silhueta.core.cutting.plan import Entry, Plan, Way
from silhueta.core.cutting.program import with_gaps
from silhueta.core.errors import FileError
from silhueta.core.geometry.along import Along
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.transform import shifted
from silhueta.core.units import Unit

CUT, POCKET, VGROOVE, DRILL = "CUT_LINE", "POCKET", "VGROOVE", "DRILL"
LEAD, TAB = "LEAD", "TAB"


@dataclass(frozen=True, eq=False)
class PlanDrawing:
    """What a file of a plan holds; answers to what a writer asks of a drawing.

    Parameters
    ----------
    rows : tuple of (layer, path), mm
        In the order of work.
    frame : (width, height) in mm
        Of the page, its lower left at (0, 0).
    units : {"mm", "in"}
    shift : (x, y) in mm
        From the outline's coordinates to the file's.
    plan : Plan or None
        What it shows.
    name : str
        Of the part.
    zero : str
        Where X 0, Y 0 is, in words.

    """

    rows: tuple[tuple[str, Path], ...]
    frame: tuple[float, float]
    units: Unit
    shift: tuple[float, float] = (0.0, 0.0)
    plan: Plan | None = None
    name: str = ""
    zero: str = ""

    @property
    def about(self) -> About:
        """What is told of it to people."""
        return About(self.name)

    def layered(self) -> Iterator[tuple[str, Path]]:
        """Yield (layer, path) in the order of work."""
        yield from self.rows

    def paths(self) -> list[Path]:
        """Return every path."""
        return [path for _, path in self.rows]

    def groups(self) -> list[list[Path]]:
        """Return each path by itself: where a tool goes, nothing lies in anything."""
        return [[path] for _, path in self.rows]


def plan_drawing(
    plan: Plan,
    units: Unit = "mm",
    shift: tuple[float, float] = (0.0, 0.0),
    page: tuple[float, float] | None = None,
    paged: bool = False,
    name: str = "",
) -> PlanDrawing:
    """Return a plan as a drawing.

    Parameters
    ----------
    plan : Plan
    units : {"mm", "in"}
        Of the file.
    shift : (x, y) in mm
        From the outline's coordinates to the file's.
    page : (width, height) in mm or None
        That it came on.
    paged : bool
        Whether the file has a page with a corner of its own: what would lie beyond it is moved on.
    name : str
        Of the part.

    Raises
    ------
    FileError
        If nothing is planned, or it lies farther from zero than files can say.

    """
    rows = [row for one in plan.entries for row in _rows(plan, one)]
    if not rows:
        why = f": {plan.left_out[0].text}" if plan.left_out else ""
        raise FileError(f"nothing of this can be cut as it was asked{why}")
    box = np.array(bounding_box([path for _, path in rows])) + [*shift, *shift]
    if not np.abs(box).max() <= LARGEST:
        raise FileError(
            f"the cut reaches to {np.abs(box).max():.3g} mm, farther than {LARGEST:,.0f} mm; check "
            "the file's unit and the scale"
        )
    if paged:
        onto = np.maximum(-box[:2], 0.0)
        shift = (shift[0] + float(onto[0]), shift[1] + float(onto[1]))
        box = box + [*onto, *onto]
    frame = (float(box[2]), float(box[3]))
    if page is not None:
        frame = max(page[0], frame[0]), max(page[1], frame[1])
    moved = tuple((layer, shifted(path, shift)) for layer, path in rows)
    return PlanDrawing(moved, frame, units, shift, plan, name)


def layer_of(entry: Entry) -> str:
    """Return the layer that an entry is on: its operation, and the tool's number."""
    names = {
        "pocket": POCKET,
        "vgroove": VGROOVE,
        "engrave": ENGRAVE,
        "mark": MARK,
        "drill": DRILL,
        "cut": CUT,
    }
    name = names[entry.operation]
    if entry.operation == "cut":
        name = INSIDE if entry.level % 2 else OUTSIDE
        if not entry.ways[0].closed:
            name = CUT
    return f"{name}{suffix(entry.colour)}_T{entry.tool.number}"


def _rows(plan: Plan, entry: Entry) -> Iterator[tuple[str, Path]]:
    layer, number = layer_of(entry), entry.tool.number
    for way in entry.ways:
        if entry.operation == "drill":
            x, y = way.begin
            yield layer, circle_loop((x, y), entry.tool.diameter_mm / 2)
            continue
        if way.lead_in is not None:
            yield f"{LEAD}_T{number}", way.lead_in
        if plan.flat and way.tabs:
            for piece in with_gaps(Way(way.path, way.closed, tabs=way.tabs)):
                yield layer, piece
        else:
            yield layer, closed(way)
            if way.tabs:
                for across in _across(way, entry.tool.diameter_mm):
                    yield f"{TAB}_T{number}", across
        if way.lead_out is not None:
            yield f"{LEAD}_T{number}", way.lead_out


def closed(way: Way) -> Path:
    """Return a way as a loop where it is closed, begun where it is."""
    path = way.path
    same = np.hypot(*(path.nodes[0] - path.nodes[-1])) < 1e-6  # mm: rounding
    if not (way.closed and same and len(path.kinds) > (1 if path.bulges.any() else 2)):
        return path
    return Loop(path.nodes[:-1], path.kinds, path.bulges, path.controls)


def _across(way: Way, width: float) -> Sequence[OpenPath]:
    """Return a line across the way at both ends of each tab, as wide as the tool."""
    whole = Along(way.path)
    made = []
    for tab in way.tabs:
        points, ways = whole.points(np.array([tab.low + width / 2, tab.high - width / 2]))
        for point, along in zip(points, ways, strict=True):
            aside = np.array([-along[1], along[0]]) * max(width, 1.0) / 2
            made.append(OpenPath(np.array([point - aside, point + aside])))
    return made

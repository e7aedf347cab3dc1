"""What is to hold exactly between lines, arcs and circles of an outline.

Words used here
    relation   something that holds exactly: level, parallel, of equal radius, of a size ...
    ref        what it holds for: a segment of a contour, or a whole circle
    value      its size: mm, or degrees for an angle
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Kind = Literal[
    "level",
    "plumb",
    "angle",
    "between",  # two edges, the angle between the ways they run from where they would meet
    "parallel",
    "perpendicular",
    "collinear",
    "equal length",
    "length",
    "radius",
    "equal radius",
    "concentric",
    "tangent",
    "distance",
    "evenly on a circle",
    "in a row",
    "in a grid",  # row by row; value: how many holes a row has
    "regular",  # lines one after the other, all of a loop: as long, turned evenly
    "symmetric",  # refs two by two answer each other; value: about where the axis points, degrees
]
WHOLE = -1  # in place of a segment's number: the whole loop, which is a circle


@dataclass(frozen=True)
class Ref:
    """A segment of the contour with this key, or all of it.

    Parameters
    ----------
    key : int
    segment : int
        Its number, or `WHOLE`.
    at : (x, y), mm
        Its middle, or the circle's; by it the segment is found again after an edit.

    """

    key: int
    segment: int = WHOLE
    at: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Relation:
    """What holds for some refs."""

    kind: Kind
    refs: tuple[Ref, ...]
    value: float | None = None


@dataclass(frozen=True)
class Dimension:
    """A row of the caliper list: what was measured on the real part.

    Parameters
    ----------
    kind : {"width", "height", "diameter", "radius", "length", "distance", "angle"}
        Over all; of a circle; of an arc; of an edge; between two centres or edges; between edges
        that are not parallel.
    refs : tuple of Ref
        Of what; none over all.
    measured : float or None, mm
        What the calipers say; of an angle degrees.
    within : float or None, mm
        How far off the outline may be, as the drawing says; None: not told.

    """

    kind: Literal["width", "height", "diameter", "radius", "length", "distance", "angle"]
    refs: tuple[Ref, ...] = ()
    measured: float | None = None
    within: float | None = None

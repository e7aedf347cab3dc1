"""Steps that clean a picture; kept in the job, switchable, applied anew whenever it is decoded.

All places are px of the upright picture as it came, y down, so no step moves another's places.
"""

from __future__ import annotations

import math

from msgspec import Struct

from silhueta.core.errors import EditError
from silhueta.core.wording import counted

Point = tuple[float, float]


class Crop(Struct, frozen=True, tag="crop", tag_field="kind"):
    """Only this box of the picture counts."""

    x: float
    y: float
    width: float
    height: float
    on: bool = True

    def __post_init__(self) -> None:
        values = (self.x, self.y, self.width, self.height)
        if not all(math.isfinite(v) for v in values) or self.width < 2 or self.height < 2:
            raise EditError("a crop needs a box of at least 2 × 2 pixels; draw it larger")


class Turn(Struct, frozen=True, tag="turn", tag_field="kind"):
    """Quarter turns, anticlockwise."""

    quarters: int
    on: bool = True


class Straighten(Struct, frozen=True, tag="straighten", tag_field="kind"):
    """Turn so that the line from `start` to `end` is level, or upright where that is nearer."""

    start: Point
    end: Point
    on: bool = True

    def __post_init__(self) -> None:
        if math.dist(self.start, self.end) < 5:
            raise EditError("the two points are too close together to level by; draw a longer line")

    def angle(self) -> float:
        """Return the turn it takes, rad, anticlockwise as seen; at most an eighth of a turn."""
        seen = math.atan2(self.start[1] - self.end[1], self.end[0] - self.start[0])
        return -math.remainder(seen, math.pi / 2)


class Mirror(Struct, frozen=True, tag="mirror", tag_field="kind"):
    """Left and right exchanged."""

    on: bool = True


class EvenLight(Struct, frozen=True, tag="even light", tag_field="kind"):
    """Uneven light on a bright ground taken out."""

    on: bool = True


class Backdrop(Struct, frozen=True, tag="backdrop", tag_field="kind"):
    """Grounds of these colours become white.

    Parameters
    ----------
    colours : tuple of (red, green, blue), 0 to 255
    reach : float
        How far a colour may be from one of them (CIE 1976 L*a*b* difference).

    """

    colours: tuple[tuple[int, int, int], ...]
    reach: float = 18.0
    on: bool = True

    def __post_init__(self) -> None:
        if not self.colours:
            raise EditError("pick at least one colour of the background")
        if not 1 <= self.reach <= 120:
            raise EditError(f"the reach must be 1 to 120, got {self.reach:g}")


class Stroke(Struct, frozen=True, tag="stroke", tag_field="kind"):
    """Ink (painted solid) or scrape (painted away).

    Parameters
    ----------
    ink : bool
        True: becomes part. False: becomes ground.
    points : tuple of (x, y)
        The brush's way; of a polygon its corners.
    width : float, px
        Of the brush; 0: the points are a polygon, filled.

    """

    ink: bool
    points: tuple[Point, ...]
    width: float = 0.0
    on: bool = True

    def __post_init__(self) -> None:
        if not self.points or not all(math.isfinite(v) for p in self.points for v in p):
            raise EditError("a stroke needs points that are numbers")
        if self.width == 0 and len(self.points) < 3:
            raise EditError("a polygon needs three corners; click one more")
        if not 0 <= self.width <= 20_000:
            raise EditError(f"a brush of {self.width:g} px cannot be; take 1 to 20,000")


Step = Crop | Turn | Straighten | Mirror | EvenLight | Backdrop | Stroke


def describe_step(step: Step) -> str:
    """Return a step in a few words."""
    match step:
        case Crop(width=width, height=height):
            return f"crop to {width:,.0f} × {height:,.0f} px"
        case Turn(quarters=quarters):
            left = quarters % 4
            return {1: "turn left", 2: "turn half way", 3: "turn right"}.get(left, "no turn")
        case Straighten():
            return f"straighten by {math.degrees(step.angle()):+.2f}°"
        case Mirror():
            return "mirror"
        case EvenLight():
            return "even out the light"
        case Backdrop(colours=colours):
            return f"drop {counted(len(colours), 'background colour')}"
        case Stroke(ink=ink, width=width):
            what = "ink" if ink else "scrape"
            return f"{what}, {width:,.0f} px brush" if width else f"{what} an area"

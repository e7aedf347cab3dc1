"""What fixes the scale of a picture, kind by kind, and what else is known of a photo.

Words used here
    datum    what fixes the scale: a sheet, a length, the file's dpi, ...
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from msgspec import Struct

from silhueta.core.errors import ScaleError

OPEN_MM = 6.0  # that a part of unknown thickness may be thick, so far as the ± goes
CARD_MM = 0.76  # thickness of an ID-1 card, ISO/IEC 7810:2019, 5.1
_FARTHEST = 1e6  # px
_MOST_UNLIKE = 12.0  # times as long as its opposite: a side of a sheet seen from its very edge
_MOST_LEAN = 0.5  # rad
MARKED_PX = 0.7  # standard uncertainty of a point that a hand marked, px


class DpiDatum(Struct, frozen=True, tag="dpi", tag_field="kind"):
    """So many pixels an inch; `source` says whether the file or a person said so."""

    dpi: float
    source: Literal["file", "typed"] = "typed"

    def __post_init__(self) -> None:
        _positive(self.dpi, "dpi")


class PixelDatum(Struct, frozen=True, tag="pixel", tag_field="kind"):
    """The side of one pixel in mm."""

    mm: float

    def __post_init__(self) -> None:
        _positive(self.mm, "pixel size")


class OverallDatum(Struct, frozen=True, tag="overall", tag_field="kind"):
    """The whole traced outline is `mm` wide or high."""

    axis: Literal["width", "height"]
    mm: float

    def __post_init__(self) -> None:
        _positive(self.mm, f"overall {self.axis}")


class LengthDatum(Struct, frozen=True, tag="length", tag_field="kind"):
    """From `start` to `end` (picture coordinates in px, y down) it is `mm`."""

    start: tuple[float, float]
    end: tuple[float, float]
    mm: float
    sigma: float = MARKED_PX  # standard uncertainty of a point in one direction, px

    def __post_init__(self) -> None:
        _positive(self.mm, "known length")
        if not all(math.isfinite(v) for v in (*self.start, *self.end)):
            raise ScaleError("the two points of a known length must be finite numbers")
        if math.dist(self.start, self.end) < 1.0:
            raise ScaleError(
                "the two points of the known length are less than a pixel apart; "
                "pick two that lie far from each other"
            )


class PageDatum(Struct, frozen=True, tag="page", tag_field="kind"):
    """The picture is a scan of one whole page, `size` (width, height) mm either way round."""

    name: str
    size: tuple[float, float]
    pixels: tuple[int, int]  # of the picture

    def __post_init__(self) -> None:
        for value in (*self.size, *self.pixels):
            _positive(value, "page size")


class SheetDatum(Struct, frozen=True, tag="sheet", tag_field="kind"):
    """A rectangle of known size lies in the datum's plane, under or beside the part.

    Parameters
    ----------
    name : str
        "a4", "card", "120x80mm" ...
    size : (width, height)
        mm, as it lies.
    corners : four (x, y)
        Picture coordinates in px, clockwise as seen, from the sheet's own top left.
    sigma : float
        Standard uncertainty of a corner in one direction, px.
    bend, bend_sigma : float
        Lens distortion that the bend of its edges tells, as the relative shift of the picture's
        corners (negative: barrel), and its standard uncertainty.
    residual : float
        Of the edges from straight lines, px.
    found : bool
        True: measured from the picture. False: marked by a person.

    """

    name: str
    size: tuple[float, float]
    corners: tuple[
        tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]
    ]
    sigma: float = MARKED_PX
    bend: float = 0.0
    bend_sigma: float = 0.0
    residual: float = 0.0
    found: bool = False

    def __post_init__(self) -> None:
        for value in self.size:
            _positive(value, "sheet size")
        if len(self.corners) != 4 or not all(math.isfinite(v) for c in self.corners for v in c):
            raise ScaleError("a sheet has four corners; mark each of them")
        if max(abs(v) for c in self.corners for v in c) > _FARTHEST:
            raise ScaleError("a corner of the sheet lies far outside of any picture: mark it again")
        turns = [_turn(*(self.corners[(i + d) % 4] for d in range(3))) for i in range(4)]
        if all(turn < 0 for turn in turns):
            raise ScaleError(
                "the sheet's corners run the wrong way round; give them clockwise from its top left"
            )
        if not all(turn > 1 for turn in turns):
            raise ScaleError(
                "the lines between the sheet's corners cross, or three corners lie in one line; "
                "give them clockwise, from its top left"
            )
        sides = [math.dist(self.corners[i], self.corners[i - 1]) for i in range(4)]
        for one, other in ((sides[0], sides[2]), (sides[1], sides[3])):
            if max(one, other) > _MOST_UNLIKE * min(one, other):
                raise ScaleError(
                    f"opposite sides of the sheet are {one:.0f} and {other:.0f} px long, which no "
                    "photo shows: mark its corners again"
                )


class GaugeDatum(Struct, frozen=True, tag="gauge", tag_field="kind"):
    """The printed gauge sheet was found: its marks, and what they came to.

    Parameters
    ----------
    name : str
        "a4", "a3", "letter".
    points : tuple of (x px, y px, x mm, y mm)
        Where corners of marks lie in the picture and on the sheet (y up, from its lower left).
    bar : float
        What the 100 mm bar of the print really measures, mm.
    bar_sigma : float
        Relative standard uncertainty of the bar: of calipers, and of an untried printer.
    sigma : float
        Standard uncertainty of a point in one direction, px.
    focal : float or None
        Focal length in px, where the marks tell it.
    bend, bend_sigma : float
        Lens distortion that the marks tell, as of a sheet.

    """

    name: str
    points: tuple[tuple[float, float, float, float], ...]
    bar: float = 100.0
    bar_sigma: float = 0.0005
    sigma: float = 0.1
    focal: float | None = None
    bend: float = 0.0
    bend_sigma: float = 0.0

    def __post_init__(self) -> None:
        if not 80 <= self.bar <= 120:
            raise ScaleError(
                f"the gauge sheet's 100 mm bar cannot measure {self.bar:g} mm; measure it again, "
                "or print the sheet at 100 % size"
            )
        if len(self.points) < 4:
            raise ScaleError("too few marks of the gauge sheet are to be seen; show more of it")


class RoundDatum(Struct, frozen=True, tag="round", tag_field="kind"):
    """A coin, washer or bore of known diameter, seen as an ellipse.

    Parameters
    ----------
    centre : (x, y) px
    radii : (long, short) px
    angle : float
        Of the long axis, rad, from x towards y down.
    mm : float
        Diameter.
    tilt : bool
        Whether its shape also tells how the plane is tilted.
    sigma : float
        Standard uncertainty of a radius, px.

    """

    centre: tuple[float, float]
    radii: tuple[float, float]
    angle: float
    mm: float
    tilt: bool = False
    sigma: float = 0.1

    def __post_init__(self) -> None:
        _positive(self.mm, "diameter")
        if not (0 < self.radii[1] <= self.radii[0] and self.radii[1] > 0.2 * self.radii[0]):
            raise ScaleError("this is no round thing seen from above; pick another one")


Datum = (
    DpiDatum
    | PixelDatum
    | OverallDatum
    | LengthDatum
    | PageDatum
    | SheetDatum
    | GaugeDatum
    | RoundDatum
)


@dataclass(frozen=True)
class Lean:
    """How far the camera leaned from straight above, as the picture itself shows it.

    Parameters
    ----------
    about : (x, y), rad
        About the camera's own axes (`Plane.leaned`).
    spread : ((x, y), (x, y)), rad
        Two steps by which that may be off: each a standard uncertainty, and one says nothing of
        the other.
    holes : int
        How many show it.

    """

    about: tuple[float, float]
    spread: tuple[tuple[float, float], tuple[float, float]]
    holes: int

    def __post_init__(self) -> None:
        angles = (*self.about, *self.spread[0], *self.spread[1])
        if not all(math.isfinite(angle) and abs(angle) < _MOST_LEAN for angle in angles):
            raise ScaleError("the camera cannot have leaned like that; trace the photo again")

    @property
    def angle(self) -> float:
        """How far it leaned in all, degrees."""
        return math.degrees(math.hypot(*self.about))

    @property
    def sure(self) -> float:
        """The ± of that, degrees (95 %), in the direction in which it is known least."""
        (a, b), (c, d) = self.spread
        half, apart = (a * a + b * b + c * c + d * d) / 2, a * d - b * c
        return 2 * math.degrees(math.sqrt(half + math.sqrt(max(half**2 - apart**2, 0.0))))


@dataclass(frozen=True)
class Optics:
    """What else is known of the photo.

    Parameters
    ----------
    thickness : float, mm
        Of the part itself; 0: as thin as paper, or not told.
    focal35 : float or None
        The lens as a 35-mm equivalent, mm; None: from the file, or worked out.
    datum_height : float or None, mm
        How high the datum stands above what the part lies on; None: by what it is (`CARD_MM` for
        a card, 0 for paper).
    thickness_open : bool
        The thickness matters and is still to be told: it may be anything up to `OPEN_MM`.

    """

    thickness: float = 0.0
    focal35: float | None = None
    datum_height: float | None = None
    thickness_open: bool = False

    def __post_init__(self) -> None:
        if not (math.isfinite(self.thickness) and self.thickness >= 0):
            raise ScaleError(f"the thickness must be 0 mm or more, got {self.thickness:g}")
        if self.thickness_open and self.thickness > 0:
            raise ScaleError("a thickness that is told is not open any more")
        height = self.datum_height
        if height is not None and not (math.isfinite(height) and 0 <= height <= 1000):
            raise ScaleError(f"the height of the datum must be 0 mm or more, got {height:g}")
        if self.focal35 is not None and not 5 <= self.focal35 <= 2000:
            raise ScaleError(
                f"a lens of {self.focal35:g} mm (35-mm equivalent) cannot be; phones have 13 to 120"
            )


def _turn(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> float:
    return (b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0])


def _positive(value: float, name: str) -> None:
    if not (math.isfinite(value) and value > 0):
        raise ScaleError(f"the {name} must be above zero, got {value:g}")


UNKNOWN = Optics()  # nothing is known of the photo but what its file tells

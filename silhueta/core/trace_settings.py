"""How a picture becomes an outline: what a person may choose.

Words used here
    mode      by what part and ground are told apart
    patch     an area with a rule of its own
    pen       for drawings: which line stands for a pen's stroke
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from silhueta.core.errors import EditError
from silhueta.core.steps import Point

Keep = Literal["all", "outer", "outer+holes"]
Mode = Literal["threshold", "band", "local", "colour", "part"]
Pen = Literal["outer", "inner", "centre"]
Kind = Literal["arcs", "curves"]
Rule = Literal["solid", "nothing", "threshold", "band", "local"]
Rgb = tuple[int, int, int]
Read = Literal["part", "solid", "line", "colours"]
Blend = Literal["auto", "linear", "stored"]

DEFAULT_TOLERANCE_PX = 0.5
DEFAULT_CORNER = 35.0  # degrees
MOST_COLOURS = 16


@dataclass(frozen=True)
class Patch:
    """An area of the picture with a rule of its own.

    Parameters
    ----------
    points : tuple of (x, y)
        Corners of a polygon, picture coordinates in px, y down.
    rule : {"solid", "nothing", "threshold", "band", "local"}
        All part, all ground, or told apart as the settings of the same name do.
    threshold, band, window, invert
        As in TraceSettings.

    """

    points: tuple[Point, ...]
    rule: Rule = "threshold"
    threshold: float | None = None
    band: tuple[float, float] = (64.0, 192.0)
    window: float = 20.0
    invert: bool = False

    def __post_init__(self) -> None:
        if len(self.points) < 3 or not all(math.isfinite(v) for p in self.points for v in p):
            raise EditError("a patch needs three corners that are numbers; draw it again")
        _check_rules(self.threshold, self.band, self.window)


@dataclass(frozen=True)
class TraceSettings:
    """How the picture becomes an outline.

    Parameters
    ----------
    threshold : float or None, grey value 0 to 255
        Darker than this is dark. None: found from the picture.
    invert : bool
        False: the part is dark (between the two, near the colours). True: it is the rest.
    speck : float, mm²
        Loops that enclose less are left out.
    tolerance : float or None, mm
        How far the outline may leave the edge. None: half a pixel.
    keep : {"all", "outer", "outer+holes"}
        Loops that are cut; the others stay, skipped.
    mode : {"threshold", "band", "local", "colour", "part"}
        One grey value; between two; against the greys around (`window`); near picked colours;
        or part against ground, for photos of real objects.
    band : (low, high), grey values
    window : float, mm
        Side of the square whose greys a pixel is held against.
    colours : tuple of (red, green, blue), 0 to 255
    colour_distance : float
        CIE DE2000 difference up to which a colour counts as picked.
    pinhole : float or None, mm²
        Holes that enclose less are filled. None: the speck limit.
    pen : {"outer", "inner", "centre"} or None
        The part is a drawing's pen line, and this is what stands for it.
    close_gaps : float, mm
        Breaks of a pen line up to this are closed.
    split : int
        Number of main colours, each of which becomes loops of its own; 0: none.
    fit : {"arcs", "curves"}
        Lines and arcs alone, or cubic curves as well.
    smooth : float, mm
        Length over which the edge is calmed; 0: as the picture has it.
    corner : float, degrees
        Joints that turn by less are smooth where the edge allows it.
    patches : tuple of Patch
        Later ones lie over earlier ones.
    many : bool
        Trace more than a million edge points without asking.
    read : {"part", "solid", "line", "colours"} or None
        What the picture is taken for; None: nobody has looked yet.
    light : {"auto", "linear", "stored"}
        Whether the picture was blended as light (photos, scans) or in stored values (graphics).

    """

    threshold: float | None = None
    invert: bool = False
    speck: float = 1.0
    tolerance: float | None = None
    keep: Keep = "all"
    mode: Mode = "threshold"
    band: tuple[float, float] = (64.0, 192.0)
    window: float = 20.0
    colours: tuple[Rgb, ...] = ()
    colour_distance: float = 20.0
    pinhole: float | None = None
    pen: Pen | None = None
    close_gaps: float = 0.0
    split: int = 0
    fit: Kind = "arcs"
    smooth: float = 0.0
    corner: float = DEFAULT_CORNER
    patches: tuple[Patch, ...] = ()
    many: bool = False
    read: Read | None = None
    light: Blend = "auto"

    @property
    def lines_only(self) -> str:
        """Why neither curves nor smoothing have anything to work on; "" where they have."""
        if self.split:
            return "borders between main colours are followed as they are, in lines and arcs"
        if self.pen == "centre":
            return "the middles of pen lines are lines and arcs, and calm already"
        return ""

    def __post_init__(self) -> None:
        _check_rules(self.threshold, self.band, self.window)
        _not_below(self.speck, "speck limit", "mm²")
        _not_below(self.smooth, "smoothing length", "mm")
        _not_below(self.close_gaps, "longest gap", "mm")
        if self.pinhole is not None:
            _not_below(self.pinhole, "pinhole limit", "mm²")
        if self.tolerance is not None and not (
            math.isfinite(self.tolerance) and self.tolerance > 0
        ):
            raise EditError(f"the tolerance must be above 0 mm, got {self.tolerance:g}")
        if self.keep not in ("all", "outer", "outer+holes"):
            raise EditError(f"keep is all, outer or outer+holes, got “{self.keep}”")
        if not 0 < self.colour_distance <= 100:
            raise EditError(f"the colour distance must be 1 to 100, got {self.colour_distance:g}")
        if not 0 <= self.corner <= 180:
            raise EditError(f"the corner angle must be 0 to 180 degrees, got {self.corner:g}")
        if not (self.split == 0 or 2 <= self.split <= MOST_COLOURS):
            raise EditError(f"a picture splits into 2 to {MOST_COLOURS} colours, not {self.split}")


def _check_rules(threshold: float | None, band: tuple[float, float], window: float) -> None:
    if threshold is not None and not 0 <= threshold <= 255:
        raise EditError(f"the threshold must be 0 to 255, got {threshold:g}")
    low, high = band
    if not 0 <= low < high <= 255:
        raise EditError(
            f"a band runs from a lower to a higher grey, 0 to 255; got {low:g} to {high:g}"
        )
    if not 0.1 <= window <= 10_000:
        raise EditError(f"the window must be 0.1 to 10,000 mm, got {window:g}")


def _not_below(value: float, name: str, unit: str) -> None:
    if not (math.isfinite(value) and value >= 0):
        raise EditError(f"the {name} must be 0 {unit} or more, got {value:g}")

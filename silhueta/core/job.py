"""A job: everything that undo must bring back, and nothing about how it is shown.

Words used here
    datum    what fixes the scale of a picture
    speck    a loop too small to be worth a cut
    keep     which loops of the nesting are taken: all, outer only, outer with their holes

All values are frozen and shared between versions of a job. An edit is a function Job -> Job that
returns the job itself when nothing changes.
"""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass, field, replace
from typing import Literal

from silhueta.core.errors import ScaleError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.steps import Crop as Crop
from silhueta.core.steps import Step
from silhueta.core.trace_settings import DEFAULT_TOLERANCE_PX as DEFAULT_TOLERANCE_PX
from silhueta.core.trace_settings import Keep as Keep
from silhueta.core.trace_settings import Patch as Patch
from silhueta.core.trace_settings import TraceSettings as TraceSettings
from silhueta.core.units import Unit

DxfVersion = Literal["R12", "R2000"]
FrameOrigin = Literal["corner", "picture"]
OPEN_MM = 6.0  # that a part of unknown thickness may be thick, so far as the ± goes
CARD_MM = 0.76  # thickness of an ID-1 card, ISO/IEC 7810:2019, 5.1
_FARTHEST = 1e6  # px
_MOST_UNLIKE = 12.0  # times as long as its opposite: a side of a sheet seen from its very edge
MARKED_PX = 0.7  # standard uncertainty of a point that a hand marked, px


@dataclass(frozen=True, eq=False)
class PictureFile:
    """A picture as it came: its bytes and its name. Decoded on demand (picture.decode)."""

    data: bytes = field(repr=False)
    name: str
    page: int = 0  # of a PDF or TIFF, from 0
    dpi: float | None = None  # at which a PDF's page is drawn

    def digest(self) -> str:
        """Return the SHA-256 of the bytes, hexadecimal."""
        return hashlib.sha256(self.data).hexdigest()


@dataclass(frozen=True)
class DpiDatum:
    """So many pixels an inch; `source` says whether the file or a person said so."""

    dpi: float
    source: Literal["file", "typed"] = "typed"

    def __post_init__(self) -> None:
        _positive(self.dpi, "dpi")


@dataclass(frozen=True)
class PixelDatum:
    """The side of one pixel in mm."""

    mm: float

    def __post_init__(self) -> None:
        _positive(self.mm, "pixel size")


@dataclass(frozen=True)
class OverallDatum:
    """The whole traced outline is `mm` wide or high."""

    axis: Literal["width", "height"]
    mm: float

    def __post_init__(self) -> None:
        _positive(self.mm, f"overall {self.axis}")


@dataclass(frozen=True)
class LengthDatum:
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


@dataclass(frozen=True)
class PageDatum:
    """The picture is a scan of one whole page, `size` (width, height) mm either way round."""

    name: str
    size: tuple[float, float]
    pixels: tuple[int, int]  # of the picture

    def __post_init__(self) -> None:
        for value in (*self.size, *self.pixels):
            _positive(value, "page size")


@dataclass(frozen=True)
class SheetDatum:
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


@dataclass(frozen=True)
class GaugeDatum:
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


@dataclass(frozen=True)
class RoundDatum:
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


@dataclass(frozen=True)
class CutFileSettings:
    """How the cut file is written."""

    units: Unit = "mm"
    dxf_version: DxfVersion = "R2000"
    origin: FrameOrigin = "corner"


@dataclass(frozen=True)
class TraceStamp:
    """What an outline was traced from, and what came of it besides the outline.

    Parameters
    ----------
    datums, settings
        As they stood then; when the job's differ, the outline is stale.
    mm_per_px : float
    level : float
        Grey value of the edge, 0 to 255.
    dropped : int
        Loops left out as specks.
    deviation_mm, deviation_mean, deviation_p95 : float
        Largest and mean distance of the picture's edge from the outline, mm, and what 95 % of it
        keep within.
    noise_mm : float
        Standard deviation of a point of the edge.
    tolerance_mm : float
        By how much the outline may leave it, as it was kept; 0: not told.
    rims : int
        Dark strips along the picture's border that were left out.
    kept, replaced : int
        Loops that a person had touched and that stayed, and others traced anew beside them.
    doubts : tuple of (x mm, y mm, text)
        Places where something may be wrong, and what.

    """

    datums: tuple[Datum, ...]
    settings: TraceSettings
    mm_per_px: float
    level: float
    dropped: int
    deviation_mm: float
    optics: Optics = Optics()
    clean: tuple[Step, ...] = ()
    deviation_mean: float = 0.0
    deviation_p95: float = 0.0
    noise_mm: float = 0.0
    tolerance_mm: float = 0.0
    rims: int = 0
    kept: int = 0
    replaced: int = 0
    doubts: tuple[tuple[float, float, str], ...] = ()


@dataclass(frozen=True, eq=False)
class Job:
    """One sheet of work. Compared by identity.

    Parameters
    ----------
    name : str
    picture : PictureFile or None
    datums : tuple of Datum
        What fixes the scale, all together (datum.solve). Empty: no true size yet.
    optics : Optics
    clean : tuple of Step
        In the order they were taken.
    trace : TraceSettings
    outline : Outline
        In mm; what was traced from the parts above, or edited since.
    traced : TraceStamp or None
        None before the first trace.
    cut_file : CutFileSettings

    """

    name: str = "Untitled"
    picture: PictureFile | None = None
    datums: tuple[Datum, ...] = ()
    optics: Optics = Optics()
    clean: tuple[Step, ...] = ()
    trace: TraceSettings = field(default_factory=TraceSettings)
    outline: Outline = field(default_factory=Outline)
    traced: TraceStamp | None = None
    cut_file: CutFileSettings = CutFileSettings()


def set_picture(job: Job, picture: PictureFile, name: str, datum: Datum | None) -> Job:
    """Return a job that begins with `picture`: nothing traced yet, the scale from `datum`."""
    return replace(
        job,
        name=name,
        picture=picture,
        datums=() if datum is None else (datum,),
        optics=Optics(),
        clean=(),
        outline=Outline(),
        traced=None,
    )


def set_datum(job: Job, datum: Datum) -> Job:
    """Return `job` with `datum` as the one that fixes the scale."""
    return job if job.datums == (datum,) else replace(job, datums=(datum,))


def set_datums(job: Job, datums: tuple[Datum, ...]) -> Job:
    """Return `job` with these datums fixing the scale together."""
    return job if job.datums == datums else replace(job, datums=datums)


def set_imported(job: Job, outline: Outline, name: str) -> Job:
    """Return a job that begins with an outline as another program drew it, and no picture."""
    return replace(job, name=name, picture=None, datums=(), clean=(), outline=outline, traced=None)


def add_datum(job: Job, datum: Datum) -> Job:
    """Return `job` with `datum` beside those that it can be combined with, in place of the others.

    Sheet, gauge sheet, lengths and rounds work together; each of the other kinds stands alone.
    """
    measured = (SheetDatum, GaugeDatum, LengthDatum, RoundDatum)
    if not isinstance(datum, measured):
        return set_datums(job, (datum,))
    kept = [other for other in job.datums if isinstance(other, measured)]
    if isinstance(datum, SheetDatum | GaugeDatum):
        kept = [other for other in kept if not isinstance(other, SheetDatum | GaugeDatum)]
    kept = [other for other in kept if not _same_place(other, datum)]
    return set_datums(job, (*kept, datum))


def _same_place(one: Datum, two: Datum) -> bool:
    if isinstance(one, LengthDatum) and isinstance(two, LengthDatum):
        return (one.start, one.end) == (two.start, two.end)
    return isinstance(one, RoundDatum) and isinstance(two, RoundDatum) and one.centre == two.centre


def set_optics(job: Job, optics: Optics) -> Job:
    """Return `job` with another thickness or focal length."""
    return job if job.optics == optics else replace(job, optics=optics)


def set_clean(job: Job, steps: tuple[Step, ...]) -> Job:
    """Return `job` with other steps that clean its picture."""
    return job if job.clean == steps else replace(job, clean=steps)


def set_trace(job: Job, settings: TraceSettings) -> Job:
    """Return `job` with other trace settings."""
    return job if job.trace == settings else replace(job, trace=settings)


def set_cut_file(job: Job, settings: CutFileSettings) -> Job:
    """Return `job` with other settings for the cut file."""
    return job if job.cut_file == settings else replace(job, cut_file=settings)


def set_outline(job: Job, outline: Outline, stamp: TraceStamp) -> Job:
    """Return `job` with what was traced."""
    return replace(job, outline=outline, traced=stamp)


def with_outline(job: Job, outline: Outline) -> Job:
    """Return `job` with its outline changed by hand: what it was traced from stays noted."""
    return job if outline is job.outline else replace(job, outline=outline)


def is_stale(job: Job) -> bool:
    """Return whether the outline no longer follows from the picture, datums and settings."""
    if job.picture is None:
        return False
    stamp = job.traced
    then = None if stamp is None else (stamp.datums, stamp.settings, stamp.optics, stamp.clean)
    return then != (job.datums, job.trace, job.optics, job.clean)


def touched(outline: Outline) -> tuple[Contour, ...]:
    """Return the contours that a person has changed, drawn or locked."""
    return tuple(c for c in outline.contours if c.locked or c.origin in ("edited", "drawn"))

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

from silhueta.core.errors import EditError, ScaleError
from silhueta.core.geometry.outline import Outline
from silhueta.core.units import Unit

Keep = Literal["all", "outer", "outer+holes"]
DxfVersion = Literal["R12", "R2000"]
FrameOrigin = Literal["corner", "picture"]


@dataclass(frozen=True, eq=False)
class PictureFile:
    """A picture as it came: its bytes and its name. Decoded on demand (picture.decode)."""

    data: bytes = field(repr=False)
    name: str

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

    def __post_init__(self) -> None:
        _positive(self.mm, "known length")
        if not all(math.isfinite(v) for v in (*self.start, *self.end)):
            raise ScaleError("the two points of a known length must be finite numbers")
        if math.dist(self.start, self.end) < 1.0:
            raise ScaleError(
                "the two points of the known length are less than a pixel apart; "
                "pick two that lie far from each other"
            )


Datum = DpiDatum | PixelDatum | OverallDatum | LengthDatum


def _positive(value: float, name: str) -> None:
    if not (math.isfinite(value) and value > 0):
        raise ScaleError(f"the {name} must be above zero, got {value:g}")


DEFAULT_TOLERANCE_PX = 0.5


@dataclass(frozen=True)
class TraceSettings:
    """How the picture becomes an outline.

    Parameters
    ----------
    threshold : float or None, grey value 0 to 255
        Darker than this is dark. None: found from the picture.
    invert : bool
        False: the part is dark. True: the part is light.
    speck : float, mm²
        Loops that enclose less are left out.
    tolerance : float or None, mm
        How far the outline may leave the edge. None: half a pixel.
    keep : {"all", "outer", "outer+holes"}
        Loops that are cut; the others stay, skipped.

    """

    threshold: float | None = None
    invert: bool = False
    speck: float = 1.0
    tolerance: float | None = None
    keep: Keep = "all"

    def __post_init__(self) -> None:
        if self.threshold is not None and not 0 <= self.threshold <= 255:
            raise EditError(f"the threshold must be 0 to 255, got {self.threshold:g}")
        if not (math.isfinite(self.speck) and self.speck >= 0):
            raise EditError(f"the speck limit must be 0 mm² or more, got {self.speck:g}")
        if self.tolerance is not None and not (
            math.isfinite(self.tolerance) and self.tolerance > 0
        ):
            raise EditError(f"the tolerance must be above 0 mm, got {self.tolerance:g}")
        if self.keep not in ("all", "outer", "outer+holes"):
            raise EditError(f"keep is all, outer or outer+holes, got “{self.keep}”")


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
    deviation_mm : float
        Largest distance of the picture's edge from the outline.

    """

    datums: tuple[Datum, ...]
    settings: TraceSettings
    mm_per_px: float
    level: float
    dropped: int
    deviation_mm: float


@dataclass(frozen=True, eq=False)
class Job:
    """One sheet of work. Compared by identity.

    Parameters
    ----------
    name : str
    picture : PictureFile or None
    datums : tuple of Datum
        The first fixes the scale; more than one is for later stops. Empty: no true size yet.
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
    trace: TraceSettings = TraceSettings()
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
        outline=Outline(),
        traced=None,
    )


def set_datum(job: Job, datum: Datum) -> Job:
    """Return `job` with `datum` as the one that fixes the scale."""
    return job if job.datums == (datum,) else replace(job, datums=(datum,))


def set_trace(job: Job, settings: TraceSettings) -> Job:
    """Return `job` with other trace settings."""
    return job if job.trace == settings else replace(job, trace=settings)


def set_cut_file(job: Job, settings: CutFileSettings) -> Job:
    """Return `job` with other settings for the cut file."""
    return job if job.cut_file == settings else replace(job, cut_file=settings)


def set_outline(job: Job, outline: Outline, stamp: TraceStamp) -> Job:
    """Return `job` with what was traced."""
    return replace(job, outline=outline, traced=stamp)


def is_stale(job: Job) -> bool:
    """Return whether the outline no longer follows from the picture, datums and settings."""
    if job.picture is None:
        return False
    stamp = job.traced
    return stamp is None or stamp.datums != job.datums or stamp.settings != job.trace

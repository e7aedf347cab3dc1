"""Which datum fixes the scale, and how large it makes a pixel; plain numbers, no arrays."""

from __future__ import annotations

import math

from silhueta.core.datum.sheets import title
from silhueta.core.datums import (
    CARD_MM,
    Datum,
    DpiDatum,
    GaugeDatum,
    LengthDatum,
    Optics,
    OverallDatum,
    PageDatum,
    PixelDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.errors import ScaleError
from silhueta.core.job import Job
from silhueta.core.units import MM_PER_INCH

PROVISIONAL_MM = 0.1  # per px, for looking at a picture whose size is not known yet


def kind_of(datum: Datum) -> str:
    """Return the name under which reports and sheets list `datum`."""
    match datum:
        case DpiDatum():
            return "dpi"
        case PixelDatum():
            return "pixel-size"
        case OverallDatum(axis=axis):
            return f"overall-{axis}"
        case LengthDatum():
            return "known-length"
        case PageDatum():
            return "page"
        case SheetDatum():
            return "sheet"
        case GaugeDatum():
            return "gauge"
        case RoundDatum():
            return "round"


def leaves_lean(job: Job) -> bool:
    """Return whether a job's datums are lengths and rounds, that do not tell a camera's lean."""
    told = [d for d in job.datums if isinstance(d, LengthDatum | RoundDatum)]
    tilted = any(isinstance(d, RoundDatum) and d.tilt for d in told)
    return isinstance(fixing_datum(job), LengthDatum | RoundDatum) and not tilted


def mm_per_px(datum: Datum, extent_px: tuple[float, float]) -> float:
    """Return the side of a pixel in mm that `datum` fixes; where it shows a tilt, a typical one.

    Parameters
    ----------
    datum : Datum
    extent_px : (width, height)
        Of the traced outline, px; only an overall datum looks at it.

    Raises
    ------
    ScaleError
        If an overall datum meets an outline without extent.

    """
    match datum:
        case DpiDatum(dpi=dpi):
            return MM_PER_INCH / dpi
        case PixelDatum(mm=mm):
            return mm
        case LengthDatum(start=start, end=end, mm=mm):
            return mm / math.dist(start, end)
        case PageDatum(size=size, pixels=pixels):
            return math.sqrt(size[0] * size[1] / (pixels[0] * pixels[1]))
        case SheetDatum(size=size, corners=corners):
            around = sum(math.dist(corners[i - 1], corners[i]) for i in range(4))
            return 2 * (size[0] + size[1]) / around
        case GaugeDatum(points=points, bar=bar):
            first, last = points[0], points[-1]
            return math.dist(first[2:], last[2:]) / math.dist(first[:2], last[:2]) * bar / 100
        case RoundDatum(radii=radii, mm=mm):
            return mm / (2 * radii[0])
        case OverallDatum(axis=axis, mm=mm):
            extent = extent_px[0] if axis == "width" else extent_px[1]
            if not extent > 0:
                raise ScaleError(f"there is no outline whose {axis} could be {mm:g} mm")
            return mm / extent


def rise(optics: Optics, base: Datum) -> float:
    """Return how far the part's top face stands above the plane of the datum, mm.

    Below zero where a thin part lies beside a thicker card; 0 where neither thickness nor height
    is told.
    """
    if optics.datum_height is not None:
        return optics.thickness - optics.datum_height
    if optics.thickness == 0:
        return 0.0
    card = isinstance(base, SheetDatum) and base.name == "card"
    return optics.thickness - (CARD_MM if card else 0.0)


def describe(datum: Datum) -> str:
    """Return in a few words what fixes the scale: "300 dpi in the file"."""
    match datum:
        case DpiDatum(dpi=dpi, source=source):
            return f"{dpi:g} dpi{' in the file' if source == 'file' else ''}"
        case PixelDatum(mm=mm):
            return f"a pixel of {mm:g} mm"
        case OverallDatum(axis=axis, mm=mm):
            return f"{mm:g} mm overall {axis}"
        case LengthDatum(mm=mm):
            return f"a known length of {mm:g} mm"
        case PageDatum(name=name):
            return f"a whole {title(name)} page"
        case SheetDatum(name=name):
            return f"the {title(name)} sheet" if name != "card" else f"the {title(name)}"
        case GaugeDatum(name=name):
            return f"the {title(name)} gauge sheet"
        case RoundDatum(mm=mm):
            return f"a round of {mm:g} mm"


def fixing_datum(job: Job) -> Datum:
    """Return the datum that says most; a provisional pixel of 0.1 mm for want of any."""
    for kind in (GaugeDatum, SheetDatum):
        for datum in job.datums:
            if isinstance(datum, kind):
                return datum
    return job.datums[0] if job.datums else PixelDatum(PROVISIONAL_MM)


def present_mm_per_px(job: Job) -> float:
    """Return the side of a pixel in mm as far as it is known: fixed, traced, or provisional."""
    datum = fixing_datum(job)
    if isinstance(datum, OverallDatum):
        return job.traced.mm_per_px if job.traced else PROVISIONAL_MM
    return mm_per_px(datum, (0.0, 0.0))


def true_size(job: Job) -> bool:
    """Return whether the job's size is known: from a datum, or as an outline was imported."""
    return bool(job.datums) or (job.picture is None and bool(job.outline.contours))


def is_photo(job: Job) -> bool:
    """Return whether the picture is seen at an angle: its pixels are not all of one size."""
    return isinstance(fixing_datum(job), SheetDatum | GaugeDatum)

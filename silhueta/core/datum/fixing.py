"""Which datum fixes the scale, and how large it makes a pixel; plain numbers, no arrays."""

from __future__ import annotations

import math

from silhueta.core.errors import ScaleError
from silhueta.core.job import Datum, DpiDatum, Job, LengthDatum, OverallDatum, PixelDatum
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


def mm_per_px(datum: Datum, extent_px: tuple[float, float]) -> float:
    """Return the side of a pixel in mm that `datum` fixes.

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
        case OverallDatum(axis=axis, mm=mm):
            extent = extent_px[0] if axis == "width" else extent_px[1]
            if not extent > 0:
                raise ScaleError(f"there is no outline whose {axis} could be {mm:g} mm")
            return mm / extent


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


def fixing_datum(job: Job) -> Datum:
    """Return the datum that fixes the scale; a provisional pixel of 0.1 mm for want of one."""
    return job.datums[0] if job.datums else PixelDatum(PROVISIONAL_MM)


def present_mm_per_px(job: Job) -> float:
    """Return the side of a pixel in mm as far as it is known: fixed, traced, or provisional."""
    datum = fixing_datum(job)
    if isinstance(datum, OverallDatum):
        return job.traced.mm_per_px if job.traced else PROVISIONAL_MM
    return mm_per_px(datum, (0.0, 0.0))


def true_size(job: Job) -> bool:
    """Return whether a datum fixes the job's scale."""
    return bool(job.datums)

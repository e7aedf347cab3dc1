"""Edit: trace a job's picture anew, with its own datum and settings."""

from __future__ import annotations

from silhueta.core.datum.scale import mm_per_px
from silhueta.core.errors import TraceError
from silhueta.core.job import Datum, Job, OverallDatum, PixelDatum, TraceStamp, set_outline
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.trace.trace import Traced, trace
from silhueta.core.work import Work

PROVISIONAL_MM = 0.1  # per px, for looking at a picture whose size is not known yet


def fixing_datum(job: Job) -> Datum:
    """Return the datum that fixes the scale, or a provisional pixel of 0.1 mm when there is none."""
    return job.datums[0] if job.datums else PixelDatum(PROVISIONAL_MM)


def trace_job(
    job: Job, picture: Picture | None = None, work: Work | None = None
) -> tuple[Job, Traced]:
    """Return `job` with the outline of its picture, and how it was come by.

    Parameters
    ----------
    job : Job
    picture : Picture, optional
        The job's picture where it is decoded already.
    work : Work, optional

    Raises
    ------
    TraceError, ScaleError, PictureError, StoppedError
        As decode and trace do; TraceError also when there is no picture.

    """
    if job.picture is None:
        raise TraceError("there is no picture to trace; open one first")
    traced = trace(picture or decode(job.picture), fixing_datum(job), job.trace, work)
    stamp = TraceStamp(
        datums=job.datums,
        settings=job.trace,
        mm_per_px=traced.scale.mm_per_px,
        level=traced.level,
        dropped=traced.dropped,
        deviation_mm=traced.deviation_px * traced.scale.mm_per_px,
    )
    return set_outline(job, traced.outline, stamp), traced


def present_mm_per_px(job: Job) -> float:
    """Return the side of a pixel in mm as far as it is known: fixed, traced, or provisional."""
    datum = fixing_datum(job)
    if isinstance(datum, OverallDatum):
        return job.traced.mm_per_px if job.traced else PROVISIONAL_MM
    return mm_per_px(datum, (0.0, 0.0))


def true_size(job: Job) -> bool:
    """Return whether a datum fixes the job's scale."""
    return bool(job.datums)

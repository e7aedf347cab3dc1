"""Edit: trace a job's picture anew, with its own datum and settings."""

from __future__ import annotations

from silhueta.core.datum.fixing import fixing_datum
from silhueta.core.errors import TraceError
from silhueta.core.job import Job, TraceStamp, set_outline
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.trace.trace import Traced, trace
from silhueta.core.work import Work


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

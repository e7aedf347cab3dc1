"""Edit: trace a job's picture anew, with its own datums and settings."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.datum.fixing import fixing_datum
from silhueta.core.datum.rectify import Rectified, rectify
from silhueta.core.errors import TraceError
from silhueta.core.job import Job, OverallDatum, PixelDatum, TraceStamp, set_outline
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.trace.domain import prepare
from silhueta.core.trace.trace import Traced, trace
from silhueta.core.trace.walls import Walls
from silhueta.core.work import Work


class TracedJob(NamedTuple):
    """A job with its new outline, how it was come by, and the picture at true size."""

    job: Job
    traced: Traced
    rectified: Rectified


def trace_job(
    job: Job,
    picture: Picture | None = None,
    work: Work | None = None,
    rectified: Rectified | None = None,
) -> TracedJob:
    """Return `job` with the outline of its picture.

    Parameters
    ----------
    job : Job
    picture : Picture, optional
        The job's picture where it is decoded already.
    work : Work, optional
    rectified : Rectified, optional
        Where the picture is at true size already, by the same datums.

    Raises
    ------
    TraceError, ScaleError, PictureError, StoppedError
        As decode, rectify and trace do; TraceError also when there is no picture.

    """
    if job.picture is None:
        raise TraceError("there is no picture to trace; open one first")
    work = work or Work()
    source = picture or decode(job.picture)
    if rectified is None:
        with work.stage("rectify"):
            rectified = rectify(job, source, work)
    base = fixing_datum(job)
    size = rectified.scale.mm_per_px
    with work.stage("ground"):
        prepared = prepare(job, rectified, source)
    traced = trace(
        prepared.picture,
        base if isinstance(base, OverallDatum) else PixelDatum(size),
        job.trace,
        work,
        kind=rectified.scale.kind,
        mask=prepared.mask,
        walls=_walls(job, rectified),
        face=prepared.picture.grey if prepared.mask is not None else None,  # type: ignore[arg-type]
    )
    stamp = TraceStamp(
        datums=job.datums,
        settings=job.trace,
        mm_per_px=traced.scale.mm_per_px,
        level=traced.level,
        dropped=traced.dropped,
        deviation_mm=traced.deviation_px * traced.scale.mm_per_px,
        optics=job.optics,
        clean=job.clean,
    )
    return TracedJob(set_outline(job, traced.outline, stamp), traced, rectified)


def _walls(job: Job, rectified: Rectified) -> Walls | None:
    thickness = job.optics.thickness
    if thickness == 0 or rectified.solution.camera_height is None:
        return None
    x, y, height = rectified.plane.eye  # above the top face
    under = rectified.scale.to_px(np.array([[x, y]]))
    return Walls((float(under[0, 0]), float(under[0, 1])), thickness / float(height))

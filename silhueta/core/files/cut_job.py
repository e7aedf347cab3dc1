"""A job written as a cut file, as the job itself says."""

from __future__ import annotations

from pathlib import Path as File

from silhueta.core.cutting.drawing import draw
from silhueta.core.files.export import export
from silhueta.core.files.formats import format_of
from silhueta.core.files.proof import Proof
from silhueta.core.job import Job
from silhueta.core.truing.zero import zero_of


def export_job(job: Job, frame: tuple[float, float] | None, target: File) -> Proof:
    """Write a job's outline in its unit, from its zero point, and return the proof.

    Parameters
    ----------
    job : Job
    frame : (width, height) in mm or None
        Of the picture or page that it came with.
    target : Path
        Its suffix says which format it is. One with a page of its own has the zero point in the
        part's corner, where one was chosen on the part.

    Raises
    ------
    FileError
        As :func:`silhueta.core.files.export.export`.

    """
    plan = job.cut_file
    origin, zero = plan.origin, zero_of(job.outline, job.zero)
    if origin == "chosen" and format_of(target).paged:
        origin = "corner"
    return export(draw(job.outline, plan.units, origin, frame, zero), target, plan)

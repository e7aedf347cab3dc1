"""A job written as a cut file, as the job itself says."""

from __future__ import annotations

from pathlib import Path as File

from silhueta.core.cutting.drawing import Drawing, draw
from silhueta.core.files.export import export
from silhueta.core.files.formats import format_of
from silhueta.core.files.proof import Proof
from silhueta.core.job import Job
from silhueta.core.truing.zero import zero_of


def drawing_of(job: Job, frame: tuple[float, float] | None, target: File) -> Drawing:
    """Return what goes into a job's cut file: in its unit, from its zero point.

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
        If nothing is cut, or the frame or the zero point is missing.

    """
    plan = job.cut_file
    origin, zero = plan.origin, zero_of(job.outline, job.zero)
    if origin == "chosen" and format_of(target).paged:
        origin = "corner"
    return draw(job.outline, plan.units, origin, frame, zero)


def export_job(job: Job, frame: tuple[float, float] | None, target: File) -> Proof:
    """Write a job's outline (:func:`drawing_of`) and return the proof.

    Raises
    ------
    FileError
        As :func:`silhueta.core.files.export.export`.

    """
    return export(drawing_of(job, frame, target), target, job.cut_file)

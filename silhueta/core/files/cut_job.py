"""A job written as a cut file, as the job itself says."""

from __future__ import annotations

from pathlib import Path as File

from silhueta.core.cutting.drawing import Drawing, draw
from silhueta.core.files.about_job import about_of
from silhueta.core.files.export import export
from silhueta.core.files.formats import format_of
from silhueta.core.files.proof import Proof
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture
from silhueta.core.truing.zero import zero_of


def drawing_of(
    job: Job,
    frame: tuple[float, float] | None,
    target: File,
    picture: Picture | None = None,
    mm_per_px: float = 0.0,
) -> Drawing:
    """Return what goes into a job's cut file: in its unit, from its zero point.

    Parameters
    ----------
    job : Job
    frame : (width, height) in mm or None
        Of the picture or page that it came with.
    target : Path
        Its suffix says which format it is. One with a page of its own has the zero point in the
        part's corner, where one was chosen on the part.
    picture : Picture or None
        That the outline lies on.
    mm_per_px : float
        Of the picture.

    Raises
    ------
    FileError
        If nothing is cut, or the frame or the zero point is missing.

    """
    plan = job.cut_file
    origin, zero = plan.origin, zero_of(job.outline, job.zero)
    if origin == "chosen" and format_of(target).paged:
        origin = "corner"
    return draw(job.outline, plan.units, origin, frame, zero, about_of(job, picture, mm_per_px))


def export_job(
    job: Job,
    frame: tuple[float, float] | None,
    target: File,
    picture: Picture | None = None,
    mm_per_px: float = 0.0,
) -> Proof:
    """Write a job's outline (:func:`drawing_of`) and return the proof.

    Raises
    ------
    FileError
        As :func:`silhueta.core.files.export.export`.

    """
    drawing = drawing_of(job, frame, target, picture, mm_per_px)
    return export(drawing, target, job.cut_file)

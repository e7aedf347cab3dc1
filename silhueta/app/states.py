"""What several stops say of a job: whether there is a picture, whether it can be cut."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.datum.fixing import true_size
from silhueta.core.job import Job, is_stale

if TYPE_CHECKING:
    from silhueta.core.picture.decode import Picture


def is_imported(job: Job) -> bool:
    """Return whether the job is an outline that another program drew."""
    return job.picture is None and bool(job.outline.contours)


def origin_of(job: Job) -> str:
    """Return where the outlines of a job without a picture come from."""
    drawn = all(contour.origin == "drawn" for contour in job.outline.contours)
    return "no picture: built here" if drawn else "outlines from a file"


def no_picture_yet(job: Job) -> str:
    """Return why nothing can be done with a picture, or ""."""
    return "" if job.picture is not None else "there is no picture yet"


def no_picture(job: Job) -> str:
    """Return what a stop that needs a picture says without one."""
    if is_imported(job):
        return "These outlines came from a file, at their own size. There is no picture to work on."
    return "Open a picture first."


def why_no_cut_file(job: Job, failure: str) -> str:
    """Return why no cut file can be written now, or ""; `failure` is what became of the trace."""
    if job.picture is None and not is_imported(job):
        return "there is no picture yet"
    if not true_size(job):
        return "the size is not known yet; give a datum at the stop Scale"
    if failure:
        return "nothing is traced; see the stop Trace"
    if is_stale(job):
        return "the trace is not done yet"
    if not job.outline.taken:
        return "every loop is skipped; set at least one to cut at the stop Tidy"
    return ""


def about(job: Job, picture: Picture | None) -> str:
    """Return the card's second line."""
    if job.picture is None or picture is None:
        return origin_of(job) if is_imported(job) else "no picture yet"
    return f"{picture.width:,} × {picture.height:,} pixels"

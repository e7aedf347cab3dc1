"""How each stop stands, worked out from the job."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.traveller import Stop, StopState
from silhueta.core.datum.fixing import (
    describe,
    fixing_datum,
    is_photo,
    present_mm_per_px,
    true_size,
)
from silhueta.core.datums import OverallDatum
from silhueta.core.job import Job, is_stale
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.picture.decode import Picture


NONE_YET = StopState("none yet")


def is_imported(job: Job) -> bool:
    """Return whether the job is an outline that another program drew."""
    return job.picture is None and bool(job.outline.contours)


def no_picture(job: Job) -> str:
    """Return what a stop that needs a picture says without one."""
    if is_imported(job):
        return "These outlines came from a file, at their own size. There is no picture to work on."
    return "Open a picture first."


def picture_state(job: Job) -> StopState:
    """Return the state of the stop Picture."""
    if job.picture is None:
        return StopState("outlines from a file", done=True) if is_imported(job) else NONE_YET
    return StopState(job.picture.name, done=True)


def scale_state(job: Job) -> StopState:
    """Return the state of the stop Scale."""
    if job.picture is None:
        return StopState("as in the file", done=True) if is_imported(job) else StopState("")
    if not job.datums:
        return StopState("size not known", wanted=1)
    datum = job.datums[0]
    if isinstance(datum, OverallDatum) and job.traced is None:
        return StopState(f"from {describe(datum)}", done=True)
    if is_photo(job):
        return StopState(f"true size from {describe(fixing_datum(job))}", done=True)
    return StopState(
        f"{present_mm_per_px(job):.4g} mm per pixel, from {describe(datum)}", done=True
    )


def trace_state(job: Job) -> StopState:
    """Return the state of the stop Trace."""
    if job.picture is None and not is_imported(job):
        return StopState("")
    if job.traced is None and job.picture is not None:
        return StopState("not traced yet")
    from silhueta.core.inspection.figures import outline_figures

    got = outline_figures(job.outline)
    loops = got.outer_loops + got.holes
    text = f"{counted(loops, 'loop')}, {counted(got.segments, 'segment')}"
    return StopState(
        text + (", being traced anew" if is_stale(job) else ""), done=not is_stale(job)
    )


def tidy_state(job: Job) -> StopState:
    """Return the state of the stop Tidy."""
    if not job.outline.contours:
        return StopState("")
    open_ones = sum(not path.closed for path in job.outline.taken)
    skipped = sum(not c.taken for c in job.outline.contours)
    texts = [f"{len(job.outline.loops)} cut"]
    texts += [f"{skipped} skipped"] if skipped else []
    texts += [f"{open_ones} open"] if open_ones else []
    return StopState(", ".join(texts), done=not open_ones and not is_stale(job), wanted=open_ones)


def cut_file_state(job: Job) -> StopState:
    """Return the state of the stop Cut file."""
    if job.picture is None and not is_imported(job):
        return StopState("")
    if not true_size(job):
        return StopState("waits for the scale")
    plan = job.cut_file
    return StopState(f"in {'mm' if plan.units == 'mm' else 'inches'}, zero at the {plan.origin}")


STOPS = [
    Stop("picture", "Picture", 1, picture_state),
    Stop("scale", "Scale", 2, scale_state),
    Stop("trace", "Trace", 3, trace_state),
    Stop("tidy", "Tidy", 4, tidy_state),
    Stop("cut_file", "Cut file", 8, cut_file_state),
]


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
        return "outlines from a file" if is_imported(job) else "no picture yet"
    return f"{picture.width:,} × {picture.height:,} pixels"

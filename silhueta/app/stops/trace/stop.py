"""The stop Trace: what the window knows of it before it is visited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.states import is_imported
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job, is_stale
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


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


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.trace.sheet import TraceSheet

    return TraceSheet(window.session, window.tracing, window.table, window.sheets)


TRACE = Stop(
    key="trace",
    title="Trace",
    question="Where does the part end and the ground begin?",
    icon=(
        [(5, 17), (6, 11), (10, 7), (15, 8), (19, 13)],
        ("o", 5, 18.5, 1.6),
        ("o", 19.3, 14.6, 1.6),
    ),
    state=trace_state,
    make=_make,
)

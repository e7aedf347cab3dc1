"""The stop Tidy: what the window knows of it before it is visited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job, is_stale

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def tidy_state(job: Job) -> StopState:
    """Return the state of the stop Tidy."""
    if not job.outline.contours:
        return StopState("")
    open_ones = sum(c.cut and not c.path.closed for c in job.outline.contours)
    skipped = sum(not c.taken for c in job.outline.contours)
    texts = [f"{len(job.outline.loops)} cut"]
    texts += [f"{skipped} skipped"] if skipped else []
    texts += [f"{open_ones} open"] if open_ones else []
    return StopState(", ".join(texts), done=not open_ones and not is_stale(job), wanted=open_ones)


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.tidy.sheet import TidySheet

    sheet = TidySheet(window.session, window.tracing, window.table, window.sheets)
    window.progress.follow(sheet.offers.bench)
    return sheet


TIDY = Stop(
    key="tidy",
    title="Tidy",
    question="What is cut, and is it clean?",
    icon=(
        [(4, 18), (12, 10)],
        [(10, 8), (14, 12), (11, 15)],
        [(10, 8), (7, 11)],
        [(15, 5), (17, 7), (19, 5)],
        ("o", 17, 12, 1.2),
    ),
    state=tidy_state,
    make=_make,
)

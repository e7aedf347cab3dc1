"""The stop Build: what the window knows of it before it is visited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def build_state(job: Job) -> StopState:
    """Return the state of the stop Build."""
    if not job.outline.contours:
        return StopState("")
    drawn = sum(contour.origin == "drawn" for contour in job.outline.contours)
    if not drawn:
        return StopState("nothing added")
    words = ", still text" if job.words else ""
    return StopState(f"{counted(drawn, 'loop')} built{words}", done=True)


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.build.sheet import BuildSheet

    sheet = BuildSheet(window.session, window.tracing, window.table, window.sheets)
    sheet.save_apart.connect(window.filing.export_apart)
    window.progress.follow(sheet.bench)
    return sheet


BUILD = Stop(
    key="build",
    title="Build",
    number=6,
    question="What goes with it?",
    icon=(
        [(4, 20), (4, 11), (12, 11), (12, 20), (4, 20)],
        [(8, 11), (8, 4), (20, 4), (20, 15), (12, 15)],
    ),
    state=build_state,
    make=_make,
)

"""The stop Picture: what the window knows of it before it is visited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.states import is_imported, origin_of
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def picture_state(job: Job) -> StopState:
    """Return the state of the stop Picture."""
    if job.picture is None:
        return StopState(origin_of(job), done=True) if is_imported(job) else StopState("none yet")
    return StopState(job.picture.name, done=True)


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.picture.sheet import PictureSheet

    sheet = PictureSheet(window.session, window.tracing, window.table, window.sheets)
    sheet.open.clicked.connect(window.filing.open)
    sheet.reopen.connect(window.filing.reopen)
    return sheet


PICTURE = Stop(
    key="picture",
    title="Picture",
    question="Which photo or scan shows the part?",
    icon=(
        [(4, 5), (20, 5), (20, 19), (4, 19), (4, 5)],
        [(4, 16), (9, 11), (13, 15), (16, 12), (20, 16)],
        ("o", 15.5, 8.8, 1.5),
    ),
    state=picture_state,
    make=_make,
    photo=True,
)

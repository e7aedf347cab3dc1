"""The stop True up: what the window knows of it before it is visited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.app.actions import Action
from silhueta.app.stops.page_actions import page_actions
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def true_up_state(job: Job) -> StopState:
    """Return the state of the stop True up."""
    if not job.outline.contours:
        return StopState("")
    if not job.relations:
        return StopState("as traced")
    return StopState(f"{counted(len(job.relations), 'relation')} held", done=True)


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.true_up.sheet import TrueUpSheet

    sheet = TrueUpSheet(window.session, window.tracing, window.table, window.sheets)
    for bench in sheet.benches:
        window.progress.follow(bench)
    return sheet


def _actions(window: Window) -> tuple[Action, ...]:
    pages = (
        ("offers", "See what the shape seems to mean", "truing square parallel equal hole sizes"),
        ("calipers", "Type what the calipers say", "dimension measure diameter distance angle"),
        ("hand", "Make an edge or a hole exact by hand", "level plumb fillet chamfer zero point"),
    )
    return page_actions(window, "true_up", pages)


TRUE_UP = Stop(
    key="true_up",
    title="True up",
    question="What was it meant to be?",
    icon=(
        [(4, 4), (4, 20), (20, 20)],
        [(4, 15), (9, 15), (9, 20)],
        ("o", 15, 9, 4.5),
    ),
    state=true_up_state,
    make=_make,
    actions=_actions,
)

"""The stop Build: what the window knows of it before it is visited."""

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


_PAGES = (
    # page, what Find an action says, more words that it is found by
    ("letters", "Set words as outlines", "text letter font name stencil"),
    ("shapes", "Put a plate behind it, or a shape", "rectangle circle slot polygon holes ring"),
    ("join", "Weld, subtract, grow, tie islands", "union intersect offset border bridge thicken"),
    ("place", "Move, turn, copy, put in line, add a foot", "mirror align space part tab"),
    ("divide", "Cut into sections, place on sheets", "bed joint tongue colour layers nest"),
)


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
    window.filing.exported_apart.connect(sheet.show_saved)
    for bench in (sheet.bench, sheet.edits.bench):
        window.progress.follow(bench)
    return sheet


def _actions(window: Window) -> tuple[Action, ...]:
    return page_actions(window, "build", _PAGES)


BUILD = Stop(
    key="build",
    title="Build",
    question="What goes with it?",
    icon=(
        [(4, 20), (4, 11), (12, 11), (12, 20), (4, 20)],
        [(8, 11), (8, 4), (20, 4), (20, 15), (12, 15)],
    ),
    state=build_state,
    make=_make,
    actions=_actions,
)

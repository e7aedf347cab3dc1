"""The stop Inspect: what the window knows of it before it is visited."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from silhueta.app.actions import Action
from silhueta.app.inspecting import can_look, found_in
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.datum.fixing import true_size
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def inspect_state(job: Job) -> StopState:
    """Return the state of the stop Inspect."""
    if not job.outline.contours:
        return StopState("")
    if not true_size(job):
        return StopState("waits for the scale")
    found = found_in(job)
    if found is None:
        return StopState("looking…" if can_look(job) else "")
    wanted = [one for one in found.open if one.severity != "look"]
    stops = sum(one.severity == "stop" for one in wanted)
    looks = len(found.open) - len(wanted)
    words = []
    if wanted:
        words.append(counted(len(wanted), "finding"))
    if stops:
        words.append(f"{stops} {'stops' if stops == 1 else 'stop'} the cut")
    if looks:
        words.append(f"{looks} worth a look")
    if found.waved:
        words.append(f"{len(found.waved)} waved through")
    return StopState(", ".join(words) or "nothing found", done=not wanted, wanted=len(wanted))


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.inspect.sheet import InspectSheet

    sheet = InspectSheet(window.session, window.inspecting, window.table, window.sheets)
    for bench in (sheet.edits.bench, sheet.views.bench):
        window.progress.follow(bench)
    return sheet


_VIEWS = (
    ("goes", "See what goes and what stays", "falls out scrap pieces weight mass"),
    ("cut", "See the part as cut", "bit radius corners kerf"),
    ("widths", "See how thick the part is", "webs thin weak"),
)


def _actions(window: Window) -> tuple[Action, ...]:
    def look_at(view: str) -> None:
        from silhueta.app.stops.inspect.sheet import InspectSheet

        window.go("inspect")
        sheet = window.sheets["inspect"]
        assert isinstance(sheet, InspectSheet)
        sheet.show_view(view)

    return tuple(
        Action(f"inspect-{view}", text, partial(look_at, view), words=words)
        for view, text, words in _VIEWS
    )


INSPECT = Stop(
    key="inspect",
    title="Inspect",
    question="Will it cut?",
    icon=(
        ("o", 10.5, 10.5, 6.5),
        [(15.5, 15.5), (21, 21)],
    ),
    state=inspect_state,
    make=_make,
    actions=_actions,
)

"""The stop Cut file: what the window knows of it before it is visited."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from silhueta.app.actions import Action
from silhueta.app.planning import clock, plan_of
from silhueta.app.rehearsing import rehearsed
from silhueta.app.states import is_imported, why_no_cut_file
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.datum.fixing import true_size
from silhueta.core.files.formats import FORMATS
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def cut_file_state(job: Job) -> StopState:
    """Return the state of the stop Cut file."""
    if job.picture is None and not is_imported(job):
        return StopState("")
    if not true_size(job):
        return StopState("waits for the scale")
    plan, made = job.cut_file, plan_of(job)
    if made is not None:
        told = f"{counted(len(made.plan.entries), 'cut')}, {clock(made.times.seconds)}"
        left = len(made.plan.left_out)
        seen, events = rehearsed(job)
        if seen and not left:
            return StopState(f"{clock(made.times.seconds)}, {seen}", wanted=events)
        return StopState(f"{told}; {left} left out" if left else told, wanted=left)
    where = "where chosen" if plan.origin == "chosen" else f"at the {plan.origin}"
    return StopState(f"in {'mm' if plan.units == 'mm' else 'inches'}, zero {where}")


def _make(window: Window) -> Worksheet:
    from silhueta.app.rehearsing import Rehearsing
    from silhueta.app.stops.cut_file.sheet import CutFileSheet

    rehearsing = Rehearsing(window.session, window.filing.lies_on, window)
    sheet = CutFileSheet(
        window.session,
        window.tracing,
        window.inspecting,
        window.planning,
        rehearsing,
        window.table,
        window.sheets,
    )
    window.progress.follow(window.planning.bench)
    window.progress.follow(rehearsing.bench)
    rehearsing.changed.connect(window.renew)
    window.foot.addWidget(sheet.player)
    sheet.watched.connect(window.readout.show_rehearsal)
    sheet.watched.connect(lambda layer: window.fade.setVisible(layer is None))
    sheet.timed.connect(window.readout.show_times)
    sheet.save.connect(window.filing.export)
    sheet.save_setup.connect(window.filing.save_setup)
    sheet.save_all.connect(window.filing.save_all)
    window.filing.kept_all.connect(sheet.show_all)
    window.filing.exported.connect(sheet.show_proof)
    window.filing.kept.connect(sheet.show_kept)
    return sheet


def _why_not(window: Window) -> str:
    return why_no_cut_file(window.session.job, window.tracing.failure)


def _actions(window: Window) -> tuple[Action, ...]:
    return tuple(
        Action(
            form.key,
            f"Save {form.one}",
            partial(window.filing.export, form),
            (),
            partial(_why_not, window),
            "cut file export",
        )
        for form in FORMATS
    )


CUT_FILE = Stop(
    key="cut_file",
    title="Cut file",
    question="What does the machine's program read?",
    icon=(
        [(12, 3), (12, 11)],
        [(9, 8), (12, 11), (15, 8)],
        [(5, 14), (5, 20), (19, 20), (19, 14)],
    ),
    state=cut_file_state,
    make=_make,
    actions=_actions,
)

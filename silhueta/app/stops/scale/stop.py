"""The stop Scale: what the window knows of it before it is visited."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, cast

from silhueta.app.actions import Action
from silhueta.app.states import is_imported, no_picture_yet
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.datum.fixing import describe, fixing_datum, is_photo, present_mm_per_px
from silhueta.core.datums import OverallDatum
from silhueta.core.job import Job

if TYPE_CHECKING:
    from silhueta.app.stops.scale.sheet import ScaleSheet
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


def scale_state(job: Job) -> StopState:
    """Return the state of the stop Scale."""
    if job.picture is None:
        return StopState("as drawn", done=True) if is_imported(job) else StopState("")
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


def _make(window: Window) -> Worksheet:
    from silhueta.app.stops.scale.sheet import ScaleSheet

    sheet = ScaleSheet(window.session, window.tracing, window.table, window.sheets)
    sheet.save_gauge.connect(window.filing.save_gauge)
    window.progress.follow(sheet.bench)
    return sheet


def _pick(window: Window) -> None:
    window.go("scale")
    cast("ScaleSheet", window.sheets["scale"]).start_pick()


def _actions(window: Window) -> tuple[Action, ...]:
    return (
        Action(
            "pick",
            "Pick two points of known distance",
            partial(_pick, window),
            (),
            lambda: no_picture_yet(window.session.job),
            "scale length",
        ),
    )


SCALE = Stop(
    key="scale",
    title="Scale",
    question="How large is it in truth?",
    icon=(
        [(3, 9), (21, 9), (21, 15), (3, 15), (3, 9)],
        [(7, 9), (7, 12)],
        [(12, 9), (12, 13)],
        [(17, 9), (17, 12)],
    ),
    state=scale_state,
    make=_make,
    photo=True,
    datums=True,
    actions=_actions,
)

"""The three looks at a part: what goes and stays, as the tool leaves it, how thick it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.core.job import Job
from silhueta.core.units import Unit, format_area, format_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.table.tool import Overlay
    from silhueta.core.inspect_settings import Limits

VIEWS = {"findings": "Findings", "goes": "Goes, stays", "cut": "As cut", "widths": "Widths"}
_STEP = 400  # points along the longer side of the part, at which its thickness is looked at
_FINE = 8  # points along the least width that is asked for: a web is found to a hundredth of it
_THIN = 50  # of the part's size, under which it counts as thin where no least web is asked for
_LABELS = 6  # of the thinnest places that carry their width


class Views(QObject):
    """Works the present look out beside the interface, once for each outline and limits."""

    made = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.bench = Bench(self)
        self.bench.done.connect(self._take)
        self.bench.failed.connect(self._fail)
        self._for: tuple[object, ...] | None = None
        self._asked: tuple[object, ...] | None = None
        self._got: Any = None
        self.failure = ""

    def look(self, job: Job, view: str) -> None:
        """Have a look worked out, if it is not known or under way already."""
        if view == "findings" or not job.outline.taken:
            return
        from silhueta.core.inspection.limits import limits_of

        limits = limits_of(job)
        key = (view, job.outline, limits)
        if key == self._for or (key == self._asked and self.bench.busy):
            return
        self._asked, self.failure = key, ""
        self.bench.ask("Looking", lambda _: _worked_out(view, job, limits), key)

    def _take(self, got: Any, asked: tuple[object, ...]) -> None:
        self._for, self._got = asked, got
        self.made.emit()

    def _fail(self, text: str) -> None:
        self.failure = text
        self.made.emit()

    def layer(self, job: Job, view: str, other_side: bool, units: Unit) -> Overlay | None:
        """Return what the table paints of a look; None while it is not worked out."""
        got = self._of(job, view)
        if got is None:
            return None
        from silhueta.app.stops.inspect.layers import AsCutLayer, GoesLayer, WidthsLayer
        from silhueta.core.inspection.limits import limits_of, sheet_box

        if view == "goes":
            return GoesLayer(got, sheet_box(limits_of(job)), other_side)
        if view == "cut":
            return AsCutLayer(got, units)
        made, limit, least = got
        return WidthsLayer(made, limit, units, least)

    def told(self, job: Job, view: str, units: Unit) -> list[tuple[str, str]]:
        """Return the figures of a look: names and values."""
        got = self._of(job, view)
        if got is None:
            return [("", "Looking…")] if view != "findings" and not self.failure else []
        tell: dict[str, Callable[[Any, Unit], list[tuple[str, str]]]] = {
            "goes": _told_goes,
            "cut": _told_cut,
            "widths": _told_widths,
        }
        return tell[view](got, units)

    def _of(self, job: Job, view: str) -> Any:
        if view == "findings" or self._for is None:
            return None
        from silhueta.core.inspection.limits import limits_of

        return self._got if self._for == (view, job.outline, limits_of(job)) else None


def _worked_out(view: str, job: Job, limits: Limits) -> Any:
    if view == "goes":
        from silhueta.core.inspection.goes import outcome

        return outcome(job.outline, limits)
    if view == "cut":
        from silhueta.core.inspection.as_cut import outline_as_cut
        from silhueta.core.inspection.limits import tool_of

        return outline_as_cut(job.outline, tool_of(limits))
    from silhueta.core.inspection.limits import least_web
    from silhueta.core.inspection.widths import outline_widths, thinnest

    left, bottom, right, top = job.outline.bounds
    limit = least_web(limits)[0] or max(right - left, top - bottom) / _THIN
    made = outline_widths(job.outline, min(max(right - left, top - bottom) / _STEP, limit / _FINE))
    return made, limit, thinnest(made, _LABELS)


def _told_goes(got: Any, units: Unit) -> list[tuple[str, str]]:
    rows = []
    for name, one, pieces, weight in (
        ("stays", "piece", got.stays, got.kept_mass),
        ("goes", "slug", got.goes, got.gone_mass),
    ):
        area = sum(piece.area for piece in pieces)
        words = f"{counted(len(pieces), one)}, {format_area(area, units)}"
        rows.append((name, words if weight is None else f"{words}, {_mass(weight)}"))
    if got.loose:
        rows.append(("loose", f"{counted(got.loose, 'piece')} in what goes: tie it, or it drops"))
    if got.scrap is not None:
        rows.append(("scrap", f"{100 * got.scrap:.0f} % of the sheet"))
    return rows


def _told_cut(got: Any, units: Unit) -> list[tuple[str, str]]:
    if not got.standing:
        return [("as cut", "just as it is drawn")]
    return [
        ("stays standing", counted(len(got.standing), "place")),
        ("in all", format_area(got.area, units)),
        ("at most", f"{format_length(got.far, units)} from what is drawn"),
    ]


def _told_widths(got: Any, units: Unit) -> list[tuple[str, str]]:
    made, limit, least = got
    if not len(least):
        return [("thinnest", f"nowhere under {format_length(2 * limit, units)}")]
    thin = format_length(float(made.thick[least[0]]), units)
    return [
        ("thinnest", thin),
        ("strokes across", f"under {format_length(limit, units)}"),
        ("short strokes", f"under {format_length(2 * limit, units)}"),
    ]


def _mass(grams: float) -> str:
    return f"{grams / 1000:.2f} kg" if grams >= 100 else f"{grams:.1f} g"

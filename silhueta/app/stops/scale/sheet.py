"""Worksheet of the stop Scale: what is known of the size, the thickness, and how sure it all is."""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from typing import Any

from msgspec import structs
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.states import is_imported, no_picture
from silhueta.app.stops.scale.check_length import CheckLength
from silhueta.app.stops.scale.pages import Pages, read_focal
from silhueta.app.stops.scale.result import outline_line, result_lines
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Field, Note, clear, heading, row, sentence
from silhueta.app.work import Bench
from silhueta.core.datum.fixing import describe
from silhueta.core.datum.look_for import Corners, look_for_gauge, look_for_sheet, sheet_at
from silhueta.core.datum.snap import find_round, snap
from silhueta.core.datum.solve import Facts, Solution, Told, facts_of
from silhueta.core.datum.solved import known, solved
from silhueta.core.datums import (
    OPEN_MM,
    Datum,
    GaugeDatum,
    LengthDatum,
    OverallDatum,
    PageDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.errors import EditError, ScaleError, SilhuetaError
from silhueta.core.job import Job, add_datum, set_datums, set_optics
from silhueta.core.units import format_length, parse_length

Points = list[tuple[float, float]]
_KINDS = {
    "sheet": "Sheet",
    "gauge": "Gauge",
    "length": "Length",
    "round": "Round",
    "dpi": "dpi",
    "page": "Page",
    "overall": "Overall",
    "pixel": "Pixel",
}

_AT_ONCE = 0.03  # s that the interface waits for the plane: a pause that nobody sees


class ScaleSheet(Worksheet):
    """Say how large it is, by one datum or several together."""

    save_gauge = Signal(str)  # the size of a gauge sheet that is wanted as a file

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self._tracing, self._table = tracing, table
        self._points: Points = []
        self.bench = Bench(self)
        self.measuring = Bench(self)
        self.measuring.done.connect(self._on_measured)
        self.benches = (self.measuring,)
        self.bench.done.connect(self._on_found)
        self.fault = Note(parent=self)
        self.bench.failed.connect(lambda text: self.fault.say(sentence(text), True))
        self.kind = Choice("What is known", _KINDS, self, columns=4)
        self.kind.chosen.connect(self.show_page)
        self.pages = Pages(self, self._read_length)
        for item in (heading("What is known"), self.kind, self.pages, self.fault):
            self.body.addWidget(item)
        self._add_list()
        self._add_optics()
        self._add_check()
        self._join_pages()
        self.next.clicked.connect(self.go_on)
        table.corners_moved.connect(self._take_dragged)
        tracing.changed.connect(self.renew)
        session.units_changed.connect(self.renew)
        self._shown_for: tuple[Datum, ...] | str = "nothing"
        self.connect_job()

    def _add_list(self) -> None:
        self._list_heading = heading("Datums, and how far each is off")
        self._list = QVBoxLayout()
        self._list.setSpacing(4)
        self.body.addWidget(self._list_heading)
        self.body.addLayout(self._list)

    def _add_optics(self) -> None:
        self.thickness = self._field("Thickness of the part", self._read_thickness)
        self.thickness.typed.connect(self._set_thickness)
        self.focal = self._field("Lens as a 35-mm equivalent", read_focal)
        self.focal.typed.connect(self._set_focal)
        self.optics = QWidget(self)
        inside = QVBoxLayout(self.optics)
        inside.setContentsMargins(0, 4, 0, 0)
        self.thin = QPushButton("Paper-thin", self)
        self.thin.setObjectName("paper-thin")
        self.thin.clicked.connect(lambda: self._set_thickness(0.0))
        inside.addWidget(heading("How thick is the part?"))
        inside.addLayout(row(self.thickness, None, self.thin))
        self.thickness_note = Note(parent=self.optics)
        inside.addWidget(self.thickness_note)
        inside.addLayout(row(heading("Lens, 35-mm eq."), None, self.focal))
        self.lens_note = Note(parent=self.optics)
        inside.addWidget(self.lens_note)
        self.body.addWidget(self.optics)

    def _add_check(self) -> None:
        self.check = CheckLength(self.session, self, self._read_length)
        self.check.pick.connect(self._start_check)
        self.check.changed.connect(lambda: self.refresh(self.session.job))
        self.check.true.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        self.sure = QPushButton("Show how sure, place by place", self)
        self.sure.setObjectName("show-sure")
        self.sure.setCheckable(True)
        self.sure.toggled.connect(lambda _: self.refresh(self.session.job))
        self.body.addWidget(self.check)
        self.body.addWidget(self.sure)

    def _field(self, name: str, read: Callable[[str], object]) -> Field:
        field = Field(name, read, self)
        field.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        return field

    def _join_pages(self) -> None:
        pages = self.pages
        pages.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        pages.datum.connect(self._set)
        pages.find_sheet.connect(self._find_sheet)
        pages.mark_sheet.connect(self._mark_sheet)
        pages.find_gauge.connect(self._find_gauge)
        pages.save_gauge.connect(self.save_gauge)
        pages.bar.connect(self._set_bar)
        pages.pick_length.connect(self.start_pick)
        pages.length.typed.connect(self._set_length)
        pages.pick_round.connect(self._start_round)
        pages.page.connect(self._set_page)
        pages.axis.chosen.connect(lambda _: self.refresh(self.session.job))

    # the hand

    def show_page(self, key: str) -> None:
        """Show the controls of one kind of datum."""
        self.kind.set_chosen(key)
        self.pages.show_kind(key)

    def _snap(self, x: float, y: float) -> tuple[float, float, str]:
        picture = self._tracing.picture
        if picture is None:
            return x, y, "nothing"
        got = snap(picture.grey, x, y)
        return got.x, got.y, got.on

    def start_pick(self) -> None:
        """Let two points be picked on the table."""
        if self._table.picture is None:
            self.failed.emit("There is no picture to pick points on. Open one first.")
            return
        self.show_page("length")
        self._table.start_pick(2, self._take_points, self._snap)

    def _take_points(self, points: Points) -> None:
        self._points = points
        self.pages.say_points(math.dist(*points))
        self.pages.length.setFocus()
        self.pages.length.selectAll()

    def _set_length(self, mm: float) -> None:
        if len(self._points) != 2:
            self.fault.say("pick the two points first, then type how far apart they are", True)
            return
        one, two = self._points
        picture = self._tracing.picture
        sure = max(snap(picture.grey, *p).sigma for p in self._points) if picture else 0.7
        self._set(partial(LengthDatum, one, two, mm, sure))

    def _mark_sheet(self) -> None:
        if self._table.picture is not None:
            self._table.start_pick(4, self._take_corners, self._snap)

    def _take_corners(self, points: Points) -> None:
        picture = self._tracing.picture
        if picture is None:
            return
        name, size = self.pages.sheet_size()
        marked: Any = tuple(points)
        self._set(lambda: sheet_at(picture, name, size, marked))

    def _take_dragged(self, corners: Corners) -> None:
        for datum in self.session.job.datums:
            if isinstance(datum, SheetDatum):
                moved = partial(SheetDatum, datum.name, datum.size, corners, bend=datum.bend)
                self._set(partial(moved, bend_sigma=datum.bend_sigma))

    def _find_sheet(self) -> None:
        picture = self._tracing.picture
        if picture is None:
            return
        name, size = self.pages.sheet_size()
        focal = self.session.job.optics.focal35
        self.fault.say("")
        look = partial(look_for_sheet, picture, name, size, focal)
        self.bench.ask("Looking for the sheet", lambda _: look())

    def _find_gauge(self) -> None:
        picture = self._tracing.picture
        if picture is None:
            return
        focal = self.session.job.optics.focal35
        self.fault.say("")
        self.bench.ask("Looking for the gauge sheet", lambda _: look_for_gauge(picture, focal))

    def _on_found(self, datum: Datum, _: object) -> None:
        self._set(datum)

    def _set_bar(self, mm: float) -> None:
        for datum in self.session.job.datums:
            if isinstance(datum, GaugeDatum):
                self._set(partial(structs.replace, datum, bar=mm))

    def _start_round(self) -> None:
        if self._table.picture is not None:
            self._table.start_pick(1, self._take_round)

    def _take_round(self, points: Points) -> None:
        picture, mm = self._tracing.picture, self.pages.diameter_mm
        if picture is None:
            return
        if mm is None:
            self.fault.say("type the diameter first, then click in the round thing", True)
            return
        tilt = self.pages.tilt.isChecked()
        self._set(lambda: find_round(picture.grey, *points[0], mm, tilt))

    def _set_page(self, name: str, size: tuple[float, float]) -> None:
        picture = self._tracing.picture
        if picture is not None:
            self._set(PageDatum(name, size, (picture.width, picture.height)))

    def _set(self, datum: Datum | Callable[[], Datum]) -> None:
        try:
            made = datum() if callable(datum) else datum
            if is_imported(self.session.job):
                self._resize(made)
                return
            picture = self._tracing.picture
            if picture is not None:  # what contradicts is said here, before anything changes
                solved(add_datum(self.session.job, made), facts_of(picture))
            self.fault.say("")
            self.session.apply(f"Scale: {describe(made)}", lambda job: add_datum(job, made))
        except SilhuetaError as error:
            self.fault.say(sentence(str(error)), True)

    def _resize(self, datum: Datum) -> None:
        """Scale outlines that came from a file: an overall size is all that they know."""
        if not isinstance(datum, OverallDatum):
            raise EditError("these outlines came without a picture: give their overall size")
        from silhueta.core.tidy.resize import resized

        self.fault.say("")
        self.session.apply(
            f"Scale: {describe(datum)}", lambda job: resized(job, datum.axis, datum.mm)
        )

    def _remove(self, datum: Datum) -> None:
        self.session.apply(
            f"Remove {describe(datum)}",
            lambda job: set_datums(job, tuple(d for d in job.datums if d is not datum)),
        )

    def _set_thickness(self, mm: float) -> None:
        self._set_optics("Thickness", thickness=mm, thickness_open=False)

    def _set_focal(self, value: float | None) -> None:
        self._set_optics("Lens", focal35=value)

    def _set_optics(self, label: str, **changes: Any) -> None:
        try:
            after = set_optics(self.session.job, replace(self.session.job.optics, **changes))
            picture = self._tracing.picture
            if picture is not None:
                solved(after, facts_of(picture))
            self.fault.say("")
            self.session.apply(label, lambda job: set_optics(job, after.optics))
        except SilhuetaError as error:
            self.fault.say(sentence(str(error)), True)

    def _start_check(self) -> None:
        if self._table.picture is not None:
            self._table.start_pick(2, self.check.take, self._snap)

    def _read_length(self, text: str) -> float:
        return parse_length(text, self.session.units)

    def _read_thickness(self, text: str) -> float:
        return parse_length(text, self.session.units, zero=True)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the datums, what each says, and what they make of the part."""
        if job.datums != self._shown_for:
            self._show_kind(job)
            self._shown_for = job.datums
        self.pages.show_values(job, self.session.units)
        picture = self._tracing.picture
        photo = bool(job.datums) and all(
            isinstance(d, SheetDatum | GaugeDatum | LengthDatum | RoundDatum) for d in job.datums
        )
        self.optics.setVisible(photo)
        self._show_thickness(job)
        self.sure.setVisible(photo)
        solution: Solution | None = None
        fault = ""
        if picture is not None and job.datums:
            facts = facts_of(picture)
            answer = known(job, facts)
            if answer is None:  # what is shown stays until it is worked out
                self.measuring.ask("Measuring", lambda _: _worked_out(job, facts), job, _AT_ONCE)
                return
            if isinstance(answer, ScaleError):
                fault = str(answer)
            else:
                solution = answer
        self._show_list(job, () if solution is None else solution.told)
        self._show_lens(job, solution)
        self.check.show_solution(solution)
        self._table.solution = solution if self.sure.isChecked() and photo else None
        self._table.update()
        self._show_result(job, solution, fault)

    def _on_measured(self, _: object, asked: object) -> None:
        if asked is self.session.job:
            self.refresh(self.session.job)

    def _show_thickness(self, job: Job) -> None:
        optics, unit = job.optics, self.session.units
        waits = optics.thickness_open
        self.thickness.show_value("" if waits else format_length(optics.thickness, unit))
        self.thin.setEnabled(waits or optics.thickness > 0)
        self.thin.setToolTip("" if self.thin.isEnabled() else "It is taken as thin as paper.")
        most = format_length(OPEN_MM, unit)
        self.thickness_note.say(
            "▲ Waiting for it: its top face is nearer to the camera, and looks larger. Until then "
            f"± allows for 0 to {most}."
            if waits
            else "Its top face is nearer to the camera than the datum, and measured there."
        )

    def _show_kind(self, job: Job) -> None:
        lengths = [d for d in job.datums if isinstance(d, LengthDatum)]
        if lengths:
            self._points = [lengths[-1].start, lengths[-1].end]
            self.pages.say_points(math.dist(*self._points))
        elif not job.datums:
            self._points = []
        key = self.pages.kind_of(job)
        if key is not None:
            self.show_page(key)

    def _show_list(self, job: Job, told: tuple[Told, ...]) -> None:
        clear(self._list)
        several = len(job.datums) > 1
        self._list_heading.setVisible(several)
        if not several:
            return
        unit = self.session.units
        for number, datum in enumerate(job.datums):
            line = QWidget(self)
            off = ""
            if number < len(told) and told[number].sigma_mm > 0:
                sign = "−" if told[number].residual_mm < 0 else "+"
                off = f", {sign}{format_length(abs(told[number].residual_mm), unit)} off"
            text = Note(f"{describe(datum)}{off}", line)
            away = QPushButton("Remove", line)
            away.setObjectName(f"remove-datum-{number}")
            away.setAccessibleName(f"Remove {describe(datum)}")
            away.clicked.connect(lambda _=False, d=datum: self._remove(d))
            inside = row(text, away)
            inside.setStretch(0, 1)
            inside.setContentsMargins(0, 0, 0, 0)
            line.setLayout(inside)
            self._list.addWidget(line)

    def _show_lens(self, job: Job, solution: Solution | None) -> None:
        typed = job.optics.focal35
        self.focal.show_value("" if typed is None else f"{typed:g} mm")
        if solution is None:
            self.lens_note.say("")
            return
        said = {
            "typed": "As typed.",
            "file": "The picture's file tells it.",
            "gauge sheet": "Told by the gauge sheet.",
            "the sheet's perspective": "Worked out from the sheet's perspective.",
            "assumed": "Not known: a phone's 26 mm is assumed. Type it if you know it.",
        }[solution.focal_source]
        self.lens_note.say(said)

    def _show_result(self, job: Job, solution: Solution | None, fault: str) -> None:
        if is_imported(job):
            unit = self.session.units
            left, bottom, right, top = job.outline.bounds if job.outline.taken else (0, 0, 0, 0)
            wide, high = (format_length(v, unit) for v in (right - left, top - bottom))
            self.say_result(f"{wide} wide, {high} high. Type another overall size to scale it.")
            self.way_on("there is no picture to trace")
            return
        if job.picture is None:
            self.say_result(no_picture(job))
            self.way_on("there is no picture yet")
            return
        self.way_on()
        if not job.datums:
            self.say_result(
                "Not true to size yet: the file does not say how large a pixel is.", True
            )
            return
        if fault or solution is None:
            self.say_result(fault[:1].upper() + fault[1:] + ".", True)
            return
        picture = self._tracing.picture
        assert picture is not None
        lines = result_lines(job, solution, picture)
        if job.outline.taken and not self._tracing.bench.busy:
            lines.append(outline_line(job, self.session.units))
        self.say_result("\n".join(lines))


def _worked_out(job: Job, facts: Facts) -> None:
    """Have the plane of a job worked out, so that it is known; a fault is known as well."""
    with suppress(ScaleError):
        solved(job, facts)

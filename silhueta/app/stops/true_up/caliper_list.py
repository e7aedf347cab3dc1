"""Part of the True up worksheet: what was measured on the real part, and what the outline says."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from silhueta.app.look.icons import icon
from silhueta.app.session import Session
from silhueta.app.stops.true_up.picking import PickingPage
from silhueta.app.table.dimension_layer import DimensionLayer, Drawn
from silhueta.app.widgets import Choice, Field, Note, clear, read_number, row, sentence
from silhueta.core.errors import SilhuetaError, TruingError
from silhueta.core.job import Job
from silhueta.core.relations import Dimension
from silhueta.core.truing.calipers import Row, dimension_of, driven, fit_scale, rows, scaled
from silhueta.core.truing.edits import set_calipers
from silhueta.core.truing.features import Feature
from silhueta.core.truing.stretch import fit_stretch, stretched
from silhueta.core.units import MM_PER_INCH, Unit, format_length, parse_within

if TYPE_CHECKING:
    from silhueta.app.edit_queue import EditQueue
    from silhueta.app.table.table import Table
    from silhueta.app.tracing import Tracing

_NAMES = {"diameter": "Ø", "radius": "R", "length": "edge", "distance": "gap", "angle": "∠"}


class CaliperList(PickingPage):
    """Rows that are picked on the outline and typed one after the other."""

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        table: Table,
        edits: EditQueue,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(session, tracing, table, edits, parent)
        self._first: Feature | None = None
        self._culprit: int | None = None
        self.what = Choice("Pick", {"one": "Size of one", "two": "Between two"}, self)
        self.what.set_chosen("one")
        self._between = False
        self._tell_hand()
        self.overall = Choice("Over all", {"width": "+ Width", "height": "+ Height"}, self)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(4)
        self.fields: list[Field] = []
        self.about = Note(parent=self)
        self.scale = QPushButton("Scale the part to the list", self)
        self.scale.setObjectName("scale-to-list")
        self.stretch = QPushButton("Scale across and up apart", self)
        self.stretch.setObjectName("stretch-to-list")
        self.drive = QPushButton("Make these sizes exact", self)
        self.drive.setObjectName("drive")
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.what)
        inside.addWidget(self.overall)
        inside.addLayout(self.rows)
        inside.addWidget(self.about)
        inside.addWidget(self.scale)
        inside.addWidget(self.stretch)
        inside.addWidget(self.drive)
        inside.addStretch(1)
        self.what.chosen.connect(self._choose)
        self.overall.chosen.connect(lambda key: self._add(Dimension(key)))
        self.scale.clicked.connect(self._scale)
        self.stretch.clicked.connect(self._stretch)
        self.drive.clicked.connect(self._drive)

    # picked on the table

    def _choose(self, key: str) -> None:
        self._between, self._first = key == "two", None
        self._tell_hand()

    def _tell_hand(self) -> None:
        self.tool.text = "Click a hole or an edge: it joins the list."
        if self._between:
            again = self._first is not None
            self.tool.text = f"Click the {'second' if again else 'first'} hole or edge."
        self._table.update()

    def pick(self, feature: Feature) -> None:
        """Put what was clicked on the list, or wait for the second of two."""
        if self._between and self._first is None:
            self._first = feature
            self._tell_hand()
            return
        picked = [feature] if self._first is None else [self._first, feature]
        self._first = None
        self._tell_hand()
        try:
            self._add(dimension_of(picked))
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))

    def _add(self, dimension: Dimension) -> None:
        self.overall.clear_chosen()
        known = self._session.job.calipers
        same = [(d.kind, d.refs) for d in known]
        if (dimension.kind, dimension.refs) not in same:
            self._apply("A dimension to measure", (*known, dimension))
        where = [(d.kind, d.refs) for d in self._session.job.calipers]
        self.fields[where.index((dimension.kind, dimension.refs))].setFocus()

    # rows

    def _apply(self, label: str, calipers: tuple[Dimension, ...]) -> None:
        self.wrong.emit("")
        self._culprit = None
        self._session.apply(label, lambda job: set_calipers(job, calipers))

    def _measured(self, number: int, value: float | tuple[float, float | None]) -> None:
        mm, within = value if isinstance(value, tuple) else (value, None)
        calipers = list(self._session.job.calipers)
        calipers[number] = replace(calipers[number], measured=mm or None, within=within)
        self._apply("Measured with calipers", tuple(calipers))
        following = number + 1
        if following < len(self.fields):
            self.fields[following].setFocus()
            self.fields[following].selectAll()

    def refresh(self, job: Job) -> None:
        """Show the list held against the outline, and its dimensions on the table."""
        noise = self.noise(job)
        self.tool.follow(job.outline, noise)
        found = rows(job, noise)
        focus = next((n for n, field in enumerate(self.fields) if field.hasFocus()), None)
        clear(self.rows)
        self.fields = []
        if found:
            self.rows.addWidget(self._head())
        for number, one in enumerate(found):
            self.rows.addWidget(self._row(number, one))
        if focus is not None and focus < len(self.fields):
            self.fields[focus].setFocus()
        self.about.say(self._about(found))
        measured = sum(one.off is not None for one in found)
        for button, least, why in (
            (self.scale, 1, "nothing is measured yet"),
            (self.stretch, 2, "measure one dimension across and one up first"),
            (self.drive, 1, "nothing is measured yet"),
        ):
            button.setEnabled(measured >= least)
            button.setToolTip("" if measured >= least else why)
        self._draw(found)

    def _head(self) -> QWidget:
        """Return the words over the columns."""
        line = QWidget(self)
        unit = "mm" if self._session.units == "mm" else "in"
        words = [Note(text, line) for text in (f"Outline, {unit}", "Calipers", "Off")]
        words[1].setFixedWidth(64)
        words[2].setFixedWidth(86)
        layout = row(*words)
        layout.setSpacing(4)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setStretch(0, 1)
        line.setLayout(layout)
        return line

    def _row(self, number: int, one: Row) -> QWidget:
        units, dimension = self._session.units, one.dimension
        line = QWidget(self)
        name = _NAMES.get(dimension.kind, dimension.kind)
        bare = partial(_degrees if dimension.kind == "angle" else _bare, units=units)
        said = "gone" if one.says is None else bare(one.says)
        label = QLabel(f"{number + 1}. {name} {said}", line)
        label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        field = Field(
            f"Row {number + 1}, measured",
            _read_angle
            if dimension.kind == "angle"
            else lambda text: parse_within(text, self._session.units),
            line,
        )
        field.setFixedWidth(64)
        if dimension.measured is not None:
            within = "" if dimension.within is None else f" ± {bare(dimension.within)}"
            field.show_value(f"{bare(dimension.measured)}{within}")
            field.setCursorPosition(0)
        field.setToolTip("what the calipers say; with a limit of its own as 22 ± 0.1")
        off = "" if one.off is None else bare(one.off, sign="+")
        beyond = one.off is not None and abs(one.off) > 2 * one.sigma
        mark = "▲ " if number == self._culprit or beyond else ""
        told = QLabel(f"{mark}{off}", line)
        told.setFixedWidth(54)
        good = format_length(2 * one.sigma, units)
        if dimension.kind == "angle":
            good = bare(2 * one.sigma)
        told.setToolTip(
            f"what the outline says is good to ± {good}"
            + ("; it differs by more" if beyond else "")
        )
        away = QPushButton(icon("close"), "", line)
        away.setFixedWidth(28)
        away.setStyleSheet("padding: 0")
        away.setAccessibleName(f"Take row {number + 1} away")
        away.clicked.connect(lambda _=False, n=number: self._remove(n))
        field.typed.connect(lambda mm, n=number: self._measured(n, mm))
        field.wrong.connect(self.wrong)
        layout = row(label, field, told, away)
        layout.setSpacing(4)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setStretch(0, 1)
        line.setLayout(layout)
        self.fields.append(field)
        return line

    def _remove(self, number: int) -> None:
        calipers = self._session.job.calipers
        self._apply("A dimension less", (*calipers[:number], *calipers[number + 1 :]))

    def _about(self, found: list[Row]) -> str:
        if not found:
            return "Click a hole or an edge on the table, then type what the calipers say."
        try:
            fit = fit_scale(found)
        except SilhuetaError as error:
            return sentence(str(error))
        text = f"Scaled by {_percent(fit.factor)}, the list agrees"
        worst = max(map(abs, fit.left))
        text += f" within {format_length(worst, self._session.units)}."
        if not fit.together:
            text += " That is more than the outline is uncertain: look at the marked rows again."
        return text

    # what is done with it

    def _scale(self) -> None:
        job = self._session.job
        try:
            fit = fit_scale(rows(job, self.noise(job)))
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))
            return
        label = f"Scaled to the list: {_percent(fit.factor)}"
        self._session.apply(label, lambda job: scaled(job, fit.factor))

    def _stretch(self) -> None:
        job = self._session.job
        try:
            fit = fit_stretch(job.outline, rows(job, self.noise(job)))
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))
            return
        label = f"Scaled to the list: {_percent(fit.across)} across, {_percent(fit.up)} up"
        self._session.apply(label, lambda job: stretched(job, fit.across, fit.up))
        if not fit.together:
            worst = format_length(max(map(abs, fit.left)), self._session.units)
            self.wrong.emit(f"The rows still differ by up to {worst}: look at them again.")

    def _drive(self) -> None:
        self._culprit = None

        def show_culprit(error: object) -> None:
            if isinstance(error, TruingError):
                self._culprit = error.relation
                self.refresh(self._session.job)

        self.attempt("Measured sizes made exact", driven, show_culprit)

    def _draw(self, found: list[Row]) -> None:
        drawn = []
        by_ref = {(f.ref.key, f.ref.segment): f for f in self.tool.features}
        for number, one in enumerate(found):
            shapes = [by_ref.get((r.key, r.segment)) for r in one.dimension.refs]
            if not shapes or None in shapes or one.says is None:
                continue
            known = [shape for shape in shapes if shape is not None]
            size = one.dimension.measured if one.dimension.measured is not None else one.says
            bare = _degrees if one.dimension.kind == "angle" else _bare
            text = f"{number + 1}: {bare(size, self._session.units)}"
            start, end = known[0].centre, known[-1].centre
            is_round = one.dimension.kind in ("diameter", "radius")
            if is_round:
                angle = math.radians(45 + 40 * (number % 3))
                end = (
                    start[0] + known[0].radius * math.cos(angle),
                    start[1] + known[0].radius * math.sin(angle),
                )
            elif len(known) == 1:
                c = math.cos(known[0].angle) * known[0].size / 2
                s = math.sin(known[0].angle) * known[0].size / 2
                x, y = known[0].place
                start, end = (x - c, y - s), (x + c, y + s)
            drawn.append(Drawn(start, end, is_round, text, number == self._culprit))
        self._table.set_overlay("calipers", DimensionLayer(drawn) if drawn else None)


def _percent(factor: float) -> str:
    return f"{100 * (factor - 1):+.2f} %"


def _read_angle(text: str) -> float:
    return read_number(text, "°", 0, 180, "an angle")


def _degrees(value: float, units: Unit, sign: str = "") -> str:
    """Return an angle as a row shows it; the unit of lengths is nothing to it."""
    del units
    return f"{0.0 if abs(value) < 0.005 else value:{sign}.2f}°"


def _bare(mm: float, units: Unit, sign: str = "") -> str:
    """Return a length in the unit on screen, without its name."""
    value, places = (mm, 2) if units == "mm" else (mm / MM_PER_INCH, 4)
    if abs(value) < 0.5 * 10**-places:  # never a sign before a zero
        value, sign = 0.0, ""
    return f"{value:{sign}.{places}f}"

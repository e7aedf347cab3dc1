"""The page Rehearsal: the file's lines, what happens, how far it is; the player stands below."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)
from PySide6.QtWidgets import QVBoxLayout as Column

from silhueta.app.look.theme import FAINT, font
from silhueta.app.planning import clock
from silhueta.app.rehearsing import Rehearsing, Shown
from silhueta.app.stops.cut_file.player import Player
from silhueta.app.stops.cut_file.program_text import ProgramText
from silhueta.app.stops.near import bring_near
from silhueta.app.table.table import Table
from silhueta.app.widgets import Choice, Note, boxed, heading, row
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.cut_file.rehearsal_layer import RehearsalLayer
    from silhueta.core.rehearsal.event import Event

_TEXT_HIGH = 104  # px of the file's text: six lines
_ROW_HIGH = 56  # px of an event in the list
_MOST_ROWS = 500  # events that are listed
_MOST_LINES = 300_000  # of a file that are shown: more take the window seconds to lay out
_HELD = {"held-part": "The part", "held-nothing": "Nothing"}
_UNITS = {"taken-mm": "mm", "taken-in": "inch"}


class RehearsalPage(QWidget):
    """Which file is run, its lines, events, and what came of it so far."""

    moved = Signal(object)  # a moment, or None

    def __init__(
        self, rehearsing: Rehearsing, table: Table, player: Player, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.rehearsing, self.table, self.player = rehearsing, table, player
        self.layer: RehearsalLayer | None = None
        self._shown: Shown | None = None
        self.name = heading("", self)
        self.name.setWordWrap(True)
        self.about = Note(parent=self)
        self.asked = Note(parent=self)
        self.units = Choice("Unit of the file", _UNITS, self)
        self.units.chosen.connect(
            lambda key: rehearsing.take_as("mm" if key == "taken-mm" else "in")
        )
        self.text = ProgramText(self)
        self.text.setObjectName("rehearsed-text")
        self.text.setFixedHeight(_TEXT_HIGH)
        self.text.setFont(font(14, narrow=True))
        self.text.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.text.line_chosen.connect(self._go_to_line)
        self.events = QListWidget(self)
        self.events.setObjectName("events")
        self.events.setAccessibleName("Events")
        self.events.setWordWrap(True)
        self.events.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.events.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.events.currentRowChanged.connect(self._choose)
        self.facts = {key: QLabel(self) for key in ("free", "left", "depth")}
        self._fact_names = {
            key: QLabel(text, self)
            for key, text in (
                ("free", "free"), ("left", "left"), ("depth", "depth"))
        }  # fmt: skip
        grid = QWidget(self)
        cells = QGridLayout(grid)
        cells.setContentsMargins(0, 4, 0, 4)
        cells.setColumnMinimumWidth(0, 44)
        cells.setColumnStretch(1, 1)
        for k, (key, value) in enumerate(self.facts.items()):
            name = self._fact_names[key]
            name.setStyleSheet(f"color: {FAINT.name()}")
            value.setWordWrap(True)
            cells.addWidget(name, k, 0, Qt.AlignmentFlag.AlignTop)
            cells.addWidget(value, k, 1)
        self.other = QPushButton("Another file…", self)
        self.other.setObjectName("other-file")
        self.other.setToolTip("Rehearse a program, DXF or SVG of whatever origin")
        self.other.clicked.connect(self._ask_other)
        self.own = QPushButton("This job’s file", self)
        self.own.setObjectName("own-file")
        self.own.clicked.connect(lambda: rehearsing.choose(None))
        self.held_name = heading("Hold it against", self)
        self.held = Choice("Hold it against", _HELD, self)
        self.held.chosen.connect(lambda key: rehearsing.hold_against(key == "held-part"))
        inside = Column(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        for item in (
            self.name,
            self.about,
            self.asked,
            self.units,
            self.text,
            self.events,
            grid,
            boxed(self, row(self.other, self.own, None)),
            self.held_name,
            self.held,
        ):
            inside.addWidget(item)
        inside.addStretch(1)
        player.moved.connect(self._go)
        player.event_chosen.connect(self._to_event)

    def refresh(self, job: Job) -> None:
        """Show which file is run, and what it came to."""
        own = self.rehearsing
        own.ask(job)
        got = own.shown(job)
        self.own.setVisible(own.other is not None and bool(job.outline.taken))
        for item in (self.held_name, self.held):
            item.setVisible(own.other is not None and bool(job.outline.taken))
        self.held.set_chosen("held-part" if own.against else "held-nothing")
        if got is None or isinstance(got, str):
            self._clear(got)
            return
        if got is not self._shown:
            self._take(got)

    def _clear(self, why: str | None) -> None:
        self._shown = None
        self._set_layer(None)
        other = self.rehearsing.other
        self.name.setText(other.name if other is not None else "")
        self.about.say("" if why is not None else "Running it…")
        self.asked.say(why or "", bool(why))
        for item in (self.units, self.text, self.events):
            item.hide()
        self._say_facts()

    def _take(self, got: Shown) -> None:
        self._shown = got
        found = got.rehearsal
        other = self.rehearsing.other is not None
        self.name.setText(found.name)
        saved = "as it was saved" if found.saved else "as it would be saved now"
        self.about.say("read as it is" if other else saved)
        asked = ""
        if found.unit_missing:
            asked = "Nothing in it says whether its numbers are mm or inches. Which are they?"
        elif found.refused is not None:
            one = found.refused
            asked = f"Line {one.line} is not understood: {one.text}. Nothing of it was run."
        self.asked.say(asked, bool(asked))
        self.units.setVisible(found.unit_missing or self.rehearsing.units is not None)
        if self.rehearsing.units is None:
            self.units.clear_chosen()
        self.text.setVisible(bool(found.text))
        rows = found.text.splitlines()[:_MOST_LINES]
        if found.course is None or not found.course.scene.bench.drawing:
            rows = [f"{k}  {text}" for k, text in enumerate(rows, 1)]
        self.text.show_text("\n".join(rows))
        course = found.course
        self._list(() if course is None else course.done.events)
        if course is None or not len(course.scene.steps):
            self._set_layer(None)
        else:
            from silhueta.app.stops.cut_file.rehearsal_layer import RehearsalLayer, whole_size

            self._set_layer(RehearsalLayer(got))
            assert self.layer is not None
            self._bring_near(whole_size(self.layer))
        if found.refused is not None:
            self._mark_line(found.refused.line)

    def _bring_near(self, box: QRectF) -> None:
        """Show all of the sheet, unless a person has it in view already."""
        shown = self.table.view.shown().normalized()
        share = max(box.width() / shown.width(), box.height() / shown.height())
        if share < 0.5 or not shown.contains(box):
            self.table.view.fit(box, 60.0)
            self.table.zoom_by(1.0)

    def tell_readout(self) -> None:
        """Tell the readout where it is, or that nothing is run."""
        self.moved.emit(self.layer)

    def sentence(self) -> tuple[str, bool]:
        """Return what it came to, and whether that stops the cut."""
        if self._shown is None:
            return "", False
        found = self._shown.rehearsal
        if found.unit_missing:
            return "It waits for its unit.", True
        if found.course is None:
            return "Nothing was run.", True
        from silhueta.core.rehearsal.words import verdict

        return verdict(found.course.done, found.held), found.course.done.stops

    def _list(self, events: tuple[Event, ...]) -> None:
        from silhueta.core.rehearsal.words import NAMES

        self.events.blockSignals(True)
        self.events.clear()
        for k, one in enumerate(events[:_MOST_ROWS]):
            mark = "▲!" if one.severity == "stop" else "▲"
            text = f"{mark} {k + 1}  {NAMES[one.code]}\n{clock(one.at_s)}, line {one.line}"
            item = QListWidgetItem(text)
            item.setToolTip(one.text)
            item.setSizeHint(QSize(0, _ROW_HIGH - 12))
            self.events.addItem(item)
        self.events.setCurrentRow(-1)
        self.events.blockSignals(False)
        self.events.setVisible(bool(events))
        self.events.setFixedHeight(min(len(events), 3) * (_ROW_HIGH - 12) + 6)

    def _set_layer(self, layer: RehearsalLayer | None) -> None:
        self.layer = layer
        self.player.show_course(None if layer is None else layer.course)
        self.player.setVisible(layer is not None and self.isVisible())
        if layer is None:
            bring_near(self.table, self.rehearsing.job)
            self.table.set_cover(None)
            self.moved.emit(None)

    def show_layer(self) -> None:
        """Lay on the table what is run."""
        self.table.set_cover(self.layer)

    # going through it

    def _go(self, t: float) -> None:
        if self.layer is None:
            return
        self.layer.go(t)
        moment = self.layer.moment
        if self.text.isVisible() and not self.text.hasFocus():
            self._mark_line(moment.line)
        self._say_facts()
        self.table.set_cover(self.layer)
        self.moved.emit(self.layer)

    def _mark_line(self, line: int) -> None:
        self.text.blockSignals(True)
        self.text.choose(line)
        self.text.blockSignals(False)
        self.text.mark()

    def _to_event(self, number: int) -> None:
        if number == self.events.currentRow():
            self._choose(number)
        else:
            self.events.setCurrentRow(number)

    def _choose(self, number: int) -> None:
        if self.layer is None or number < 0:
            return
        self.layer.event = number
        self.player.to_event(number)
        one = self.layer.course.done.events[number]
        self._mark_line(one.line)
        self.asked.say(f"{number + 1}: {one.text}.", True)

    def _go_to_line(self, line: int) -> None:
        """Go to the end of the first step of a line that was clicked."""
        if self.layer is None:
            return
        scene = self.layer.course.scene
        found = next((k for k, one in enumerate(scene.steps) if one.line >= line), None)
        if found is not None:
            self.player.pause()
            self.player.go(float(scene.when[found]))

    def _say_facts(self) -> None:
        layer = self.layer
        for key, value in self.facts.items():
            shown = layer is not None and (key != "depth" or layer.shown.carving is not None)
            value.setVisible(shown)
            self._fact_names[key].setVisible(shown)
        if layer is None:
            return
        course, now = layer.course, layer.moment
        runs, pieces = len(course.runs), len(course.pieces)
        free = f"{counted(now.pieces, 'piece')} of {pieces}"
        self.facts["free"].setText(free if pieces else "nothing comes free")
        left = counted(runs - now.runs, "cut")
        self.facts["left"].setText(f"{left} of {runs} through the sheet")
        self.facts["depth"].setText(f"Z {now.place[2]:.2f} mm")

    def say_depth(self, depth: float | None) -> None:
        """Say how deep the sheet is cut under the cursor."""
        if self.layer is None or self.layer.shown.carving is None or depth is None:
            return
        z = self.layer.moment.place[2]
        self.facts["depth"].setText(f"Z {z:.2f} mm; at the cursor {depth:.2f} mm deep")

    def _ask_other(self) -> None:
        from silhueta.core.rehearsal.reading import PROGRAMS

        programs = " ".join(f"*{ending}" for ending in PROGRAMS)
        chosen, _ = QFileDialog.getOpenFileName(
            self.window(),
            "Rehearse a file",
            str(File.home()),
            f"Programs, DXF, SVG ({programs} *.dxf *.svg);;All files (*)",
        )
        if chosen:
            self.rehearsing.choose(File(chosen))

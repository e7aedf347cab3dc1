"""The page File: what is in it, in which unit, from which corner."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.states import why_no_cut_file
from silhueta.app.stops.cut_file.options import OptionRow
from silhueta.app.stops.cut_file.program_text import ProgramText
from silhueta.app.stops.inspect.stop import inspect_state
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Note, boxed, heading, row
from silhueta.core.cut_file_settings import Value
from silhueta.core.files.formats import EVERY, FORMATS, SHOWN, format_named
from silhueta.core.files.nc import NC
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import Job, set_cut_file
from silhueta.core.units import MM_PER_INCH
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.files.program_show import ProgramShown
    from silhueta.core.files.save_all import Kept

HOLDS = {"holds-outline": "The outline", "holds-plan": "The cut plan"}


class FilePage(QWidget):
    """Which file, what it holds, in which unit, from which corner."""

    setup_asked = Signal()
    all_asked = Signal()
    moved_to = Signal(object)  # where a line of the program goes, (N, 2) mm, or None

    def __init__(self, session: Session, tracing: Tracing, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._tracing = session, tracing
        titles = {form.key: form.title[:1].upper() + form.title[1:] for form in EVERY}
        self.format = Choice("File", titles, self, columns=3)
        self.about = Note(parent=self)
        self.holds = Choice("What is in it", HOLDS, self)
        self.holds_note = Note(parent=self)
        self.options = [
            OptionRow(form, option, self._choose, self) for form in EVERY for option in form.options
        ]
        self.units = Choice("Unit in the file", {"mm": "mm", "in": "inch"}, self)
        self.units_note = Note(parent=self)
        self.origin = Choice(
            "Zero point",
            {"corner": "Part's corner", "picture": "Picture's", "chosen": "Chosen"},
            self,
        )
        self.origin_note = Note(parent=self)
        self.sheet = QLabel(self)
        self.sheet.setWordWrap(True)
        self.inspected = Note(parent=self)
        self.setup = QPushButton("Set-up list…", self)
        self.setup.setObjectName("save-setup")
        self.setup.clicked.connect(self.setup_asked)
        self.all = QPushButton("Save all…", self)
        self.all.setObjectName("save-all")
        self.all.setToolTip(
            "Into one folder: the outline, the cut plan, the program, the set-up list, the paper "
            "proof and a picture, each proven"
        )
        self.all.clicked.connect(self.all_asked)
        self.all_told = Note(parent=self)
        self.others = boxed(self, row(self.setup, self.all))
        self.text_head = heading("The program", self)
        self.text = ProgramText(self)
        self.text_note = Note(parent=self)
        self._shown: ProgramShown | None = None
        self.text.line_chosen.connect(self._go_to)
        self._titles = {
            name: heading(title, self)
            for name, title in (
                ("holds", "What is in it"),
                ("units", "Unit in the file"),
                ("origin", "Zero point"),
            )
        }
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        for item in (
            heading("File"),
            self.format,
            self.about,
            self.others,
            self.all_told,
            self.text_head,
            self.text,
            self.text_note,
            self._titles["holds"],
            self.holds,
            self.holds_note,
            *self.options,
            self._titles["units"],
            self.units,
            self.units_note,
            self._titles["origin"],
            self.origin,
            self.origin_note,
            heading("What is written"),
            self.sheet,
            self.inspected,
        ):
            inside.addWidget(item)
        inside.addStretch(1)
        self.format.chosen.connect(self._set_format)
        self.holds.chosen.connect(self._set_holds)
        self.units.chosen.connect(lambda key: self._set("Unit in the file", units=key))
        self.origin.chosen.connect(lambda key: self._set("Zero point", origin=key))

    def _set_format(self, key: str) -> None:
        """Take a format; a program has nothing but the plan in it."""
        plan = {"holds": "plan"} if format_named(key) is NC else {}
        self._set("File", format=key, **plan)

    def _set_holds(self, key: str) -> None:
        """Take what the file holds; an outline is no program."""
        holds = key.removeprefix("holds-")
        own = format_named(self._session.job.cut_file.format)
        other = {"format": FORMATS[0].key} if holds == "outline" and own is NC else {}
        self._set("What is in the file", holds=holds, **other)

    def _choose(self, title: str, name: str, value: Value) -> None:
        self._session.apply(
            title, lambda job: set_cut_file(job, job.cut_file.choosing(name, value))
        )

    def _set(self, label: str, **changes: Any) -> None:
        self._session.apply(label, lambda job: set_cut_file(job, replace(job.cut_file, **changes)))

    def refresh(self, job: Job) -> None:
        """Show the settings and what will be in the file."""
        plan = job.cut_file
        form = format_named(plan.format)
        self.format.set_chosen(form.key)
        self.about.say(form.about)
        self.holds.set_chosen(f"holds-{plan.holds}")
        self.holds_note.say(
            "Where the tools go, with leads, by operation and tool."
            if plan.holds == "plan"
            else "Its loops as they are; the machine’s program plans the cut."
        )
        for one in self.options:
            one.show_value(plan, self._session.units)
            one.setVisible(one.form is form)
        for item in (self._titles["holds"], self.holds, self.holds_note):
            item.setVisible(form in FORMATS)
        for item in (self._titles["units"], self.units):
            item.setVisible(form.key != "png")
        for item in (self._titles["origin"], self.origin):
            item.setVisible(form not in SHOWN)
        self.units.set_chosen(plan.units)
        other, wrong = ("inches", "large") if plan.units == "mm" else ("millimetres", "small")
        tell = (
            f"Tell the machine's program: read as {other}, the part is cut 25.4 times too {wrong}."
        )
        self.units_note.say("" if form in SHOWN else tell)
        self.origin.set_chosen(plan.origin)
        self.origin_note.say(*(("", False) if form in SHOWN else _about_zero(job)))
        found = inspect_state(job)
        self.setup.setEnabled(job.inspect.process is not None)
        self.setup.setToolTip(
            "What to do before the start: tools, zeros, sheet, checks to tick"
            if job.inspect.process is not None
            else "it waits for the process; choose it at Plan"
        )
        self.inspected.say(f"Inspect: {found.result}." if found.result else "", bool(found.wanted))
        if why_no_cut_file(job, self._tracing.failure):
            self.sheet.setText("nothing yet")
            return
        got = outline_figures(job.outline)
        width, height = got.size_mm
        self.sheet.setText(
            f"{width:,.2f} × {height:,.2f} mm\n"
            f"{width / MM_PER_INCH:,.3f} × {height / MM_PER_INCH:,.3f} in\n"
            f"{got.outer_loops} outer, {counted(got.holes, 'hole')}, {got.open_paths} open\n"
            f"{counted(got.lines, 'line')}, {counted(got.arcs, 'arc')}; holes come first"
        )

    def show_program(self, shown: ProgramShown | None, why_not: str) -> None:
        """Show a program's text, or why there is none."""
        has = format_named(self._session.job.cut_file.format) is NC
        for item in (self.text_head, self.text_note):
            item.setVisible(has)
        self.text.setVisible(has and shown is not None)
        if not has or shown is None:
            self._shown = None
            self.text_note.say(why_not, bool(why_not))
            return
        if shown is not self._shown:
            self._shown = shown
            self.text.show_text(shown.text)
            self.text_note.say("Click a line: the table shows its move.")

    def _go_to(self, line: int) -> None:
        if self._shown is None:
            return
        words = self._shown.words(line)
        self.text_note.say(f"Line {line}: {words or 'nothing moves'}.")
        self.moved_to.emit(self._shown.move(line))

    def show_all(self, kept: Sequence[Kept]) -> None:
        """Show what became of several files."""
        rows = [f"{'▲' if one.fault else '✓'} {one.name}: {one.text}." for one in kept]
        self.all_told.say("\n".join(rows), any(one.fault for one in kept))


def _about_zero(job: Job) -> tuple[str, bool]:
    """Return where (0, 0) will be, and whether something about it is wrong."""
    if job.cut_file.origin != "chosen":
        return "Lower left of the part, or of the whole picture.", False
    if format_named(job.cut_file.format).paged:
        return "The page of an SVG has a corner of its own: the part's corner is taken.", False
    from silhueta.core.truing.zero import zero_of

    if zero_of(job.outline, job.zero) is None:
        return "Choose a hole or two edges at True up, By hand, and press Zero here.", True
    what = "a centre" if len(job.zero) == 1 else "a corner"
    return f"On {what} that was chosen at True up.", False

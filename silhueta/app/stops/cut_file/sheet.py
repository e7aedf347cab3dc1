"""Worksheet of the stop Cut file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path as File
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QWidget

from silhueta.app.inspecting import Inspecting
from silhueta.app.session import Session
from silhueta.app.states import why_no_cut_file
from silhueta.app.stops.cut_file.options import OptionRow
from silhueta.app.stops.inspect.stop import inspect_state
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Note, heading
from silhueta.core.cut_file_settings import Value
from silhueta.core.files.format import Format
from silhueta.core.files.formats import FORMATS, format_named
from silhueta.core.files.proof import Proof
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import Job, set_cut_file
from silhueta.core.units import MM_PER_INCH, format_length
from silhueta.core.wording import counted


class CutFileSheet(Worksheet):
    """Which file, in which unit, from which corner; then save it and see the proof."""

    save = Signal(object)  # a format

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        inspecting: Inspecting,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(session, parent)
        self._tracing = tracing
        inspecting.changed.connect(self.renew)
        self._proof: tuple[Job, Proof] | None = None
        self.format = Choice("File", {form.key: form.title for form in FORMATS}, self)
        self.about = Note()
        self.options = [
            OptionRow(form, option, self._choose, self)
            for form in FORMATS
            for option in form.options
        ]
        self.units = Choice("Unit in the file", {"mm": "mm", "in": "inch"}, self)
        self.units_note = Note()
        self.origin = Choice(
            "Zero point",
            {"corner": "Part's corner", "picture": "Picture's", "chosen": "Chosen"},
            self,
        )
        self.origin_note = Note()
        self.sheet = QLabel(self)
        self.sheet.setWordWrap(True)
        self.inspected = Note(parent=self)
        for item in (
            heading("File"),
            self.format,
            self.about,
            *self.options,
            heading("Unit in the file"),
            self.units,
            self.units_note,
            heading("Zero point"),
            self.origin,
            self.origin_note,
            heading("What is written"),
            self.sheet,
            self.inspected,
        ):
            self.body.addWidget(item)
        self.format.chosen.connect(lambda key: self._set("File", format=key))
        self.units.chosen.connect(lambda key: self._set("Unit in the file", units=key))
        self.origin.chosen.connect(lambda key: self._set("Zero point", origin=key))
        self.next.clicked.connect(lambda: self.save.emit(self._form))
        tracing.changed.connect(self.renew)
        self.connect_job()

    @property
    def _form(self) -> Format:
        return format_named(self.session.job.cut_file.format)

    def _choose(self, title: str, name: str, value: Value) -> None:
        self.session.apply(title, lambda job: set_cut_file(job, job.cut_file.choosing(name, value)))

    def _set(self, label: str, **changes: Any) -> None:
        self.session.apply(label, lambda job: set_cut_file(job, replace(job.cut_file, **changes)))

    def show_proof(self, job: Job, proof: Proof) -> None:
        """Show what reading the written file back gave."""
        self._proof = (job, proof)
        self.refresh(self.session.job)

    def refresh(self, job: Job) -> None:
        """Show the settings and what will be in the file."""
        plan = job.cut_file
        form = format_named(plan.format)
        self.format.set_chosen(form.key)
        self.about.say(form.about)
        for row in self.options:
            row.show_value(plan, self.session.units)
            row.setVisible(row.form is form)
        self.units.set_chosen(plan.units)
        other, wrong = ("inches", "large") if plan.units == "mm" else ("millimetres", "small")
        self.units_note.say(
            f"Tell the machine's program: read as {other}, the part is cut 25.4 times too {wrong}."
        )
        self.origin.set_chosen(plan.origin)
        self.origin_note.say(*_about_zero(job))
        found = inspect_state(job)
        self.inspected.say(f"Inspect: {found.result}." if found.result else "", bool(found.wanted))
        reason = why_no_cut_file(job, self._tracing.failure)
        self.set_next(f"Save {form.title}…", reason)
        if reason:
            self.sheet.setText("nothing yet")
            self.say_result(f"Not yet: {reason}.", True)
            return
        got = outline_figures(job.outline)
        width, height = got.size_mm
        self.sheet.setText(
            f"{width:,.2f} × {height:,.2f} mm\n"
            f"{width / MM_PER_INCH:,.3f} × {height / MM_PER_INCH:,.3f} in\n"
            f"{got.outer_loops} outer, {counted(got.holes, 'hole')}, {got.open_paths} open\n"
            f"{counted(got.lines, 'line')}, {counted(got.arcs, 'arc')}; holes come first"
        )
        self._show_saved(job)

    def _show_saved(self, job: Job) -> None:
        if self._proof is None:
            self.say_result("Every file is read back and compared before it is kept.")
            return
        saved_job, proof = self._proof
        got, unit = proof.figures, "mm" if proof.units == "mm" else "in"
        width, height = (format_length(v, "mm" if unit == "mm" else "in") for v in got.size_mm)
        same = saved_job.outline is job.outline and saved_job.cut_file == job.cut_file
        now = "" if same else "\nThe job has changed since: save again."
        self.say_result(
            f"Saved {File(proof.file).name} and read back: {width} × {height}, "
            f"{counted(got.outer_loops + got.holes, 'loop')} closed, {got.open_paths} open.{now}",
            fault=not same,
        )


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

"""Part of the Trace worksheet: what is needed now and then, under "More"."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.look.icons import icon
from silhueta.app.session import Session
from silhueta.app.stops.trace.histogram import read_grey
from silhueta.app.stops.trace.part import TracePart
from silhueta.app.table.patch_layer import WORDS
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Field, Note, Select, clear, heading, read_number, row
from silhueta.app.work import Bench
from silhueta.core.datum.fixing import present_mm_per_px
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.job import Job, is_stale
from silhueta.core.trace_settings import MOST_COLOURS, Patch
from silhueta.core.units import format_area, format_length, parse_area, parse_length

if TYPE_CHECKING:
    from silhueta.core.trace.job_trace import TracedJob
    from silhueta.core.work import Work

_PENS = {"edge": "Edge", "outer": "Outer", "centre": "Middle", "inner": "Inner"}

_GAPS = "Breaks of a pen line are closed along its direction; 0: none"
_FIT = "Curves follow a free hand closer; lines and arcs are what most machines cut"
_SMOOTH = "Waves shorter than this along the edge are taken out; 0: none"


class TraceMore(TracePart):
    """Pen lines, colours, patches, and how the line is drawn."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, tracing, table, parent)

        def length(name: str) -> Field:
            return Field(name, lambda text: parse_length(text, session.units, zero=True), self)

        self.pen = Choice("Of a pen line take", _PENS, self)
        self.gaps = length("Close gaps up to")
        self.line_width = Note(parent=self)
        self.split = Field("Main colours", _read_count, self)
        self.propose = QPushButton("Count colours", self)
        self.propose.setObjectName("count-colours")
        self.fit = Choice("Line made of", {"arcs": "Lines, arcs", "curves": "Curves"}, self)
        self.smooth = length("Smooth waves under")
        self.as_it_is = Note(parent=self)
        sharp = "Sharp if it turns more than"
        self.corner = Field(sharp, lambda text: read_number(text, "°", 0, 180, "degrees"), self)
        self.pinhole = Field("Fill holes under", lambda text: parse_area(text, session.units), self)
        self.pinholes = Note(parent=self)
        self.patch_bench = Bench(self)
        self.patch_bench.failed.connect(self.wrong)
        self.patch_bench.done.connect(self._traced_again)
        self.patch_box = QPushButton("Box", self)
        self.patch_area = QPushButton("Area", self)
        self.patch_area.setObjectName("patch-area")
        self._patches_shown: tuple[Patch, ...] | None = None
        self._patch_rows = QVBoxLayout()
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(heading("Of a pen line take", self))
        inside.addWidget(self.pen)
        inside.addLayout(row(heading("Close gaps up to"), None, self.gaps))
        inside.addWidget(self.line_width)
        inside.addLayout(row(heading("Patch"), None, self.patch_box, self.patch_area))
        inside.addLayout(self._patch_rows)
        inside.addLayout(row(heading("Main colours"), None, self.split))
        inside.addWidget(self.propose)
        inside.addLayout(row(heading("Fill holes under"), None, self.pinhole))
        inside.addWidget(self.pinholes)
        inside.addWidget(heading("Line made of", self))
        inside.addWidget(self.fit)
        inside.addLayout(row(heading("Smooth waves under"), None, self.smooth))
        inside.addWidget(self.as_it_is)
        inside.addLayout(row(heading("Sharp if it turns more than"), None, self.corner))
        for field in (self.gaps, self.split, self.pinhole, self.smooth, self.corner):
            field.setFixedWidth(78)
        self.pinhole.setFixedWidth(90)  # "as specks"
        self.patch_box.setToolTip("Two clicks: an area with a rule of its own")
        self.patch_area.setToolTip("Click the corners of an area with a rule of its own")
        self.propose.setToolTip("Count the picture's main colours, and split it into them")
        self.split.setToolTip("Split the picture into so many colours, each with its own loops")
        self.corner.setToolTip("Joints that turn by less are smooth where the edge allows it")

    def _connect(self) -> None:
        self.pen.chosen.connect(
            lambda key: self._set("Pen line", pen=None if key == "edge" else key, split=0)
        )
        self.gaps.typed.connect(lambda v: self._set("Close gaps", close_gaps=v))
        self.split.typed.connect(lambda v: self._set("Main colours", split=v))
        self.propose.clicked.connect(self._count)
        self.bench.done.connect(self._counted)
        self.fit.chosen.connect(lambda key: self._set("Line made of", fit=key))
        self.smooth.typed.connect(lambda v: self._set("Smooth waves", smooth=v))
        self.corner.typed.connect(lambda v: self._set("Corner angle", corner=v))
        self.pinhole.typed.connect(lambda v: self._set("Fill holes", pinhole=v))
        self.patch_box.clicked.connect(lambda: self._table.start_pick(2, self._take_patch))
        self.patch_area.clicked.connect(lambda: self._table.start_pick(0, self._take_patch))
        for field in (self.gaps, self.split, self.smooth, self.corner, self.pinhole):
            field.wrong.connect(self.wrong)

    def _count(self) -> None:
        file = self._session.job.picture
        if file is None:
            return

        def counted(_: object) -> int:
            from silhueta.core.picture.decode import decode_colour
            from silhueta.core.trace.colour.split import proposed

            return proposed(decode_colour(file))

        self.bench.ask("Counting colours", counted, file)

    def _counted(self, count: int, asked: object) -> None:
        if asked is self._session.job.picture:
            self._set("Main colours", split=count)

    # patches

    def _trace_again(self, number: int) -> None:
        job, picture, stages = self._session.job, self._tracing.picture, self._tracing.stages
        if picture is None or is_stale(job):
            self.wrong.emit("the trace is not done yet; try again when it is")
            return

        def made(work: Work) -> TracedJob:
            from silhueta.core.trace.job_trace import retrace_patch

            return retrace_patch(job, number, picture, work, stages)

        self.patch_bench.ask(f"Tracing patch {number + 1}", made, (job, number))

    def _traced_again(self, done: TracedJob, asked: tuple[Job, int]) -> None:
        job, number = asked
        if self._session.job is job:
            self._session.apply(f"Trace patch {number + 1} again", lambda _: done.job)

    def _take_patch(self, points: list[tuple[float, float]]) -> None:
        if len(points) == 2:
            (a, b), (c, d) = points
            points = [(a, b), (c, b), (c, d), (a, d)]
        try:
            patch = Patch(tuple(self._in_photo(points)))
        except SilhuetaError as error:
            self.wrong.emit(str(error))
            return
        self._set("Patch", patches=(*self._session.job.trace.patches, patch))

    def _change(self, number: int, patch: Patch | None) -> None:
        patches = list(self._session.job.trace.patches)
        if patch is None:
            del patches[number]
        else:
            patches[number] = patch
        label = "Patch" if patch is not None else "Remove a patch"
        self._set(label, patches=tuple(patches))

    def _show_patches(self, patches: tuple[Patch, ...]) -> None:
        if patches == self._patches_shown:
            return
        self._patches_shown = patches
        clear(self._patch_rows)
        for number, patch in enumerate(patches):
            line = QWidget(self)
            rule = Select(line)
            rule.setObjectName(f"patch-{number}")
            rule.setAccessibleName(f"Rule of patch {number + 1}")
            for key, words in WORDS.items():
                rule.addItem(words, key)
            rule.setCurrentIndex(list(WORDS).index(patch.rule))
            rule.activated.connect(
                lambda _, n=number, p=patch, box=rule: self._change(
                    n, replace(p, rule=box.currentData())
                )
            )
            level = Field(f"Threshold of patch {number + 1}", read_grey, line)
            level.setFixedWidth(56)
            level.show_value("found" if patch.threshold is None else f"{patch.threshold:.0f}")
            level.setVisible(patch.rule == "threshold")
            level.typed.connect(
                lambda v, n=number, p=patch: self._change(n, replace(p, threshold=v))
            )
            level.wrong.connect(self.wrong)
            again = QPushButton("Trace again", line)
            again.setObjectName(f"again-{number}")
            again.setToolTip(
                "Trace anew what passes through this patch, also loops that you have changed; "
                "all others stay"
            )
            again.clicked.connect(lambda _=False, n=number: self._trace_again(n))
            away = QPushButton(line)
            away.setIcon(icon("close"))
            away.setToolTip(f"Remove patch {number + 1}")
            away.setAccessibleName(f"Remove patch {number + 1}")
            away.setFixedWidth(30)
            away.clicked.connect(lambda _=False, n=number: self._change(n, None))
            layout = QVBoxLayout(line)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.addLayout(row(heading(str(number + 1)), rule, None, away))
            layout.addLayout(row(level, None, again))
            self._patch_rows.addWidget(line)

    def refresh(self, job: Job) -> None:
        """Show the settings."""
        settings, unit = job.trace, self._session.units
        self.pen.set_chosen(settings.pen or "edge")
        self.gaps.show_value(format_length(settings.close_gaps, unit, 2))
        _only(self.gaps, _GAPS, "" if settings.pen else "Only pen lines have gaps")
        width = self._tracing.line_width
        known = settings.pen is not None and width is not None
        self.line_width.say(
            f"The pen's line is {format_length(width or 0, unit, 2)} wide." if known else ""
        )
        self.split.show_value(str(settings.split) if settings.split else "not split")
        self.fit.set_chosen(settings.fit)
        self.smooth.show_value(format_length(settings.smooth, unit, 2))
        why = settings.lines_only.capitalize()
        self.as_it_is.say(f"{why}." if why else "")
        _only(self.fit, _FIT, why)
        _only(self.smooth, _SMOOTH, why)
        self.corner.show_value(f"{settings.corner:g}°")
        self.pinhole.show_value(
            "as specks" if settings.pinhole is None else format_area(settings.pinhole, unit)
        )
        limit = settings.speck if settings.pinhole is None else settings.pinhole
        self.pinholes.say(f"That is {limit / present_mm_per_px(job) ** 2:,.0f} pixels.")
        self._show_patches(settings.patches)


def _only(control: QWidget, usual: str, why_not: str) -> None:
    """Let a control be used, or say in its tip why it cannot."""
    control.setEnabled(not why_not)
    control.setToolTip(why_not or usual)


def _read_count(text: str) -> int:
    bare = text.strip().lower()
    if bare in ("0", "none", "not split", ""):
        return 0
    if not bare.isdigit() or not 2 <= int(bare) <= MOST_COLOURS:
        raise UnitsError(
            f"“{text.strip()[:40]}” is not a number of colours from 2 to {MOST_COLOURS}"
        )
    return int(bare)

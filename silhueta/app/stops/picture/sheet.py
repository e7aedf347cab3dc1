"""Worksheet of the stop Picture: open one, see whether it will do, clean it."""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from msgspec import structs
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from silhueta.app.look.icons import icon
from silhueta.app.look.theme import font
from silhueta.app.session import Session
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Field, Note, clear, heading, read_number, row, sentence
from silhueta.app.work import Bench
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.job import Job, PictureFile, is_stale, set_clean
from silhueta.core.picture.formats import TITLES
from silhueta.core.steps import (
    Backdrop,
    Crop,
    EvenLight,
    Mirror,
    Step,
    Straighten,
    Stroke,
    Turn,
    describe_step,
)
from silhueta.core.units import parse_length

if TYPE_CHECKING:
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.picture.decode import Picture
    from silhueta.core.picture.verdict import Verdict

Points = list[tuple[float, float]]
_MARKS = {"good": "✓", "usable": "~", "poor": "▲"}
_TOOLS = {
    "crop": "Crop",
    "level": "Level",
    "turn-left": "Turn left",
    "turn-right": "Turn right",
    "mirror": "Mirror",
    "even": "Even light",
    "backdrop": "Drop colour",
    "ink": "Ink",
    "scrape": "Scrape",
    "ink-area": "Ink area",
    "scrape-area": "Scrape area",
}
_TIPS = {
    "crop": "Click two opposite corners of what counts.",
    "level": "Click two points of what should be level or upright.",
    "even": "Take uneven light out of a bright ground.",
    "backdrop": "Click on a colour of the background: it becomes white.",
    "ink": "Paint solid, with the brush below.",
    "scrape": "Paint away, with the brush below.",
    "ink-area": "Click the corners of an area that becomes solid.",
    "scrape-area": "Click the corners of an area that becomes ground.",
}


class PictureSheet(Worksheet):
    """Open a picture, see what it is worth, and clean it."""

    reopen = Signal(int, object)  # page from 0 (-1: the same), dpi or None (the same)

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self._tracing, self._table = tracing, table
        self._judged: tuple[Picture, Outline | None] | None = None
        self.verdict: Verdict | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(self.failed)
        self.open = QPushButton("Open a picture…", self)
        self.open.setObjectName("open-picture")
        self.body.addWidget(self.open)
        self.body.addWidget(
            Note(f"Drop one on the window, paste it, or open it: {', '.join(TITLES)}.", self)
        )
        self.facts = QLabel(self)
        self.facts.setWordWrap(True)
        self.facts.setAccessibleName("About the file")
        self.advice = QLabel(self)
        self.advice.setWordWrap(True)
        self.advice.setObjectName("verdict")
        self.advice.setTextFormat(Qt.TextFormat.RichText)
        self._verdict_heading = heading("Verdict", self)
        self.body.addWidget(self.facts)
        self._add_pages()
        for item in (self._verdict_heading, self.advice):
            self.body.addWidget(item)
        self._add_tools()
        self.next.clicked.connect(self._on_next)
        self._brush_mm: float | None = None
        self.connect_job()

    def _add_pages(self) -> None:
        self.pages = QWidget(self)
        self.page = Field("Page", _read_page, self.pages)
        self.page_dpi = Field(
            "Dots per inch of the page",
            lambda text: read_number(text, "dpi", 20, 2400, "dots per inch"),
            self.pages,
        )
        self.page_dpi_row = QWidget(self.pages)
        self.page_dpi_row.setLayout(row(heading("Drawn at"), None, self.page_dpi))
        self.page.typed.connect(lambda number: self.reopen.emit(number - 1, None))
        self.page_dpi.typed.connect(lambda dpi: self.reopen.emit(-1, dpi))
        inside = QVBoxLayout(self.pages)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addLayout(row(heading("Page"), None, self.page))
        inside.addWidget(self.page_dpi_row)
        self.page_fault = Note(parent=self.pages)
        inside.addWidget(self.page_fault)
        for field in (self.page, self.page_dpi):
            field.wrong.connect(lambda fault: self.page_fault.say(fault, bool(fault)))
        self.body.addWidget(self.pages)

    def _show_pages(self, file: PictureFile, picture: Picture) -> None:
        pdf = picture.format == "PDF"
        self.pages.setVisible(pdf or picture.pages > 1)
        self.page_dpi_row.setVisible(pdf)
        self.page.show_value(f"{file.page + 1} of {picture.pages:,}")
        self.page_dpi.show_value(f"{picture.dpi:g} dpi" if picture.dpi else "")

    def _add_tools(self) -> None:
        self.tools = QWidget(self)
        inside = QVBoxLayout(self.tools)
        inside.setContentsMargins(0, 6, 0, 0)
        inside.setSpacing(6)
        inside.addWidget(heading("Clean it", self.tools))
        grid = QGridLayout()
        grid.setSpacing(4)
        run: dict[str, Callable[[], None]] = {
            "crop": lambda: self._pick(2, self._take_crop),
            "level": lambda: self._pick(2, self._take_level),
            "turn-left": lambda: self._add(Turn(1)),
            "turn-right": lambda: self._add(Turn(3)),
            "mirror": lambda: self._add(Mirror()),
            "even": lambda: self._add(EvenLight()),
            "backdrop": lambda: self._pick(1, self._take_colour),
            "ink": lambda: self._brush(True),
            "scrape": lambda: self._brush(False),
            "ink-area": lambda: self._pick(0, lambda p: self._take_area(True, p)),
            "scrape-area": lambda: self._pick(0, lambda p: self._take_area(False, p)),
        }
        for number, (key, text) in enumerate(_TOOLS.items()):
            button = QPushButton(text, self.tools)
            button.setObjectName(f"clean-{key}")
            button.setStyleSheet("padding: 2px 2px")
            button.setFont(font(14, narrow=True))
            button.setMinimumWidth(60)
            button.setToolTip(_TIPS.get(key, ""))
            button.clicked.connect(lambda _=False, k=key: run[k]())
            grid.addWidget(button, number // 3, number % 3)
        inside.addLayout(grid)
        self.fault = Note(parent=self.tools)
        self.brush = Field("Width of the brush", self._read_brush, self.tools)
        self.brush.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        self.brush.typed.connect(self._set_brush)
        self.brush.show_value("20 px")
        self._brush_px = 20.0
        inside.addLayout(row(heading("Brush", self.tools), None, self.brush))
        inside.addWidget(self.fault)
        self._steps = QVBoxLayout()
        self._steps.setSpacing(4)
        inside.addLayout(self._steps)
        self._steps_shown: tuple[Step, ...] | None = None
        self.body.addWidget(self.tools)

    # the hand

    def _pick(self, count: int, take: Callable[[Points], None]) -> None:
        self.fault.say("")
        self._table.start_pick(count, take)

    def _brush(self, ink: bool) -> None:
        self.fault.say("")
        self._table.start_brush(
            self._brush_px, ink, lambda way: self._add(Stroke(ink, tuple(way), self._brush_px))
        )

    def _take_area(self, ink: bool, points: Points) -> None:
        self._add_made(lambda: Stroke(ink, tuple(points)))

    def _take_crop(self, points: Points) -> None:
        (x1, y1), (x2, y2) = points
        self._add_made(lambda: Crop(min(x1, x2), min(y1, y2), abs(x2 - x1), abs(y2 - y1)))

    def _take_level(self, points: Points) -> None:
        self._add_made(lambda: Straighten(points[0], points[1]))

    def _take_colour(self, points: Points) -> None:
        file = self.session.job.picture
        if file is None:
            return

        def picked(_: object) -> tuple[int, int, int]:
            from silhueta.core.picture.decode import colour_at

            return colour_at(file, *points[0])

        self.bench.ask("Picking the colour", picked, file)

    def _drop_colour(self, colour: tuple[int, int, int]) -> None:
        old = next((s for s in self.session.job.clean if isinstance(s, Backdrop) and s.on), None)
        if old is None:
            self._add(Backdrop((colour,)))
        else:
            self._replace(old, structs.replace(old, colours=(*old.colours, colour)))

    def _read_brush(self, text: str) -> float:
        bare = text.lower().replace("px", "").strip()
        if bare.replace(".", "", 1).isdigit() and ("px" in text.lower() or bare == text.strip()):
            return float(bare)
        mm = parse_length(text, self.session.units)
        return max(1.0, mm / self._table.mm_per_px)

    def _set_brush(self, px: float) -> None:
        self._brush_px = min(max(px, 1.0), 2000.0)
        self.brush.show_value(f"{self._brush_px:.0f} px")

    def _add_made(self, make: Callable[[], Step]) -> None:
        try:
            self._add(make())
        except SilhuetaError as error:
            self.fault.say(sentence(str(error)), True)

    def _add(self, step: Step) -> None:
        self.session.apply(
            describe_step(step).capitalize(), lambda job: set_clean(job, (*job.clean, step))
        )

    def _replace(self, old: Step, new: Step | None) -> None:
        def edit(job: Job) -> Job:
            kept = [new if step is old else step for step in job.clean]
            return set_clean(job, tuple(step for step in kept if step is not None))

        self.session.apply(describe_step(old).capitalize(), edit)

    def _on_next(self) -> None:
        if self.session.job.picture is None:
            self.open.click()
        else:
            self.go_on()

    def _on_done(self, result: Any, asked: Any) -> None:
        if asked is self.session.job.picture:
            self._drop_colour(result)
        elif asked is self._judged:
            self.verdict = result
            self.refresh(self.session.job)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the picture's facts, the verdict and the steps taken."""
        picture = self._tracing.picture
        self.open.setText("Open another picture…")
        self.pages.setVisible(False)
        shown = (self.open, self.facts, self.tools, self.advice, self._verdict_heading)
        for widget in shown:
            widget.setVisible(picture is not None)
        if job.picture is None or picture is None:
            self.say_result(
                "A sharp picture, straight from above, with light from all sides, traces best."
            )
            self.set_next("Open a picture…")
            return
        self.facts.setText(f"{job.picture.name} ({picture.format}); {_told(picture)}.")
        self._show_pages(job.picture, picture)
        self._ask_verdict(job, picture)
        self._show_steps(job.clean)
        size = f"{picture.width * picture.height / 1e6:.1f} megapixels in {_depth(picture.top)}."
        if self.verdict is None:
            self.say_result(size)
        else:
            words = {
                "good": "Good to work with.",
                "usable": "Usable; a better picture would trace better.",
                "poor": "Poor: take another picture if you can, it saves work.",
            }
            self.say_result(f"{words[self.verdict.grade]} {size}", self.verdict.grade == "poor")
        self.way_on()

    def _ask_verdict(self, job: Job, picture: Picture) -> None:
        """Have the picture judged: along the part's edge, where that is known."""
        known = job.trace.read == "part" and job.traced is not None and not is_stale(job)
        asked = (picture, job.outline if known else None)
        same = self._judged is not None and all(map(operator.is_, asked, self._judged))
        if not same:
            self.verdict = None
        if not same or (self.verdict is None and not self.bench.busy):
            self._judged = asked

            def judged(_: object) -> Verdict:
                from silhueta.core.picture.verdict import judge
                from silhueta.core.trace.job_trace import edges_in_picture

                return judge(picture, edges_in_picture(job, picture) if known else ())

            self.bench.ask("Judging the picture", judged, asked)
        if self.verdict is None:
            self.advice.setText("being worked out …")
            return
        good = [found.about for found in self.verdict.findings if found.grade == "good"]
        lines = [f"{_MARKS['good']} {', '.join(good)}: <b>good</b>"] if good else []
        for found in self.verdict.findings:
            if found.grade != "good":
                head = f"{_MARKS[found.grade]} {found.about}: <b>{found.grade}</b>, {found.figure}"
                lines.append(f"{head}. {sentence(found.remedy)}" if found.remedy else head)
        self.advice.setText("<br>".join(lines))
        every = "\n".join(f"{f.about}: {f.grade}, {f.figure}" for f in self.verdict.findings)
        self.advice.setToolTip(every)

    def _show_steps(self, steps: tuple[Step, ...]) -> None:
        if steps == self._steps_shown:
            return
        self._steps_shown = steps
        clear(self._steps)
        for number, step in enumerate(steps):
            line = QWidget(self.tools)
            box = QCheckBox(describe_step(step), line)
            box.setFont(font(14, narrow=True))
            box.setObjectName(f"step-{number}")
            box.setChecked(step.on)
            box.toggled.connect(lambda on, s=step: self._replace(s, structs.replace(s, on=on)))
            away = QPushButton(line)
            away.setIcon(icon("close"))
            away.setFixedSize(32, 28)
            away.setStyleSheet("padding: 0")
            away.setToolTip("Remove this step")
            away.setObjectName(f"remove-step-{number}")
            away.setAccessibleName(f"Remove {describe_step(step)}")
            away.clicked.connect(lambda _=False, s=step: self._replace(s, None))
            inside = row(box, None, away)
            inside.setContentsMargins(0, 0, 0, 0)
            line.setLayout(inside)
            self._steps.addWidget(line)


def _read_page(text: str) -> int:
    bare = text.split("of")[0].strip()
    if not bare.isdigit() or int(bare) < 1:
        raise UnitsError(f"“{text.strip()[:40]}” is not a page's number, such as 2")
    return int(bare)


def _told(picture: Picture) -> str:
    size = f"{picture.width:,} × {picture.height:,} pixels"
    lens = "" if picture.focal35 is None else f", {picture.focal35:g} mm lens"
    if picture.told_dpi is None:
        return f"{size}, no dpi{lens}"
    if picture.dpi is None:
        told = f"{picture.told_dpi:g} dpi (means unknown)"
        return f"{size}, {told}{lens}"
    return f"{size}, {picture.dpi:g} dpi{lens}"


def _depth(top: float) -> str:
    return "256 greys" if top == 255 else "65,536 greys"

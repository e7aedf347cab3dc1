"""Worksheet of the stop Tidy."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QRectF
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.paged import PagedWorksheet
from silhueta.app.stops.tidy.loop_list import LoopList
from silhueta.app.stops.tidy.nodes import TidyNodes
from silhueta.app.stops.tidy.offers import TidyOffers
from silhueta.app.stops.tidy.steps import TidySteps
from silhueta.app.table.loop_tool import LoopTool
from silhueta.app.table.marked_layer import LitLayer
from silhueta.app.table.table import Table
from silhueta.app.table.tool import Tool
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Field, Select, heading, row
from silhueta.core.geometry.measure import box_of
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import Job, is_stale
from silhueta.core.tidy.choose import Row, keep_largest, rows, set_operation, set_taken, swap
from silhueta.core.units import format_area, parse_area
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.geometry.outline import Operation, Outline

_FILTERS = {
    "all": "all",
    "small": "smaller than",
    "open": "open",
    "frame": "at the picture's frame",
    "holes": "holes",
    "cut": "cut",
    "skipped": "skipped",
}
_ORDERS = {
    "area": "largest first",
    "small": "smallest first",
    "nodes": "most nodes first",
    "role": "outer, holes, open",
    "state": "cut, then skipped",
}
_ROLES = {"outer": 0, "hole": 1, "island": 2, "open": 3}


class TidySheet(PagedWorksheet):
    """Which loops are cut; offers to clean up; the steps taken."""

    overlays = ("lit", "offers")

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, table, parent)
        self.loops = _LoopsPage(self)
        self.offers = TidyOffers(session, table, self)
        self.nodes = TidyNodes(session, table, self)
        self.steps = TidySteps(session, self)
        self.benches = (self.offers.bench,)
        self.tool = LoopTool(self._toggle, self._hover)
        self.tools = (self.tool, self.nodes.tool, self.nodes.pen)
        for part in (self.offers, self.nodes):
            part.wrong.connect(self.tell)
        self.loops.wire()
        self.add_pages(
            {"loops": "Loops", "offers": "Offers", "nodes": "Nodes", "steps": "Steps"},
            {
                "loops": self.loops,
                "offers": self.offers,
                "nodes": self.nodes,
                "steps": self.steps,
            },
        )

    def tool_of(self, page: str) -> Tool:
        """Return the tool that goes round nodes, or the one that cuts and skips."""
        return self.nodes.current_tool() if page == "nodes" else self.tool

    # the hand

    def _toggle(self, which: Collection[int]) -> None:
        contours = self.session.job.outline.contours
        taken = not any(contours[i].taken for i in which)
        self.set_taken(which, taken)

    def set_taken(self, which: Collection[int], taken: bool) -> None:
        """Cut or skip some contours, as one step."""
        count = len(which)
        verb = "Cut" if taken else "Skip"
        label = f"{verb} a loop" if count == 1 else f"{verb} {count} loops"
        self.apply(label, lambda job: set_taken(job, which, taken))

    def set_operation(self, which: Collection[int], operation: Operation) -> None:
        """Cut, engrave or mark some contours, as one step."""
        verb, count = operation.capitalize(), len(which)
        label = f"{verb} a loop" if count == 1 else f"{verb} {count} loops"
        self.apply(label, lambda job: set_operation(job, which, operation))

    def apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        """Run an edit as one step."""
        self.session.apply(label, edit)

    def _hover(self, contour: int | None) -> None:
        self.loops.list.show_loop(contour)
        self.light(contour)

    def light(self, contour: int | None) -> None:
        """Light up a contour on the table."""
        contours = self.session.job.outline.contours
        known = contour is not None and contour < len(contours)
        paths = [contours[contour].path] if known and contour is not None else []
        self.table.set_overlay("lit", LitLayer(paths) if paths else None)

    def show_on_table(self, contour: int) -> None:
        """Bring a contour into view where it is not, and light it up."""
        path = self.session.job.outline.contours[contour].path
        left, bottom, right, top = box_of(path)
        box = QRectF(left, bottom, max(right - left, 0.1), max(top - bottom, 0.1))
        seen = self.table.view.shown().normalized()
        screen = self.table.view.px_per_mm * max(box.width(), box.height())
        if not seen.contains(box) or screen < 24:
            self.table.show_box(box)
        self.light(contour)

    def showEvent(self, event: QShowEvent) -> None:
        """Show what is part and what is waste."""
        self.table.set_filled(True)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """Show lines alone again."""
        super().hideEvent(event)
        self.table.set_filled(False)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the present page, and what is cut."""
        self.shown.refresh(job)
        if not job.outline.contours:
            self.say_result(no_picture(job) if job.picture is None else "Nothing is traced yet.")
            self.way_on("there is no outline yet")
            return
        got = outline_figures(job.outline)
        skipped = sum(not c.taken for c in job.outline.contours)
        holes, nodes = counted(got.holes, "hole"), counted(got.nodes, "node")
        text = f"{got.outer_loops} outer, {holes}, {nodes}."
        if got.open_paths:
            text += f"\n▲ {got.open_paths} open: close them, or they are marked, not cut."
        others = Counter(what for what, _ in job.outline.others)
        if others:
            done = (f"{others[what]} to {what}" for what in ("engrave", "mark") if others[what])
            text += f"\n{' and '.join(done)}: no part, no hole."
        if skipped:
            text += f"\n{skipped} skipped: pale on the table, not in the file."
        self.say_result(text)
        why = "the trace is not done yet" if is_stale(job) else ""
        if not job.outline.taken:
            why = "every loop is skipped; set at least one to cut"
        self.way_on(why)


class _LoopsPage(QWidget):
    """The list, what of it is shown, and what is done to all that is shown."""

    def __init__(self, sheet: TidySheet) -> None:
        super().__init__(sheet)
        self._sheet = sheet
        session = sheet.session
        self.show_only = Select(self)
        self.show_only.setAccessibleName("Show")
        self.show_only.setObjectName("show-only")
        for key, words in _FILTERS.items():
            self.show_only.addItem(words, key)
        self.order = Select(self)
        self.order.setAccessibleName("Order")
        self.order.setObjectName("order")
        for key, words in _ORDERS.items():
            self.order.addItem(words, key)
        self.limit = Field("Smaller than", lambda text: parse_area(text, session.units), self)
        self.limit.setFixedWidth(84)
        self._limit = 10.0
        self.list = LoopList(self)
        self.cut, self.skip = QPushButton("Cut these", self), QPushButton("Skip these", self)
        self.engrave = QPushButton("Engrave these", self)
        self.mark = QPushButton("Mark these", self)
        self.swap = QPushButton("Swap cut and skip", self)
        self.largest = QPushButton("Only the largest part", self)
        for button, name, tip in (
            (self.cut, "cut-these", "Cut every loop in the list"),
            (self.skip, "skip-these", "Skip every loop in the list"),
            (
                self.engrave,
                "engrave-these",
                "Engrave what every loop in the list encloses",
            ),
            (self.mark, "mark-these", "Mark along every loop in the list, without cutting through"),
            (self.swap, "swap", "What is cut is skipped, what is skipped is cut"),
            (self.largest, "largest", "Cut the largest outer loop and its holes, skip the rest"),
        ):
            button.setObjectName(name)
            button.setToolTip(tip)
            button.setStyleSheet("padding: 2px 6px")
        self._outline: Outline | None = None
        self._rows: list[Row] = []
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addLayout(row(heading("Show"), self.show_only, self.limit, None))
        inside.addLayout(row(heading("Order"), self.order, None))
        inside.addWidget(self.list, 1)
        inside.addLayout(row(self.cut, self.skip))
        inside.addLayout(row(self.engrave, self.mark))
        inside.addWidget(self.swap)
        inside.addWidget(self.largest)

    def wire(self) -> None:
        """Join the controls to the worksheet."""
        sheet = self._sheet
        self.show_only.activated.connect(lambda _: self._fill())
        self.order.activated.connect(lambda _: self._fill())
        self.limit.typed.connect(self._set_limit)
        self.limit.wrong.connect(lambda text: sheet.fault.say(text, bool(text)))
        self.list.toggled.connect(lambda contour: sheet._toggle({contour}))
        self.list.wanted.connect(self._do)
        self.list.pointed.connect(sheet.light)
        self.list.chosen.connect(sheet.show_on_table)
        self.cut.clicked.connect(lambda: sheet.set_operation(self._listed(), "cut"))
        self.skip.clicked.connect(lambda: sheet.set_taken(self._listed(), False))
        self.engrave.clicked.connect(lambda: sheet.set_operation(self._listed(), "engrave"))
        self.mark.clicked.connect(lambda: sheet.set_operation(self._listed(), "mark"))
        self.swap.clicked.connect(lambda: sheet.apply("Swap cut and skipped", swap))
        self.largest.clicked.connect(
            lambda: sheet.apply("Keep the largest and its holes", keep_largest)
        )

    def _do(self, contour: int, what: str) -> None:
        if what == "skip":
            self._sheet.set_taken({contour}, False)
        else:
            self._sheet.set_operation({contour}, cast("Operation", what))

    def _listed(self) -> set[int]:
        return {row.index for row in self.list.model_.rows}

    def _set_limit(self, value: float) -> None:
        self._limit = value
        self._fill()

    def refresh(self, job: Job) -> None:
        """List the loops of the present outline."""
        if job.outline is not self._outline:
            self._outline = job.outline
            table = self._sheet.table
            box = table.picture_box()
            frame = (box.width(), box.height()) if table.picture is not None else None
            self._rows = rows(job.outline, frame)
        self._fill()

    def _fill(self) -> None:
        wanted, order = self.show_only.currentData(), self.order.currentData()
        self.limit.setVisible(wanted == "small")
        self.limit.show_value(format_area(self._limit, self._sheet.session.units))
        tests: dict[str, Callable[[Row], bool]] = {
            "all": lambda _: True,
            "small": lambda r: r.role != "open" and r.area < self._limit,
            "open": lambda r: r.role == "open",
            "frame": lambda r: r.frame,
            "holes": lambda r: r.role == "hole",
            "cut": lambda r: r.taken,
            "skipped": lambda r: not r.taken,
        }
        keys: dict[str, Callable[[Row], float]] = {
            "area": lambda r: -max(r.area, 1e-9 * r.length),
            "small": lambda r: max(r.area, 1e-9 * r.length),
            "nodes": lambda r: -r.nodes,
            "role": lambda r: _ROLES[r.role],
            "state": lambda r: not r.taken,
        }
        shown = sorted(filter(tests[wanted], self._rows), key=keys[order])
        outline = self._outline or self._sheet.session.job.outline
        self.list.model_.show_rows(shown, outline, self._sheet.session.units)
        for button in (self.cut, self.skip):
            button.setEnabled(bool(shown))
        some = bool(self._rows)
        for button in (self.swap, self.largest):
            button.setEnabled(some)

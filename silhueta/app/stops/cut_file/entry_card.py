"""The card of the chosen cut: it stands on the table beside it, with what can be changed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtWidgets import QLabel, QPushButton

from silhueta.app.look.theme import BRASS, font
from silhueta.app.stops.cut_file.entry_words import OPERATION_NAMES, SIDE_NAMES, TOOL_NAMES
from silhueta.app.table.beside import BesideCard, covered
from silhueta.app.table.surface import Surface
from silhueta.app.widgets import Field, Select, boxed, heading, row
from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.geometry.measure import circle_of
from silhueta.core.geometry.outline import Contour
from silhueta.core.plan_settings import Operation, Tool
from silhueta.core.units import MM_PER_UNIT, Unit, format_exact, parse_length

_WIDE = 268
_APART = 30  # px between the cut and the card
_CLOSED: tuple[Operation, ...] = ("cut", "pocket", "engrave", "vgroove", "mark")
_ROUND: tuple[Operation, ...] = (*_CLOSED, "drill")
_OPEN: tuple[Operation, ...] = ("cut", "engrave", "mark")
_LEADS = {"arc": "arc", "line": "line", "none": "none"}


class EntryCard(BesideCard):
    """What one cut is, and what a person may set of it by hand."""

    operation = Signal(str)
    changed = Signal(dict)  # what is set by hand, by its names
    again = Signal()  # as it was proposed

    def __init__(self, table: Surface) -> None:
        super().__init__(table, "entry-card", _WIDE, BRASS, "the cut stays in the list")
        self._shown = False
        self._box = QRectF()  # of the cut, mm
        self._part = QRectF()  # of all that is cut, mm
        self._units: Unit = "mm"
        self.what, self.side, self.tool, self.lead = (Select(self) for _ in range(4))
        for select, name in (
            (self.what, "Operation"),
            (self.side, "Side"),
            (self.tool, "Tool"),
            (self.lead, "Lead"),
        ):
            select.setAccessibleName(name)
            select.setObjectName(f"entry-{name.lower()}")
        self.deep = Field("Depth", lambda text: parse_length(text, self._units), self)
        self.deep.setObjectName("entry-depth")
        self.no_tabs = QPushButton("No tabs", self)
        self.no_tabs.setObjectName("no-tabs")
        self.proposed = QPushButton("As proposed", self)
        self.proposed.setObjectName("as-proposed")
        self.proposed.setToolTip("Take back what was set by hand for this cut")
        self.why = QLabel(self)
        self.why.setWordWrap(True)
        self.why.setFont(font(13))
        layout = self.lines
        layout.addWidget(self.why)
        layout.addWidget(self.what)
        self._rows = {
            "side": boxed(self, row(heading("Side"), None, self.side)),
            "tool": boxed(self, row(heading("Tool"), None, self.tool)),
            "lead": boxed(self, row(heading("Lead-in"), None, self.lead)),
            "deep": boxed(self, row(heading("Depth"), None, self.deep)),
            "last": boxed(self, row(self.no_tabs, self.proposed, None)),
        }
        for box in self._rows.values():
            layout.addWidget(box)
        self._connect()

    def _connect(self) -> None:
        self.what.activated.connect(lambda _: self.operation.emit(self.what.currentData()))
        for name, select in (("side", self.side), ("tool", self.tool), ("lead", self.lead)):
            select.activated.connect(
                lambda _=0, name=name, select=select: self._set(name, select.currentData())
            )
        self.deep.typed.connect(lambda value: self._set("depth", value))
        self.no_tabs.clicked.connect(lambda: self._set("tabs", ()))
        self.proposed.clicked.connect(self.again)

    def _set(self, name: str, value: Any) -> None:
        self.changed.emit({name: value})

    def show_entry(
        self,
        plan: Plan,
        entry: Entry,
        contour: Contour,
        head: str,
        tools: Sequence[Tool],
        boxes: tuple[QRectF, QRectF],
        units: Unit,
    ) -> None:
        """Show an entry; `boxes` are its own and that of all that is cut, mm."""
        self._units = units
        self._begin(contour, entry.operation, head, boxes)
        self.why.hide()
        cut = entry.operation == "cut"
        _fill(self.side, [(text, key) for key, text in SIDE_NAMES.items()], entry.side)
        named = []
        for one in tools:
            wide = one.diameter_mm / MM_PER_UNIT[units]
            named.append((f"{one.number}: {TOOL_NAMES[one.kind]} {wide:.4g}", one.number))
        _fill(self.tool, named, entry.tool.number)
        lead = plan.settings.hand(entry.key).lead or _lead_of(entry)
        _fill(self.lead, [(text, key) for key, text in _LEADS.items()], lead)
        self.deep.show_value(format_exact(entry.depth, units))
        self._rows["side"].setVisible(cut and entry.ways[0].closed and bool(entry.tool.diameter_mm))
        self._rows["tool"].setVisible(len(tools) > 1)
        self._rows["lead"].setVisible(cut and entry.ways[0].closed)
        self._rows["deep"].setVisible(not plan.flat and not entry.through)
        self.no_tabs.setVisible(bool(entry.tabs))
        self.proposed.setVisible(entry.by_hand)
        self._rows["last"].setVisible(bool(entry.tabs) or entry.by_hand)
        self.show()
        self.fit()

    def show_left_out(
        self, contour: Contour, operation: Operation, head: str, why: str, box: QRectF
    ) -> None:
        """Show a contour that the plan leaves out, and why; its operation can be changed."""
        self._begin(contour, operation, head, (box, box))
        self.why.setText(why)
        self.why.show()
        for name, shown in self._rows.items():
            shown.setVisible(name == "last")
        self.no_tabs.hide()
        self.proposed.show()
        self.show()
        self.fit()

    def _begin(
        self, contour: Contour, operation: Operation, head: str, boxes: tuple[QRectF, QRectF]
    ) -> None:
        self._shown = True
        self._box, self._part = boxes
        self.head.setText(head)
        self.setAccessibleName(head)
        ops = _OPEN
        if contour.path.closed:
            ops = _CLOSED if circle_of(contour.path) is None else _ROUND
        if operation not in ops:
            ops = (*ops, operation)
        _fill(self.what, [(OPERATION_NAMES[one], one) for one in ops], operation)

    def put_away(self) -> None:
        """Show nothing."""
        self._shown = False
        self.hide()

    def place(self) -> None:
        """Stand beside the cut, where it covers least of what is cut."""
        if not self._shown:
            return
        view, room = self.table.view, QRectF(self.table.rect()).adjusted(36, 60, -8, -8)
        about = view.transform().mapRect(self._box)
        part = view.transform().mapRect(self._part)
        wide, high = float(self.width()), float(self.height())
        middle = about.center()
        tries = (
            QPointF(about.right() + _APART, middle.y() - high / 2),
            QPointF(about.left() - _APART - wide, middle.y() - high / 2),
            QPointF(middle.x() - wide / 2, part.bottom() + _APART),
            QPointF(middle.x() - wide / 2, part.top() - _APART - high),
            QPointF(part.right() + _APART, middle.y() - high / 2),
            QPointF(part.left() - _APART - wide, middle.y() - high / 2),
            QPointF(room.right() - wide, room.bottom() - high),
            QPointF(room.left(), room.bottom() - high),
        )
        self.stand(room, tries, lambda box: (covered(box, about), covered(box, part)))


def _lead_of(entry: Entry) -> str:
    lead = entry.ways[0].lead_in
    if lead is None:
        return "none"
    return "arc" if lead.bulges.any() else "line"


def _fill(select: Select, rows: Sequence[tuple[str, object]], present: object) -> None:
    """Show rows of a select, the present one chosen."""
    if [select.itemData(k) for k in range(select.count())] != [data for _, data in rows]:
        select.clear()
        for text, data in rows:
            select.addItem(text, data)
    else:
        for k, (text, _) in enumerate(rows):
            select.setItemText(k, text)
    select.setCurrentIndex(max(select.findData(present), 0))

"""The findings as a list: by what they are, the first of each kind in view."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetrics, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QAbstractButton, QPushButton, QVBoxLayout, QWidget

from silhueta.app.look.theme import (
    AMBER,
    AMBER_DEEP,
    BRASS_DEEP,
    CARD,
    FAINT,
    INK,
    RULE,
    WHITE,
    font,
)
from silhueta.app.widgets import Note, clear, heading, row
from silhueta.core.units import Unit, lengths_in

if TYPE_CHECKING:
    from silhueta.core.inspect_settings import Waved
    from silhueta.core.inspection.finding import Finding, Severity

SEVERITY: dict[Severity, str] = {
    "stop": "stops the cut",
    "hurt": "will hurt",
    "look": "worth a look",
}
_FIRST = 1  # of a kind that are in view from the start
_MORE = 30  # that are shown once more of a kind are asked for


class FindingRow(QAbstractButton):
    """One finding: its triangle with its number, what it is, what was measured."""

    def __init__(self, number: int, head: str, told: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.number, self._head, self._told = number, head, told
        self.setCheckable(True)
        self.setFixedHeight(50)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setObjectName(f"finding-{number}")
        self.setAccessibleName(f"Finding {number}: {head}, {told}")
        self.setToolTip(told)

    def sizeHint(self) -> QSize:
        """Return the room of two lines."""
        return QSize(240, 50)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the card."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        chosen = self.isChecked()
        painter.setPen(QPen(AMBER if chosen else RULE, 2 if chosen else 1))
        painter.setBrush(QColor("#fbf1df") if chosen else WHITE)
        painter.drawRoundedRect(box, 4, 4)
        middle = QPointF(20, self.height() / 2)
        painter.setPen(QPen(AMBER, 1.8))
        painter.setBrush(CARD)
        corners = (QPointF(0, -12), QPointF(12, 9), QPointF(-12, 9))
        painter.drawPolygon(QPolygonF([middle + corner for corner in corners]))
        painter.setPen(AMBER_DEEP)
        painter.setFont(font(11 if self.number > 99 else 12, QFont.Weight.Bold, narrow=True))
        painter.drawText(
            QRectF(middle.x() - 12, middle.y() - 6, 24, 15),
            Qt.AlignmentFlag.AlignCenter,
            str(self.number),
        )
        wide = self.width() - 46
        painter.setPen(INK)
        head = font(14, QFont.Weight.DemiBold)
        painter.setFont(head)
        painter.drawText(
            QRectF(38, 5, wide, 20),
            Qt.AlignmentFlag.AlignVCenter,
            QFontMetrics(head).elidedText(self._head, Qt.TextElideMode.ElideRight, wide),
        )
        small = font(13, narrow=True)
        painter.setFont(small)
        painter.setPen(FAINT)
        painter.drawText(
            QRectF(38, 25, wide, 20),
            Qt.AlignmentFlag.AlignVCenter,
            QFontMetrics(small).elidedText(self._told, Qt.TextElideMode.ElideRight, wide),
        )
        if self.hasFocus():
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 4, 4)
        painter.end()


class FindingList(QWidget):
    """The findings by kind; numbers count all, as the table shows them."""

    chosen = Signal(int)  # its place among the findings

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(4)
        self._found: tuple[Finding, ...] = ()
        self._heads: dict[str, str] = {}
        self._units: Unit = "mm"
        self._opened: set[str] = set()
        self._at: int | None = None

    def show_findings(
        self, found: Sequence[Finding], heads: dict[str, str], at: int | None, units: Unit
    ) -> None:
        """Show findings; `at` is the one that is chosen."""
        same = self._found == tuple(found) and self._units == units
        self._found, self._heads, self._units = tuple(found), heads, units
        self._at = at
        if same and (at is None or self._row(at) is not None):
            for line in self.findChildren(FindingRow):
                line.setChecked(line.number - 1 == at)
            return
        self._fill()

    def _row(self, at: int) -> FindingRow | None:
        return self.findChild(FindingRow, f"finding-{at + 1}")

    def _fill(self) -> None:
        clear(self._rows)
        for old in self.findChildren(FindingRow):
            old.setObjectName("")
        kinds: dict[str, list[int]] = {}
        for place, one in enumerate(self._found):
            kinds.setdefault(one.code, []).append(place)
        for code, places in kinds.items():
            shown = places[: _MORE if code in self._opened else _FIRST]
            if self._at in places and self._at not in shown:
                shown = [*shown, self._at]
            for place in shown:
                self._rows.addWidget(self._line(place))
            rest = len(places) - len(shown)
            if rest:
                self._rows.addWidget(self._more(code, rest))

    def _line(self, place: int) -> FindingRow:
        one = self._found[place]
        line = FindingRow(place + 1, self._heads[one.code], self._told(one), self)
        line.setChecked(place == self._at)
        line.clicked.connect(lambda _=False: self.chosen.emit(place))
        return line

    def _told(self, one: Finding) -> str:
        """Return what was measured, where that is a length, and how much it matters."""
        words = SEVERITY[one.severity]
        if one.measured is None or one.limit is None or not one.limit:
            return words
        return lengths_in(f"{one.measured:.2f} mm, {one.limit:.2f} mm asked: {words}", self._units)

    def _more(self, code: str, rest: int) -> QPushButton:
        text = f"and {rest:,} more of this kind"
        if code in self._opened:
            text += ": choose them on the table"
        button = QPushButton(text, self)
        button.setObjectName(f"more-{code}")
        button.setEnabled(code not in self._opened)
        if code in self._opened:
            button.setToolTip(f"the list shows {_MORE} of a kind; all are on the table")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda: self._open(code))
        return button

    def _open(self, code: str) -> None:
        self._opened.add(code)
        self._fill()


class WavedList(QWidget):
    """What was waved through, each with its reason and a way back."""

    taken_back = Signal(object)  # the Waved

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._lines.setSpacing(4)
        self._shown: tuple[Waved, ...] = ()

    def show_passed(self, passed: Sequence[tuple[Finding, Waved]], heads: dict[str, str]) -> None:
        """Show what was waved through."""
        records = tuple(record for _, record in passed)
        if records == self._shown:
            return
        self._shown = records
        clear(self._lines)
        if records:
            self._lines.addWidget(heading("Waved through", self))
        for place, record in enumerate(records[:_MORE]):
            note = Note(f"{heads.get(record.code, record.code)}: {record.reason}", self)
            back = QPushButton("Open again", self)
            back.setObjectName(f"open-again-{place}")
            back.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            back.clicked.connect(lambda _=False, record=record: self.taken_back.emit(record))
            line = QWidget(self)
            layout = row(note, back)
            layout.setStretch(0, 1)
            layout.setContentsMargins(0, 0, 0, 0)
            line.setLayout(layout)
            self._lines.addWidget(line)

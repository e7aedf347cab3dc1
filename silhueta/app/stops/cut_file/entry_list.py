"""The cuts in the order of work, as a list: chosen by a click, put elsewhere by a drag."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from silhueta.app.look.theme import BRASS, BRASS_DEEP, CARD, FAINT, INK, PENCIL, RULE, WHITE, font
from silhueta.app.widgets import Note, clear

_HIGH = 40  # px of a row
_MOST = 60  # rows: what comes later is chosen on the table
_STILL = 6  # px that a click may move


class Line(NamedTuple):
    """What a row says: what the entry is, how large, how it is worked."""

    name: str
    size: str
    told: str
    out: bool = False  # whether it is left out of the plan


class EntryRow(QAbstractButton):
    """One cut: its number in the order, what it is, how it is worked."""

    dropped = Signal(int)  # rows up (below zero) or down that it was dragged
    stepped = Signal(int)  # the same, by Alt and an arrow key

    def __init__(self, number: int, line: Line, parent: QWidget) -> None:
        super().__init__(parent)
        self.number, self.line = number, line
        self.setCheckable(True)
        self.setFixedHeight(_HIGH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setObjectName(f"entry-{number}")
        self.setAccessibleName(f"{number}. {line.name} {line.size}, {line.told}")
        drag = (
            ""
            if line.out
            else (". Drag it, or press Alt and an arrow key, to cut it earlier or later")
        )
        self.setToolTip(f"{line.name} {line.size}: {line.told}{drag}")
        self._from: QPoint | None = None
        self._shift = 0

    def sizeHint(self) -> QSize:
        """Return the room of two lines."""
        return QSize(120, _HIGH)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the row."""
        self._from, self._shift = event.globalPosition().toPoint(), 0
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show how far it is dragged."""
        if self._from is not None and not self.line.out:
            off = event.globalPosition().toPoint().y() - self._from.y()
            self._shift = off if abs(off) > _STILL else 0
            self.update()
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Put it down: a click chooses it, a drag moves it."""
        off, self._from, self._shift = self._shift, None, 0
        rows = round(off / (_HIGH + 4))
        if rows:
            self.setDown(False)
            self.update()
            self.dropped.emit(rows)
            return
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move it by Alt and an arrow key."""
        ways = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        way = ways.get(Qt.Key(event.key()))
        if (
            way is not None
            and not self.line.out
            and event.modifiers() & Qt.KeyboardModifier.AltModifier
        ):
            self.stepped.emit(way)
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the row, moved aside while it is dragged."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen, held = self.isChecked(), bool(self._shift)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(BRASS if chosen or held else RULE, 2 if chosen or held else 1))
        painter.setBrush(QColor("#f6ecd4") if chosen else WHITE)
        painter.drawRoundedRect(box, 4, 4)
        middle = QPointF(19, self.height() / 2)
        painter.setPen(QPen(BRASS_DEEP if chosen else PENCIL, 1.4))
        painter.setBrush(BRASS if chosen else CARD)
        painter.drawEllipse(middle, 11, 11)
        painter.setPen(INK)
        painter.setFont(font(12 if self.number < 100 else 10, QFont.Weight.Bold))
        painter.drawText(
            QRectF(middle.x() - 12, middle.y() - 8, 24, 16),
            Qt.AlignmentFlag.AlignCenter,
            "–" if self.line.out else str(self.number),
        )
        wide = self.width() - 60
        for top, text, kind, colour in (
            (3, f"{self.line.name}  {self.line.size}", font(14, QFont.Weight.DemiBold), INK),
            (20, self.line.told, font(13, narrow=True), FAINT),
        ):
            painter.setFont(kind)
            painter.setPen(colour)
            shown = QFontMetrics(kind).elidedText(text, Qt.TextElideMode.ElideRight, wide)
            painter.drawText(QRectF(38, top, wide, 18), Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setPen(QPen(FAINT, 1.4))  # a grip: the row can be dragged
        for row in () if self.line.out else (-4, 0, 4):
            y = middle.y() + row
            painter.drawLine(QPointF(self.width() - 18, y), QPointF(self.width() - 9, y))
        if self.hasFocus():
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 4, 4)
        if held:
            painter.setPen(BRASS_DEEP)
            painter.setFont(font(13, QFont.Weight.Bold))
            rows = round(self._shift / (_HIGH + 4))
            words = "here" if not rows else f"{abs(rows)} {'earlier' if rows < 0 else 'later'}"
            painter.drawText(
                QRectF(self.rect()).adjusted(0, 0, -24, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                words,
            )
        painter.end()


class EntryList(QWidget):
    """The rows; only what has changed is made anew."""

    chosen = Signal(int)  # place in the order, from 0
    moved = Signal(int, int)  # from this place to that one

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(4)
        self._shown: list[Line] = []
        self._made: list[EntryRow] = []
        self._left = 0

    def show_lines(self, lines: Sequence[Line], left: int, chosen: frozenset[int]) -> None:
        """Show lines, and how many more there are; `chosen` are places in the order."""
        first = list(lines[:_MOST])
        if first != self._shown or left != self._left:
            self._fill(first, left)
        for row in self._made:
            row.setChecked(row.number - 1 in chosen)

    def _fill(self, lines: list[Line], left: int) -> None:
        held = next((row.number for row in self._made if row.hasFocus()), None)
        for old in self._made:
            old.setObjectName("")
        self._made = []
        clear(self._rows)
        self._shown, self._left = lines, left
        for k, line in enumerate(lines):
            row = EntryRow(k + 1, line, self)
            row.clicked.connect(lambda _=False, k=k: self.chosen.emit(k))
            row.dropped.connect(lambda by, k=k: self._move(k, by))
            row.stepped.connect(lambda by, k=k: self._move(k, by))
            self._rows.addWidget(row)
            self._made.append(row)
            if held == row.number:
                row.setFocus()
        if left:
            self._rows.addWidget(Note(f"and {left:,} more: choose them on the table", self))

    def _move(self, place: int, by: int) -> None:
        to = max(0, min(place + by, len(self._shown) - 1))
        if to != place:
            self.moved.emit(place, to)

"""The program's text beside its path: a line that is clicked shows its move on the table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QFontDatabase, QPainter, QPen, QPolygonF, QTextCursor, QTextFormat
from PySide6.QtWidgets import QPlainTextEdit, QTextEdit, QWidget

from silhueta.app.look.theme import BRASS, BRASS_DEEP, CARD

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.core.geometry.path import Floats

_HIGH = 230  # px that the text is high: about fifteen lines


class ProgramText(QPlainTextEdit):
    """A program's lines, to be read and copied; the one with the cursor is marked."""

    line_chosen = Signal(int)  # from 1

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Text of the program")
        self.setObjectName("program-text")
        self.setReadOnly(True)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setFixedHeight(_HIGH)
        fixed = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
        fixed.setPixelSize(12)
        self.setFont(fixed)
        self.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self._line = 0
        self.cursorPositionChanged.connect(self._tell)

    def show_text(self, text: str) -> None:
        """Show another program, from its beginning."""
        self._line = 0
        self.blockSignals(True)
        self.setPlainText(text)
        self.blockSignals(False)
        self.setExtraSelections([])

    def choose(self, line: int) -> None:
        """Go to a line, from 1, and mark it."""
        block = self.document().findBlockByNumber(line - 1)
        if block.isValid():
            self.setTextCursor(QTextCursor(block))
            self.centerCursor()

    def _tell(self) -> None:
        line = self.textCursor().blockNumber() + 1
        if line == self._line:
            return
        self.mark()
        self.line_chosen.emit(line)

    def mark(self) -> None:
        """Mark the line with the cursor."""
        self._line = self.textCursor().blockNumber() + 1
        mark = QTextEdit.ExtraSelection()
        mark.cursor = self.textCursor()
        mark.cursor.clearSelection()
        mark.format.setBackground(QColor(BRASS))
        mark.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        self.setExtraSelections([mark])


class MoveLayer:
    """One move of a program, with an arrow where it ends."""

    def __init__(self, points: Floats) -> None:
        self.points = QPolygonF([QPointF(x, y) for x, y in points.tolist()])

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint it over the plan."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = table.view.transform().map(self.points)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, wide in ((CARD, 8.0), (BRASS_DEEP, 4.5)):
            pen = QPen(QColor(colour), wide)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            painter.setPen(pen)
            painter.drawPolyline(line)
        end = line.last()
        way = end - line.at(line.count() - 2)
        long = (way.x() ** 2 + way.y() ** 2) ** 0.5
        painter.setPen(QPen(QColor(CARD), 1.5))
        painter.setBrush(QColor(BRASS_DEEP))
        if long < 1e-3:  # straight up or down: a ring
            painter.drawEllipse(end, 6.0, 6.0)
            return
        along = way / long
        aside = QPointF(-along.y(), along.x())
        tip, back = end + along * 7, end - along * 6
        painter.drawPolygon(QPolygonF([tip, back + aside * 6.5, back - aside * 6.5]))

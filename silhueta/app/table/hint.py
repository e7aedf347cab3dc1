"""A line at the top of the table that says what the hand can do now."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from silhueta.app.look.theme import CARD, INK, font


def paint_hint(painter: QPainter, room: QRectF, text: str) -> None:
    """Paint `text` in a card at the top of `room`, screen px."""
    painter.setFont(font(14, QFont.Weight.Medium))
    width = painter.fontMetrics().horizontalAdvance(text) + 32
    box = QRectF(room.center().x() - width / 2, 56, width, 32)
    painter.setPen(QPen(INK, 1))
    painter.setBrush(CARD)
    painter.drawRoundedRect(box, 4, 4)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)

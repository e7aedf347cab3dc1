"""A line above the picture that says what the hand can do now."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from silhueta.app.look.theme import CARD, INK, font
from silhueta.app.table.rulers import THICK

_EDGE = 12  # px from the table's upper side, as the card beside it has
_BESIDE = 258  # px that the card at the upper right takes
_BELOW = 42  # px that the card is high, and a little
_PAD = 14


def paint_hint(painter: QPainter, room: QRectF, text: str) -> None:
    """Paint `text` in a card at the top left of `room`, screen px, above a picture that fits."""
    painter.setFont(font(14, QFont.Weight.Medium))
    metrics = painter.fontMetrics()
    least = metrics.boundingRect("0" * 24).width()
    widest, top = int(room.width()) - THICK - _BESIDE - 2 * _PAD, room.top() + _EDGE
    if widest < least:  # no room beside the card: below it, over the whole width
        widest = max(int(room.width()) - THICK - 2 * _EDGE - 2 * _PAD, least)
        top += _BELOW
    flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    needed = metrics.boundingRect(0, 0, widest, 200, int(flags), text)
    left = room.left() + THICK + _EDGE
    box = QRectF(left, top, needed.width() + 2 * _PAD, max(32, needed.height() + 10))
    painter.setPen(QPen(INK, 1))
    painter.setBrush(CARD)
    painter.drawRoundedRect(box, 4, 4)
    painter.drawText(box, int(flags), text)
    painter.setBrush(Qt.BrushStyle.NoBrush)

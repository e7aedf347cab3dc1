"""Where a card stands on the table: beside what it speaks of."""

from __future__ import annotations

from PySide6.QtCore import QRectF


def into(box: QRectF, room: QRectF) -> QRectF:
    """Return a box moved into a room."""
    x = min(max(box.left(), room.left()), room.right() - box.width())
    y = min(max(box.top(), room.top()), room.bottom() - box.height())
    return QRectF(x, y, box.width(), box.height())


def covered(box: QRectF, about: QRectF) -> float:
    """Return how much of a box another one covers, px²."""
    both = box.intersected(about)
    return max(both.width(), 0.0) * max(both.height(), 0.0)

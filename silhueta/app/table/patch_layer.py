"""Patches on the table: their borders and numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, CARD, INK, font
from silhueta.core.trace_settings import Patch

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.core.datum.rectify import Rectified

WORDS = {
    "threshold": "own threshold",
    "local": "greys around",
    "band": "band",
    "solid": "solid",
    "nothing": "nothing here",
}


class PatchLayer:
    """The patches of a job over its picture at true size."""

    def __init__(self, patches: tuple[Patch, ...], flat: Rectified) -> None:
        self._shown = [
            (patch, flat.scale.to_mm(flat.from_source(np.array(patch.points, np.float64))))
            for patch in patches
        ]

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint borders dashed in brass, each with its number and rule."""
        transform = table.view.transform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(13, QFont.Weight.Medium))
        for number, (patch, corners) in enumerate(self._shown, 1):
            polygon = transform.map(QPolygonF([QPointF(*corner) for corner in corners.tolist()]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for pen in (QPen(CARD, 4), QPen(BRASS, 2, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawPolygon(polygon)
            text = f"{number} {WORDS[patch.rule]}"
            width = painter.fontMetrics().horizontalAdvance(text) + 12
            box = QRectF(polygon.boundingRect().topLeft(), QPointF(0, 0))
            box.setSize(QRectF(0, 0, width, 20).size())
            painter.setPen(QPen(INK, 1))
            painter.setBrush(CARD)
            painter.drawRect(box)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.setBrush(Qt.BrushStyle.NoBrush)

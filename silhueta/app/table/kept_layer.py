"""Tags on the loops that a new trace left as they were."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from silhueta.app.look.theme import BRASS_DEEP, CARD, INK, font
from silhueta.core.geometry.outline import Contour

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface


class KeptLayer:
    """A tag, "kept", at the top of each of some contours."""

    def __init__(self, contours: tuple[Contour, ...]) -> None:
        self.contours = contours
        self._tops = [c.path.nodes[int(np.argmax(c.path.nodes[:, 1]))] for c in contours]

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint the tags over the outline."""
        transform = table.view.transform()
        painter.setFont(font(13, QFont.Weight.Medium))
        painter.setBrush(CARD)
        for x, y in self._tops:
            at = transform.map(QPointF(x, y))
            box = QRectF(at.x() - 20, at.y() - 26, 40, 18)
            painter.setPen(QPen(BRASS_DEEP, 1))
            painter.drawRect(box)
            painter.setPen(INK)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "kept")
        painter.setBrush(Qt.BrushStyle.NoBrush)

"""Dimensions of the caliper list, drawn as a shop drawing draws them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import AMBER, CARD, INK, font

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface

_ARROW = 9.0
_LEADER = 34.0  # px from a hole's edge to its size


class Drawn(NamedTuple):
    """A dimension, mm: from where to where; of a hole from its centre to its edge."""

    start: tuple[float, float]
    end: tuple[float, float]
    round: bool
    text: str
    doubtful: bool = False


class DimensionLayer:
    """Paints dimensions over the outline."""

    def __init__(self, dimensions: Sequence[Drawn]) -> None:
        self.dimensions = tuple(dimensions)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint each with its line, its arrows and its text."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(13, QFont.Weight.DemiBold, narrow=True))
        for one in self.dimensions:
            start = table.view.to_screen(QPointF(*one.start))
            end = table.view.to_screen(QPointF(*one.end))
            if one.round:
                way = QLineF(start, end)
                tip = end
                way.setLength(way.length() + _LEADER)
                start, end = way.p2(), tip
            line = QLineF(start, end)
            for pen in (QPen(CARD, 4), QPen(INK, 1.4)):
                painter.setPen(pen)
                painter.drawLine(line)
            painter.setBrush(INK)
            for at, angle in ((end, line.angle()), (start, line.angle() + 180)):
                if one.round and at == start:
                    continue
                back = QLineF.fromPolar(_ARROW, angle + 180)
                side = QLineF.fromPolar(2.8, angle + 90)
                base = at + back.p2()
                painter.drawPolygon(QPolygonF([at, base + side.p2(), base - side.p2()]))
            middle = start if one.round else line.center()
            width = QFontMetricsF(painter.font()).horizontalAdvance(one.text) + 12
            box = QRectF(middle.x() - width / 2, middle.y() - 10, width, 20)
            painter.setBrush(CARD)
            painter.setPen(QPen(AMBER if one.doubtful else INK, 2 if one.doubtful else 1))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(INK)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, one.text)
        painter.setBrush(Qt.BrushStyle.NoBrush)

"""Overall width and height, drawn as on a shop drawing."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import INK, LAYOUT_BLUE, SCRIBED, blend, font
from silhueta.app.table.view import View
from silhueta.core.geometry.outline import Outline
from silhueta.core.units import Unit, format_length

_OFF = 30.0  # px between the outline and its dimension line
_ARROW = 9.0


def paint_overall(
    painter: QPainter,
    view: View,
    box: QRectF,
    texts: tuple[str, str],
    colour: QColor,
    ground: QColor,
) -> None:
    """Paint width under and height beside `box` (mm, y up; its top is the lowest y)."""
    low = view.to_screen(QPointF(box.left(), box.top()))
    high = view.to_screen(QPointF(box.right(), box.bottom()))
    if high.x() - low.x() < 60 or low.y() - high.y() < 60:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font(15, QFont.Weight.DemiBold, narrow=True))
    y = low.y() + _OFF
    _extension(painter, colour, QLineF(low.x(), low.y() + 6, low.x(), y + 6))
    _extension(painter, colour, QLineF(high.x(), low.y() + 6, high.x(), y + 6))
    _dimension(painter, QPointF(low.x(), y), QPointF(high.x(), y), texts[0], colour, ground)
    x = high.x() + _OFF
    _extension(painter, colour, QLineF(high.x() + 6, low.y(), x + 6, low.y()))
    _extension(painter, colour, QLineF(high.x() + 6, high.y(), x + 6, high.y()))
    _dimension(painter, QPointF(x, low.y()), QPointF(x, high.y()), texts[1], colour, ground)


def _extension(painter: QPainter, colour: QColor, line: QLineF) -> None:
    painter.setPen(QPen(colour, 1))
    painter.drawLine(line)


def _dimension(
    painter: QPainter, start: QPointF, end: QPointF, text: str, colour: QColor, ground: QColor
) -> None:
    painter.save()
    line = QLineF(start, end)
    painter.translate(start)
    painter.rotate(-line.angle())
    size = line.length()
    painter.setPen(QPen(colour, 1.2))
    painter.setBrush(colour)
    painter.drawLine(QLineF(0, 0, size, 0))
    for tip, way in ((0.0, 1.0), (size, -1.0)):
        back = tip + way * _ARROW
        painter.drawPolygon(QPolygonF([QPointF(tip, 0), QPointF(back, -2.6), QPointF(back, 2.6)]))
    width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 14
    box = QRectF(size / 2 - width / 2, -11, width, 22)
    painter.fillRect(box, ground)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.restore()


def paint_sizes(painter: QPainter, view: View, outline: Outline, units: Unit, lines: float) -> None:
    """Paint width and height of what is cut, over a picture (`lines` 0) or on blue (1)."""
    left, bottom, right, top = outline.bounds
    texts = (format_length(right - left, units), format_length(top - bottom, units))
    ground = blend(QColor("#f4f1e8"), LAYOUT_BLUE, lines)
    box = QRectF(left, bottom, right - left, top - bottom)
    paint_overall(painter, view, box, texts, blend(INK, SCRIBED, lines), ground)

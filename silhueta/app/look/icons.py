"""Our own icons, in one stroke width on a grid of 24."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

from silhueta.app.look.theme import INK

_STROKE = 1.75
# each a list of strokes; a stroke is points on the grid, or "o", centre x, y, radius
Stroke = list[tuple[float, float]] | tuple[str, float, float, float]
Icon = tuple[Stroke, ...]
ICONS: dict[str, Icon] = {
    "tick": ([(5, 12.5), (10, 17.5), (19, 7)],),
    "fit": (
        [(4, 9), (4, 4), (9, 4)],
        [(15, 4), (20, 4), (20, 9)],
        [(20, 15), (20, 20), (15, 20)],
        [(9, 20), (4, 20), (4, 15)],
    ),
    "plus": (
        [(12, 5), (12, 19)],
        [(5, 12), (19, 12)],
    ),
    "minus": ([(5, 12), (19, 12)],),
    "close": (
        [(6, 6), (18, 18)],
        [(18, 6), (6, 18)],
    ),
    "play": ([(7, 5), (19, 12), (7, 19), (7, 5)],),
    "pause": (
        [(9, 5), (9, 19)],
        [(15, 5), (15, 19)],
    ),
    "start": (
        [(6, 5), (6, 19)],
        [(18, 5), (9, 12), (18, 19), (18, 5)],
    ),
    "end": (
        [(18, 5), (18, 19)],
        [(6, 5), (15, 12), (6, 19), (6, 5)],
    ),
    "silhueta": (
        [(4, 14), (6, 8), (11, 5), (17, 7), (20, 12), (17, 18), (10, 19), (5, 17), (4, 14)],
        ("o", 12, 12, 3),
    ),
}


def paint_icon(painter: QPainter, strokes: Icon, box: QRectF, colour: QColor) -> None:
    """Paint an icon into `box`."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(box.topLeft())
    painter.scale(box.width() / 24, box.height() / 24)
    pen = QPen(colour, _STROKE)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for stroke in strokes:
        if isinstance(stroke, tuple):
            painter.drawEllipse(QPointF(stroke[1], stroke[2]), stroke[3], stroke[3])
        else:
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in stroke]))
    painter.restore()


def icon(name: str, colour: QColor = INK, size: int = 20) -> QIcon:
    """Return icon `name`, sharp at 100 % and 200 % scaling."""
    made = QIcon()
    for ratio in (1, 2):
        pixels = QPixmap(QSize(size * ratio, size * ratio))
        pixels.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixels)
        paint_icon(painter, ICONS[name], QRectF(0, 0, size * ratio, size * ratio), colour)
        painter.end()
        pixels.setDevicePixelRatio(ratio)
        made.addPixmap(pixels)
    return made

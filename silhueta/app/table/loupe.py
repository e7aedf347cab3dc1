"""A magnified round of the picture beside the cursor, for picking to the pixel."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPainterPath, QPen

from silhueta.app.look.theme import BRASS, CARD, INK, font

if TYPE_CHECKING:
    from silhueta.app.table.picture_layer import PictureLayer

RADIUS = 74.0  # screen px
_ACROSS = 18.0  # picture pixels from side to side


def paint_loupe(
    painter: QPainter,
    layer: PictureLayer,
    pixel: QPointF,
    at: QPointF,
    room: QRectF,
    snapped: tuple[QPointF, str] | None = None,
) -> None:
    """Paint the round for picture coordinates `pixel` beside the screen place `at`, in `room`."""
    x = at.x() + RADIUS + 26
    if x + RADIUS > room.right():
        x = at.x() - RADIUS - 26
    y = min(max(at.y() - RADIUS - 10, room.top() + RADIUS + 6), room.bottom() - RADIUS - 30)
    centre = QPointF(x, y)
    scale = 2 * RADIUS / _ACROSS
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    round_path = QPainterPath()
    round_path.addEllipse(centre, RADIUS, RADIUS)
    painter.setPen(QPen(INK, 3))
    painter.setBrush(CARD)
    painter.drawPath(round_path)
    painter.setClipPath(round_path)
    corner = centre - QPointF(pixel.x() * scale, pixel.y() * scale)
    layer.paint(painter, QRectF(corner.x(), corner.y(), layer.width * scale, layer.height * scale))
    for pen in (QPen(CARD, 3), QPen(INK, 1)):
        painter.setPen(pen)
        for line in (
            QLineF(centre.x() - RADIUS, centre.y(), centre.x() - 4, centre.y()),
            QLineF(centre.x() + 4, centre.y(), centre.x() + RADIUS, centre.y()),
            QLineF(centre.x(), centre.y() - RADIUS, centre.x(), centre.y() - 4),
            QLineF(centre.x(), centre.y() + 4, centre.x(), centre.y() + RADIUS),
        ):
            painter.drawLine(line)
    if snapped is not None:
        spot = centre + (snapped[0] - pixel) * scale
        for pen in (QPen(CARD, 5), QPen(BRASS, 2.5)):
            painter.setPen(pen)
            painter.drawEllipse(spot, 6, 6)
    painter.setClipping(False)
    painter.setPen(QPen(BRASS, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(round_path)
    shown = pixel if snapped is None else snapped[0]
    text = f"{shown.x():.1f}, {shown.y():.1f} px"
    if snapped is not None:
        text += f", on the {snapped[1]}"
    label = QRectF(centre.x() - 92, centre.y() + RADIUS + 4, 184, 22)
    painter.setPen(QPen(INK, 1))
    painter.setBrush(CARD)
    painter.drawRoundedRect(label, 4, 4)
    painter.setFont(font(13, QFont.Weight.Medium, narrow=True))
    painter.drawText(label, Qt.AlignmentFlag.AlignCenter, text)
    painter.restore()

"""Painting on the picture with a round brush."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, CARD, INK
from silhueta.app.table.hint import paint_hint

Way = list[tuple[float, float]]


class BrushTool:
    """The stroke under the hand, picture coordinates in px; one stroke a drag, until Esc."""

    def __init__(self, width: float, ink: bool, done: Callable[[Way], None]) -> None:
        self.width = width
        self.ink = ink
        self.done = done
        self.at = QPointF(0, 0)
        self.way: Way = []
        self.down = False

    def press(self, pixel: QPointF) -> None:
        """Begin a stroke."""
        self.down, self.at = True, pixel
        self.way = [(round(pixel.x(), 1), round(pixel.y(), 1))]

    def move(self, pixel: QPointF) -> None:
        """Go on with it, or only move the brush."""
        self.at = pixel
        if self.down:
            x, y = self.way[-1]
            if abs(pixel.x() - x) + abs(pixel.y() - y) > max(1.0, self.width / 6):
                self.way.append((round(pixel.x(), 1), round(pixel.y(), 1)))

    def release(self) -> None:
        """End the stroke."""
        if self.down:
            self.down = False
            way, self.way = self.way, []
            self.done(way)

    def paint(
        self, painter: QPainter, to_screen: Callable[[QPointF], QPointF], room: QRectF
    ) -> None:
        """Paint the stroke, the brush and what to do."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = (to_screen(QPointF(1, 0)) - to_screen(QPointF(0, 0))).x()
        wide = max(self.width * scale, 1.0)
        colour = QColor(INK if self.ink else CARD)
        colour.setAlphaF(0.75)
        if self.way:
            pen = QPen(colour, wide)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            places = [to_screen(QPointF(x, y)) for x, y in self.way]
            painter.drawPolyline(QPolygonF([*places, to_screen(self.at)]))
        centre = to_screen(self.at)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(CARD, 4), QPen(BRASS, 2)):
            painter.setPen(pen)
            painter.drawEllipse(centre, wide / 2, wide / 2)
        text = f"{'Ink' if self.ink else 'Scrape'}: drag to paint. Wheel zooms. Esc leaves."
        paint_hint(painter, room, text)

"""Picking points of the picture, with a loupe."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, CARD, INK
from silhueta.app.table.hint import paint_hint
from silhueta.app.table.loupe import paint_loupe

if TYPE_CHECKING:
    from silhueta.app.table.picture_layer import PictureLayer


_NEAR = 16.0  # screen px


class PickTool:
    """The points picked so far and where the cross stands, picture coordinates in px."""

    def __init__(
        self,
        count: int,
        done: Callable[[list[tuple[float, float]]], None],
        snap: Callable[[float, float], tuple[float, float, str]] | None = None,
    ) -> None:
        self.count = count
        self.done = done
        self._snap = snap
        self.snapped: tuple[QPointF, str] | None = None
        self.near_first = False
        self.points: list[tuple[float, float]] = []
        self.at = QPointF(0, 0)

    def move(self, pixel: QPointF) -> None:
        """Put the cross at `pixel`, and see what edge or corner is near."""
        self.at = pixel
        self.snapped = None
        if self._snap is not None:
            x, y, on = self._snap(pixel.x(), pixel.y())
            if on != "nothing":
                self.snapped = (QPointF(x, y), on)

    def take(self) -> bool:
        """Pick where the cross stands; True when that was the last point.

        A polygon (a count of 0) ends on its first corner.
        """
        at = self.at if self.snapped is None else self.snapped[0]
        if self.count == 0 and len(self.points) > 2 and self.near_first:
            return True
        self.points.append((round(at.x(), 2), round(at.y(), 2)))
        return len(self.points) == self.count

    def see_first(self, to_screen: Callable[[QPointF], QPointF]) -> None:
        """See whether the cross stands on the first point."""
        self.near_first = bool(self.points) and (
            (to_screen(QPointF(*self.points[0])) - to_screen(self.at)).manhattanLength() < _NEAR
        )

    def step_back(self) -> bool:
        """Give back the last point; False when there was none."""
        if not self.points:
            return False
        self.points.pop()
        return True

    def paint(
        self,
        painter: QPainter,
        layer: PictureLayer,
        to_screen: Callable[[QPointF], QPointF],
        room: QRectF,
    ) -> None:
        """Paint the points, the line to the cross, the loupe, and what to do."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        cross = to_screen(self.at)
        places = [to_screen(QPointF(x, y)) for x, y in self.points]
        for pen in (QPen(CARD, 5), QPen(INK, 2)):
            painter.setPen(pen)
            for place in places:
                painter.drawLine(QLineF(place.x() - 9, place.y(), place.x() + 9, place.y()))
                painter.drawLine(QLineF(place.x(), place.y() - 9, place.x(), place.y() + 9))
        if places:
            painter.setPen(QPen(BRASS, 2, Qt.PenStyle.DashLine))
            painter.drawLine(places[-1], cross)
        if self.snapped is not None:
            at = to_screen(self.snapped[0])
            for pen in (QPen(CARD, 5), QPen(BRASS, 2.5)):
                painter.setPen(pen)
                painter.drawEllipse(at, 7, 7)
        paint_loupe(painter, layer, self.at, cross, room, self.snapped)
        if self.count == 0 and places:
            self.see_first(to_screen)
            painter.setPen(QPen(BRASS, 2))
            painter.drawPolyline(QPolygonF(places))
            if self.near_first and len(places) > 2:
                painter.drawEllipse(places[0], 10, 10)
        text = (
            f"Pick point {len(self.points) + 1} of {self.count}: click, or arrow keys and Enter.  "
            f"Esc {'takes the last one back' if self.points else 'leaves'}."
        )
        if self.count == 0:
            text = "Click the corners; the first one again to close. Esc takes the last one back."
        paint_hint(painter, room, text)

"""What a worksheet points at on the table: loops that are lit up, and the places of offers."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import AMBER, AMBER_DEEP, BRASS, CARD, INK, font
from silhueta.app.table.heavy import HeavyPath, polygon
from silhueta.app.table.outline_layer import painted
from silhueta.core.geometry.path import Path
from silhueta.core.units import Unit, format_length

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface

_MOST = 2000  # places painted
_WORDED = 90.0  # screen px of a piece, from which a word stands on it


class LitLayer:
    """Paths lit up in brass, under a broad pale stroke."""

    def __init__(self, paths: Sequence[Path]) -> None:
        self.paths = tuple(paths)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        glow = QColor(BRASS)
        glow.setAlphaF(0.55)
        transform, near = table.view.transform(), table.view.shown()
        for path in self.paths:
            made = painted(path)
            if isinstance(made, HeavyPath):
                painter.setPen(QPen(BRASS, 1))
                for run in made.runs(transform, near):
                    for dx in (-1.0, 0.0, 1.0):
                        painter.drawPolyline(polygon(run).translated(dx, dx))
                continue
            for pen in (QPen(glow, 9), QPen(BRASS, 2.5)):
                painter.setPen(pen)
                painter.drawPath(transform.map(made))


class OfferLayer:
    """Places of an offer: amber triangles with numbers, and "?" where a person must decide."""

    def __init__(self, places: Sequence[tuple[float, float]], unsure: Collection[int] = ()) -> None:
        self.places = tuple(places)
        self._unsure = frozenset(unsure)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline; far apart ones with their numbers."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(12, QFont.Weight.DemiBold))
        transform = table.view.transform()
        room = QRectF(table.rect()).adjusted(-20, -20, 20, 20)
        numbered = len(self.places) <= 200
        for number, place in enumerate(self.places[:_MOST], 1):
            at = transform.map(QPointF(*place))
            if not room.contains(at):
                continue
            corners = [QPointF(0, 0), QPointF(-8, -15), QPointF(8, -15)]
            painter.setPen(QPen(AMBER_DEEP, 1.5))
            painter.setBrush(AMBER if not numbered else CARD)
            painter.drawPolygon(QPolygonF([at + corner for corner in corners]))
            if numbered:
                box = QRectF(at.x() - 16, at.y() - 32, 32, 16)
                painter.drawRoundedRect(box, 3, 3)
                label = f"{number}?" if number - 1 in self._unsure else str(number)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, label)
        painter.setBrush(Qt.BrushStyle.NoBrush)


class BedLayer:
    """Sheets that pieces were placed on: dashed boxes, mm, each with its number and size."""

    def __init__(
        self, boxes: Sequence[tuple[float, float, float, float]], units: Unit = "mm"
    ) -> None:
        self.boxes, self._units = tuple(boxes), units

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline, their names where there is room."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setFont(font(12, QFont.Weight.DemiBold))
        transform = table.view.transform()
        for number, (left, bottom, right, top) in enumerate(self.boxes, 1):
            box = transform.mapRect(QRectF(left, bottom, right - left, top - bottom))
            painter.setPen(QPen(INK, 1.5, Qt.PenStyle.DashLine))
            painter.drawRect(box)
            size = " × ".join(format_length(mm, self._units) for mm in (right - left, top - bottom))
            text = f"Sheet {number}: {size}"
            room = painter.fontMetrics().horizontalAdvance(text)
            if room < box.width():
                painter.drawText(QPointF(box.left() + 2, box.top() - 6), text)


class MirroredLayer:
    """Pieces that show their other side: a word at the middle of each box, mm."""

    def __init__(self, boxes: Sequence[tuple[float, float, float, float]]) -> None:
        self.boxes = tuple(boxes)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint the words over the outline, where they have room."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(11, QFont.Weight.DemiBold))
        transform = table.view.transform()
        for left, bottom, right, top in self.boxes[:_MOST]:
            box = transform.mapRect(QRectF(left, bottom, right - left, top - bottom))
            wide = "\u21c6 mirrored" if box.width() > _WORDED else "\u21c6"
            room = QRectF(0, 0, 78 if box.width() > _WORDED else 20, 18)
            if box.width() < room.width() or box.height() < room.height():
                continue
            room.moveCenter(QPointF(box.center().x(), box.bottom() - 12))
            painter.setPen(QPen(AMBER_DEEP, 1))
            painter.setBrush(CARD)
            painter.drawRoundedRect(room, 3, 3)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, wide)
        painter.setBrush(Qt.BrushStyle.NoBrush)

"""The plan on the table: where tools go, where they begin, in which order."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPainterPath, QPen, QTransform

from silhueta.app.look.theme import (
    BRASS,
    BRASS_DEEP,
    CARD,
    CHALK,
    INK,
    OUTLINE_ON_PICTURE,
    PENCIL,
    SCRIBED,
    font,
)
from silhueta.app.table.outline_layer import painter_path
from silhueta.core.geometry.along import Along

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.core.cutting.plan import Entry, Plan, Tab, Way
    from silhueta.core.plan_settings import Operation

_BLUE = 0.6  # of the way to lines only, from which the ground is dark
_BAND = 3.0  # px that a tool is wide at least, for what it takes away to be shown as a band
_NUMBERED = 400  # entries that have their number on the table
_ROUND = 9.0  # px of a number's circle
_STYLES: dict[Operation, tuple[float, list[float]]] = {  # width in px, dashes in widths
    "cut": (2.0, []),
    "pocket": (1.0, []),
    "drill": (2.0, []),
    "engrave": (1.2, [1.0, 2.5]),
    "vgroove": (1.6, [6.0, 2.5]),
    "mark": (1.4, [8.0, 3.0, 1.5, 3.0]),
}
_LETTERS: dict[Operation, str] = {
    "pocket": "P",
    "drill": "D",
    "engrave": "E",
    "vgroove": "V",
    "mark": "M",
}


class PlanLayer:
    """Ways and what they take away, leads, tabs, rapids as dots, numbers in the order of work."""

    def __init__(self, plan: Plan, chosen: frozenset[int]) -> None:
        self.plan, self.chosen = plan, chosen
        self._ways = [_joined(one, leads=False) for one in plan.entries]
        self._leads = [_joined(one, leads=True) for one in plan.entries]
        self._rapids = QPainterPath()
        at: tuple[float, float] | None = None
        for one in plan.entries:
            if at is not None:
                self._rapids.moveTo(*at)
                self._rapids.lineTo(*one.begin)
            at = one.end

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = table.view.transform()
        dark = table.lines > _BLUE
        line = SCRIBED if dark else OUTLINE_ON_PICTURE
        casing = QColor(20, 52, 77, 160) if dark else QColor(255, 255, 255, 190)
        self._bands(painter, transform, table.view.px_per_mm, dark)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        dots = QPen(CHALK if dark else PENCIL, 1.4, Qt.PenStyle.DotLine)
        painter.setPen(dots)
        painter.drawPath(transform.map(self._rapids))
        for k, one in enumerate(self.plan.entries):
            way, leads = transform.map(self._ways[k]), transform.map(self._leads[k])
            mine = self.chosen.intersection(one.keys)
            colour = (BRASS if dark else BRASS_DEEP) if mine else line
            wide, dashes = _STYLES[one.operation]
            wide += 1.2 if mine else 0.0
            painter.setPen(QPen(casing, wide + 2.5))
            painter.drawPath(way)
            painter.drawPath(leads)
            pen = QPen(colour, wide)
            if dashes:
                pen.setDashPattern(dashes)
            painter.setPen(pen)
            painter.drawPath(way)
            painter.setPen(QPen(colour, 1.8))
            painter.drawPath(leads)
            for place in one.ways:
                self._begin(painter, transform, one, place, colour)
                for tab in place.tabs:
                    _tab(painter, transform, place, tab, one.tool.diameter_mm)
        self._numbers(painter, transform, QRectF(table.rect()))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _bands(
        self, painter: QPainter, transform: QTransform, px_per_mm: float, dark: bool
    ) -> None:
        """Paint what the tools take away as bands as wide as they are."""
        colour = QColor(246, 242, 228, 46) if dark else QColor(61, 67, 72, 70)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for k, one in enumerate(self.plan.entries):
            wide = one.tool.diameter_mm * px_per_mm
            if wide < _BAND or one.operation in ("vgroove", "mark"):
                continue
            pen = QPen(colour, wide, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.drawPath(transform.map(self._ways[k]))

    def _begin(
        self, painter: QPainter, transform: QTransform, entry: Entry, way: Way, colour: QColor
    ) -> None:
        """Paint where the tool goes down: a dot, for a drill a cross."""
        if entry.operation in ("pocket", "engrave", "vgroove") and way is not entry.ways[0]:
            return
        at = transform.map(QPointF(*way.begin))
        painter.setPen(QPen(colour, 1.6))
        if entry.operation == "drill":
            for x, y in ((7, 0), (0, 7)):
                painter.drawLine(at - QPointF(x, y), at + QPointF(x, y))
            return
        painter.setBrush(colour)
        painter.drawEllipse(at, 3.2, 3.2)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _numbers(self, painter: QPainter, transform: QTransform, room: QRectF) -> None:
        """Paint the numbers of the order, none over another one."""
        taken: list[QRectF] = []
        painter.setFont(font(12, QFont.Weight.Bold))
        every = list(enumerate(self.plan.entries[:_NUMBERED]))
        every.sort(key=lambda row: not self.chosen.intersection(row[1].keys))
        for k, one in every:
            at = transform.map(QPointF(*one.begin)) + QPointF(-14, -14)
            letter = _LETTERS.get(one.operation, "")
            text = f"{k + 1}{letter}"
            wide = max(2 * _ROUND, painter.fontMetrics().horizontalAdvance(text) + 9)
            box = QRectF(at.x() - wide / 2, at.y() - _ROUND, wide, 2 * _ROUND)
            if not room.contains(at) or any(box.intersects(other) for other in taken):
                continue
            taken.append(box)
            mine = bool(self.chosen.intersection(one.keys))
            painter.setPen(QPen(BRASS_DEEP if mine else PENCIL, 1.6 if mine else 1.0))
            painter.setBrush(BRASS if mine else CARD)
            painter.drawRoundedRect(box, _ROUND, _ROUND)
            painter.setPen(INK)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _joined(entry: Entry, leads: bool) -> QPainterPath:
    whole = QPainterPath()
    for way in entry.ways:
        for path in way.leads if leads else (way.path,):
            whole.addPath(painter_path(path))
    return whole


def _tab(painter: QPainter, transform: QTransform, way: Way, tab: Tab, width: float) -> None:
    """Paint a tab: a short bar along what stays, with a foot at both ends."""
    whole = Along(way.path)
    at = np.linspace(tab.low + width / 2, tab.high - width / 2, 5)
    points, ways = whole.points(at)
    line = [transform.map(QPointF(*p)) for p in points.tolist()]
    feet = []
    for k in (0, -1):
        (u, v), end = ways[k].tolist(), line[k]
        side = transform.map(QPointF(*points[k]) + QPointF(-v, u)) - end
        size = max((side.x() ** 2 + side.y() ** 2) ** 0.5, 1e-9)
        feet.append((end, side * (6.0 / size)))
    for pen in (QPen(CARD, 5.0), QPen(INK, 2.4)):
        painter.setPen(pen)
        painter.drawPolyline(line)
        for end, foot in feet:
            painter.drawLine(end - foot, end + foot)

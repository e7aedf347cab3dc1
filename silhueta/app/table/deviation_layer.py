"""How far the outline leaves the picture's edge: a band along the line, stretched to be seen."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from silhueta.app.look.theme import AMBER, AMBER_DEEP, CARD, INK
from silhueta.app.table.hint import paint_hint
from silhueta.core.units import Unit, format_length

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.core.fitting.deviation import Deviation

_SHOWN = 24.0  # screen px that the largest deviation is stretched to
_MOST = 30_000  # points painted
_TRUE = 6.0  # screen px a picture px, from which the edge itself is shown, not stretched


class DeviationLayer:
    """The band of a :class:`Deviation`, and a ring at its worst place."""

    def __init__(self, deviation: Deviation, units: Unit) -> None:
        self.deviation, self._units = deviation, units
        self._worst, self._place = deviation.worst, deviation.worst_place()
        self._band = QPainterPath()
        self._made_for = 0.0

    def shows(self, deviation: Deviation, units: Unit) -> bool:
        """Return whether it is this very deviation that is painted, in these units."""
        return self.deviation is deviation and self._units == units

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint over the outline."""
        transform, scale = table.view.transform(), table.view.px_per_mm
        close = scale * table.mm_per_px >= _TRUE
        stretch = 1.0 if close else max(1.0, _SHOWN / max(self._worst * scale, 1e-9))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if close:
            self._paint_edge(painter, transform, table.view.shown())
        else:
            if not 0.8 < self._made_for / max(stretch, 1e-9) < 1.25:
                self._band, self._made_for = self._stretched(stretch), stretch
            colour = QColor(AMBER)
            colour.setAlphaF(0.75)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPath(transform.map(self._band))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._place is not None:
            at = transform.map(QPointF(*self._place))
            for pen in (QPen(CARD, 5), QPen(AMBER_DEEP, 2)):
                painter.setPen(pen)
                painter.drawEllipse(at, 15, 15)
        worst = format_length(self._worst, self._units, 3)
        told = "points are the picture's edge" if close else f"band stretched {stretch:,.0f} times"
        paint_hint(painter, QRectF(table.rect()), f"Deviation: {told}; ring: largest, {worst}.")

    def _stretched(self, factor: float) -> QPainterPath:
        path = QPainterPath()
        d = self.deviation
        step = max(1, len(d.distance) // _MOST)
        size = np.maximum(np.hypot(*(d.edge - d.feet).T), 1e-12)
        share = (d.distance / size * factor)[:, None]
        far = d.feet + share * (d.edge - d.feet)
        for i in range(len(d.first) - 1):
            part = slice(int(d.first[i]), int(d.first[i + 1]), step)
            feet, ends = d.feet[part], far[part]
            if len(feet) < 3:
                continue
            for a, b, c, e in zip(
                feet.tolist(),
                ends.tolist(),
                np.roll(ends, -1, 0).tolist(),
                np.roll(feet, -1, 0).tolist(),
                strict=True,
            ):
                path.addPolygon(QPolygonF([QPointF(*a), QPointF(*b), QPointF(*c), QPointF(*e)]))
        path.setFillRule(Qt.FillRule.WindingFill)
        return path

    def _paint_edge(self, painter: QPainter, transform: QTransform, shown: QRectF) -> None:
        d = self.deviation
        near = (
            (d.edge[:, 0] > shown.left() - 1)
            & (d.edge[:, 0] < shown.right() + 1)
            & (d.edge[:, 1] > shown.top() - 1)
            & (d.edge[:, 1] < shown.bottom() + 1)
        )
        index = np.flatnonzero(near)[:_MOST]
        painter.setPen(QPen(AMBER, 2))
        for foot, edge in zip(d.feet[index].tolist(), d.edge[index].tolist(), strict=True):
            painter.drawLine(transform.map(QPointF(*foot)), transform.map(QPointF(*edge)))
        painter.setPen(QPen(INK, 1))
        painter.setBrush(AMBER)
        for edge in d.edge[index].tolist():
            painter.drawEllipse(transform.map(QPointF(*edge)), 2.5, 2.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)

"""The outline on the table: line, waste ticks, nodes; told apart by shape, not by colour.

An outer loop is a full line with ticks outward, a hole has its ticks inward, a skipped loop is
dotted and pale. A smooth node is a ring, a corner an upright cross, the start a flag.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from silhueta.app.look.theme import LAYOUT_BLUE, OUTLINE_ON_PICTURE, SCRIBED, blend
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.march import march, node_turns
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Loop, Path

_FLAT = 0.2  # bulge of an arc that a cubic follows to a ten thousandth of its chord
_TICK_STEP, _TICK = 15.0, 6.0  # screen px
_NODE_ROOM = 14.0  # screen px a node needs before it is drawn
_SMOOTH_TURN = 0.14  # radians: more is a corner
_MOST_TICKS = 6000
_DARK_UNTIL = 0.6  # share of "lines only" up to which the picture is what is seen


class OutlineLayer:
    """An outline's painter paths, made once, and its ticks and nodes, made once a magnification."""

    def __init__(self, outline: Outline) -> None:
        self.outline = outline
        self._paths = [(contour, painter_path(contour.path)) for contour in outline.contours]
        self._boxes = [path.controlPointRect() for _, path in self._paths]
        self._ticks: dict[int, list[QLineF]] = {}
        self._ticks_at = 0.0
        self._turns = {id(c): node_turns(c.path) for c in outline.contours}
        self._areas: dict[int, float] = {}
        self.least = 0.0  # mm²: loops that enclose less are shown as left out

    def paint(self, painter: QPainter, transform: QTransform, shown: QRectF, lines: float) -> None:
        """Paint over a picture (`lines` 0), as lines only (1), or between."""
        # over the picture, however pale, a dark line in a pale casing; bright only on the blue
        bright = min(max((lines - _DARK_UNTIL) / (1 - _DARK_UNTIL), 0.0), 1.0) ** 0.25
        colour = blend(OUTLINE_ON_PICTURE, SCRIBED, bright)
        casing = QColor(SCRIBED)
        casing.setAlphaF(0.85 * (1 - bright))
        near = shown.adjusted(-2, -2, 2, 2)
        seen = [
            (contour, path)
            for (contour, path), box in zip(self._paths, self._boxes, strict=True)
            if box.intersects(near)
        ]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        mapped = [(contour, transform.map(path)) for contour, path in seen]
        taken = [contour for contour, _ in seen if contour.taken and not self._speck(contour)]
        cut = {id(contour) for contour in taken}
        for contour, path in mapped:
            if id(contour) in cut and casing.alpha():
                painter.setPen(QPen(casing, 5.0))
                painter.drawPath(path)
        self._paint_ticks(painter, transform, taken, colour, near)
        for contour, path in mapped:
            painter.setPen(_pen(contour, colour, id(contour) in cut))
            painter.drawPath(path)
        for contour in taken:
            self._paint_nodes(painter, transform, contour, colour, near, bright)

    def _speck(self, contour: Contour) -> bool:
        if not self.least or not isinstance(contour.path, Loop):
            return False
        if id(contour) not in self._areas:
            self._areas[id(contour)] = abs(signed_area(contour.path))
        return self._areas[id(contour)] < self.least

    def _paint_ticks(
        self,
        painter: QPainter,
        transform: QTransform,
        contours: list[Contour],
        colour: QColor,
        near: QRectF,
    ) -> None:
        scale = transform.m11()
        if not 0.8 < self._ticks_at / max(scale, 1e-9) < 1.25:
            self._ticks, self._ticks_at = {}, scale
        painter.setPen(QPen(colour, 1.2))
        room = _MOST_TICKS
        for contour in contours:
            if not contour.path.closed:
                continue
            key = id(contour)
            if key not in self._ticks:
                self._ticks[key] = _tick_lines(contour.path, _TICK_STEP / scale, _TICK / scale)
            ticks = self._ticks[key]
            if len(ticks) > 400:
                ticks = [tick for tick in ticks if near.contains(tick.p1())]
            room -= len(ticks)
            if room < 0:
                return
            painter.drawLines([transform.map(tick) for tick in ticks])

    def _paint_nodes(
        self,
        painter: QPainter,
        transform: QTransform,
        contour: Contour,
        colour: QColor,
        near: QRectF,
        lines: float,
    ) -> None:
        path, scale = contour.path, transform.m11()
        box = path.nodes.max(axis=0) - path.nodes.min(axis=0)
        if len(path.nodes) * _NODE_ROOM > 2.5 * float(box.sum() + 1e-9) * scale + 30:
            return  # too dense to be read: they come when one zooms in
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(blend(SCRIBED, LAYOUT_BLUE, lines))
        for number, (node, turn) in enumerate(
            zip(path.nodes, self._turns[id(contour)], strict=True)
        ):
            place = QPointF(node[0], node[1])
            if not near.contains(place):
                continue
            at = transform.map(place)
            if abs(turn) < _SMOOTH_TURN:
                painter.drawEllipse(at, 3.2, 3.2)
            else:
                painter.drawLine(at + QPointF(-4.5, 0), at + QPointF(4.5, 0))
                painter.drawLine(at + QPointF(0, -4.5), at + QPointF(0, 4.5))
            if number == 0:
                _paint_flag(painter, at)


def _paint_flag(painter: QPainter, at: QPointF) -> None:
    painter.drawLine(at, at + QPointF(0, -16))
    painter.drawPolygon(
        QPolygonF([at + QPointF(0, -16), at + QPointF(9, -13), at + QPointF(0, -10)])
    )


def _pen(contour: Contour, colour: QColor, taken: bool) -> QPen:
    if not taken:
        pale = QColor(colour)
        pale.setAlphaF(0.65)
        pen = QPen(pale, 1.5, Qt.PenStyle.CustomDashLine)
        pen.setDashPattern([1, 3])
        return pen
    if not contour.path.closed or contour.operation == "mark":
        return QPen(colour, 2.0, Qt.PenStyle.DashDotLine)
    return QPen(colour, 2.0)


def _tick_lines(path: Path, step: float, size: float) -> list[QLineF]:
    """Return strokes to the right of `path`, where the waste is: outward of solids, into holes."""
    places, left = march(path, step)
    # slanted, as strokes scribed by hand
    along = np.column_stack([left[:, 1], -left[:, 0]])
    ends = places - size * (0.9 * left - 0.45 * along)
    return [
        QLineF(a[0], a[1], b[0], b[1]) for a, b in zip(places.tolist(), ends.tolist(), strict=True)
    ]


def painter_path(path: Path) -> QPainterPath:
    """Return `path` for painting, in mm, y up; arcs stay arcs."""
    made = QPainterPath(QPointF(*path.nodes[0]))
    starts, ends = path.starts, path.ends
    arcs = np.flatnonzero(path.kinds == ARC)
    centres, radii = arc_centres(starts[arcs], ends[arcs], path.bulges[arcs])
    where = dict(zip(arcs.tolist(), zip(centres, radii, strict=True), strict=True))
    for i, kind in enumerate(path.kinds):
        if kind == ARC and abs(path.bulges[i]) < _FLAT:
            made.cubicTo(*_as_cubic(starts[i], ends[i], float(path.bulges[i])))
        elif kind == ARC:
            (x, y), radius = where[i]
            begin = np.degrees(np.arctan2(starts[i, 1] - y, starts[i, 0] - x))
            turn = np.degrees(4 * np.arctan(path.bulges[i]))
            # Qt counts angles with y down: a box and angles of the other sign, for y up
            made.arcTo(QRectF(x - radius, y - radius, 2 * radius, 2 * radius), -begin, -turn)
        elif kind == CUBIC:
            one, two = path.controls[i]
            made.cubicTo(QPointF(*one), QPointF(*two), QPointF(*ends[i]))
        else:
            made.lineTo(QPointF(*ends[i]))
    if path.closed:
        made.closeSubpath()
    return made


def _as_cubic(start: Floats, end: Floats, bulge: float) -> tuple[QPointF, QPointF, QPointF]:
    """Return the cubic that lies on a flat arc: Qt's own strays where the radius is very large."""
    chord = end - start
    half = 2 * np.arctan(bulge)
    c, s = np.cos(half), np.sin(half)
    reach = (1 + bulge**2) / 3
    one = start + reach * np.array([c * chord[0] + s * chord[1], c * chord[1] - s * chord[0]])
    two = end - reach * np.array([c * chord[0] - s * chord[1], c * chord[1] + s * chord[0]])
    return QPointF(*one), QPointF(*two), QPointF(*end)

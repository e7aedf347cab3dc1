"""The outline on the table: line, waste ticks, nodes; told apart by shape, not by colour.

An outer loop is a full line with ticks outward, a hole has its ticks inward, a skipped loop is
dotted and pale; an engraved area is hatched, a marked line dash-dot, each with its letter. A smooth
node is a ring, a corner an upright cross, the start a flag.
"""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QTransform,
)

from silhueta.app.look.theme import CARD, INK, LAYOUT_BLUE, OUTLINE_ON_PICTURE, SCRIBED, blend, font
from silhueta.app.table.heavy import HEAVY, HeavyPath, polygon, ticks
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.march import march, node_turns
from silhueta.core.geometry.measure import box_of, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.receive import Point, send
from silhueta.core.tidy.choose import turned

_FLAT = 0.2  # bulge of an arc that a cubic follows to a ten thousandth of its chord
_TICK_STEP, _TICK = 15.0, 6.0  # screen px
_NODE_ROOM = 14.0  # screen px a node needs before it is drawn
_SMOOTH_TURN = 0.14  # radians: more is a corner
_MOST_TICKS = 6000
_SMALLEST = 36.0  # screen px that a path is large at least, for its nodes to be shown
_MOST_NODES = 1200  # of one path, that could be told apart on a screen
_DARK_UNTIL = 0.6  # share of "lines only" up to which the picture is what is seen


_PAINTED: WeakKeyDictionary[Path, QPainterPath | HeavyPath] = WeakKeyDictionary()


def painted(path: Path) -> QPainterPath | HeavyPath:
    """Return a path for painting, made once, whatever outlines it is part of."""
    if path not in _PAINTED:
        _PAINTED[path] = HeavyPath(path) if len(path.nodes) > HEAVY else painter_path(path)
    return _PAINTED[path]


class OutlineLayer:
    """An outline's painter paths, made once, and its ticks and nodes, made once a magnification."""

    def __init__(self, outline: Outline) -> None:
        self.outline = outline
        self._boxes = [_box(contour.path) for contour in outline.contours]
        self._sizes = {
            id(contour): max(box.width(), box.height())
            for contour, box in zip(outline.contours, self._boxes, strict=True)
        }
        self._turned: set[int] | None = None  # contours that run against their role
        self._ticks: dict[int, list[QLineF]] = {}
        self._ticks_at = 0.0
        self._turns: dict[int, Floats] = {}
        self._still: QImage | None = None  # what was painted, while the view stands still
        self._still_for: tuple[float, ...] | None = None
        self._areas: dict[int, float] = {}
        self.least = 0.0  # mm²: loops that enclose less are shown as left out
        self.filled = False  # whether what is solid is tinted
        self.nodes = True
        self.letters = True  # of what is engraved or marked

    def paint_again(
        self, painter: QPainter, transform: QTransform, shown: QRectF, lines: float
    ) -> None:
        """Paint as :meth:`paint` does, at once where the same was painted twice before."""
        device = painter.device()
        ratio = device.devicePixelRatioF()
        size = (round(device.width() * ratio), round(device.height() * ratio))
        shape = (transform.m11(), transform.m22(), transform.dx(), transform.dy())
        key: tuple[float, ...] = (*shape, *size, lines, self.least, self.filled, self.nodes)
        key = (*key, self.letters)
        if key != self._still_for:
            self._still, self._still_for = None, key
            self.paint(painter, transform, shown, lines)
            return
        painter.drawImage(QPointF(0, 0), self._still or self._kept(size, ratio, transform, lines))

    def _kept(
        self, size: tuple[int, int], ratio: float, transform: QTransform, lines: float
    ) -> QImage:
        made = QImage(*size, QImage.Format.Format_ARGB32_Premultiplied)
        made.setDevicePixelRatio(ratio)
        made.fill(Qt.GlobalColor.transparent)
        inner = QPainter(made)
        seen = QRectF(0, 0, size[0] / ratio, size[1] / ratio)
        self.paint(inner, transform, transform.inverted()[0].mapRect(seen), lines)
        inner.end()
        self._still = made
        return made

    def paint(self, painter: QPainter, transform: QTransform, shown: QRectF, lines: float) -> None:
        """Paint over a picture (`lines` 0), as lines only (1), or between."""
        # over the picture, however pale, a dark line in a pale casing; bright only on the blue
        bright = min(max((lines - _DARK_UNTIL) / (1 - _DARK_UNTIL), 0.0), 1.0) ** 0.25
        colour = blend(OUTLINE_ON_PICTURE, SCRIBED, bright)
        casing = QColor(SCRIBED)
        casing.setAlphaF(0.85 * (1 - bright))
        near = shown.adjusted(-2, -2, 2, 2)
        seen = [
            contour
            for contour, box in zip(self.outline.contours, self._boxes, strict=True)
            if box.intersects(near)
        ]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        taken = [contour for contour in seen if contour.taken and not self._speck(contour)]
        cut = {id(contour) for contour in taken}
        light: list[tuple[Contour, QPainterPath]] = []
        heavy: list[tuple[Contour, list[Floats]]] = []
        for contour in seen:
            made = painted(contour.path)
            if isinstance(made, HeavyPath):
                heavy.append((contour, made.runs(transform, near)))
            else:
                light.append((contour, transform.map(made)))
        through = {id(contour) for contour in taken if contour.cut}
        if self.filled and not heavy:
            _fill(painter, [pair for pair in light if id(pair[0]) in through], colour)
        _hatch(painter, [pair for pair in light if id(pair[0]) in cut - through], colour)
        for contour, path in light:
            if id(contour) in cut and casing.alpha():
                painter.setPen(QPen(casing, 5.0))
                painter.drawPath(path)
        room = self._paint_ticks(painter, transform, [c for c, _ in light], through, colour, near)
        for contour, path in light:
            painter.setPen(_pen(contour, colour, id(contour) in cut))
            painter.drawPath(path)
        for contour, runs in heavy:
            self._paint_heavy(painter, contour, runs, id(contour) in cut, colour, casing, room)
        small = _SMALLEST / max(abs(transform.m11()), 1e-9)
        for contour in taken:
            if self._sizes[id(contour)] < small:
                continue  # its nodes would hide it
            if self.nodes:
                self._paint_nodes(painter, transform, contour, colour, near, bright)
            if not contour.cut and self.letters:
                at = transform.map(QPointF(*contour.path.nodes[0].tolist()))
                _letter(painter, at, contour.operation[0].upper(), colour)

    def _paint_heavy(
        self,
        painter: QPainter,
        contour: Contour,
        runs: list[Floats],
        taken: bool,
        colour: QColor,
        casing: QColor,
        room: int,
    ) -> None:
        """Paint a path of very many points with thin pens, which are quick at any count."""
        made = [polygon(run) for run in runs]
        if taken and casing.alpha():
            painter.setPen(QPen(casing, 1.0))
            for dx, dy in ((1.2, 1.2), (-1.2, -1.2)):
                for shape in made:
                    painter.drawPolyline(shape.translated(dx, dy))
        pen = _pen(contour, colour, taken)
        pen.setWidthF(1.0)
        painter.setPen(pen)
        for shape in made:
            painter.drawPolyline(shape)
        if taken and contour.cut and contour.path.closed:
            painter.setPen(QPen(colour, 1.2))
            size = -_TICK if self._is_turned(contour) else _TICK
            for run in runs:
                strokes = ticks(run, _TICK_STEP, size)
                room -= len(strokes)
                if room > 0 and strokes:
                    painter.drawLines(strokes)

    def _is_turned(self, contour: Contour) -> bool:
        """Return whether the waste is on the other side than the loop's own direction says."""
        if self._turned is None:
            against = turned(self.outline)
            self._turned = {
                id(c) for c, turn in zip(self.outline.contours, against, strict=True) if turn
            }
        return id(contour) in self._turned

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
        cut: set[int],
        colour: QColor,
        near: QRectF,
    ) -> int:
        """Paint the waste ticks; return how many more there is room for."""
        scale = transform.m11()
        if not 0.8 < self._ticks_at / max(scale, 1e-9) < 1.25:
            self._ticks, self._ticks_at = {}, scale
        painter.setPen(QPen(colour, 1.2))
        room = _MOST_TICKS
        for contour in contours:
            if not contour.path.closed or id(contour) not in cut:
                continue
            key = id(contour)
            if key not in self._ticks:
                size = -_TICK if self._is_turned(contour) else _TICK
                self._ticks[key] = _tick_lines(contour.path, _TICK_STEP / scale, size / scale)
            strokes = self._ticks[key]
            if len(strokes) > 400:
                strokes = [tick for tick in strokes if near.contains(tick.p1())]
            room -= len(strokes)
            if room < 0:
                return 0
            painter.drawLines([transform.map(tick) for tick in strokes])
        return room

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
        nodes = path.nodes
        left, right = sorted((near.left(), near.right()))
        bottom, top = sorted((near.top(), near.bottom()))
        x, y = nodes[:, 0], nodes[:, 1]
        inside = (x >= left) & (x <= right) & (y >= bottom) & (y <= top)
        if not 0 < np.count_nonzero(inside) <= _MOST_NODES:
            return
        seen = np.flatnonzero(inside)
        box = nodes[seen].max(axis=0) - nodes[seen].min(axis=0)
        if len(seen) * _NODE_ROOM > 2.5 * float(box.sum() + 1e-9) * scale + 30:
            return  # too dense to be read: they come when one zooms in
        if id(contour) not in self._turns:
            self._turns[id(contour)] = node_turns(path)
        turns = self._turns[id(contour)]
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(blend(SCRIBED, LAYOUT_BLUE, lines))
        for number in seen.tolist():
            at = transform.map(QPointF(*nodes[number].tolist()))
            paint_node(painter, at, abs(turns[number]) < _SMOOTH_TURN)
            if number == 0:
                _paint_flag(painter, at)


def _fill(painter: QPainter, shown: list[tuple[Contour, QPainterPath]], colour: QColor) -> None:
    """Tint what is solid: inside an odd number of the loops that are cut, colour by colour."""
    areas: dict[object, QPainterPath] = {}
    for contour, path in shown:
        if contour.path.closed:
            area = areas.setdefault(contour.colour, QPainterPath())
            area.setFillRule(Qt.FillRule.OddEvenFill)
            area.addPath(path)
    tint = QColor(colour)
    tint.setAlphaF(0.14)
    for area in areas.values():
        painter.fillPath(area, tint)


def _hatch(painter: QPainter, shown: list[tuple[Contour, QPainterPath]], colour: QColor) -> None:
    """Hatch what is engraved."""
    tint = QColor(colour)
    tint.setAlphaF(0.6)
    for contour, path in shown:
        if contour.operation == "engrave" and contour.path.closed:
            painter.fillPath(path, QBrush(tint, Qt.BrushStyle.BDiagPattern))


def _letter(painter: QPainter, at: QPointF, letter: str, colour: QColor) -> None:
    """Paint the letter of an operation beside a node."""
    box = QRectF(at.x() - 24, at.y() - 24, 16, 16)
    painter.setPen(QPen(colour, 1.2))
    painter.setBrush(CARD)
    painter.drawRect(box)
    painter.setPen(INK)
    painter.setFont(font(13, QFont.Weight.Bold))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)


def paint_node(painter: QPainter, at: QPointF, smooth: bool, size: float = 1.0) -> None:
    """Paint a node: a ring where the path is smooth, an upright cross at a corner."""
    if smooth:
        painter.drawEllipse(at, 3.2 * size, 3.2 * size)
        return
    arm = 4.5 * size
    painter.drawLine(at + QPointF(-arm, 0), at + QPointF(arm, 0))
    painter.drawLine(at + QPointF(0, -arm), at + QPointF(0, arm))


def _box(path: Path) -> QRectF:
    """Return a box that the path lies in."""
    left, bottom, right, top = box_of(path)
    return QRectF(left, bottom, max(right - left, 1e-9), max(top - bottom, 1e-9))


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
    strokes = _Strokes()
    send(path, strokes)
    return strokes.made


class _Strokes:
    """Makes a painter's path of what it is told."""

    def __init__(self) -> None:
        self.made = QPainterPath()
        self._from: Point = (0.0, 0.0)

    def move(self, to: Point) -> None:
        """Begin."""
        self.made.moveTo(*to)
        self._from = to

    def line(self, to: Point) -> None:
        """Go straight on."""
        self.made.lineTo(*to)
        self._from = to

    def arc(self, to: Point, bulge: float) -> None:
        """Go on along an arc."""
        start, end = np.array(self._from), np.array(to)
        if abs(bulge) < _FLAT:
            self.made.cubicTo(*_as_cubic(start, end, bulge))
        else:
            centres, radii = arc_centres(start[None], end[None], np.array([bulge]))
            (x, y), radius = centres[0].tolist(), float(radii[0])
            begin = np.degrees(np.arctan2(start[1] - y, start[0] - x))
            turn = np.degrees(4 * np.arctan(bulge))
            # Qt counts angles with y down: a box and angles of the other sign, for y up
            self.made.arcTo(QRectF(x - radius, y - radius, 2 * radius, 2 * radius), -begin, -turn)
        self._from = to

    def cubic(self, one: Point, two: Point, to: Point) -> None:
        """Go on along a cubic."""
        self.made.cubicTo(*one, *two, *to)
        self._from = to

    def close(self) -> None:
        """Close it."""
        self.made.closeSubpath()

    def end(self) -> None:
        """Leave it open."""


def _as_cubic(start: Floats, end: Floats, bulge: float) -> tuple[QPointF, QPointF, QPointF]:
    """Return the cubic that lies on a flat arc: Qt's own strays where the radius is very large."""
    chord = end - start
    half = 2 * np.arctan(bulge)
    c, s = np.cos(half), np.sin(half)
    reach = (1 + bulge**2) / 3
    one = start + reach * np.array([c * chord[0] + s * chord[1], c * chord[1] - s * chord[0]])
    two = end - reach * np.array([c * chord[0] - s * chord[1], c * chord[1] + s * chord[0]])
    return QPointF(*one), QPointF(*two), QPointF(*end)

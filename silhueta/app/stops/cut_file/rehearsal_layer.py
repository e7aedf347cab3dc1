"""The table while a file is rehearsed: what is cut, what is to come, what is free, where it is."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
import shapely
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
    QTransform,
)

from silhueta.app.look.theme import AMBER, AMBER_DEEP, BRASS, CARD, INK, LAYOUT_BLUE, SCRIBED, font
from silhueta.core.rehearsal.course import box_of
from silhueta.core.rehearsal.relief import shaded

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from silhueta.app.rehearsing import Shown
    from silhueta.app.table.surface import Surface
    from silhueta.core.geometry.path import Floats
    from silhueta.core.rehearsal.course import Moment
    from silhueta.core.rehearsal.kerfs import Piece

_BELOW = QColor("#0f293d")  # the bench under the sheet: layout blue, darker
_SHEET = QColor("#1d4362")  # the sheet: layout blue, lighter
_FREED = QColor("#12324a")  # of what goes, under its hatch
_PART = QColor("#4f7391")  # of what stays
_DROP = 5.0  # px that a piece lies lower, which dropped
_THIN = 2.0  # px that a kerf is wide at least, so that it is seen
_NUMBERED = 300  # pieces that have their number on the table
_FLAGS = 60  # events that have a flag


class RehearsalLayer:
    """A file as it is run: kerfs bright, what is to come dotted, free pieces dropped and hatched.

    What is cut for good is painted once into a picture of the present view, and added to.
    """

    def __init__(self, shown: Shown) -> None:
        course = shown.rehearsal.course
        assert course is not None
        self.shown, self.course = shown, course
        self.now = 0.0
        self.moment: Moment = course.at(0.0)
        self.event: int | None = None  # the one that is looked at
        x, y = shown.rehearsal.shift
        self._shift = (x, y)
        self.zero = (-x, -y)  # on the table, mm: rulers count as the file does
        bench = course.scene.bench
        self.box = bench.sheet or box_of(course.scene, 12.0)
        self._tree = shapely.STRtree(list(course.done.kerfs))
        self._kerfs = [self._path(kerf) for kerf in course.done.kerfs]
        # a piece in which the middle of a part lies is that part: it stays
        parts = [part.representative_point() for part in bench.wanted]
        tree = shapely.STRtree(parts)
        self._stays = [
            bool(parts) and len(tree.query(piece.shape, "contains")) > 0 for piece in course.pieces
        ]
        self._pieces = [self._path(piece.shape) for piece in course.pieces]
        self._ahead = [self._line(run.points) for run in course.runs]
        self._done: QPixmap | None = None
        self._for: tuple[object, ...] = ()
        self._painted = (0, 0)
        self._relief: QImage | None = None
        self._relief_at = -1.0

    def go(self, t: float) -> None:
        """Be at a second."""
        self.now, self.moment = t, self.course.at(t)

    def depth_at(self, x: float, y: float) -> float | None:
        """Return how deep the sheet is cut at a place of the table, mm; None: nothing sinks."""
        if self.shown.carving is None:
            return None
        return -self.shown.carving.relief.at(x + self._shift[0], y + self._shift[1])

    # painting

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint it over everything that lay on the table."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = table.view.transform()
        painter.fillRect(table.rect(), _BELOW)
        if self.shown.carving is not None:
            self._paint_relief(painter, transform)
        else:
            self._paint_sheet(painter, transform)
            self._paint_cut(painter, transform, table)
        self._paint_ahead(painter, transform)
        self._paint_numbers(painter, transform)
        if self.now >= self.course.seconds - 1e-6:
            self._paint_worst(painter, transform)
        self._paint_tool(painter, transform, table.view.px_per_mm)
        self._paint_events(painter, transform, QRectF(table.rect()))
        painter.restore()

    def _map(self, transform: QTransform, x: float, y: float) -> QPointF:
        return transform.map(QPointF(x - self._shift[0], y - self._shift[1]))

    def _sheet_box(self, transform: QTransform) -> QRectF:
        left, bottom, right, top = self.box
        one, two = self._map(transform, left, bottom), self._map(transform, right, top)
        return QRectF(one, two).normalized()

    def _paint_sheet(self, painter: QPainter, transform: QTransform) -> None:
        painter.setPen(QPen(SCRIBED.darker(160), 1))
        painter.setBrush(_SHEET)
        painter.drawRect(self._sheet_box(transform))

    def _paint_cut(self, painter: QPainter, transform: QTransform, table: Surface) -> None:
        ratio = table.devicePixelRatioF()
        view = (transform.m11(), transform.m22(), transform.dx(), transform.dy(), table.size())
        count = (self.moment.runs, self.moment.pieces)
        back = count[0] < self._painted[0] or count[1] < self._painted[1]
        if self._done is None or self._for != view or back:
            self._done = QPixmap(table.size() * ratio)
            self._done.setDevicePixelRatio(ratio)
            self._done.fill(Qt.GlobalColor.transparent)
            self._for, self._painted = view, (0, 0)
        if count != self._painted:
            self._add(transform, count)
        painter.drawPixmap(0, 0, self._done)
        number = self.course.under_way(self.now)
        if number is not None:
            part = self.course.part_of(number, self.now)
            if len(part) > 1:
                wide = max(self.course.runs[number].width * table.view.px_per_mm, _THIN)
                pen = QPen(SCRIBED, wide, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
                pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(transform.map(self._line(part)))

    def _add(self, transform: QTransform, count: tuple[int, int]) -> None:
        """Paint what was cut and came free since, in its order."""
        assert self._done is not None
        painter = QPainter(self._done)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pieces = list(self.course.pieces)
        free = self._painted[1]
        for k in range(self._painted[0], count[0]):
            while free < count[1] and pieces[free].run < k:
                self._paint_free(painter, transform, free)
                free += 1
            painter.setPen(QPen(SCRIBED, _THIN))
            painter.setBrush(SCRIBED)
            painter.drawPath(transform.map(self._kerfs[k]))
        for k in range(free, count[1]):
            self._paint_free(painter, transform, k)
        painter.end()
        self._painted = count

    def _paint_free(self, painter: QPainter, transform: QTransform, number: int) -> None:
        """Paint a hole where a piece was, and the piece a little lower, hatched."""
        path = transform.map(self._pieces[number])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BELOW)
        painter.drawPath(path)
        painter.save()
        # what a piece had cut in it falls with it, and its kerfs are not painted over
        painter.translate(_DROP, _DROP)
        painter.setPen(QPen(SCRIBED.darker(150), 1))
        painter.setBrush(_FREED)
        if self._stays[number]:
            painter.setBrush(_PART)
        painter.drawPath(path)
        if not self._stays[number]:
            painter.setBrush(QBrush(SCRIBED.darker(190), Qt.BrushStyle.BDiagPattern))
            painter.drawPath(path)
        painter.restore()
        piece = self.course.pieces[number]
        inner = [k for k in self._within(piece) if k < piece.run]
        for other in range(number):  # a hole in it shows what is below
            if self.course.pieces[other].run in inner:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(_BELOW)
                painter.drawPath(transform.map(self._pieces[other]))
        painter.setPen(QPen(SCRIBED, _THIN))
        painter.setBrush(SCRIBED)
        for k in inner:
            painter.drawPath(transform.map(self._kerfs[k]))

    def _within(self, piece: Piece) -> list[int]:
        """Return the kerfs inside a piece."""
        found: list[int] = sorted(self._tree.query(piece.shape, "contains").tolist())
        return found

    def _paint_relief(self, painter: QPainter, transform: QTransform) -> None:
        """Paint what bits leave, lit from the upper left."""
        carving = self.shown.carving
        assert carving is not None
        if self._relief is None or self._relief_at != self.now:
            relief = carving.at(self.now)
            bench = self.course.scene.bench
            pixels = np.ascontiguousarray(
                shaded(relief.heights(), relief.cell, bench.thickness)[::-1]
            )
            self._relief = _image(pixels)
            self._relief_at = self.now
        left, bottom, right, top = carving.box
        one, two = self._map(transform, left, bottom), self._map(transform, right, top)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(one, two).normalized(), self._relief)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)

    def _paint_ahead(self, painter: QPainter, transform: QTransform) -> None:
        """Paint what is to come as dots."""
        dark = self.shown.carving is not None
        pen = QPen(INK if dark else SCRIBED.darker(125), 1.3, Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for k in range(self.moment.runs, len(self._ahead)):
            painter.drawPath(transform.map(self._ahead[k]))

    def _paint_numbers(self, painter: QPainter, transform: QTransform) -> None:
        """Paint a number at each run that is done or under way, in their order."""
        runs = self.course.runs
        if len(runs) > _NUMBERED or self.shown.carving is not None:
            return
        painter.setFont(font(12, QFont.Weight.Bold))
        upto = self.moment.runs + (self.course.under_way(self.now) is not None)
        for k in range(min(upto, len(runs))):
            at = self._map(transform, *runs[k].points[0].tolist()) - QPointF(16, 16)
            painter.setPen(QPen(SCRIBED, 1.2))
            painter.setBrush(_BELOW)
            wide = 18.0 if k < 9 else 26.0
            box = QRectF(at.x() - wide / 2, at.y() - 9, wide, 18)
            painter.drawRoundedRect(box, 9, 9)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(k + 1))

    def _paint_worst(self, painter: QPainter, transform: QTransform) -> None:
        """Paint, at the end, where it is farthest off what was wanted."""
        done = self.course.done
        if done.deviation is None or done.deviation_at is None:
            return
        at = self._map(transform, *done.deviation_at)
        text = f"{done.deviation:.2f} mm off"
        painter.setFont(font(13, QFont.Weight.DemiBold))
        wide = painter.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(at.x() + 14, at.y() - 34, wide, 22)
        painter.setPen(QPen(BRASS, 1.6))
        painter.drawLine(at, box.bottomLeft() + QPointF(6, 0))
        painter.setBrush(CARD)
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(INK)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_events(self, painter: QPainter, transform: QTransform, room: QRectF) -> None:
        """Paint a flag with its number where something happens; of those to come none."""
        every = self.course.done.events
        ended = self.now >= self.course.seconds - 1e-6
        painter.setFont(font(13, QFont.Weight.Bold))
        for k, one in enumerate(every[:_FLAGS]):
            if not ended and one.at_s > self.now + 1e-6 and k != self.event:
                continue
            at = self._map(transform, *one.at)
            if not room.adjusted(-20, -20, 20, 40).contains(at):
                continue
            chosen = k == self.event
            box = QRectF(at.x() - 15, at.y() - 30, 30, 18)
            painter.setPen(QPen(AMBER_DEEP, 2 if chosen else 1.4))
            painter.setBrush(AMBER if chosen else CARD)
            painter.drawPolygon(
                QPolygonF([
                    box.topLeft(), box.topRight(), box.bottomRight(),
                    QPointF(at.x() + 6, box.bottom()), at, QPointF(at.x() - 6, box.bottom()),
                    box.bottomLeft(),
                ])
            )  # fmt: skip
            painter.setPen(INK if chosen else AMBER_DEEP)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(k + 1))
            if one.severity == "stop":
                painter.fillRect(QRectF(box.left(), box.top() - 4, box.width(), 3), AMBER_DEEP)

    def _paint_tool(self, painter: QPainter, transform: QTransform, px_per_mm: float) -> None:
        """Paint where the tool is: a ring as wide as it is, a cross; filled while it is on."""
        x, y, _ = self.moment.place
        at = self._map(transform, x, y)
        step = self.course.scene.steps[self.moment.step]
        radius = max(self.course.scene.bench.width_of(step.tool) / 2 * px_per_mm, 9.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, wide in ((LAYOUT_BLUE, 5.0), (BRASS, 2.2)):
            painter.setPen(QPen(colour, wide))
            painter.drawEllipse(at, radius, radius)
            for turn in range(4):
                way = QPointF(math.cos(turn * math.pi / 2), math.sin(turn * math.pi / 2))
                painter.drawLine(at + way * (radius - 4), at + way * (radius + 7))
        if self.moment.on and self.moment.feed:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(BRASS)
            painter.drawEllipse(at, 3.5, 3.5)

    def _path(self, shape: shapely.Polygon) -> QPainterPath:
        made = QPainterPath()
        made.setFillRule(Qt.FillRule.OddEvenFill)
        for ring in (shape.exterior, *shape.interiors):
            made.addPath(self._line(shapely.get_coordinates(ring)))
            made.closeSubpath()
        return made

    def _line(self, points: Floats) -> QPainterPath:
        made = QPainterPath()
        rows = (points[:, :2] - self._shift).tolist()
        made.addPolygon(QPolygonF([QPointF(x, y) for x, y in rows]))
        return made


def _image(pixels: NDArray[np.uint8]) -> QImage:
    """Return a picture (H, W, 4) as an image that owns its bytes."""
    high, wide, _ = pixels.shape
    made = QImage(pixels.data, wide, high, 4 * wide, QImage.Format.Format_RGBA8888)
    return made.copy()


def whole_size(layer: RehearsalLayer) -> QRectF:
    """Return where what is run lies on the table, mm."""
    left, bottom, right, top = layer.box
    x, y = layer.shown.rehearsal.shift
    return QRectF(left - x, bottom - y, right - left, top - bottom)

"""What Inspect draws on the table: findings at their places, the sheet, what goes, what is left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QKeyEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
    QTransform,
)

from silhueta.app.look.theme import AMBER, AMBER_DEEP, CARD, CHALK, INK, PENCIL, SCRIBED, font
from silhueta.app.table.preview_layer import joined
from silhueta.core.units import MM_PER_UNIT, Unit, format_length, format_sides

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table
    from silhueta.core.inspection.as_cut import AsCut
    from silhueta.core.inspection.finding import Finding
    from silhueta.core.inspection.goes import Outcome
    from silhueta.core.inspection.widths import Widths

_MOST = 2000  # findings painted
_NUMBERED = 200  # findings up to which each has its number
_FLAG = (32.0, 18.0)  # px of the box with the number
_NEAR = 16.0  # px about a flag's middle, in which a click means it
_BLUE = 0.6  # of the way to lines only, from which the ground is dark
_LETTERS = "abcdefghijklmnopqrstuvwxyz"


def letter(number: int) -> str:
    """Return a, b … z, aa, ab … for 0, 1, …: what goes is told apart by letters."""
    if number < len(_LETTERS):
        return _LETTERS[number]
    return letter(number // len(_LETTERS) - 1) + _LETTERS[number % len(_LETTERS)]


class FindingLayer:
    """Flags with numbers where findings are; the chosen one filled, with what was measured."""

    def __init__(self, found: Sequence[Finding], chosen: int | None, units: Unit) -> None:
        self.found, self.chosen, self._units = tuple(found), chosen, units

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = table.view.transform()
        room = QRectF(table.rect()).adjusted(-20, -20, 20, 40)
        numbered = len(self.found) <= _NUMBERED
        stands = self._stands(transform)
        order = [k for k in range(min(len(self.found), _MOST)) if k != self.chosen]
        for k in (*order, *(() if self.chosen is None else (self.chosen,))):
            one, chosen = self.found[k], k == self.chosen
            at = transform.map(QPointF(*one.place))
            if one.across is not None:
                ends = [transform.map(QPointF(*end)) for end in one.across]
                painter.setPen(QPen(SCRIBED, 5.0))
                painter.drawLine(*ends)
                painter.setPen(QPen(AMBER_DEEP, 2.5 if chosen else 1.8))
                painter.drawLine(*ends)
            if room.contains(at):
                self._flag(painter, at, stands[k], k + 1, chosen, numbered)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _stands(self, transform: QTransform) -> list[int]:
        """Return how many flags each one stands over: those of one place stand on each other."""
        seen: dict[tuple[int, int], int] = {}
        found = []
        for one in self.found[:_MOST]:
            at = transform.map(QPointF(*one.place))
            cell = (round(at.x() / _FLAG[0]), round(at.y() / _FLAG[1]))
            found.append(seen.get(cell, 0))
            seen[cell] = found[-1] + 1
        return found

    def flag_middles(self, transform: QTransform) -> list[QPointF]:
        """Return the middle of each flag's box on the screen."""
        stands = self._stands(transform)
        return [
            transform.map(QPointF(*one.place)) - QPointF(0, 12 + _FLAG[1] * (0.5 + up))
            for one, up in zip(self.found[:_MOST], stands, strict=True)
        ]

    def _flag(
        self, painter: QPainter, at: QPointF, up: int, number: int, chosen: bool, numbered: bool
    ) -> None:
        if not numbered and not chosen:
            painter.setPen(QPen(AMBER_DEEP, 1.2))
            painter.setBrush(AMBER)
            painter.drawPolygon(QPolygonF([at, at + QPointF(-5, -9), at + QPointF(5, -9)]))
            return
        wide, high = _FLAG
        box = QRectF(at.x() - wide / 2, at.y() - high * (1 + up) - 12, wide, high)
        painter.setPen(QPen(AMBER_DEEP, 2 if chosen else 1.4))
        painter.setBrush(AMBER if chosen else CARD)
        if up:
            painter.drawRect(box)
        else:
            self._pointed(painter, box, at)
        painter.setFont(font(13, QFont.Weight.Bold))
        painter.setPen(INK if chosen else AMBER_DEEP)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))

    def _pointed(self, painter: QPainter, box: QRectF, at: QPointF) -> None:
        painter.drawPolygon(
            QPolygonF(
                [
                    box.topLeft(),
                    box.topRight(),
                    box.bottomRight(),
                    QPointF(at.x() + 6, box.bottom()),
                    at,
                    QPointF(at.x() - 6, box.bottom()),
                    box.bottomLeft(),
                ]
            )
        )


class FindingTool:
    """A click on a flag chooses its finding; everything else moves the table."""

    def __init__(self, layer: Callable[[], FindingLayer | None], chosen: Callable[[int], None]):
        self._layer, self._chosen = layer, chosen

    def press(self, at: QPointF, _: Qt.KeyboardModifier, table: Table) -> bool:
        """Take a click on a flag."""
        layer = self._layer()
        if layer is None or not layer.found:
            return False
        off = [
            max(abs(middle.x() - at.x()), abs(middle.y() - at.y()))
            for middle in layer.flag_middles(table.view.transform())
        ]
        k = int(np.argmin(off))
        if off[k] > _NEAR:
            return False
        self._chosen(k)
        return True

    def move(self, at: QPointF, table: Table) -> None:
        """Do nothing: a flag is only clicked."""

    def release(self, at: QPointF, table: Table) -> None:
        """Do nothing."""

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click as a click."""
        self.press(at, Qt.KeyboardModifier.NoModifier, table)

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Leave all keys to the table."""
        return False

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint nothing: the flags are a layer."""


class SheetLayer:
    """The sheet round the part, and its margin."""

    def __init__(self, box: tuple[float, float, float, float], margin: float, units: Unit) -> None:
        self.box, self.margin, self._units = box, margin, units

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint both, with their sizes."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        transform = table.view.transform()
        left, bottom, right, top = self.box
        whole = transform.mapRect(QRectF(left, bottom, right - left, top - bottom))
        painter.setPen(QPen(SCRIBED, 4))
        painter.drawRect(whole)
        painter.setPen(QPen(PENCIL, 1.6))
        painter.drawRect(whole)
        words = "sheet " + format_sides(right - left, top - bottom, self._units)
        if self.margin:
            m = self.margin
            inner = QRectF(left + m, bottom + m, right - left - 2 * m, top - bottom - 2 * m)
            painter.setPen(QPen(PENCIL, 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(transform.mapRect(inner))
            words += f", margin {m / MM_PER_UNIT[self._units]:.4g}"
        painter.setFont(font(13))
        metrics = painter.fontMetrics()
        label = QRectF(
            max(whole.left(), 40.0),
            max(whole.top() - 20, 26.0),
            metrics.horizontalAdvance(words) + 10,
            18,
        )
        painter.fillRect(label, QColor(247, 244, 233, 220))
        painter.setPen(PENCIL)
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)


class GoesLayer:
    """What goes hatched and lettered, what stays solid; or the sheet that is left of it."""

    def __init__(
        self,
        outcome: Outcome,
        sheet: tuple[float, float, float, float] | None,
        other_side: bool,
    ) -> None:
        self.outcome, self.other_side = outcome, other_side
        self._stays = [joined(piece.loops) for piece in outcome.stays]
        self._goes = [joined(piece.loops) for piece in outcome.goes]
        self._left = QPainterPath()  # of the sheet, once all pieces are out of it
        if other_side:
            box = sheet or _round(outcome)
            self._left.addRect(QRectF(box[0], box[1], box[2] - box[0], box[3] - box[1]))
            for path in self._stays:
                self._left = self._left.subtracted(path)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = table.view.transform()
        painter.setPen(Qt.PenStyle.NoPen)
        steel = QColor("#8fa0a6")
        solid, hatched = self._stays, self._goes
        if self.other_side:  # the sheet is what is kept: pieces fall out of it, slugs stay nowhere
            solid, hatched = [self._left, *self._goes], self._stays
        for path in solid:
            painter.fillPath(transform.map(path), steel)
        for path in hatched:
            shape = transform.map(path)
            painter.fillPath(shape, QColor("#f7f4e9"))
            painter.fillPath(shape, QBrush(AMBER_DEEP, Qt.BrushStyle.BDiagPattern))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for path in (*self._stays, *self._goes):
            painter.setPen(QPen(INK, 1.4))
            painter.drawPath(transform.map(path))
        pieces = self.outcome.stays if self.other_side else self.outcome.goes
        painter.setFont(font(14, QFont.Weight.Bold))
        for k, piece in enumerate(pieces[:_NUMBERED]):
            self._letter(painter, transform.map(QPointF(*piece.inside)), letter(k))

    def _letter(self, painter: QPainter, at: QPointF, text: str) -> None:
        wide = painter.fontMetrics().horizontalAdvance(text) + 10
        box = QRectF(at.x() - wide / 2, at.y() - 10, wide, 20)
        painter.setPen(QPen(PENCIL, 1))
        painter.setBrush(CARD)
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(INK)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.setBrush(Qt.BrushStyle.NoBrush)


class AsCutLayer:
    """What the tool leaves as a full line; what stays standing over the drawing hatched."""

    def __init__(self, made: AsCut, units: Unit) -> None:
        self.made, self._units = made, units
        self._left = joined(made.outline)
        self._standing = [joined(place.loops) for place in made.standing]

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline, the farthest place with its size."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = table.view.transform()
        left = transform.map(self._left)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for path in self._standing:
            shape = transform.map(path)
            painter.fillPath(shape, QColor(255, 255, 255, 190))
            painter.fillPath(shape, QBrush(AMBER_DEEP, Qt.BrushStyle.DiagCrossPattern))
        painter.setPen(QPen(SCRIBED, 4.5))
        painter.drawPath(left)
        painter.setPen(QPen(INK, 2))
        painter.drawPath(left)
        if self.made.standing:
            first = self.made.standing[0]
            at = transform.map(QPointF(*first.at))
            told = f"{format_length(first.far, self._units)} stay standing"
            _label(painter, at, told, QRectF(table.rect()))


class WidthsLayer:
    """Strokes across the part along its outline: the thinner it is, the closer they stand.

    Under the limit every place has a stroke right across; up to twice the limit every fourth has a
    short one. The thinnest places carry their width.
    """

    def __init__(self, made: Widths, limit: float, units: Unit, least: Sequence[int]) -> None:
        self.made, self.limit, self._units, self._least = made, limit, units, tuple(least)
        thin = made.thick < limit
        near = ~thin & (made.thick < 2 * limit)
        near &= np.arange(len(near)) % 4 == 0
        self._thin = np.flatnonzero(thin)
        self._near = np.flatnonzero(near)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform, shown = table.view.transform(), table.view.shown().normalized()
        made = self.made
        inside = (
            (made.points[:, 0] > shown.left())
            & (made.points[:, 0] < shown.right())
            & (made.points[:, 1] > shown.top())
            & (made.points[:, 1] < shown.bottom())
        )
        dark = table.lines < _BLUE
        for which, colour, wide, share in (
            (self._near, PENCIL if dark else CHALK, 1.0, 0.25),
            (self._thin, AMBER_DEEP if dark else AMBER, 1.6, 0.5),
        ):
            painter.setPen(QPen(colour, wide))
            for k in which[inside[which]].tolist():
                p = made.points[k]
                q = p + share * (made.across[k] - p)
                painter.drawLine(transform.map(QPointF(*p)), transform.map(QPointF(*q)))
        for k in self._least:
            middle = (made.points[k] + made.across[k]) / 2
            at = transform.map(QPointF(*middle))
            _label(
                painter, at, format_length(float(made.thick[k]), self._units), QRectF(table.rect())
            )


def _label(painter: QPainter, at: QPointF, text: str, room: QRectF) -> None:
    """Paint words beside a place, with a line to it."""
    if not room.contains(at):
        return
    painter.setFont(font(13, QFont.Weight.DemiBold))
    wide = painter.fontMetrics().horizontalAdvance(text) + 12
    box = QRectF(at.x() + 18, at.y() - 34, wide, 20)
    if box.right() > room.right() - 8:
        box.moveRight(at.x() - 18)
    painter.setPen(QPen(AMBER_DEEP, 1.4))
    painter.drawLine(at, QPointF(at.x() + (18 if box.left() > at.x() else -18), box.center().y()))
    painter.setBrush(CARD)
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(INK)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _round(outcome: Outcome) -> tuple[float, float, float, float]:
    """Return a sheet about everything, where none was told."""
    from silhueta.core.geometry.measure import bounding_box

    loops = [loop for piece in outcome.stays for loop in piece.loops]
    left, bottom, right, top = bounding_box(loops)
    around = 0.06 * max(right - left, top - bottom)
    return left - around, bottom - around, right + around, top + around

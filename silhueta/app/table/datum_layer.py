"""What fixes the scale, drawn on the photo: sheet and its corners, marks, lengths, rounds."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import AMBER, BRASS, BRASS_DEEP, CARD, INK, font
from silhueta.app.table.loupe import paint_loupe
from silhueta.core.datum.camera import Lens, Plane, box_corners, homography
from silhueta.core.datum.solve import Solution, ellipse_points
from silhueta.core.datums import Datum, GaugeDatum, LengthDatum, RoundDatum, SheetDatum
from silhueta.core.errors import ScaleError
from silhueta.core.units import Unit, format_length

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface

Corners = list[tuple[float, float]]
Place = Callable[[QPointF], QPointF]  # picture px to screen px
_HANDLE = 9.0
_ENLARGED = 200.0
_GRID = 20.0  # mm


def paint_datums(
    painter: QPainter, datums: tuple[Datum, ...], dragged: Corners | None, place: Place, unit: Unit
) -> None:
    """Paint every datum that has a place; `dragged` are the sheet's corners under the hand."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for datum in datums:
        if isinstance(datum, SheetDatum):
            _paint_sheet(painter, datum, dragged or list(datum.corners), place)
        elif isinstance(datum, GaugeDatum):
            _paint_marks(painter, datum, place)
        elif isinstance(datum, LengthDatum):
            one, two = place(QPointF(*datum.start)), place(QPointF(*datum.end))
            _cased(painter, [QLineF(one, two)])
            for end in (one, two):
                _cased(painter, _cross(end))
            _label(painter, (one + two) / 2, format_length(datum.mm, unit))
        elif isinstance(datum, RoundDatum):
            rim = [place(QPointF(x, y)) for x, y in ellipse_points(datum, 72)]
            _cased(painter, [QLineF(a, b) for a, b in zip(rim, rim[1:] + rim[:1], strict=True)])
            middle = place(QPointF(*datum.centre))
            _label(painter, middle, f"⌀ {format_length(datum.mm, unit)}")


def paint_sureness(
    painter: QPainter, solution: Solution, width: int, height: int, place: Place
) -> None:
    """Paint how sure 100 mm are (two standard uncertainties, mm), all over the photo."""
    x, y = np.meshgrid(np.linspace(0.09, 0.91, 6), np.linspace(0.1, 0.9, 5))
    px = np.column_stack([x.ravel() * width, y.ravel() * height])
    sure = 200 * solution.relative_uncertainty(px)
    low, high = float(sure.min()), float(sure.max())
    for told in solution.told:
        if isinstance(told.datum, GaugeDatum):
            _paint_residuals(painter, told.datum, solution.plane.lens, place)
    for (u, v), value in zip(px.tolist(), sure.tolist(), strict=True):
        at = place(QPointF(u, v))
        size = 6 + 20 * (value - low) / max(high - low, 0.2 * high, 1e-9)
        wash = QColor(BRASS)
        wash.setAlphaF(0.55)
        painter.setPen(QPen(CARD, 1.5))
        painter.setBrush(wash)
        painter.drawEllipse(at, size, size)
        _label(painter, at, f"±{value:.2f} mm")
    painter.setBrush(Qt.BrushStyle.NoBrush)


def corner_at(corners: Corners, place: Place, screen: QPointF) -> int | None:
    """Return which corner lies under the cursor, or None."""
    for number, (x, y) in enumerate(corners):
        away = place(QPointF(x, y)) - screen
        if abs(away.x()) < _HANDLE + 5 and abs(away.y()) < _HANDLE + 5:
            return number
    return None


def _paint_sheet(painter: QPainter, sheet: SheetDatum, corners: Corners, place: Place) -> None:
    screen = [place(QPointF(x, y)) for x, y in corners]
    fine = QColor(BRASS)
    fine.setAlphaF(0.45)
    painter.setPen(QPen(fine, 1))
    painter.drawLines(_grid(sheet, corners, place))
    _cased(painter, [QLineF(screen[i - 1], screen[i]) for i in range(4)])
    for number, at in enumerate(screen):
        painter.setPen(QPen(INK, 2))
        painter.setBrush(BRASS if number == 0 else CARD)
        painter.drawRect(QRectF(at.x() - _HANDLE / 2, at.y() - _HANDLE / 2, _HANDLE, _HANDLE))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    width, height = sheet.size
    _label(painter, (screen[0] + screen[1]) / 2, f"{width:g}")
    _label(painter, (screen[0] + screen[3]) / 2, f"{height:g}")


def _grid(sheet: SheetDatum, corners: Corners, place: Place) -> list[QLineF]:
    """Return lines of the sheet's plane, 20 mm apart; they follow a corner under the hand."""
    width, height = sheet.size
    try:
        plane = Plane(
            homography(box_corners(width, height), np.array(corners)), Lens(1.0, (0.0, 0.0))
        )
    except (ScaleError, np.linalg.LinAlgError):
        return []
    ends = [[(x, 0.0), (x, height)] for x in np.arange(_GRID, width, _GRID).tolist()] + [
        [(0.0, y), (width, y)] for y in np.arange(_GRID, height, _GRID).tolist()
    ]
    px = plane.to_px(np.array(ends).reshape(-1, 2)).reshape(-1, 2, 2)
    return [QLineF(place(QPointF(*a)), place(QPointF(*b))) for a, b in px.tolist()]


def _paint_marks(painter: QPainter, gauge: GaugeDatum, place: Place) -> None:
    points = np.array(gauge.points)
    for four in points[:, :2].reshape(-1, 4, 2).tolist():
        screen = QPolygonF([place(QPointF(x, y)) for x, y in four])
        painter.setPen(QPen(CARD, 3))
        painter.drawPolygon(screen)
        painter.setPen(QPen(BRASS_DEEP, 1.5))
        painter.drawPolygon(screen)


def _paint_residuals(painter: QPainter, gauge: GaugeDatum, lens: Lens, place: Place) -> None:
    """Paint how far each mark lies from where it should, many times enlarged."""
    points = np.array(gauge.points)
    middles = points.reshape(-1, 4, 4).mean(1)
    plane = Plane(homography(points[:, 2:], lens.straighten(points[:, :2])), lens)
    away = (points[:, :2] - plane.to_px(points[:, 2:])).reshape(-1, 4, 2).mean(1)
    painter.setPen(QPen(AMBER, 2.5))
    for (x, y, _, _), (dx, dy) in zip(middles.tolist(), away.tolist(), strict=True):
        start = QPointF(x, y)
        painter.drawLine(place(start), place(start + QPointF(dx, dy) * _ENLARGED))
    _label(painter, place(QPointF(*middles[0, :2].tolist())), f"off × {_ENLARGED:.0f}")


def _cased(painter: QPainter, lines: list[QLineF]) -> None:
    for pen in (QPen(CARD, 4.5), QPen(BRASS_DEEP, 2)):
        painter.setPen(pen)
        painter.drawLines(lines)


def _cross(at: QPointF) -> list[QLineF]:
    x, y = at.x(), at.y()
    return [QLineF(x - 7, y, x + 7, y), QLineF(x, y - 7, x, y + 7)]


def _label(painter: QPainter, at: QPointF, text: str) -> None:
    painter.setFont(font(13, QFont.Weight.DemiBold, narrow=True))
    wide = painter.fontMetrics().horizontalAdvance(text) + 10
    box = QRectF(at.x() - wide / 2, at.y() - 10, wide, 20)
    painter.setPen(QPen(INK, 1))
    painter.setBrush(CARD)
    painter.drawRoundedRect(box, 3, 3)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_hand(
    painter: QPainter,
    table: Surface,
    datums: tuple[Datum, ...],
    units: Unit,
    corners: list[tuple[float, float]] | None,
    held: QPointF | None,
) -> None:
    """Paint what fixes the scale, how sure it is, and the corner under the hand, px, in a loupe."""
    layer = table.picture
    paint_datums(painter, datums, corners, table.from_pixel, units)
    if table.solution is not None and layer is not None:
        paint_sureness(painter, table.solution, layer.width, layer.height, table.from_pixel)
    if held is not None and layer is not None:
        paint_loupe(painter, layer, held, table.from_pixel(held), QRectF(table.rect()))

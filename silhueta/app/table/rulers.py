"""Rulers in real units along the left and the lower edge of the table, and the grid between."""

from __future__ import annotations

import math
from collections.abc import Iterator

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from silhueta.app.look.theme import CARD, FAINT, INK, RULE, font
from silhueta.app.table.view import View
from silhueta.core.units import MM_PER_UNIT, Unit

THICK = 26  # px
_ROOM = 62  # px between two figures at least


def steps(px_per_unit: float, unit: Unit) -> tuple[float, int]:
    """Return the distance between two figures, in units, and into how many parts it is divided."""
    wanted = _ROOM / px_per_unit
    power = 10.0 ** math.floor(math.log10(wanted))
    if unit == "in" and wanted < 1:
        for step in (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1.0):
            if step >= wanted:
                return step, 4 if step < 1 else 8
    for factor, parts in ((1, 10), (2, 10), (5, 5), (10, 10)):
        if factor * power >= wanted:
            return factor * power, parts
    return 10 * power, 10


def paint_rulers(
    painter: QPainter,
    view: View,
    unit: Unit,
    true_size: bool,
    zero: tuple[float, float] = (0.0, 0.0),
) -> None:
    """Paint both rulers over the table's edges; `zero` (mm) is where they count from."""
    width, height = view.size.width(), view.size.height()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.fillRect(QRectF(0, 0, THICK, height), CARD)
    painter.fillRect(QRectF(0, height - THICK, width, THICK), CARD)
    painter.setPen(QPen(RULE, 1))
    painter.drawLine(QLineF(THICK, 0, THICK, height - THICK))
    painter.drawLine(QLineF(THICK, height - THICK, width, height - THICK))
    painter.setFont(font(12, narrow=True))
    fine, bold = QPen(FAINT, 1), QPen(INK, 1)
    for x, value, part in _marks(view, unit, 0, zero[0]):
        if x > THICK:
            painter.setPen(bold if part == 0 else fine)
            painter.drawLine(QLineF(x, height - THICK, x, height - THICK + (8 if part == 0 else 4)))
            if part == 0:
                box = QRectF(x - 30, height - THICK + 8, 60, 16)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, value)
    for y, value, part in _marks(view, unit, 1, zero[1]):
        if y < height - THICK:
            painter.setPen(bold if part == 0 else fine)
            painter.drawLine(QLineF(THICK - (8 if part == 0 else 4), y, THICK, y))
            if part == 0:
                painter.save()
                painter.translate(QPointF(9, y))
                painter.rotate(-90)
                painter.drawText(QRectF(-30, -8, 60, 16), Qt.AlignmentFlag.AlignCenter, value)
                painter.restore()
    painter.fillRect(QRectF(0, height - THICK, THICK, THICK), CARD)
    painter.setPen(bold)
    name = unit if true_size else "?"
    painter.drawText(QRectF(0, height - THICK, THICK, THICK), Qt.AlignmentFlag.AlignCenter, name)


def paint_grid(painter: QPainter, view: View, unit: Unit, colour: QColor) -> None:
    """Paint a line at every figure of the rulers."""
    width, height = view.size.width(), view.size.height()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(QPen(colour, 1))
    lines = [QLineF(x, 0, x, height) for x, _, part in _marks(view, unit, 0) if part == 0]
    lines += [QLineF(0, y, width, y) for y, _, part in _marks(view, unit, 1) if part == 0]
    painter.drawLines(lines)


def _marks(
    view: View, unit: Unit, axis: int, zero: float = 0.0
) -> Iterator[tuple[float, str, int]]:
    """Yield the screen place, the figure and the part (0: with figure) of each mark."""
    size = MM_PER_UNIT[unit]
    per_unit = view.px_per_mm * size
    step, parts = steps(per_unit, unit)
    shown = view.shown()
    low, high = (shown.left(), shown.right()) if axis == 0 else (shown.top(), shown.bottom())
    low, high = low - zero, high - zero
    first = math.floor(low / size / step)
    places = max(0, -math.floor(math.log10(step) + 1e-9)) if unit == "mm" else 3
    for whole in range(first, math.ceil(high / size / step) + 1):
        for part in range(parts):
            value = (whole + part / parts) * step
            mm = value * size + zero
            at = (
                view.to_screen(QPointF(mm, 0)).x()
                if axis == 0
                else view.to_screen(QPointF(0, mm)).y()
            )
            text = f"{value:.{places}f}"
            if unit == "in":
                text = text.rstrip("0").rstrip(".")
            yield at, text if text not in ("-0", "") else "0", part

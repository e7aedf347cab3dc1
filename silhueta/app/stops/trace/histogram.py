"""The picture's grey values with a marker that a hand can drag: the threshold."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from silhueta.app.look.theme import BRASS, BRASS_DEEP, CHALK, FAINT, PENCIL, RULE, WHITE, font
from silhueta.core.errors import UnitsError

_FOOT = 30.0  # px for the scale of greys and its figures
_SIDE = 8.0


def read_grey(text: str) -> float:
    """Return the grey value that a field holds.

    Raises
    ------
    UnitsError
        If it is no number from 0 to 255.

    """
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError as error:
        raise UnitsError(f"“{text.strip()[:40]}” is not a grey value from 0 to 255") from error
    if not 0 <= value <= 255:
        raise UnitsError(f"{value:g} is not a grey value; black is 0 and white is 255")
    return value


class Histogram(QWidget):
    """How many pixels have each grey, 0 black to 255 white; the marker is the threshold."""

    dragged = Signal(float)  # while the hand moves it
    banded = Signal(float, float)  # the ends of a band, while the hand moves one
    dropped = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Threshold")
        self.setAccessibleDescription("Grey values of the picture. Arrow keys move the threshold.")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(104)
        self._counts = [0] * 256
        self._value = 128.0
        self._dark = True
        self._automatic = True
        self._band: tuple[float, float] | None = None
        self._end = 0  # of the band, that the hand holds

    def sizeHint(self) -> QSize:
        """Return a height that shows two hills apart."""
        return QSize(240, 104)

    def show_values(
        self,
        counts: list[int],
        value: float,
        dark: bool,
        automatic: bool,
        band: tuple[float, float] | None = None,
    ) -> None:
        """Show counts (256), the threshold, which side is the part, and who set it; or a band."""
        self._counts, self._value = counts, value
        self._dark, self._automatic, self._band = dark, automatic, band
        tip = "Drag an end of the band" if band else "Drag to move the threshold"
        self.setToolTip(f"{tip}; arrow keys move it by one grey")
        self.update()

    def _x(self, grey: float) -> float:
        return _SIDE + grey / 255 * (self.width() - 2 * _SIDE)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the hills, the part's side darker, the marker and the scale of greys."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        floor = self.height() - _FOOT
        painter.fillRect(QRectF(0, 0, self.width(), floor), WHITE)
        pairs = [max(self._counts[g - g % 2], self._counts[g - g % 2 + 1]) for g in range(256)]
        top = math.log1p(max(max(pairs), 1))
        for low, high, part in self._stretches():
            hill = [QPointF(self._x(low), floor)]
            for grey in range(low, high):
                hill.append(
                    QPointF(self._x(grey), floor - (floor - 8) * math.log1p(pairs[grey]) / top)
                )
            hill.append(QPointF(self._x(max(high - 1, low)), floor))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(PENCIL if part else RULE)
            painter.drawPolygon(QPolygonF(hill))
        for grey in range(0, 256, 3):
            painter.fillRect(
                QRectF(self._x(grey), floor, self._x(3) - self._x(0) + 1, 8),
                QColor(grey, grey, grey),
            )
        painter.setFont(font(12, narrow=True))
        painter.setPen(FAINT)
        for grey in (0, 64, 128, 192, 255):
            box = QRectF(min(max(self._x(grey) - 20, 0), self.width() - 40), floor + 10, 40, 16)
            flag = Qt.AlignmentFlag.AlignHCenter
            if grey in (0, 255):
                flag = Qt.AlignmentFlag.AlignLeft if grey == 0 else Qt.AlignmentFlag.AlignRight
            painter.drawText(box, flag, str(grey))
        for grey_value in self._band or (self._value,):
            x = self._x(grey_value)
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, floor + 8))
            painter.setBrush(BRASS)
            painter.setPen(QPen(BRASS_DEEP, 1))
            feet = [QPointF(x - 8, floor + 12), QPointF(x + 8, floor + 12)]
            painter.drawPolygon(QPolygonF([QPointF(x, floor - 4), *feet]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(BRASS_DEEP if self.hasFocus() else CHALK, 2 if self.hasFocus() else 1))
        painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, floor - 1))
        painter.end()

    def _stretches(self) -> list[tuple[int, int, bool]]:
        """Return the ranges of greys, and whether each is the part's."""
        if self._band is None:
            middle = int(self._value)
            return [(0, middle, self._dark), (middle, 256, not self._dark)]
        low, high = (int(end) for end in self._band)
        return [(0, low, not self._dark), (low, high, self._dark), (high, 256, not self._dark)]

    def _grey_at(self, x: float) -> float:
        return round((x - _SIDE) / max(self.width() - 2 * _SIDE, 1) * 255)

    def _drag_to(self, grey: float) -> None:
        if self._band is None:
            self.dragged.emit(float(min(max(grey, 1), 255)))
            return
        low, high = self._band
        if self._end == 0:
            self.banded.emit(float(min(max(grey, 0), high - 1)), high)
        else:
            self.banded.emit(low, float(max(min(grey, 255), low + 1)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Put the threshold, or the nearer end of the band, where the hand is."""
        if event.button() == Qt.MouseButton.LeftButton:
            grey = self._grey_at(event.position().x())
            if self._band is not None:
                self._end = int(abs(grey - self._band[0]) > abs(grey - self._band[1]))
            self._drag_to(grey)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it along."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._drag_to(self._grey_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        self.dropped.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move it by one grey, or by ten with Shift."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if not step:
            super().keyPressEvent(event)
            return
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        now = self._value if self._band is None else self._band[self._end]
        self._drag_to(round(now) + step * (10 if far else 1))
        self.dropped.emit()

"""Where the table's millimetres lie on the screen."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSizeF
from PySide6.QtGui import QTransform

_CLOSEST, _FARTHEST = 4000.0, 0.005  # screen px per mm


class View:
    """A centre in mm, y up, and a magnification in screen px per mm."""

    def __init__(self) -> None:
        self.centre = QPointF(0, 0)
        self.px_per_mm = 4.0
        self.size = QSizeF(1, 1)

    def transform(self) -> QTransform:
        """Return what takes mm, y up, to screen px, y down."""
        k = self.px_per_mm
        dx = self.size.width() / 2 - k * self.centre.x()
        dy = self.size.height() / 2 + k * self.centre.y()
        return QTransform(k, 0, 0, -k, dx, dy)

    def to_screen(self, mm: QPointF) -> QPointF:
        """Return the screen place of a point in mm."""
        return self.transform().map(mm)

    def to_mm(self, screen: QPointF) -> QPointF:
        """Return the mm of a screen place."""
        return self.transform().inverted()[0].map(screen)

    def shown(self) -> QRectF:
        """Return the part of the plane on the screen, mm; its top is the lowest y."""
        return (
            self.transform()
            .inverted()[0]
            .mapRect(QRectF(0, 0, self.size.width(), self.size.height()))
        )

    def zoom(self, factor: float, about: QPointF) -> None:
        """Magnify by `factor`, the place under `about` (screen) staying where it is."""
        held = self.to_mm(about)
        self.px_per_mm = min(max(self.px_per_mm * factor, _FARTHEST), _CLOSEST)
        moved = self.to_mm(about)
        self.centre += held - moved

    def pan(self, dx: float, dy: float) -> None:
        """Move what is shown by screen px."""
        self.centre += QPointF(-dx / self.px_per_mm, dy / self.px_per_mm)

    def fit(self, box: QRectF, margin: float) -> None:
        """Show all of `box` (mm) with a margin in screen px."""
        if box.width() <= 0 or box.height() <= 0:
            return
        room_x = max(self.size.width() - 2 * margin, 50)
        room_y = max(self.size.height() - 2 * margin, 50)
        self.px_per_mm = min(room_x / box.width(), room_y / box.height())
        self.px_per_mm = min(max(self.px_per_mm, _FARTHEST), _CLOSEST)
        self.centre = box.center()

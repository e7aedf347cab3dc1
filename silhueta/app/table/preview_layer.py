"""What an edit would do: what goes is hatched, what is new is tinted, before it is taken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen

from silhueta.app.look.theme import BRASS, INK
from silhueta.app.table.outline_layer import painter_path
from silhueta.core.geometry.path import Path

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface


class PreviewLayer:
    """Regions that would go and come, and the lines there would be, mm."""

    def __init__(self, goes: Sequence[Path], comes: Sequence[Path], lines: Sequence[Path]) -> None:
        self.goes, self.comes, self.lines = tuple(goes), tuple(comes), tuple(lines)
        self._areas = [joined(self.goes), joined(self.comes), joined(self.lines)]

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint them over the outline."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        goes, comes, lines = (table.view.transform().map(area) for area in self._areas)
        painter.setPen(Qt.PenStyle.NoPen)
        veil = QColor(255, 255, 255, 150)
        painter.fillPath(goes, veil)
        painter.fillPath(goes, QBrush(INK, Qt.BrushStyle.BDiagPattern))
        tint = QColor(BRASS)
        tint.setAlphaF(0.55)
        painter.fillPath(comes, tint)
        painter.setPen(QPen(BRASS, 2, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(lines)


def joined(paths: Sequence[Path]) -> QPainterPath:
    """Return paths as one of the painter's, by the rule of fills."""
    whole = QPainterPath()
    whole.setFillRule(Qt.FillRule.OddEvenFill)
    for path in paths:
        whole.addPath(painter_path(path))
    return whole

"""The hand at Build: a click chooses a piece, a drag moves what is chosen."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPainterPath, QPen

from silhueta.app.look.theme import BRASS, CARD
from silhueta.app.table.hint import paint_hint
from silhueta.app.table.outline_layer import painted
from silhueta.core.geometry.measure import area_of
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import Loop
from silhueta.core.tidy.index import Index

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table

_NEAR = 8.0  # screen px
STILL = 4.0  # screen px that a click may move


class PieceTool:
    """Tells which contour is clicked, and by how much the chosen ones are dragged."""

    def __init__(
        self,
        clicked: Callable[[int, tuple[float, float]], None],
        dragged: Callable[[float, float], None],
        cleared: Callable[[], None],
        chosen: Callable[[], Collection[int]],
    ) -> None:
        self._clicked, self._dragged, self._cleared = clicked, dragged, cleared
        self._chosen = chosen
        self._index: Index | None = None
        self._start: QPointF | None = None
        self._now = QPointF()
        self._moving = False

    def _at(self, at: QPointF, table: Table) -> Contour | None:
        """Return the contour under the cursor: on its line, or the smallest loop it lies in."""
        outline = table.outline
        if self._index is None or self._index.outline is not outline:
            self._index = Index.of(outline, self._index)
        mm = table.view.to_mm(at)
        found = self._index.on_path(mm.x(), mm.y(), _NEAR / table.view.px_per_mm)
        if found is not None:
            return outline.contours[found.contour]
        inside = [
            c
            for c in outline.contours
            if c.taken
            and isinstance(c.path, Loop)
            and isinstance(shape := painted(c.path), QPainterPath)
            and shape.contains(mm)
        ]
        return min(inside, key=lambda c: area_of(c.path), default=None)  # type: ignore[arg-type]

    def press(self, at: QPointF, _: Qt.KeyboardModifier, table: Table) -> bool:
        """Take a piece, or leave the drag to the table."""
        contour = self._at(at, table)
        if contour is None:
            return False
        self._start = self._now = at
        self._moving = contour.key in self._chosen()
        return True

    def move(self, at: QPointF, table: Table) -> None:
        """Drag what is chosen along; the table, where the hand is on something else."""
        if self._start is not None and not self._moving:
            moved = at - self._now
            table.view.pan(moved.x(), moved.y())
        self._now = at
        table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Choose what was clicked, or let what was dragged go."""
        start, self._start = self._start, None
        if start is None:
            return
        if (at - start).manhattanLength() <= STILL:
            contour = self._at(at, table)
            if contour is not None:
                mm = table.view.to_mm(at)
                self._clicked(contour.key, (mm.x(), mm.y()))
        elif self._moving:
            one, two = table.view.to_mm(start), table.view.to_mm(at)
            self._dragged(two.x() - one.x(), two.y() - one.y())

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click as a click more."""
        if self.press(at, Qt.KeyboardModifier.NoModifier, table):
            self.release(at, table)

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Let go of everything by Esc."""
        if event.key() != Qt.Key.Key_Escape:
            return False
        self._start = None
        self._cleared()
        table.update()
        return True

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint what is chosen, where it is dragged to, and what the hand can do."""
        self.paint_chosen(painter, table)
        text = "Click a piece to choose it; drag it to move it.  Esc lets all go."
        paint_hint(painter, QRectF(table.rect()), text)

    def paint_chosen(self, painter: QPainter, table: Surface) -> None:
        """Paint what is chosen, and where it is dragged to."""
        keys = set(self._chosen())
        paths = [c.path for c in table.outline.contours if c.key in keys]
        if paths:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            off = QPointF()
            if self._start is not None and self._moving:
                off = self._now - self._start
            for path in paths:
                shape = painted(path)
                if isinstance(shape, QPainterPath):
                    shown = table.view.transform().map(shape).translated(off)
                    for pen in (QPen(CARD, 5), QPen(BRASS, 3)):
                        painter.setPen(pen)
                        painter.drawPath(shown)

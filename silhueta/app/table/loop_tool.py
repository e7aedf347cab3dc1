"""The hand at Tidy, on loops: a click takes one along or leaves it out, a box does many."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from silhueta.app.look.theme import BRASS, CARD
from silhueta.app.table.hint import paint_hint
from silhueta.core.geometry.outline import Outline
from silhueta.core.tidy.index import Index

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table

_NEAR = 8.0  # screen px
_STILL = 4.0  # screen px that a click may move


class LoopTool:
    """Tells which loop the hand points at, and which are clicked or boxed."""

    def __init__(
        self,
        toggled: Callable[[Collection[int]], None],
        hovered: Callable[[int | None], None],
    ) -> None:
        self._toggled, self._hovered = toggled, hovered
        self._index: Index | None = None
        self._start: QPointF | None = None
        self._now = QPointF()
        self._boxing = False
        self.hover: int | None = None

    def index(self, outline: Outline) -> Index:
        """Return the index of `outline`, made once."""
        if self._index is None or self._index.outline is not outline:
            self._index = Index.of(outline, self._index)
        return self._index

    def _at(self, at: QPointF, table: Table) -> int | None:
        mm, within = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        found = self.index(table.outline).on_path(mm.x(), mm.y(), within)
        return None if found is None else found.contour

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Take a loop, or begin a box with Shift; else the table moves."""
        self._boxing = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        if not self._boxing and self._at(at, table) is None:
            return False
        self._start = self._now = at
        return True

    def move(self, at: QPointF, table: Table) -> None:
        """Light up the loop under the cursor; draw the box."""
        self._now = at
        if self._start is None:
            found = self._at(at, table)
            if found != self.hover:
                self.hover = found
                self._hovered(found)
        table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Cut or skip what was clicked or boxed."""
        start, self._start = self._start, None
        if start is None:
            return
        if self._boxing:
            one, two = table.view.to_mm(start), table.view.to_mm(at)
            low = (min(one.x(), two.x()), min(one.y(), two.y()))
            high = (max(one.x(), two.x()), max(one.y(), two.y()))
            inside = self.index(table.outline).contours_in(low, high)
            if inside:
                self._toggled(inside)
        elif (at - start).manhattanLength() <= _STILL:
            found = self._at(at, table)
            if found is not None:
                self._toggled({found})

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click as a click more."""
        if self.press(at, Qt.KeyboardModifier.NoModifier, table):
            self.release(at, table)

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Give up a box by Esc."""
        if event.key() == Qt.Key.Key_Escape and self._start is not None:
            self._start = None
            return True
        return False

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint the box, and what the hand can do."""
        if self._start is not None and self._boxing:
            box = QRectF(self._start, self._now).normalized()
            for pen in (QPen(CARD, 3), QPen(BRASS, 2, Qt.PenStyle.DashLine)):
                painter.setPen(pen)
                painter.drawRect(box)
        text = "Click a loop: cut or skip.  Shift and drag: all in a box.  Drag: move the table."
        paint_hint(painter, QRectF(table.rect()), text)

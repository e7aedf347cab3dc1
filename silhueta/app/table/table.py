"""The table: the hand on what is shown, at true scale."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.table.pick import PickTool
from silhueta.app.table.surface import Surface
from silhueta.core.datums import SheetDatum

if TYPE_CHECKING:
    from silhueta.app.table.tool import Tool

_STEP = 1.2  # a wheel notch's magnification


class Table(Surface):
    """Changes nothing but the view, and hands clicks, drags and keys to the tool of the moment."""

    cursor_moved = Signal(object)  # QPointF in mm, or None
    corners_moved = Signal(object)  # four (x, y) in px of the photo, let go by the hand

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self._drag: QPointF | None = None
        self._held = False  # whether the tool has the button

    # tools

    def start_pick(
        self,
        count: int,
        done: Callable[[list[tuple[float, float]]], None],
        snap: Callable[[float, float], tuple[float, float, str]] | None = None,
    ) -> None:
        """Let the hand pick `count` points of the picture, then call `done` with them, px.

        `snap` moves a point to the edge or corner near it and names what that is.
        """
        self.stop_pick()
        self.pick = PickTool(count, done, snap)
        self.setFocus()
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.pick.move(self.to_pixel(QPointF(self.rect().center())))
        self.update()

    def start_brush(
        self, width: float, ink: bool, done: Callable[[list[tuple[float, float]]], None]
    ) -> None:
        """Let the hand paint strokes `width` px wide; each is given to `done`, px."""
        from silhueta.app.table.brush import BrushTool

        self.stop_pick()
        self.brush = BrushTool(width, ink, done)
        self.setFocus()
        self.setCursor(Qt.CursorShape.BlankCursor)
        self.update()

    def stop_pick(self) -> None:
        """Put the tool of the hand away."""
        self.pick = None
        self.brush = None
        self.unsetCursor()
        self.update()

    # the hand

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom to the cursor."""
        notches = event.angleDelta().y() / 120 or event.pixelDelta().y() / 50
        if notches:
            self.zoom_by(_STEP**notches, event.position())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick, or take hold of the table."""
        if event.button() == Qt.MouseButton.LeftButton and self.pick is not None:
            self.pick.move(self.to_pixel(event.position()))
            self._take_pick()
        elif event.button() == Qt.MouseButton.LeftButton and self.brush is not None:
            self.brush.press(self.to_pixel(event.position()))
            self.update()
        elif event.button() == Qt.MouseButton.LeftButton and self._take_corner(event.position()):
            pass
        elif event.button() == Qt.MouseButton.LeftButton and self._tool_takes(event):
            self.update()
        elif event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._drag = event.position()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the table with the hand; tell where the cursor is."""
        if self._drag is not None:
            moved = event.position() - self._drag
            self.view.pan(moved.x(), moved.y())
            self._drag = event.position()
            self.update()
        if self.brush is not None:
            self.brush.move(self.to_pixel(event.position()))
            self.update()
        if self._corners is not None:
            at = self.to_pixel(event.position())
            self._corners[self._corner] = (at.x(), at.y())
            self.update()
        if self.pick is not None:
            self.pick.move(self.to_pixel(event.position()))
            self.update()
        elif self.tool is not None and self._drag is None:
            self.tool.move(event.position(), self)
        self.cursor_moved.emit(self.view.to_mm(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go of the table, of a corner, or of the brush."""
        if self.brush is not None:
            self.brush.release()
            self.update()
        if self._corners is not None:
            corners, self._corners = self._corners, None
            self.corners_moved.emit(tuple(corners))
            self.update()
        if self._held:
            self._held = False
            if self.tool is not None:
                self.tool.release(event.position(), self)
            self.update()
        if self._drag is not None:
            self._drag = None
            if self.pick is None:
                self.unsetCursor()
            else:
                self.setCursor(Qt.CursorShape.CrossCursor)

    def _tool_takes(self, event: QMouseEvent) -> bool:
        if self.tool is None or self.tilted or self.pick is not None or self.brush is not None:
            return False
        self._held = self.tool.press(event.position(), event.modifiers(), self)
        return self._held

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Leave double clicks to the tool; without one they are clicks."""
        if self.tool is None or self.pick is not None or self.brush is not None:
            self.mousePressEvent(event)
        elif event.button() == Qt.MouseButton.LeftButton and not self.tilted:
            self.tool.double(event.position(), self)

    def set_tool(self, tool: Tool | None) -> None:
        """Give the hand a tool, or take it away."""
        self.tool, self._held = tool, False
        self.update()

    def _take_corner(self, screen: QPointF) -> bool:
        """Take hold of the sheet's corner under the cursor, if there is one."""
        if not self.shows_datums:
            return False
        from silhueta.app.table.datum_layer import corner_at

        for datum in self._session.job.datums:
            if isinstance(datum, SheetDatum):
                found = corner_at(list(datum.corners), self.from_pixel, screen)
                if found is not None:
                    self._corners, self._corner = list(datum.corners), found
                    return True
        return False

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Show the focus when a key brought it."""
        keys = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_key = event.reason() in keys
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Show that it is gone."""
        self._by_key = False
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        """Tell that the cursor is gone."""
        self.cursor_moved.emit(None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move the picking cross by arrow keys, pick by Enter, give up by Esc; else pan."""
        key = event.key()
        steps = {
            Qt.Key.Key_Left: (-1.0, 0.0),
            Qt.Key.Key_Right: (1.0, 0.0),
            Qt.Key.Key_Up: (0.0, -1.0),
            Qt.Key.Key_Down: (0.0, 1.0),
        }
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        free = self.pick is None and self.brush is None
        if free and self.tool is not None and self.tool.key(event, self):
            self.update()
        elif key in steps:
            dx, dy = steps[Qt.Key(key)]
            if self.pick is not None:
                size = 20.0 if far else 0.5
                self.pick.move(self.pick.at + QPointF(dx * size, dy * size))
            else:
                self.view.pan(-40 * dx, -40 * dy)
            self.update()
        elif self.pick is not None and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take_pick()
        elif self.pick is not None and key == Qt.Key.Key_Escape:
            if not self.pick.step_back():
                self.stop_pick()
            self.update()
        elif self.brush is not None and key == Qt.Key.Key_Escape:
            self.stop_pick()
        else:
            super().keyPressEvent(event)

    def _take_pick(self) -> None:
        tool = self.pick
        if tool is not None:
            tool.see_first(self.from_pixel)
        if tool is not None and tool.take():
            self.stop_pick()
            tool.done(tool.points)
        self.update()

"""The table: picture, outline, rulers and the tools of the hand, at true scale."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from silhueta.app.look.theme import BENCH, BRASS_DEEP, LAYOUT_BLUE, SCRIBED, blend
from silhueta.app.session import Session
from silhueta.app.table.dimensions import paint_sizes
from silhueta.app.table.pick import PickTool
from silhueta.app.table.rulers import paint_grid, paint_rulers
from silhueta.app.table.view import View
from silhueta.core.datum.fixing import present_mm_per_px, true_size
from silhueta.core.geometry.outline import Outline
from silhueta.core.job import Job, SheetDatum

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from silhueta.app.table.brush import BrushTool
    from silhueta.app.table.outline_layer import OutlineLayer
    from silhueta.app.table.picture_layer import PictureLayer, Rule
    from silhueta.app.table.tool import Overlay, Tool
    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.datum.solve import Solution
    from silhueta.core.picture.decode import Picture

_STEP = 1.2  # a wheel notch's magnification
_MARGIN = 64.0


class Table(QWidget):
    """Paints the job; changes nothing but the view, and hands picks to the tool of the moment."""

    cursor_moved = Signal(object)  # QPointF in mm, or None
    corners_moved = Signal(object)  # four (x, y) in px of the photo, let go by the hand
    zoomed = Signal(float)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("table")
        self.setAccessibleName("Table")
        self.setAccessibleDescription(
            "Picture and outline. Wheel or plus and minus zoom, a drag moves."
        )
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self._session = session
        self.view = View()
        self.picture: PictureLayer | None = None  # what is shown: photo, or photo at true size
        self._photo: PictureLayer | None = None
        self._flat: PictureLayer | None = None
        self._flat_mm = 1.0  # per px of the flat picture
        self._field: PictureLayer | None = None  # in the picture's place during a preview
        self.wants_photo = self.shows_datums = False
        self.solution: Solution | None = None  # while how sure it is, is to be seen
        self._corners: list[tuple[float, float]] | None = None  # under the hand
        self._corner = 0
        self._outline: OutlineLayer | None = None
        self._filled = False
        self.lines = 0.0  # 0 the picture, 1 lines only
        self.bare = False  # while Space is held
        self.pick: PickTool | None = None
        self.brush: BrushTool | None = None
        self.tool: Tool | None = None  # of a worksheet; picks and the brush go before it
        self._held = False  # whether the tool has the button
        self.overlays: dict[str, Overlay] = {}  # painted over the outline, by their names
        self._drag: QPointF | None = None
        self._fitted = False
        self._by_key = False
        self._mm_per_px = present_mm_per_px(session.job)
        session.job_changed.connect(self._refresh)
        session.units_changed.connect(self.update)

    # what is shown

    def set_picture(self, picture: Picture | None) -> None:
        """Lay another picture on the table, all of it in view."""
        self._photo = self._flat = None
        if picture is not None:
            from silhueta.app.table.picture_layer import PictureLayer

            self._photo = PictureLayer(picture)
        self._choose_layer()
        self._fitted = False
        self.fit()

    def set_flat(self, flat: Rectified | None, photo: Picture | None) -> None:
        """Take the picture at true size; `photo` is the one it was made from, cleaned."""
        from silhueta.app.table.picture_layer import PictureLayer

        if photo is not None and self._photo is not None and photo is not self._photo.picture:
            self._photo = PictureLayer(photo)
        same = flat is None or flat.picture is photo
        self._flat = None if same or flat is None else PictureLayer(flat.picture)
        self._flat_mm = 1.0 if flat is None else flat.scale.mm_per_px
        self._choose_layer()

    def show_photo(self, photo: bool, datums: bool = False) -> None:
        """Show the photo as it came (for picking on it), or the picture at true size.

        `datums`: what fixes the scale is drawn on the photo, and its corners can be dragged.
        """
        self.wants_photo, self.shows_datums = photo, datums
        self._choose_layer()

    @property
    def mm_per_px(self) -> float:
        """Side of a pixel of what is shown, mm."""
        return self._mm_per_px

    @property
    def outline(self) -> Outline:
        """The outline of the present job."""
        return self._session.job.outline

    @property
    def tilted(self) -> bool:
        """Whether the photo is shown while the true size is that of another picture."""
        return self._flat is not None and self.picture is self._photo

    def _choose_layer(self) -> None:
        before, size = self.picture, self._mm_per_px
        use_flat = self._flat is not None and not self.wants_photo
        self.picture = self._flat if use_flat else self._photo
        self._mm_per_px = self._flat_mm if use_flat else present_mm_per_px(self._session.job)
        other = (
            before is not None
            and self.picture is not None
            and (
                (before.width, before.height) != (self.picture.width, self.picture.height)
                or size != self._mm_per_px
            )
        )
        if other:
            self.fit()
        self.update()

    def _refresh(self, job: Job) -> None:
        if not job.outline.contours:
            self._outline = None
        elif self._outline is None or job.outline is not self._outline.outline:
            from silhueta.app.table.outline_layer import OutlineLayer

            self._outline = OutlineLayer(job.outline)
            self._outline.filled = self._filled
        size = present_mm_per_px(job)
        if self.picture is self._flat and self._flat is not None:
            size = self._flat_mm
        if size != self._mm_per_px:  # the same picture stays in view when its scale changes
            factor = size / self._mm_per_px
            self.view.centre *= factor
            self.view.px_per_mm /= factor
            self._mm_per_px = size
        self.update()

    def set_lines(self, share: float) -> None:
        """Fade from the picture (0) to lines only (1)."""
        self.lines = share
        self.update()

    def set_bare(self, bare: bool) -> None:
        """Show the bare picture, without outline."""
        self.bare = bare
        self.update()

    def preview(
        self, part: NDArray[np.bool_] | Rule | None, field: PictureLayer | None = None
    ) -> None:
        """Show at once what a setting takes as part; None shows the picture again.

        `part` says which greys (256) of the picture, or of `field` in its place, are part, or is a
        rule for them.
        """
        for layer in (self.picture, self._field):
            if layer is not None and layer is not field:
                layer.set_preview(None)
        self._field = field
        layer = field or self.picture
        if layer is not None:
            layer.set_preview(part)
        self.update()

    def preview_specks(self, limit: float) -> None:
        """Show at once which loops enclose less than `limit`, mm²; 0: none."""
        if self._outline is not None:
            self._outline.least = limit
            self.update()

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

    # the view

    def picture_box(self) -> QRectF:
        """Return where the picture lies, mm."""
        outline = self._session.job.outline
        if self.picture is None and outline.taken:
            left, bottom, right, top = outline.bounds
            return QRectF(left, bottom, max(right - left, 0.1), max(top - bottom, 0.1))
        if self.picture is None:
            return QRectF(0, 0, 100, 75)
        return QRectF(
            0, 0, self.picture.width * self._mm_per_px, self.picture.height * self._mm_per_px
        )

    def fit(self) -> None:
        """Bring everything into view."""
        self.view.size = QSizeF(self.width(), self.height())
        self.view.fit(self.picture_box(), _MARGIN)
        self._fitted = self.picture is not None
        self.zoomed.emit(self.view.px_per_mm)
        self.update()

    def show_place(self, x: float, y: float, px_per_pixel: float = 20.0) -> None:
        """Bring (x, y) mm to the middle, magnified to so many screen px a pixel of the picture."""
        self.view.px_per_mm = px_per_pixel / self._mm_per_px
        self.view.centre = QPointF(x, y)
        self.zoomed.emit(self.view.px_per_mm)
        self.update()

    def show_box(self, box: QRectF) -> None:
        """Bring a box, mm, into view with room around it, no closer than ten times all."""
        most = 10 * self.view.px_per_mm
        self.view.fit(box, 3 * _MARGIN)
        if self.view.px_per_mm > most:
            self.view.px_per_mm = most
        self.zoomed.emit(self.view.px_per_mm)
        self.update()

    def set_overlay(self, name: str, overlay: Overlay | None) -> None:
        """Paint something over the outline from now on, or (None) no more."""
        if overlay is None:
            self.overlays.pop(name, None)
        else:
            self.overlays[name] = overlay
        self.update()

    def zoom_by(self, factor: float, about: QPointF | None = None) -> None:
        """Magnify about a screen place, or the middle."""
        self.view.zoom(factor, about or QPointF(self.rect().center()))
        self.zoomed.emit(self.view.px_per_mm)
        self.update()

    def to_pixel(self, screen: QPointF) -> QPointF:
        """Return which px of the picture, y down, is at a place of the screen."""
        mm = self.view.to_mm(screen)
        height = self.picture.height if self.picture else 0
        return QPointF(mm.x() / self._mm_per_px, height - mm.y() / self._mm_per_px)

    def from_pixel(self, pixel: QPointF) -> QPointF:
        """Return where a px of the picture is on the screen."""
        height = self.picture.height if self.picture else 0
        mm = QPointF(pixel.x() * self._mm_per_px, (height - pixel.y()) * self._mm_per_px)
        return self.view.to_screen(mm)

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint ground, picture, grid, outline, sizes, tool and rulers, in this order."""
        painter = QPainter(self)
        job = self._session.job
        lines = 0.0 if self.bare else self.lines
        ground = blend(BENCH, LAYOUT_BLUE, lines)
        painter.fillRect(self.rect(), ground)
        transform = self.view.transform()
        target = transform.mapRect(self.picture_box())
        if self.picture is not None and lines < 1:
            painter.setOpacity(1 - lines)
            (self._field or self.picture).paint(painter, target)
            painter.setOpacity(1)
        if lines > 0:
            grid = QColor(SCRIBED)
            grid.setAlphaF(0.10 * lines)
            paint_grid(painter, self.view, self._session.units, grid)
        if self.picture is not None and lines > 0.3:
            edge = QColor(SCRIBED)
            edge.setAlphaF(0.5 * lines)
            painter.setPen(QPen(edge, 1, Qt.PenStyle.DashLine))
            painter.drawRect(target)
        if not self.bare and self.picture is not None and self.shows_datums:
            from silhueta.app.table.datum_layer import paint_hand

            at = None if self._corners is None else QPointF(*self._corners[self._corner])
            paint_hand(painter, self, job.datums, self._session.units, self._corners, at)
        if not self.bare and self._outline is not None and not self.tilted:
            self._outline.paint_again(painter, transform, self.view.shown(), lines)
        if not self.bare and not self.tilted and self.pick is None:
            for overlay in self.overlays.values():
                overlay.paint(painter, self)
        if not self.bare and not self.tilted and self.pick is None:
            if job.outline.taken and true_size(job):
                paint_sizes(painter, self.view, job.outline, self._session.units, lines)
            if self.tool is not None:
                self.tool.paint(painter, self)
        if self.pick is not None and self.picture is not None:
            self.pick.paint(painter, self.picture, self.from_pixel, QRectF(self.rect()))
        if self.brush is not None:
            self.brush.paint(painter, self.from_pixel, QRectF(self.rect()))
        paint_rulers(painter, self.view, self._session.units, true_size(job) and not self.tilted)
        if self._by_key:
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

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

    def set_filled(self, on: bool) -> None:
        """Tint what is solid, or no longer."""
        self._filled = on
        if self._outline is not None:
            self._outline.filled = on
        self.update()

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

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the middle in the middle; fit what was not seen yet."""
        self.view.size = QSizeF(event.size())
        if not self._fitted or event.oldSize().width() <= 0:
            self.fit()

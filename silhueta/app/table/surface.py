"""What the table shows: picture, outline and rulers, at true scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
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
from silhueta.core.job import Job

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from silhueta.app.table.brush import BrushTool
    from silhueta.app.table.outline_layer import OutlineLayer
    from silhueta.app.table.picture_layer import PictureLayer, Rule
    from silhueta.app.table.tool import Cover, Overlay, Tool
    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.datum.solve import Solution
    from silhueta.core.picture.decode import Picture

_MARGIN = 64.0


class Surface(QWidget):
    """Paints the job; the hand on it is the table's."""

    zoomed = Signal(float)
    resized = Signal()

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
        self._filled, self._nodes, self._letters = False, True, True
        self.lines = 0.0  # 0 the picture, 1 lines only
        self.bare = False  # while Space is held
        self.pick: PickTool | None = None
        self.brush: BrushTool | None = None
        self.tool: Tool | None = None  # of a worksheet; picks and the brush go before it
        self.cover: Cover | None = None  # in place of picture and outline
        self.overlays: dict[str, Overlay] = {}  # painted over the outline, by their names
        self._fitted = False
        self._by_key = False
        self._mm_per_px = present_mm_per_px(session.job)
        session.job_changed.connect(self._refresh)
        session.units_changed.connect(self.update)

    # what is shown

    def set_picture(
        self, picture: Picture | None, colours: NDArray[np.uint8] | None = None
    ) -> None:
        """Lay another picture on the table, in its own colours, all of it in view."""
        self._photo = self._flat = None
        if picture is not None:
            from silhueta.app.table.picture_layer import layer_of

            self._photo = layer_of(picture, colours)
        self._choose_layer()
        self._fitted = False
        self.fit()

    def set_flat(
        self,
        flat: Rectified | None,
        photo: Picture | None,
        colours: tuple[NDArray[np.uint8] | None, NDArray[np.uint8] | None] = (None, None),
    ) -> None:
        """Take the picture at true size; `photo` is the one it was made from, cleaned.

        `colours` are those of the photo and of the picture at true size.
        """
        from silhueta.app.table.picture_layer import layer_of

        shown = self._photo
        other = shown is None or photo is not shown.picture or colours[0] is not shown.colours
        if photo is not None and shown is not None and other:
            self._photo = layer_of(photo, colours[0])
        same = flat is None or flat.picture is photo
        self._flat = None if same or flat is None else layer_of(flat.picture, colours[1])
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
            self._look_alike(self._outline)
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

    def set_filled(self, on: bool, nodes: bool = True, letters: bool = True) -> None:
        """Tint what is solid, or no longer; show nodes and letters of operations, or not."""
        self._filled, self._nodes, self._letters = on, nodes, letters
        if self._outline is not None:
            self._look_alike(self._outline)
        self.update()

    def _look_alike(self, layer: OutlineLayer) -> None:
        layer.filled, layer.nodes, layer.letters = self._filled, self._nodes, self._letters

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
        box = self.picture_box()
        if not self.tilted and self.outline.taken:  # which may reach beyond its picture
            left, bottom, right, top = self.outline.bounds
            box = box.united(QRectF(left, bottom, right - left, top - bottom))
        self.view.fit(box, _MARGIN)
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

    def set_cover(self, cover: Cover | None) -> None:
        """Lay something on the table in place of picture and outline, or (None) take it away."""
        self.cover = cover
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
        job, lines = self._session.job, 0.0 if self.bare else self.lines
        if self.cover is not None and not (self.bare and self.picture is not None):
            self.cover.paint(painter, self)
            paint_rulers(painter, self.view, self._session.units, True, self.cover.zero)
            self._paint_focus(painter)
            painter.end()
            return
        target = self.view.transform().mapRect(self.picture_box())
        self._paint_ground(painter, target, lines)
        if not self.bare and self.picture is not None and self.shows_datums:
            from silhueta.app.table.datum_layer import paint_hand

            at = None if self._corners is None else QPointF(*self._corners[self._corner])
            paint_hand(painter, self, job.datums, self._session.units, self._corners, at)
        if not self.bare and not self.tilted:
            self._paint_work(painter, job, lines)
        if self.pick is not None and self.picture is not None:
            self.pick.paint(painter, self.picture, self.from_pixel, QRectF(self.rect()))
        if self.brush is not None:
            self.brush.paint(painter, self.from_pixel, QRectF(self.rect()))
        paint_rulers(painter, self.view, self._session.units, true_size(job) and not self.tilted)
        self._paint_focus(painter)
        painter.end()

    def _paint_focus(self, painter: QPainter) -> None:
        if self._by_key:
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_ground(self, painter: QPainter, target: QRectF, lines: float) -> None:
        painter.fillRect(self.rect(), blend(BENCH, LAYOUT_BLUE, lines))
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

    def _paint_work(self, painter: QPainter, job: Job, lines: float) -> None:
        if self._outline is not None:
            transform, shown = self.view.transform(), self.view.shown()
            self._outline.paint_again(painter, transform, shown, lines)
        if self.pick is not None:
            return
        for overlay in self.overlays.values():
            overlay.paint(painter, self)
        if job.outline.taken and true_size(job):
            paint_sizes(painter, self.view, job.outline, self._session.units, lines)
        if self.tool is not None:
            self.tool.paint(painter, self)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the middle in the middle; fit what was not seen yet."""
        self.view.size = QSizeF(event.size())
        if not self._fitted or event.oldSize().width() <= 0:
            self.fit()
        self.resized.emit()

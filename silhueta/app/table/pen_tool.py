"""The edge pen: a line drawn by clicks, that follows the picture's edge between them, or not.

Words used here
    click     where the hand clicked, put on the edge near it
    redo      the line begins and ends on a path, and takes the place of what lies between
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, BRASS_DEEP, CARD, INK
from silhueta.app.table.hint import paint_hint
from silhueta.app.table.loupe import paint_loupe
from silhueta.core.datum.scale import Scale
from silhueta.core.datum.snap import snap
from silhueta.core.errors import SilhuetaError
from silhueta.core.geometry.path import Floats, OpenPath
from silhueta.core.tidy.follow import Follower, Stroke, Way, dark_near, drawn
from silhueta.core.tidy.index import Index

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table

_NEAR = 10.0  # screen px
_WAYS: dict[int, Way] = {
    Qt.Key.Key_E: "edge",
    Qt.Key.Key_L: "straight",
    Qt.Key.Key_C: "smooth",
}
_WORDS: dict[Way, str] = {
    "edge": "follows the edge",
    "straight": "goes straight",
    "smooth": "curves",
}


class PenTool(QObject):
    """Clicks, and the strokes between them, in px of the picture on the table."""

    finished = Signal(object, object)  # the path, mm; the contour to redo, or None
    given_up = Signal()
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.way: Way = "edge"
        self.redo = False
        self.middle = False  # follow the middle of dark lines instead of edges
        self._end: tuple[float, float] | None = None  # where a stretch that is redone ends
        self.clicks: list[tuple[float, float]] = []
        self.strokes: list[Stroke] = []
        self.contour: int | None = None
        self._index: Index | None = None
        self._follower: Follower | None = None
        self._now: Floats | None = None  # the stroke to the cursor
        self._near_first = False
        self._at: QPointF | None = None  # the cursor, screen px

    def begin(self, redo: bool) -> None:
        """Begin a line anew."""
        self.redo, self.clicks, self.strokes = redo, [], []
        self.contour, self._follower, self._now, self._near_first = None, None, None, False
        self._end = None

    # places

    def _pixel(self, at: QPointF, table: Table) -> tuple[float, float]:
        pixel = table.to_pixel(at)
        return pixel.x(), pixel.y()

    def _snapped(self, at: QPointF, table: Table) -> tuple[float, float]:
        """Return where a click belongs: on the path that is redone, or on the edge near it."""
        x, y = self._pixel(at, table)
        if self.way == "edge" and self.middle and table.picture is not None:
            return dark_near(table.picture.eight(), x, y)
        if self.way == "edge" and table.picture is not None:
            found = snap(table.picture.picture.grey, x, y)
            return found.x, found.y
        return x, y

    def _on_path(self, at: QPointF, table: Table) -> tuple[float, float] | None:
        """Return the place of a path under the hand, and note whose it is."""
        if self._index is None or self._index.outline is not table.outline:
            self._index = Index.of(table.outline, self._index)
        mm, within = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        found = self._index.on_path(mm.x(), mm.y(), within)
        if found is None or (self.contour is not None and found.contour != self.contour):
            return None
        self.contour = found.contour
        from silhueta.core.geometry.pieces import point_at

        x, y = point_at(table.outline.contours[found.contour].path, found.place).tolist()
        return self._pixel(table.view.to_screen(QPointF(x, y)), table)

    # the hand

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Take a click: where a stretch begins and ends, on the way, or on the last place."""
        if self.redo and self._end is None:
            self._mark(at, table)
        elif not self.clicks:
            self._take(self._snapped(at, table), table)
        elif self._near_last(at, table):
            self._stroke_to(self._end if self._end is not None else self.clicks[0])
            self._finish(table, close=not self.redo)
        else:
            self._stroke_to(self._snapped(at, table))
            self._take(self.clicks[-1], table, known=True)
        return True

    def _mark(self, at: QPointF, table: Table) -> None:
        """Take the two places of a line between which it is to be redone."""
        place = self._on_path(at, table)
        if place is None:
            end = "ends, on the same line" if self.clicks else "begins, on the line itself"
            self.failed.emit(f"click where the stretch {end}")
        elif not self.clicks:
            self._take(place, table)
        elif self._far(place, table):
            self._end = place
        table.update()

    def _near_last(self, at: QPointF, table: Table) -> bool:
        """Return whether the hand is where the line is to end: the first click, or the mark."""
        last = self._end if self.redo else self.clicks[0]
        if last is None or (not self.redo and len(self.clicks) < 2):
            return False
        return (table.from_pixel(QPointF(*last)) - at).manhattanLength() < _NEAR

    def _far(self, end: tuple[float, float], table: Table) -> bool:
        """Return whether a place is not the one where the line began."""
        away = np.hypot(end[0] - self.clicks[0][0], end[1] - self.clicks[0][1])
        return bool(away * table.mm_per_px * table.view.px_per_mm > _NEAR)

    def _take(self, click: tuple[float, float], table: Table, known: bool = False) -> None:
        if not known:
            self.clicks.append(click)
        self._follower = None
        if table.picture is not None:
            room = QRectF(table.rect())
            one, two = table.to_pixel(room.topLeft()), table.to_pixel(room.bottomRight())
            seen = (one.x(), one.y(), two.x(), two.y())
            self._follower = Follower(table.picture.eight(), click, seen, self.middle)
        table.update()

    def _between(self, end: tuple[float, float], fine: bool) -> Floats:
        """Return the stroke from the last click to `end`."""
        start = self.clicks[-1]
        if self.way == "edge" and self._follower is not None and start != end:
            return self._follower.path_to(end, fine)
        return np.array([start, end])

    def _stroke_to(self, end: tuple[float, float]) -> None:
        way: Way = self.way if self._follower is not None or self.way != "edge" else "straight"
        self.strokes.append(Stroke(way, self._between(end, fine=True)))
        self.clicks.append(end)
        self._now = None

    def _finish(self, table: Table, close: bool) -> None:
        picture = table.picture
        height = picture.height if picture is not None else 0
        try:
            path = Scale(table.mm_per_px, height, "").path_to_mm(drawn(self.strokes, close))
        except SilhuetaError as error:
            self.failed.emit(str(error))
            return
        contour = self.contour if self.redo else None
        if contour is not None and not isinstance(path, OpenPath):
            return
        self.begin(self.redo)
        self.finished.emit(path, contour)

    def move(self, at: QPointF, table: Table) -> None:
        """Show the stroke to the cursor."""
        self._at = at
        table.update()
        if self.clicks:
            self._near_first = self._near_last(at, table)
            waiting = self.redo and self._end is None
            self._now = None if waiting else self._between(self._pixel(at, table), fine=False)
            table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Nothing: clicks count when they are pressed."""

    def double(self, at: QPointF, table: Table) -> None:
        """End an open line where the hand is."""
        self.press(at, Qt.KeyboardModifier.NoModifier, table)
        if len(self.strokes) > 0 and not self.redo:
            self._finish(table, close=False)

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Change the way, take the last click back, close, end, or give up."""
        key = event.key()
        if key in _WAYS:
            self.way = _WAYS[key]
            self._now = None
            return True
        if key in (Qt.Key.Key_Backspace, Qt.Key.Key_Escape):
            if not self.clicks:
                self.given_up.emit()
                return True
            if self.redo and self._end is not None and len(self.clicks) == 1:
                self._end, self._now = None, None
                return True
            self.clicks.pop()
            if self.strokes:
                self.strokes.pop()
            self._now = None
            if self.clicks:
                self._take(self.clicks[-1], table, known=True)
            else:
                self.begin(self.redo)
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.clicks:
            if self._end is not None:
                self._stroke_to(self._end)
            if self.strokes:
                self._finish(table, close=False)
            return True
        return False

    # painting

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint clicks, strokes, and what the hand can do."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        shown = [stroke.points for stroke in self.strokes]
        if self._now is not None:
            shown.append(self._now)
        for points in shown:
            line = QPolygonF([table.from_pixel(QPointF(*p)) for p in points.tolist()])
            for pen in (QPen(CARD, 4), QPen(BRASS_DEEP, 2)):
                painter.setPen(pen)
                painter.drawPolyline(line)
        last = self._end if self.redo else (self.clicks[0] if self.clicks else None)
        painter.setPen(QPen(INK, 1.5))
        painter.setBrush(BRASS)
        for click in [*self.clicks, *([self._end] if self._end is not None else [])]:
            size = 7 if click == last and self._near_first else 4
            painter.drawEllipse(table.from_pixel(QPointF(*click)), size, size)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if table.picture is not None and self._at is not None:
            at = table.to_pixel(self._at)
            paint_loupe(painter, table.picture, at, self._at, QRectF(table.rect()))
        paint_hint(painter, QRectF(table.rect()), self._hint())

    def _hint(self) -> str:
        if self.redo and self._end is None:
            where = "ends" if self.clicks else "begins"
            return f"Click where the stretch {where}, on the line itself.  Esc: back."
        if not self.clicks:
            return "Click where the line begins.  Esc: leave."
        end = "Its end, or Enter: done" if self.redo else "First point: close, Enter: end"
        what = "follows the line's middle" if self.middle and self.way == "edge" else ""
        return f"It {what or _WORDS[self.way]}: E, straight: L, curve: C.  {end}.  Esc: one back."

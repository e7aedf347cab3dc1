"""The hand at Tidy, on nodes: chooses and moves nodes, segments and handles.

Nothing moves by accident: a drag takes hold only of what is chosen already; everything else
chooses, or moves the table.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, BRASS_DEEP, CARD
from silhueta.app.table.hint import paint_hint
from silhueta.app.table.outline_layer import paint_node, painter_path
from silhueta.core.errors import SilhuetaError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import CUBIC, Path
from silhueta.core.geometry.pieces import segment_of
from silhueta.core.job import Job
from silhueta.core.tidy import edit, node_edits
from silhueta.core.tidy.index import Index
from silhueta.core.tidy.node_edits import Pick
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table

_NEAR = 9.0  # screen px
_STILL = 4.0  # screen px that a click may move
_MOST = 400  # nodes whose segments are drawn while they are dragged

Edit = Callable[[Job], Job]


class Handle(NamedTuple):
    """A control point: the contour, the segment, and which of its two."""

    contour: int
    segment: int
    end: int


class NodeTool(QObject):
    """What is chosen, and what the hand does with it."""

    chosen = Signal()
    edited = Signal(str, object)  # a label and an Edit

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.nodes: set[Pick] = set()
        self.segments: set[Pick] = set()
        self.step = 0.1  # mm that an arrow key moves
        self._index: Index | None = None
        self._start: QPointF | None = None
        self._now = QPointF()
        self._held: str = ""  # "nodes", "handle", "segment", "box", "lasso"
        self._ring: list[QPointF] = []  # of a lasso, screen px
        self._handle: Handle | None = None

    def follow(self, outline: Outline) -> None:
        """Take another outline: what is chosen stays where it still is."""
        if self._index is not None and self._index.outline is outline:
            return
        before = self.outline.contours
        self._index = Index.of(outline, self._index)
        contours = outline.contours
        places = {contour.key: place for place, contour in enumerate(contours)}

        def there(picks: set[Pick], segments: bool) -> set[Pick]:
            found = set()
            for loop, number in picks:
                place = places.get(before[loop].key) if loop < len(before) else None
                if place is not None:
                    path = contours[place].path
                    if number < len(path.kinds if segments else path.nodes):
                        found.add((place, number))
            return found

        self.nodes, self.segments = there(self.nodes, False), there(self.segments, True)

    @property
    def outline(self) -> Outline:
        """The outline that is worked on."""
        return self._index.outline if self._index is not None else Outline()

    def choose(self, nodes: set[Pick], segments: set[Pick] | None = None) -> None:
        """Choose these, and nothing else."""
        self.nodes, self.segments = set(nodes), set(segments or ())
        self.chosen.emit()

    def choose_between(self) -> None:
        """Choose all nodes between two of one path, the shorter way round a loop."""
        (i, a), (k, b) = sorted(self.nodes)
        if i != k:
            return
        path = self.outline.contours[i].path
        inner, outer = range(a, b + 1), [*range(b, len(path.nodes)), *range(a + 1)]
        shorter = inner if not path.closed or len(inner) <= len(outer) else outer
        self.choose({(i, n) for n in shorter})

    def box(self) -> QRectF | None:
        """Return where what is chosen lies, mm, or None."""
        contours = self.outline.contours
        ends = [(i, n) for i, k in self.segments for n in (k, k + 1)]
        places = [
            contours[i].path.nodes[n % len(contours[i].path.nodes)] for i, n in [*self.nodes, *ends]
        ]
        if not places:
            return None
        (left, bottom), (right, top) = np.min(places, axis=0), np.max(places, axis=0)
        room = 0.1 * max(float(right - left), float(top - bottom), 1.0)
        box = QRectF(float(left), float(bottom), float(right - left), float(top - bottom))
        return box.adjusted(-room, -room, room, room)

    # the hand

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Choose what is under the hand, or take hold of it where it is chosen already."""
        self.follow(table.outline)
        assert self._index is not None
        mm, within = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        more = bool(keys & Qt.KeyboardModifier.ControlModifier)
        self._start = self._now = at
        if keys & Qt.KeyboardModifier.ShiftModifier:
            self._held, self._ring = "lasso" if more else "box", [at]
            return True
        self._handle = self._handle_at(mm, within)
        if self._handle is not None:
            self._held = "handle"
            return True
        node = self._index.on_node(mm.x(), mm.y(), within)
        if node is not None:
            pick = (node.contour, node.node)
            if more:
                self.choose(self.nodes ^ {pick}, self.segments)
            elif pick in self.nodes:
                self._held = "nodes"
                return True
            else:
                self.choose({pick})
            self._held = ""
            return True
        on = self._index.on_path(mm.x(), mm.y(), within)
        if on is not None:
            pick = (on.contour, on.place.segment)
            if pick in self.segments and not more:
                self._held = "segment"  # chosen already: it can be bent
                return True
            self.choose(self.nodes if more else set(), self.segments ^ {pick} if more else {pick})
            self._held = ""
            return True
        self._start = None
        return False

    def move(self, at: QPointF, table: Table) -> None:
        """Follow the hand."""
        self._now = at
        if self._held == "lasso":
            self._ring.append(at)
        if self._held:
            table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Finish a drag as one step; a drag of a few px is none."""
        start, held, self._start, self._held = self._start, self._held, None, ""
        if start is None or not held:
            return
        far = (at - start).manhattanLength() > _STILL
        one, two = table.view.to_mm(start), table.view.to_mm(at)
        if held == "box":
            low = (min(one.x(), two.x()), min(one.y(), two.y()))
            high = (max(one.x(), two.x()), max(one.y(), two.y()))
            assert self._index is not None
            self.choose(self.nodes | self._index.nodes_in(low, high) if far else set())
        elif held == "lasso":
            ring = [table.view.to_mm(place) for place in self._ring]
            assert self._index is not None
            inside = self._index.nodes_within(np.array([[p.x(), p.y()] for p in ring]))
            self.choose(self.nodes | inside)
        elif held == "nodes" and far:
            nodes, dx, dy = set(self.nodes), two.x() - one.x(), two.y() - one.y()
            label = "Move a node" if len(nodes) == 1 else f"Move {len(nodes)} nodes"
            self._do(label, lambda job: node_edits.move(job, nodes, dx, dy))
        elif held == "segment" and far and len(self.segments) == 1:
            ((contour, segment),) = self.segments
            to = (two.x(), two.y())
            self._do("Bend a segment", lambda job: node_edits.bend(job, contour, segment, to))
        elif held == "handle" and far and self._handle is not None:
            contour, segment, end = self._handle
            to = (two.x(), two.y())
            self._do(
                "Move a handle", lambda job: node_edits.set_handle(job, contour, segment, end, to)
            )

    def double(self, at: QPointF, table: Table) -> None:
        """Add a node to the segment under the hand."""
        self.follow(table.outline)
        assert self._index is not None
        mm, within = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        on = self._index.on_path(mm.x(), mm.y(), within)
        near = self._index.on_node(mm.x(), mm.y(), within)
        if on is not None and near is None:
            contour, place = on.contour, on.place
            self._do("Add a node", lambda job: node_edits.add(job, contour, place))
            self.choose({(contour, place.segment + 1)})

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Move by arrows, delete, step back by Esc."""
        key = event.key()
        arrows = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, 1),
            Qt.Key.Key_Down: (0, -1),
        }
        if key == Qt.Key.Key_Escape:
            return self._step_back()
        if not self.nodes and not self.segments:
            return False
        if key in arrows and self.nodes:
            far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            dx, dy = (self.step * far * way for way in arrows[Qt.Key(key)])
            nodes = set(self.nodes)
            self._do("Move nodes", lambda job: node_edits.move(job, nodes, dx, dy))
            return True
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.delete()
            return True
        return False

    def _step_back(self) -> bool:
        """Give up what is under way, then what is chosen."""
        if self._held:
            self._held, self._start = "", None
            return True
        if self.nodes or self.segments:
            self.choose(set())
            return True
        return False

    def delete(self, straight: bool = False) -> None:
        """Delete the chosen nodes; without any, the one chosen segment."""
        nodes, segments = set(self.nodes), set(self.segments)
        if nodes:
            label = "Delete a node" if len(nodes) == 1 else f"Delete {len(nodes)} nodes"
            self._do(label, lambda job: node_edits.delete(job, nodes, straight=straight))
            self.choose(set())
        elif len(segments) == 1:
            (segment,) = segments
            self._do("Delete a segment", lambda job: node_edits.drop_segment(job, segment))
            self.choose(set())

    def _do(self, label: str, change: Edit) -> None:
        self.edited.emit(label, change)

    def _handle_at(self, mm: QPointF, within: float) -> Handle | None:
        for handle, x, y in self._handles():
            if np.hypot(mm.x() - x, mm.y() - y) <= within:
                return handle
        return None

    def _handles(self) -> list[tuple[Handle, float, float]]:
        """Return the control points beside what is chosen."""
        found = []
        contours = self.outline.contours
        beside = set(self.segments)
        for i, node in list(self.nodes)[:_MOST]:
            path = contours[i].path
            beside |= {(i, k % len(path.kinds)) for k in (node - 1, node)}
        for i, segment in beside:
            path = contours[i].path
            if path.kinds[segment] == CUBIC:
                for end in (0, 1):
                    x, y = path.controls[segment, end].tolist()
                    found.append((Handle(i, segment, end), x, y))
        return found

    # painting

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint what is chosen, its handles, and what is being dragged."""
        self.follow(table.outline)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform, contours = table.view.transform(), self.outline.contours
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for i, segment in self.segments:
            piece = segment_of(contours[i].path, segment)
            made = transform.map(painter_path(piece))
            for pen in (QPen(CARD, 7), QPen(BRASS, 3)):
                painter.setPen(pen)
                painter.drawPath(made)
        for handle, x, y in self._handles():
            path = contours[handle.contour].path
            ends = path.starts if handle.end == 0 else path.ends
            node = transform.map(QPointF(*ends[handle.segment].tolist()))
            at = transform.map(QPointF(x, y))
            painter.setPen(QPen(BRASS_DEEP, 1))
            painter.drawLine(node, at)
            painter.setPen(QPen(BRASS_DEEP, 2))
            across = QPointF(-(at - node).y(), (at - node).x())
            size = max(np.hypot(across.x(), across.y()), 1e-6)
            painter.drawLine(at - across * (6 / size), at + across * (6 / size))
        painter.setBrush(BRASS)
        for i, node_number in list(self.nodes)[:2000]:
            at = transform.map(QPointF(*contours[i].path.nodes[node_number].tolist()))
            painter.setPen(QPen(CARD, 3))
            painter.drawRect(QRectF(at.x() - 7, at.y() - 7, 14, 14))
            painter.setPen(QPen(BRASS_DEEP, 2))
            paint_node(painter, at, smooth=False, size=1.4)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._held and self._start is not None:
            self._paint_drag(painter, table)
        paint_hint(painter, QRectF(table.rect()), self._hint())

    def _hint(self) -> str:
        if self.nodes:
            count = f"{counted(len(self.nodes), 'node')} chosen"
            return f"{count}: drag, arrow keys, Delete.  Esc: none."
        if self.segments:
            return "Segment chosen: drag it to an arc.  Double click adds a node.  Esc: none."
        return "Click a node or segment.  Shift, drag: box; Ctrl too: lasso.  Double click: add."

    def _paint_drag(self, painter: QPainter, table: Surface) -> None:
        assert self._start is not None
        if self._held == "box":
            painter.setPen(QPen(BRASS, 2, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(self._start, self._now).normalized())
            return
        if self._held == "lasso":
            painter.setPen(QPen(BRASS, 2, Qt.PenStyle.DashLine))
            painter.drawPolygon(QPolygonF(self._ring))
            return
        if (self._now - self._start).manhattanLength() <= _STILL:
            return
        one, two = table.view.to_mm(self._start), table.view.to_mm(self._now)
        contours, transform = self.outline.contours, table.view.transform()
        pieces: list[Path] = []
        try:
            if self._held == "segment" and len(self.segments) == 1:
                ((contour, segment),) = self.segments
                piece = segment_of(contours[contour].path, segment)
                pieces.append(edit.through(piece, 0, (two.x(), two.y())))
            elif self._held == "handle" and self._handle is not None:
                contour, segment, end = self._handle
                path = contours[contour].path
                piece = segment_of(path, segment)
                pieces.append(edit.move_handle(piece, 0, end, (two.x(), two.y())))
            else:
                for i, which in node_edits.by_contour(list(self.nodes)[:_MOST]).items():
                    path = contours[i].path
                    count, size = len(path.kinds), len(path.nodes)
                    sides = {k % size for n in which for k in (n - 1, n) if k % size < count}
                    for k in sides:
                        ends = {e for e in (0, 1) if (k + e) % size in which}
                        far = two.x() - one.x(), two.y() - one.y()
                        pieces.append(edit.moved(segment_of(path, k), ends, *far))
        except SilhuetaError:
            return  # where it would be nothing, nothing is drawn
        for shown in pieces:
            made = transform.map(painter_path(shown))
            for pen in (QPen(CARD, 4), QPen(BRASS_DEEP, 2)):
                painter.setPen(pen)
                painter.drawPath(made)

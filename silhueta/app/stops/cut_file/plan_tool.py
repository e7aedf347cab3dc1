"""The hand on the plan: choose a cut, drag where it begins, drag its tabs."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from silhueta.app.look.theme import BRASS, INK
from silhueta.app.table.hint import paint_hint
from silhueta.core.geometry.nearest import nearest

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table
    from silhueta.core.cutting.plan import Entry, Plan

_NEAR = 9.0  # screen px
_STILL = 4.0  # screen px that a click may move
_FAR = 8  # times as near, that paths are looked at by their boxes first


class Grip(NamedTuple):
    """What the hand has hold of: an entry, and of it the beginning or a tab."""

    entry: int
    what: str  # "way", "start", "tab"
    which: int = 0


class PlanTool:
    """Finds what the hand points at; tells what was chosen, dragged or asked for."""

    def __init__(
        self,
        plan: Callable[[], Plan | None],
        chosen: Callable[[int | None, bool], None],
        started: Callable[[int, tuple[float, float]], None],
        tabbed: Callable[[int, tuple[tuple[float, float], ...]], None],
    ) -> None:
        self._plan, self._chosen, self._started, self._tabbed = plan, chosen, started, tabbed
        self._grip: Grip | None = None
        self._from, self._now = QPointF(), QPointF()
        self._boxes: tuple[Plan, np.ndarray] | None = None

    def find(self, at: QPointF, table: Table) -> Grip | None:
        """Return what is under a place on the screen: a tab before a beginning before a way."""
        plan = self._plan()
        if plan is None or not plan.entries:
            return None
        mm, near = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        place = np.array([mm.x(), mm.y()])
        best: tuple[float, Grip] | None = None
        for k in self._about(plan, place, near).tolist():
            for grip, far in _grips(plan.entries[k], k, place):
                rank = far - (near if grip.what != "way" else 0.0)
                if far <= near and (best is None or rank < best[0]):
                    best = (rank, grip)
        return None if best is None else best[1]

    def _about(self, plan: Plan, place: np.ndarray, near: float) -> np.ndarray:
        """Return the entries that may be under a place."""
        if self._boxes is None or self._boxes[0] is not plan:
            from silhueta.core.geometry.measure import bounding_box

            rows = [
                bounding_box([p for way in one.ways for p in (way.path, *way.leads)])
                for one in plan.entries
            ]
            self._boxes = (plan, np.array(rows))
        boxes = self._boxes[1]
        inside = (place >= boxes[:, :2] - near).all(axis=1)
        inside &= (place <= boxes[:, 2:] + near).all(axis=1)
        return np.flatnonzero(inside)

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Take hold of something; else the table moves."""
        grip = self.find(at, table)
        if grip is None:
            self._chosen(None, False)
            return False
        self._grip, self._from, self._now = grip, at, at
        self._chosen(grip.entry, bool(keys & Qt.KeyboardModifier.ShiftModifier))
        return True

    def move(self, at: QPointF, table: Table) -> None:
        """Follow the cursor with what is held."""
        self._now = at
        if self._grip is not None:
            table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Put down what was dragged, on the nearest place of its contour."""
        grip, self._grip = self._grip, None
        plan = self._plan()
        if grip is None or plan is None or (at - self._from).manhattanLength() <= _STILL:
            return
        if grip.entry >= len(plan.entries):
            return
        entry, mm = plan.entries[grip.entry], table.view.to_mm(at)
        place = (mm.x(), mm.y())
        if grip.what == "start":
            self._started(entry.key, place)
        elif grip.what == "tab":
            tabs = [tab.at for way in entry.ways for tab in way.tabs]
            tabs[grip.which] = place
            self._tabbed(entry.key, tuple(tabs))
        table.update()

    def double(self, at: QPointF, table: Table) -> None:
        """Add a tab at a place of a rim, or take away the one that is there."""
        plan, grip = self._plan(), self.find(at, table)
        self._grip = None
        if plan is None or grip is None:
            return
        entry = plan.entries[grip.entry]
        if entry.operation != "cut":
            return
        tabs = [tab.at for way in entry.ways for tab in way.tabs]
        mm = table.view.to_mm(at)
        if grip.what == "tab":
            del tabs[grip.which]
        else:
            tabs.append((mm.x(), mm.y()))
        self._tabbed(entry.key, tuple(tabs))

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Let go by Esc."""
        if event.key() == Qt.Key.Key_Escape and self._grip is not None:
            self._grip = None
            table.update()
            return True
        return False

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint where what is dragged would come, and what the hand can do."""
        plan = self._plan()
        if plan is None:
            return
        grip = self._grip
        dragged = (self._now - self._from).manhattanLength() > _STILL
        if grip is not None and grip.what != "way" and dragged and grip.entry < len(plan.entries):
            mm = table.view.to_mm(self._now)
            on = _on(plan.entries[grip.entry], np.array([mm.x(), mm.y()]))
            spot = table.view.to_screen(QPointF(*on))
            painter.setPen(QPen(INK, 1.5))
            painter.setBrush(BRASS)
            painter.drawEllipse(spot, 6, 6)
            painter.setBrush(Qt.BrushStyle.NoBrush)
        text = "Click a cut.  Drag its dot or a tab.  Double click: a tab."
        paint_hint(painter, QRectF(table.rect()), text)


def _grips(entry: Entry, k: int, place: np.ndarray) -> list[tuple[Grip, float]]:
    """Return what can be held of an entry, and how far each is from a place, mm."""
    found = []
    count = 0
    for way in entry.ways:
        for tab in way.tabs:
            found.append((Grip(k, "tab", count), float(np.hypot(*(tab.at - place)))))
            count += 1
        if entry.operation == "cut" and way is entry.ways[0]:
            found.append((Grip(k, "start"), float(np.hypot(*(np.array(way.begin) - place)))))
        for path in (way.path, *way.leads):
            found.append((Grip(k, "way"), float(nearest(path, place[None]).distance[0])))
    return found


def _on(entry: Entry, place: np.ndarray) -> tuple[float, float]:
    """Return the place of an entry's ways nearest to another, mm."""
    every = [nearest(way.path, place[None]) for way in entry.ways]
    best = min(every, key=lambda found: float(found.distance[0]))
    x, y = best.place[0].tolist()
    return x, y

"""The hand on edges and holes: a click picks the nearest one."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from silhueta.app.look.theme import BRASS, CARD
from silhueta.app.table.hint import paint_hint
from silhueta.core.geometry.outline import Outline
from silhueta.core.truing.features import Feature, Noise, features

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table

_NEAR = 10.0  # screen px
_STILL = 4.0  # screen px that a click may move


class FeatureTool:
    """Lights up the edge or hole under the cursor, and tells which is clicked."""

    def __init__(self, picked: Callable[[Feature], None]) -> None:
        self._picked = picked
        self.features: Sequence[Feature] = ()
        self._for: tuple[Outline, Noise] | None = None
        self.ends: dict[int, tuple[tuple[float, float], tuple[float, float]]] = {}
        self.text = "Click a hole or an edge."
        self.hover: Feature | None = None
        self._start: QPointF | None = None

    def _at(self, at: QPointF, table: Table) -> Feature | None:
        mm, within = table.view.to_mm(at), _NEAR / table.view.px_per_mm
        found = [(self._off(n, f, mm), f) for n, f in enumerate(self.features)]
        near = [one for one in found if one[0] <= within]
        if near:
            return min(near, key=lambda one: one[0])[1]
        # inside of a hole means the hole, of several the smallest
        inside = [
            f
            for f in self.features
            if f.kind == "circle" and math.dist(f.centre, (mm.x(), mm.y())) < f.radius
        ]
        return min(inside, key=lambda f: f.radius, default=None)

    def _off(self, number: int, feature: Feature, mm: QPointF) -> float:
        if feature.kind != "line":
            reach = abs(math.dist(feature.centre, (mm.x(), mm.y())) - feature.radius)
            if feature.kind == "circle":
                return reach
            # of an arc only where it is
            far = math.dist(feature.place, (mm.x(), mm.y()))
            return reach if far <= feature.reach / 2 + reach else math.inf
        (ax, ay), (bx, by) = self.ends[number]
        dx, dy = bx - ax, by - ay
        share = ((mm.x() - ax) * dx + (mm.y() - ay) * dy) / max(dx * dx + dy * dy, 1e-12)
        share = min(max(share, 0.0), 1.0)
        return math.hypot(ax + share * dx - mm.x(), ay + share * dy - mm.y())

    def follow(self, outline: Outline, noise: Noise) -> None:
        """Take the features of an outline, worked out once for each."""
        if self._for == (outline, noise):
            return
        self._for = outline, noise
        self.features = features(outline, noise)
        self.ends = {}
        for number, f in enumerate(self.features):
            if f.kind == "line":
                c, s = math.cos(f.angle) * f.size / 2, math.sin(f.angle) * f.size / 2
                x, y = f.place
                self.ends[number] = ((x - c, y - s), (x + c, y + s))
        self.hover = None

    def press(self, at: QPointF, _: Qt.KeyboardModifier, table: Table) -> bool:
        """Take the button where there is something to pick."""
        if self._at(at, table) is None:
            return False
        self._start = at
        return True

    def move(self, at: QPointF, table: Table) -> None:
        """Light up what is under the cursor."""
        found = self._at(at, table)
        if found is not self.hover:
            self.hover = found
            table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Pick what was clicked."""
        start, self._start = self._start, None
        if start is not None and (at - start).manhattanLength() <= _STILL:
            found = self._at(at, table)
            if found is not None:
                self._picked(found)

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click as a click more."""
        if self.press(at, Qt.KeyboardModifier.NoModifier, table):
            self.release(at, table)

    def key(self, _: QKeyEvent, __: Table) -> bool:
        """Leave keys to the table."""
        return False

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint what is under the cursor, and what the hand can do."""
        feature = self.hover
        if feature is not None and feature in self.features:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            to_screen = table.view.to_screen
            for pen in (QPen(CARD, 7), QPen(BRASS, 3.5)):
                painter.setPen(pen)
                if feature.kind == "line":
                    a, b = self.ends[list(self.features).index(feature)]
                    painter.drawLine(QLineF(to_screen(QPointF(*a)), to_screen(QPointF(*b))))
                else:
                    radius = feature.radius * table.view.px_per_mm
                    painter.drawEllipse(to_screen(QPointF(*feature.centre)), radius, radius)
        paint_hint(painter, QRectF(table.rect()), self.text)

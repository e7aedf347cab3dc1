"""Paths of very many points, painted fast: only what is seen, and no finer than the screen.

Words used here
    chunk    points in a row, with the box they lie in
    run      seen chunks in a row, as points on the screen
"""

from __future__ import annotations

import ctypes
from typing import Any

import numpy as np
from PySide6.QtCore import QLineF, QRectF
from PySide6.QtGui import QPolygonF, QTransform
from shiboken6 import Shiboken

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats, Path

HEAVY = 1500  # nodes, from which a path is painted this way
_CHUNK = 256  # points
_GRID = 1.0  # screen px: points in one square of this are one
_CHORD = 0.01  # mm


class HeavyPath:
    """The points of a path, by chunks."""

    def __init__(self, path: Path) -> None:
        points = flatten(path, _CHORD)
        self.points: Floats = np.vstack([points, points[:1]]) if path.closed else points
        self._x, self._y = (np.ascontiguousarray(self.points[:, axis]) for axis in (0, 1))
        count = max(1, -(-(len(self.points) - 1) // _CHUNK))
        first = np.arange(count) * _CHUNK
        # each chunk ends on the first point of the one after it
        self._low = np.minimum(
            np.minimum.reduceat(self.points, first), self._after(first, self.points)
        )
        self._high = np.maximum(
            np.maximum.reduceat(self.points, first), self._after(first, self.points)
        )

    @staticmethod
    def _after(first: np.ndarray, points: Floats) -> Floats:
        ends: Floats = points[np.minimum(first + _CHUNK, len(points) - 1)]
        return ends

    def runs(self, transform: QTransform, near: QRectF) -> list[Floats]:
        """Return what lies near the box (mm), as runs of screen points, (K, 2) each."""
        left, right = sorted((near.left(), near.right()))
        bottom, top = sorted((near.top(), near.bottom()))
        seen = (self._low[:, 0] <= right) & (self._high[:, 0] >= left)
        seen &= (self._low[:, 1] <= top) & (self._high[:, 1] >= bottom)
        steps = np.diff(np.concatenate([[0], seen.astype(np.int8), [0]]))
        found = []
        for a, b in zip(np.flatnonzero(steps == 1), np.flatnonzero(steps == -1), strict=True):
            part = slice(a * _CHUNK, b * _CHUNK + 1)
            x, y = self._x[part], self._y[part]
            across = transform.m11() * x + transform.m21() * y + transform.dx()
            down = transform.m12() * x + transform.m22() * y + transform.dy()
            column, line = np.floor(across / _GRID), np.floor(down / _GRID)
            kept = np.ones(len(across), np.bool_)
            kept[1:-1] = (column[1:-1] != column[:-2]) | (line[1:-1] != line[:-2])
            found.append(np.column_stack([across[kept], down[kept]]))
        return found


def polygon(points: Floats) -> QPolygonF:
    """Return screen points (K, 2) as a polygon, without a Python object for each."""
    made: Any = QPolygonF()
    made.resize(len(points))
    if len(points):
        address = Shiboken.getCppPointer(made.data())[0]
        ctypes.memmove(address, points.ctypes.data, points.nbytes)
    return made  # type: ignore[no-any-return]


def ticks(points: Floats, step: float, size: float) -> list[QLineF]:
    """Return slanted strokes of `size` px to the left of screen points, `step` px apart.

    The screen's y runs down, so that its left is the waste's side, as the outline runs.
    """
    way = np.diff(points, axis=0)
    run = np.hypot(*way.T)
    along = np.concatenate([[0.0], np.cumsum(run)])
    count = int(along[-1] / step)
    if not count:
        return []
    at = (np.arange(count) + 0.5) * step
    piece = np.clip(np.searchsorted(along, at) - 1, 0, len(way) - 1)
    unit = way[piece] / np.maximum(run[piece], 1e-9)[:, None]
    places = points[piece] + (at - along[piece])[:, None] * unit
    side = np.column_stack([-unit[:, 1], unit[:, 0]])
    ends = places + size * (0.9 * side + 0.45 * unit)
    return [
        QLineF(a[0], a[1], b[0], b[1]) for a, b in zip(places.tolist(), ends.tolist(), strict=True)
    ]

"""How far the outline leaves the picture's edge, along every loop.

Words used here
    foot    the place on the outline nearest to a point of the edge
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.datum.scale import Scale
from silhueta.core.fitting.joints import clamped, tangent_turn
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import CUBIC, Floats, Path

_NEAR = 4  # segments ahead and behind that are looked at first
_LOST = 1.5  # px: farther off, more segments are looked at
_FAR = 80  # of them
_ASTRAY = 30.0  # px: farther off, all of them
_CHORD = 0.01  # px, for curves
_ROUNDED = 0.5  # px that blur takes off a sharp corner
_CORNER = 0.35  # radians
_APART = 5.0  # steps of an edge, that its two ends lie apart where it is open


class OfLoop(NamedTuple):
    """How far one loop leaves its edge: sizes and distances in the unit of the deviation."""

    kind: Literal["loop", "hole", "line"]  # a line has two ends
    size: tuple[float, float]  # of the edge's box
    mean: float
    worst: float
    place: tuple[float, float]  # where it is worst


class Deviation(NamedTuple):
    """Edge and outline held against each other.

    edge, feet : (K, 2)
        Points of the edge, and the nearest places on the outline.
    distance : (K,)
        Between them; within the blur of a sharp corner, less what blur rounds off there.
    first : (N + 1,) int
        Points of loop i are ``first[i]:first[i + 1]``.
    """

    edge: Floats
    feet: Floats
    distance: Floats
    first: np.ndarray

    @property
    def mean(self) -> float:
        """The mean distance."""
        return float(self.distance.mean()) if len(self.distance) else 0.0

    @property
    def p95(self) -> float:
        """The distance that 95 % of the edge keep within."""
        return float(np.percentile(self.distance, 95)) if len(self.distance) else 0.0

    @property
    def worst(self) -> float:
        """The largest distance."""
        return float(self.distance.max()) if len(self.distance) else 0.0

    def in_mm(self, scale: Scale) -> Deviation:
        """Return the same, px in a picture of `scale`, in mm."""
        return Deviation(
            scale.to_mm(self.edge),
            scale.to_mm(self.feet),
            self.distance * scale.mm_per_px,
            self.first,
        )

    def by_loop(self) -> list[OfLoop]:
        """Return the deviation of each loop that has an edge, the largest first."""
        listed = []
        for a, b in zip(self.first[:-1].tolist(), self.first[1:].tolist(), strict=True):
            if a == b:
                continue
            edge, off = self.edge[a:b], self.distance[a:b]
            wide, high = np.ptp(edge, axis=0).tolist()
            x, y = (edge - edge[0]).T
            steps = np.hypot(*(np.roll(edge, -1, axis=0) - edge).T)
            kind: Literal["loop", "hole", "line"] = "loop"
            if steps[-1] > _APART * np.median(steps):
                kind = "line"
            elif float(x @ np.roll(y, -1) - np.roll(x, -1) @ y) < 0:
                kind = "hole"
            at = edge[int(np.argmax(off))].tolist()
            mean, worst = float(off.mean()), float(off.max())
            listed.append(OfLoop(kind, (wide, high), mean, worst, (at[0], at[1])))
        return sorted(listed, key=lambda loop: -loop.worst)

    def worst_place(self) -> tuple[float, float] | None:
        """Return where the distance is largest, or None without an edge."""
        if not len(self.distance):
            return None
        x, y = self.edge[int(np.argmax(self.distance))]
        return float(x), float(y)


def deviation_of(edges: Sequence[Floats], paths: Sequence[Path], blur: float) -> Deviation:
    """Return how far each path leaves its edge.

    Parameters
    ----------
    edges : sequence of (n, 2), px, in the order of their paths
    paths : sequence of Path, px
    blur : float, px
        How far from a corner blur rounds the edge.

    """
    feet, distance = [], []
    for points, path in zip(edges, paths, strict=True):
        nodes, bulges = path.nodes, path.bulges
        if (path.kinds == CUBIC).any():
            nodes = flatten(path, _CHORD)
            bulges = np.zeros(len(nodes) if path.closed else len(nodes) - 1)
        if not path.closed:  # an unseen segment back, with its own far way round
            bulges = np.append(bulges, 0.0)
        foot, away = _feet(
            np.ascontiguousarray(points),
            np.ascontiguousarray(nodes),
            np.ascontiguousarray(bulges),
            blur,
            path.closed,
        )
        feet.append(foot)
        distance.append(away)
    first = np.concatenate([[0], np.cumsum([len(points) for points in edges])]).astype(np.int64)
    empty = np.zeros((0, 2))
    return Deviation(
        np.vstack([empty, *edges]),
        np.vstack([empty, *feet]),
        np.concatenate([np.zeros(0), *distance]),
        first,
    )


@compiled
def _foot(a: Floats, b: Floats, bulge: float, x: float, y: float) -> tuple[float, float]:
    """Return the nearest place to (x, y) on the segment from a to b."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    square = dx * dx + dy * dy
    if square < 1e-24:
        return a[0], a[1]
    if bulge == 0.0:
        share = ((x - a[0]) * dx + (y - a[1]) * dy) / square
        share = min(max(share, 0.0), 1.0)
        return a[0] + share * dx, a[1] + share * dy
    chord = np.sqrt(square)
    rise = 0.25 * chord * (1 - bulge * bulge) / bulge
    radius = 0.25 * chord * (1 + bulge * bulge) / abs(bulge)
    cx = 0.5 * (a[0] + b[0]) - rise * dy / chord
    cy = 0.5 * (a[1] + b[1]) + rise * dx / chord
    ex, ey = x - cx, y - cy
    far = np.sqrt(ex * ex + ey * ey)
    if far > 1e-12:
        px, py = cx + ex * radius / far, cy + ey * radius / far
        on = clamped(a, b, bulge, px, py)
        if on < 1e-7 * max(radius, 1.0):
            return px, py
    one = (x - a[0]) * (x - a[0]) + (y - a[1]) * (y - a[1])
    two = (x - b[0]) * (x - b[0]) + (y - b[1]) * (y - b[1])
    return (a[0], a[1]) if one < two else (b[0], b[1])


@compiled
def _feet(
    points: Floats, nodes: Floats, bulges: Floats, blur: float, closed: bool
) -> tuple[Floats, Floats]:
    n, m = len(points), len(nodes)
    feet, away = np.zeros((n, 2)), np.zeros(n)
    turns = np.zeros(m)
    for k in range(m):
        turns[k] = abs(tangent_turn(nodes, bulges, k))
    last = m if closed else m - 1
    at = -1
    for i in range(n):
        x, y = points[i]
        best, where = np.inf, at
        if at >= 0:
            for step in range(-_NEAR, _NEAR + 1):
                s = (at + step) % m
                if s >= last:
                    continue
                off = clamped(nodes[s], nodes[(s + 1) % m], bulges[s], x, y)
                if off < best:
                    best, where = off, s
        if at < 0 or best > _LOST:
            # once for all, then in widening circles round where the last point was
            far = m if at < 0 or best > _ASTRAY else min(_FAR, m)
            for step in range(-(far // 2), far - far // 2):
                s = (max(at, 0) + step) % m
                if s >= last:
                    continue
                off = clamped(nodes[s], nodes[(s + 1) % m], bulges[s], x, y)
                if off < best:
                    best, where = off, s
        at = where
        feet[i, 0], feet[i, 1] = _foot(nodes[at], nodes[(at + 1) % m], bulges[at], x, y)
        for k in (at, (at + 1) % m):
            dx, dy = nodes[k, 0] - x, nodes[k, 1] - y
            if turns[k] > _CORNER and dx * dx + dy * dy < blur * blur:
                best = max(best - _ROUNDED, 0.0)
                break
        away[i] = best
    return feet, away

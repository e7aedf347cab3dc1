"""How far points lie from a path, and where on it is nearest."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.flatten import cubic_hulls, cubic_points
from silhueta.core.geometry.path import ARC, LINE, Floats, Path


class Nearest(NamedTuple):
    """For each of K points: the distance in mm, the segment, and the place on it (K, 2), mm."""

    distance: Floats
    segment: np.ndarray
    place: Floats


def nearest(path: Path, points: Floats) -> Nearest:
    """Return the nearest place of `path` to each of `points` (K, 2), mm.

    Exact for lines and arcs; cubics by Newton's method from the best of 17 starts. Works through
    all K x M pairs a segment at a time: meant for picking and for checks, not for live deviation.
    """
    points = np.atleast_2d(np.asarray(points, dtype=np.float64))
    best = np.full(len(points), np.inf)
    which = np.zeros(len(points), dtype=np.int64)
    place = np.zeros_like(points)
    starts, ends = path.starts, path.ends
    hulls = iter(cubic_hulls(path))
    for i, kind in enumerate(path.kinds):
        if kind == LINE:
            found = _on_line(points, starts[i], ends[i])
        elif kind == ARC:
            found = _on_arc(points, starts[i], ends[i], float(path.bulges[i]))
        else:
            found = _on_cubic(points, next(hulls))
        distance = np.hypot(*(points - found).T)
        closer = distance < best
        best[closer], which[closer], place[closer] = distance[closer], i, found[closer]
    return Nearest(best, which, place)


def _on_line(points: Floats, start: Floats, end: Floats) -> Floats:
    along = end - start
    size = float(along @ along)
    t = np.clip((points - start) @ along / size, 0, 1) if size > 0 else np.zeros(len(points))
    return start + t[:, None] * along


def _on_arc(points: Floats, start: Floats, end: Floats, bulge: float) -> Floats:
    centres, radii = arc_centres(start[None], end[None], np.array([bulge]))
    centre, radius, turn = centres[0], radii[0], 4 * np.arctan(bulge)
    toward = points - centre
    begin = np.arctan2(*(start - centre)[::-1])
    swept = (np.arctan2(toward[:, 1], toward[:, 0]) - begin) * np.sign(turn) % (2 * np.pi)
    size = np.hypot(toward[:, 0], toward[:, 1])
    # from the centre itself every place of the arc is as near: its start is one
    swept = np.where(size > 0, swept, np.inf)
    size = np.maximum(size, 1e-300)
    on_circle = centre + toward * (radius / size)[:, None]
    nearer_start = np.hypot(*(points - start).T) <= np.hypot(*(points - end).T)
    at_end = np.where(nearer_start[:, None], start, end)
    return np.where((swept <= abs(turn))[:, None], on_circle, at_end)


def _on_cubic(points: Floats, hull: Floats) -> Floats:
    tries = np.linspace(0, 1, 17)
    along = cubic_points(np.repeat(hull[None], 17, axis=0), tries)
    gap = np.hypot(*(points[:, None] - along[None]).transpose(2, 0, 1))
    t = tries[gap.argmin(axis=1)]
    many = np.repeat(hull[None], len(points), axis=0)
    d1 = 3 * np.diff(hull, axis=0)
    d2 = 2 * np.diff(d1, axis=0)
    for _ in range(8):
        s = (1 - t)[:, None]
        u = t[:, None]
        velocity = s * s * d1[0] + 2 * s * u * d1[1] + u * u * d1[2]
        bend = s * d2[0] + u * d2[1]
        off = cubic_points(many, t) - points
        slope = (velocity * velocity).sum(axis=1) + (off * bend).sum(axis=1)
        step = (off * velocity).sum(axis=1) / np.where(np.abs(slope) > 1e-300, slope, 1.0)
        t = np.clip(t - np.clip(step, -0.1, 0.1), 0, 1)
    return cubic_points(many, t)

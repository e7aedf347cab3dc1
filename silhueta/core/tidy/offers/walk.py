"""The compiled half of thinning: walking stops, and holding segments against samples.

Words used here
    sample, stop, reach    as in thin
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.fitting.fit import along
from silhueta.core.fitting.joints import clamped
from silhueta.core.geometry.path import Floats

FULLEST = 1.0  # bulge of a walked arc: half a circle
_BESIDE = 4  # samples on either side of the likeliest that a place may lie nearest to


@compiled
def distances(
    points: Floats,
    stops: NDArray[np.int64],
    nodes: Floats,
    bulges: Floats,
    kept: NDArray[np.bool_],
    skipped: NDArray[np.bool_],
    closed: bool,
) -> Floats:
    """Return the largest distance of each segment from its samples, and of these from it, mm.

    Segments that are `kept` are as they were, those that are `skipped` are not looked at.
    """
    m, n, count = len(bulges), len(points), len(nodes)
    worst = np.zeros(m)
    way = np.zeros(n + 1)
    for i in range(n):
        step = points[(i + 1) % n] - points[i]
        way[i + 1] = way[i] + np.sqrt(step[0] * step[0] + step[1] * step[1])
    for k in range(m):
        if skipped[k]:
            continue
        for i in range(stops[k], stops[k + 1]):
            x, y = points[i % n]
            best = np.inf
            for step in range(-1, 2):
                s = k + step
                if not closed and (s < 0 or s >= m):
                    continue
                s %= m
                if step == 0 or not kept[s]:
                    best = min(best, clamped(nodes[s], nodes[(s + 1) % count], bulges[s], x, y))
            worst[k] = max(worst[k], best)
        a, b = nodes[k], nodes[(k + 1) % count]
        places = min(max(2 * (stops[k + 1] - stops[k]), 16), 128)
        begin, run = way[stops[k]], way[stops[k + 1]] - way[stops[k]]
        for part in range(places + 1):
            x, y = along(a, b, bulges[k], part / places)
            best = np.inf
            # as far along the samples, and an eighth of the segment on either side
            low = np.searchsorted(way, begin + (part / places - 0.125) * run) - _BESIDE
            high = np.searchsorted(way, begin + (part / places + 0.125) * run) + _BESIDE
            if not closed:
                low, high = max(low, 0), min(high, n - 1)
            for i in range(low, high):
                best = min(best, clamped(points[i % n], points[(i + 1) % n], 0.0, x, y))
            worst[k] = max(worst[k], best)
    return worst


@compiled
def _bulge_through(
    ax: float, ay: float, bx: float, by: float, points: Floats, low: int, high: int, within: float
) -> tuple[float, float]:
    """Return the least and largest bulge from a to b that pass within `within` of the points.

    The arc from a to b with bulge t goes through (0, -t) in the frame where a is (-1, 0) and b is
    (1, 0). Through a point (u, v) goes the one with t + 1/t... solved below; a step of the point
    across the arc by d changes t by d t / v.
    """
    n = len(points)
    hx, hy = 0.5 * (bx - ax), 0.5 * (by - ay)
    mx, my = 0.5 * (ax + bx), 0.5 * (ay + by)
    size = hx * hx + hy * hy
    half = np.sqrt(size)
    least, largest = -10.0, 10.0
    for i in range(low, high):
        dx, dy = points[i % n, 0] - mx, points[i % n, 1] - my
        u = (dx * hx + dy * hy) / size
        v = (-dx * hy + dy * hx) / size
        inner = 1.0 - u * u - v * v
        d = within / half
        if abs(v) < 1e-9:
            if inner <= 1e-12:
                if u * u > (1.0 + d) * (1.0 + d):
                    return 1.0, -1.0
                continue  # at an end: any arc passes
            t, slope = 0.0, inner
        else:
            q = -inner / v
            root = np.sqrt(q * q + 4.0)
            t = 2.0 / (q + root) if v < 0 else 2.0 / (q - root)
            slope = abs(v / t)
        if slope < 1e-9:
            continue
        room = d / slope
        least, largest = max(least, t - room), min(largest, t + room)
        if least > largest:
            return least, largest
    return least, largest


@compiled
def one_segment(points: Floats, low: int, high: int, within: float) -> tuple[bool, float]:
    """Return whether one line or arc from sample `low` to `high` does, and its bulge."""
    from_x, from_y = points[low % len(points)]
    to_x, to_y = points[high % len(points)]
    chord = np.hypot(to_x - from_x, to_y - from_y)
    if chord < 1e-9:
        return False, 0.0
    if high == low + 1:
        return True, 0.0
    least, largest = _bulge_through(from_x, from_y, to_x, to_y, points, low + 1, high, within)
    if least > largest:
        return False, 0.0
    bulge = 0.0
    if least > 0.0 or largest < 0.0:
        bulge = 0.5 * (max(least, -FULLEST) + min(largest, FULLEST))
        if abs(bulge) > FULLEST or bulge < least or bulge > largest:
            return False, 0.0
    a, b = points[low % len(points)], points[high % len(points)]
    for i in range(low + 1, high):
        x, y = points[i % len(points)]
        if clamped(a, b, bulge, x, y) > within:
            return False, 0.0
    return True, bulge


@compiled
def walk(
    points: Floats,
    is_node: NDArray[np.bool_],
    held: NDArray[np.bool_],
    within: float,
    closed: bool,
) -> NDArray[np.int64]:
    """Return the stops from the first sample round to it again, or to the last one."""
    n = len(points)
    places = np.flatnonzero(is_node)
    m = len(places)
    targets = np.empty(m + 1, np.int64)
    targets[:m] = places
    targets[m] = n
    last = m if closed else m - 1
    stops = [np.int64(0)]
    at = 0
    while at < last:
        limit = at + 1
        while limit < last and not held[targets[limit] % n]:
            limit += 1
        good, step = at + 1, 1
        bad = limit + 1
        while good < limit:
            ahead = min(good + step, limit)
            fits, _ = one_segment(points, targets[at], targets[ahead], within)
            if not fits:
                bad = ahead
                break
            good = ahead
            step *= 2
        while bad - good > 1 and good < limit:
            middle = (good + bad) // 2
            fits, _ = one_segment(points, targets[at], targets[middle], within)
            if fits:
                good = middle
            else:
                bad = middle
        at = good
        stops.append(targets[at])
    return np.array(stops)

"""Lines and arcs into fewer cubic curves, where they join smoothly.

Words used here
    run      segments between two corners, all joined tangentially
    handles  how far the two inner control points lie from the ends, along the tangents
"""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop

_TANGENT = 0.02  # radians of turn that a smooth joint may have
_MOST = 6  # segments that one curve replaces
_LEAST = 2
_TURNS = 8
_PLACES = 40  # of the edge, that a curve is held against
_LONGEST = 0.8  # chords, of a handle: longer ones make loops
_WIDEST = 2.4  # radians that a curve may turn


def curved(loop: Loop, points: Floats, tolerance: float) -> Loop:
    """Return `loop` with chains of arcs replaced by cubic curves where that takes fewer segments.

    Parameters
    ----------
    loop : Loop
        Of lines and arcs, px.
    points : (n, 2), px
        The edge that it follows.
    tolerance : float, px

    Returns
    -------
    Loop
        Joined as smoothly as before. Full circles, and lines, stay as they are.

    """
    if full_circle(loop) or not (loop.kinds == ARC).any():
        return loop
    m = len(loop.nodes)
    start, choice, controls = _chosen(
        np.ascontiguousarray(loop.nodes),
        np.ascontiguousarray(loop.bulges),
        np.ascontiguousarray(points),
        float(tolerance),
    )
    nodes, kinds, bulges, inner = [], [], [], []
    k = 0
    while k < m:
        i = (start + k) % m
        nodes.append(loop.nodes[i])
        taken = int(choice[k])
        if taken >= _LEAST:
            kinds.append(CUBIC)
            bulges.append(0.0)
            inner.append(controls[k])
        else:
            kinds.append(LINE if loop.bulges[i] == 0 else ARC)
            bulges.append(loop.bulges[i])
            inner.append(np.zeros((2, 2)))
        k += max(taken, 1)
    if len(nodes) < 2:
        return loop
    return Loop(np.array(nodes), np.array(kinds, np.uint8), np.array(bulges), np.array(inner))


@compiled
def _tangents(nodes: Floats, bulges: Floats) -> tuple[Floats, Floats]:
    """Return the direction, radians, in which each segment leaves and in which it arrives."""
    m = len(nodes)
    leaves, arrives = np.zeros(m), np.zeros(m)
    for k in range(m):
        a, b = nodes[k], nodes[(k + 1) % m]
        way = np.arctan2(b[1] - a[1], b[0] - a[0])
        leaves[k] = way - 2 * np.arctan(bulges[k])
        arrives[k] = way + 2 * np.arctan(bulges[k])
    return leaves, arrives


@compiled
def _turn(one: float, two: float) -> float:
    turn = two - one
    return float(turn - 2 * np.pi * np.floor((turn + np.pi) / (2 * np.pi)))


@compiled
def _chosen(
    nodes: Floats, bulges: Floats, points: Floats, tolerance: float
) -> tuple[int, np.ndarray, Floats]:
    """Return the segment to start at, how many segments each piece takes, and its controls.

    Dynamic programming from a joint that is no smooth one, where there is one.
    """
    m = len(nodes)
    leaves, arrives = _tangents(nodes, bulges)
    start = 0
    smooth = np.zeros(m, np.bool_)
    for k in range(m):
        smooth[k] = abs(_turn(arrives[k - 1], leaves[k])) < _TANGENT
        if not smooth[k]:
            start = k
    at = _nearest_points(nodes, points)
    cost = np.full(m + 1, np.inf)
    came = np.zeros(m + 1, np.int64)
    held = np.zeros((m + 1, _MOST + 1, 2, 2))
    cost[0] = 0.0
    for i in range(m):
        if not np.isfinite(cost[i]):
            continue
        if cost[i] + 1.0 < cost[i + 1]:
            cost[i + 1], came[i + 1] = cost[i] + 1.0, 1
        turned, length = 0.0, 0
        for j in range(i + 1, min(i + _MOST, m) + 1):
            s = (start + j - 1) % m
            if j > i + 1 and not smooth[s]:
                break
            turned += 4 * np.arctan(bulges[s])
            length += 1
            if abs(turned) > _WIDEST:
                break
            if length < _LEAST or (m - length) < 1:
                continue
            first, last = (start + i) % m, (start + j) % m
            worst, one, two = _cubic(
                nodes[first], nodes[last], leaves[first], arrives[s], points, at[first], at[last]
            )
            if worst > tolerance:
                continue
            if cost[i] + 1.0 + 0.1 * worst / tolerance < cost[j]:
                cost[j], came[j] = cost[i] + 1.0 + 0.1 * worst / tolerance, length
                held[j, length, 0], held[j, length, 1] = one, two
    choice = np.zeros(m, np.int64)
    controls = np.zeros((m, 2, 2))
    j = m
    while j > 0:
        i = j - came[j]
        choice[i] = came[j]
        controls[i] = held[j, came[j]]
        j = i
    return start, choice, controls


@compiled
def _nearest_points(nodes: Floats, points: Floats) -> np.ndarray:
    """Return, for each node, the index of the nearest point of the edge, both in their order."""
    n, m = len(points), len(nodes)
    out = np.zeros(m, np.int64)
    begin = 0
    for k in range(m):
        span = n if k == 0 else min(n, max(400, 40 * n // m))
        best = np.inf
        for step in range(-8, span):
            i = (begin + step) % n
            dx, dy = points[i, 0] - nodes[k, 0], points[i, 1] - nodes[k, 1]
            if dx * dx + dy * dy < best:
                best, out[k] = dx * dx + dy * dy, i
        begin = out[k]
    return out


@compiled
def _cubic(
    a: Floats,
    b: Floats,
    leaves: float,
    arrives: float,
    points: Floats,
    first: int,
    last: int,
) -> tuple[float, Floats, Floats]:
    """Return how far the best curve from a to b leaves the edge, px, and its control points.

    The tangents are given, so only the lengths of the handles are sought, by Gauss-Newton steps on
    the distances at places that are set anew each time (P. J. Schneider, "An algorithm for
    automatically fitting digitized curves", Graphics Gems, 1990, 612-626).
    """
    n = len(points)
    count = (last - first) % n
    ux, uy = np.cos(leaves), np.sin(leaves)
    vx, vy = -np.cos(arrives), -np.sin(arrives)
    dx, dy = b[0] - a[0], b[1] - a[1]
    chord = np.sqrt(dx * dx + dy * dy)
    one, two = np.zeros(2), np.zeros(2)
    if count < 4 or chord < 1e-9:
        return np.inf, one, two
    places = min(_PLACES, count - 1)
    at = np.zeros(places)
    shown = np.zeros((places, 2))
    for i in range(places):
        at[i] = (i + 1.0) / (places + 1)
        shown[i] = points[(first + int(at[i] * count + 0.5)) % n]
    reach, back = chord / 3, chord / 3
    hull = np.zeros((4, 2))
    hull[0], hull[3] = a, b
    worst = np.inf
    for turn in range(_TURNS):
        hull[1, 0], hull[1, 1] = a[0] + reach * ux, a[1] + reach * uy
        hull[2, 0], hull[2, 1] = b[0] + back * vx, b[1] + back * vy
        aa, ab, bb, ra, rb = 1e-9, 0.0, 1e-9, 0.0, 0.0
        worst = 0.0
        for i in range(places):
            t = at[i]
            for _ in range(3 if turn == 0 else 1):
                t = _closer(hull, shown[i, 0], shown[i, 1], t)
            at[i] = t
            x, y, tx, ty = _at(hull, t)
            size = max(np.sqrt(tx * tx + ty * ty), 1e-9)
            nx, ny = -ty / size, tx / size
            r = (shown[i, 0] - x) * nx + (shown[i, 1] - y) * ny
            worst = max(worst, abs(r))
            s = 1 - t
            ja = 3 * t * s * s * (ux * nx + uy * ny)
            jb = 3 * t * t * s * (vx * nx + vy * ny)
            aa += ja * ja
            ab += ja * jb
            bb += jb * jb
            ra += ja * r
            rb += jb * r
        det = aa * bb - ab * ab
        if turn == _TURNS - 1 or abs(det) < 1e-12:
            break
        step_a, step_b = (ra * bb - rb * ab) / det, (rb * aa - ra * ab) / det
        reach = min(max(reach + step_a, 0.02 * chord), _LONGEST * chord)
        back = min(max(back + step_b, 0.02 * chord), _LONGEST * chord)
    return worst, hull[1], hull[2]


@compiled
def _at(hull: Floats, t: float) -> tuple[float, float, float, float]:
    """Return place and derivative at t of the curve with control points `hull`, (4, 2) px."""
    s = 1 - t
    a, b, c, d = s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t
    x = a * hull[0, 0] + b * hull[1, 0] + c * hull[2, 0] + d * hull[3, 0]
    y = a * hull[0, 1] + b * hull[1, 1] + c * hull[2, 1] + d * hull[3, 1]
    e, f, g = 3 * s * s, 6 * s * t, 3 * t * t
    tx = e * (hull[1, 0] - hull[0, 0]) + f * (hull[2, 0] - hull[1, 0])
    ty = e * (hull[1, 1] - hull[0, 1]) + f * (hull[2, 1] - hull[1, 1])
    return x, y, tx + g * (hull[3, 0] - hull[2, 0]), ty + g * (hull[3, 1] - hull[2, 1])


@compiled
def _closer(hull: Floats, px: float, py: float, t: float) -> float:
    """Return a better place on the curve for the point (px, py), one Gauss-Newton step on."""
    x, y, tx, ty = _at(hull, t)
    square = tx * tx + ty * ty
    if square < 1e-12:
        return t
    return min(max(t + ((px - x) * tx + (py - y) * ty) / square, 0.0), 1.0)

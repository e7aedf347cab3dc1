"""From a chain of fitted segments to nodes that join exactly, and the best place for each node.

Words used here
    residual   signed distance in px of a contour point from its segment, positive to the left
    sweep      one round of moving every node, with the bulges at its sides, to its best place

The unknowns are the nodes and one bulge an arc; a line has none of its own. Each sweep solves, for
one node after the other, the Gauss-Newton step of its two coordinates and the bulges of the two
segments that meet there: a block Gauss-Seidel iteration on the geometric least-squares problem.
"""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import ARC, LINE, Floats
from silhueta.core.trace.segments import ROUNDED, Ints, arc_lengths, fit_between, trimmed

_SWEEPS = 8
_DAMP = 0.02  # points' worth of pull towards where a node stood
_FLAT = 1e-5  # a bulge under this is a line
_CORNER_TURN = 0.8  # radians; below, a joint is smooth and nothing near it is rounded by blur


@compiled
def chain_nodes(
    points: Floats, stops: Ints, gate: float, trim: float, price: float
) -> tuple[Floats, Floats]:
    """Return first nodes (m, 2) and bulges (m,) of the closed chain with breakpoints `stops`.

    A node is where neighbouring primitives meet, near its breakpoint; where they hardly meet, it
    is the middle of the nearest places on both.
    """
    m = len(stops) - 1
    along = arc_lengths(points)
    primitives = np.zeros((m, 6))
    for k in range(m):
        if not fit_between(
            points, along, stops[k], stops[k + 1], gate, trim, ROUNDED * trim, price, primitives[k]
        ):
            fit_between(
                points,
                along,
                stops[k],
                stops[k + 1],
                1e9,
                trim,
                ROUNDED * trim,
                price,
                primitives[k],
            )
    nodes = np.zeros((m, 2))
    for k in range(m):
        x, y = points[stops[k]]
        nodes[k, 0], nodes[k, 1] = _meet(primitives[k - 1], primitives[k], x, y)
    bulges = np.zeros(m)
    for k in range(m):
        if primitives[k, 0] == ARC:
            mid = points[(stops[k] + stops[k + 1]) // 2]
            x, y = _onto(primitives[k], mid[0], mid[1])
            bulges[k] = _bulge_through(nodes[k], nodes[(k + 1) % m], x, y)
    return nodes, bulges


@compiled
def _onto(primitive: Floats, x: float, y: float) -> tuple[float, float]:
    """Return the nearest place to (x, y) on a primitive's whole line or circle."""
    a, b, c = primitive[1], primitive[2], primitive[3]
    if primitive[0] == LINE:
        t = (x - a) * np.cos(c) + (y - b) * np.sin(c)
        return a + t * np.cos(c), b + t * np.sin(c)
    far = np.sqrt((x - a) * (x - a) + (y - b) * (y - b))
    if far == 0.0:
        return a + c, b
    return a + (x - a) * c / far, b + (y - b) * c / far


@compiled
def _meet(one: Floats, two: Floats, x: float, y: float) -> tuple[float, float]:
    """Return where two primitives meet near (x, y)."""
    ax, ay = x, y
    for _ in range(12):  # Newton's method on both signed distances, from the breakpoint
        px, py = _onto(one, ax, ay)
        qx, qy = _onto(two, ax, ay)
        nx, ny = _normal(one, ax, ay)
        mx, my = _normal(two, ax, ay)
        f = (ax - px) * nx + (ay - py) * ny
        g = (ax - qx) * mx + (ay - qy) * my
        det = nx * my - ny * mx
        if abs(det) < 0.08:
            break
        ax -= (f * my - g * ny) / det
        ay -= (g * nx - f * mx) / det
    nx, ny = _normal(one, ax, ay)
    mx, my = _normal(two, ax, ay)
    sine = abs(nx * my - ny * mx)
    allowed = min(1.2 + 0.8 / max(sine, 0.02), 8.0)
    if sine >= 0.08 and (ax - x) * (ax - x) + (ay - y) * (ay - y) <= allowed * allowed:
        return ax, ay
    px, py = _onto(one, x, y)
    qx, qy = _onto(two, x, y)
    return 0.5 * (px + qx), 0.5 * (py + qy)


@compiled
def _normal(primitive: Floats, x: float, y: float) -> tuple[float, float]:
    if primitive[0] == LINE:
        return -np.sin(primitive[3]), np.cos(primitive[3])
    dx, dy = x - primitive[1], y - primitive[2]
    far = max(np.sqrt(dx * dx + dy * dy), 1e-12)
    return dx / far, dy / far


@compiled
def _bulge_through(a: Floats, b: Floats, x: float, y: float) -> float:
    """Return the bulge of the arc from a to b through (x, y)."""
    ux, uy, vx, vy = a[0] - x, a[1] - y, b[0] - x, b[1] - y
    # from a place on the arc the chord is seen under pi - angle / 2, on the right when it is
    # counter-clockwise
    seen = np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
    half = seen - np.pi if seen > 0 else seen + np.pi
    bulge = np.tan(half / 2)
    return float(bulge) if abs(bulge) > _FLAT else 0.0


@compiled
def residual(ax: float, ay: float, bx: float, by: float, bulge: float, x: float, y: float) -> float:
    """Return the signed distance of (x, y) from the line or circle through a and b, px."""
    dx, dy = bx - ax, by - ay
    chord = np.sqrt(dx * dx + dy * dy)
    if chord < 1e-12:
        return float(np.sqrt((x - ax) * (x - ax) + (y - ay) * (y - ay)))
    ux, uy = dx / chord, dy / chord
    along = (x - 0.5 * (ax + bx)) * ux + (y - 0.5 * (ay + by)) * uy
    across = -(x - ax) * uy + (y - ay) * ux
    if bulge == 0.0:
        return float(across)
    rise = 0.25 * chord * (1 - bulge * bulge) / bulge
    radius = 0.25 * chord * (1 + bulge * bulge) / abs(bulge)
    off = radius - np.sqrt(along * along + (across - rise) * (across - rise))
    return float(off) if bulge > 0 else -float(off)


@compiled
def _gather(
    a: Floats,
    b: Floats,
    bulge: float,
    points: Floats,
    first: int,
    last: int,
    at_end: bool,
    out: Floats,
) -> None:
    """Add to `out` (rows: x, y, bulge; last column: right side) the pull of a segment's points.

    `at_end` says whether the free node is b (True) or a.
    """
    n = len(points)
    dx, dy = b[0] - a[0], b[1] - a[1]
    square = dx * dx + dy * dy
    if square < 1e-18:
        return
    chord = np.sqrt(square)
    ux, uy = dx / chord, dy / chord
    mx, my = 0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])
    rise, radius, slope_rise, slope_radius = 0.0, 0.0, 0.0, 0.0
    if bulge != 0.0:
        k = bulge * bulge
        rise = 0.25 * chord * (1 - k) / bulge
        radius = 0.25 * chord * (1 + k) / abs(bulge)
        slope_rise = -0.25 * chord * (1 + k) / k
        slope_radius = 0.25 * chord * (k - 1) / k * (1.0 if bulge > 0 else -1.0)
    hx, hy = (a[0], a[1]) if at_end else (b[0], b[1])  # the held end
    gx, gy = (dx, dy) if at_end else (-dx, -dy)  # held end to free end
    for i in range(first, last + 1):
        x, y = points[i % n]
        along = (x - mx) * ux + (y - my) * uy
        across = -(x - mx) * uy + (y - my) * ux
        db = 0.0
        if bulge == 0.0:
            r, nx, ny = across, -uy, ux
        else:
            lift = across - rise
            far = max(np.sqrt(along * along + lift * lift), 1e-12)
            sign = 1.0 if bulge > 0 else -1.0
            r = sign * (radius - far)
            # the normal to the left, at the foot of the point
            ca, cb = -sign * along / far, -sign * lift / far
            nx, ny = ca * ux - cb * uy, ca * uy + cb * ux
            db = sign * (slope_radius + lift / far * slope_rise)
        fx, fy = x - r * nx - hx, y - r * ny - hy
        # moving the free end by d turns and scales the segment: the foot moves by d (f / g)
        qr, qi = (fx * gx + fy * gy) / square, (fy * gx - fx * gy) / square
        jx = -(nx * qr + ny * qi)
        jy = -(-nx * qi + ny * qr)
        out[0, 0] += jx * jx
        out[0, 1] += jx * jy
        out[0, 2] += jx * db
        out[1, 1] += jy * jy
        out[1, 2] += jy * db
        out[2, 2] += db * db
        out[0, 3] -= jx * r
        out[1, 3] -= jy * r
        out[2, 3] -= db * r


@compiled
def tangent_turn(nodes: Floats, bulges: Floats, k: int) -> float:
    """Return the turn of the path at node k, radians, 0 when smooth, positive to the left."""
    m = len(nodes)
    a, b, c = nodes[k - 1], nodes[k], nodes[(k + 1) % m]
    into = np.arctan2(b[1] - a[1], b[0] - a[0]) + 2 * np.arctan(bulges[k - 1])
    out = np.arctan2(c[1] - b[1], c[0] - b[0]) - 2 * np.arctan(bulges[k])
    turn = out - into
    return float(turn - 2 * np.pi * np.floor((turn + np.pi) / (2 * np.pi)))


@compiled
def polish(points: Floats, stops: Ints, nodes: Floats, bulges: Floats, trim: float) -> None:
    """Move nodes and bulges, in place, to the least squared distance from the contour."""
    m = len(nodes)
    along = arc_lengths(points)
    spans = np.zeros((m, 2), np.int64)
    for _ in range(_SWEEPS):
        for k in range(m):
            first, last = trimmed(along, stops[k], stops[k + 1], trim)
            if abs(tangent_turn(nodes, bulges, k)) < _CORNER_TURN:
                first = stops[k]
            if abs(tangent_turn(nodes, bulges, (k + 1) % m)) < _CORNER_TURN:
                last = stops[k + 1]
            spans[k, 0], spans[k, 1] = first, last
        for k in range(m):
            p = (k - 1) % m
            q = (k + 1) % m
            into, out = np.zeros((3, 4)), np.zeros((3, 4))
            _gather(nodes[p], nodes[k], bulges[p], points, spans[p, 0], spans[p, 1], True, into)
            _gather(nodes[k], nodes[q], bulges[k], points, spans[k, 0], spans[k, 1], False, out)
            normal = np.zeros((4, 4))
            right = np.zeros(4)
            for r in range(2):
                for c in range(r, 2):
                    normal[r, c] = into[r, c] + out[r, c]
                normal[r, 2], normal[r, 3] = into[r, 2], out[r, 2]
                right[r] = into[r, 3] + out[r, 3]
            normal[2, 2], normal[3, 3] = into[2, 2], out[2, 2]
            right[2], right[3] = into[2, 3], out[2, 3]
            for r in range(4):
                for c in range(r):
                    normal[r, c] = normal[c, r]
                normal[r, r] += _DAMP if r < 2 else 1e-9 + 1e-6 * normal[r, r]
            if bulges[p] == 0.0:
                normal[2, :], normal[:, 2], right[2] = 0.0, 0.0, 0.0
                normal[2, 2] = 1.0
            if bulges[k] == 0.0:
                normal[3, :], normal[:, 3], right[3] = 0.0, 0.0, 0.0
                normal[3, 3] = 1.0
            step = np.linalg.solve(normal, right)
            size = np.sqrt(step[0] * step[0] + step[1] * step[1])
            if not np.isfinite(size):
                continue
            share = min(1.0, 1.0 / max(size, 1e-12))  # at most a pixel a step
            nodes[k, 0] += share * step[0]
            nodes[k, 1] += share * step[1]
            if bulges[p] != 0.0:
                bulges[p] = _kept_sign(bulges[p], bulges[p] + share * step[2])
            if bulges[k] != 0.0:
                bulges[k] = _kept_sign(bulges[k], bulges[k] + share * step[3])


@compiled
def _kept_sign(before: float, after: float) -> float:
    """Return `after`, held to the sign of `before` and to at most four times its size."""
    if after * before <= 0:
        return before / 4
    return float(np.sign(before) * min(abs(after), 4 * abs(before)))

"""From a chain of fitted segments to nodes that join exactly.

Words used here
    residual   signed distance in px of a contour point from its segment, positive to the left
    turn       by how much the path changes its way at a node
"""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.fitting.segments import ROUNDED, Ints, arc_lengths, fit_between
from silhueta.core.geometry.path import ARC, LINE, Floats

_FLAT = 1e-5  # a bulge under this is a line


@compiled
def chain_nodes(
    points: Floats, stops: Ints, gate: float, trim: float, price: float
) -> tuple[Floats, Floats]:
    """Return first nodes (m, 2) and bulges (m,) of the chain with breakpoints `stops`.

    An open chain, whose stops end at the last point, has a node more; from its last node an unseen
    straight segment leads back, so that both are handled alike.

    A node is where neighbouring primitives meet, near its breakpoint; where they hardly meet, it
    is the middle of the nearest places on both.
    """
    m = len(stops) - 1
    closed = stops[m] == len(points)
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
    total = m if closed else m + 1
    nodes = np.zeros((total, 2))
    for k in range(m):
        x, y = points[stops[k]]
        nodes[k, 0], nodes[k, 1] = _meet(primitives[k - 1], primitives[k], x, y)
    _unfold(points, stops, primitives, nodes)
    if not closed:
        nodes[0], nodes[m] = points[0], points[stops[m]]
    bulges = np.zeros(total)
    for k in range(m):
        if primitives[k, 0] == ARC:
            mid = points[(stops[k] + stops[k + 1]) // 2]
            x, y = _onto(primitives[k], mid[0], mid[1])
            bulges[k] = bulge_through(nodes[k], nodes[(k + 1) % total], x, y)
    return nodes, bulges


@compiled
def _unfold(points: Floats, stops: Ints, primitives: Floats, nodes: Floats) -> None:
    """Put the nodes of segments that run against their contour back to their breakpoints.

    Where three segments are almost in line, they meet far off, and past one another.
    """
    m = len(primitives)
    for k in range(m):
        q = (k + 1) % len(nodes)
        x, y = points[stops[k + 1] % len(points)] - points[stops[k]]
        if x * (nodes[q, 0] - nodes[k, 0]) + y * (nodes[q, 1] - nodes[k, 1]) < 0.0:
            for j in (k, q):
                nodes[j] = _between(primitives[j - 1], primitives[j % m], points[stops[j]])


@compiled
def _between(one: Floats, two: Floats, at: Floats) -> Floats:
    """Return the middle of the nearest places to `at` on two primitives, (2,)."""
    px, py = _onto(one, at[0], at[1])
    qx, qy = _onto(two, at[0], at[1])
    return np.array([0.5 * (px + qx), 0.5 * (py + qy)])


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
    middle = _between(one, two, np.array([x, y]))
    return middle[0], middle[1]


@compiled
def _normal(primitive: Floats, x: float, y: float) -> tuple[float, float]:
    if primitive[0] == LINE:
        return -np.sin(primitive[3]), np.cos(primitive[3])
    dx, dy = x - primitive[1], y - primitive[2]
    far = max(np.sqrt(dx * dx + dy * dy), 1e-12)
    return dx / far, dy / far


@compiled
def bulge_through(a: Floats, b: Floats, x: float, y: float) -> float:
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
def tangent_turn(nodes: Floats, bulges: Floats, k: int) -> float:
    """Return the turn of the path at node k, radians, 0 when smooth, positive to the left."""
    m = len(nodes)
    a, b, c = nodes[k - 1], nodes[k], nodes[(k + 1) % m]
    into = np.arctan2(b[1] - a[1], b[0] - a[0]) + 2 * np.arctan(bulges[k - 1])
    out = np.arctan2(c[1] - b[1], c[0] - b[0]) - 2 * np.arctan(bulges[k])
    turn = out - into
    return float(turn - 2 * np.pi * np.floor((turn + np.pi) / (2 * np.pi)))


@compiled
def kept_sign(before: float, after: float) -> float:
    """Return `after`, held to the sign of `before` and to at most four times its size."""
    if after * before <= 0:
        return before / 4
    return float(np.sign(before) * min(abs(after), 4 * abs(before)))


@compiled
def clamped(a: Floats, b: Floats, bulge: float, x: float, y: float) -> float:
    """Return the distance of (x, y) from the segment from a to b, px."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    chord = np.sqrt(dx * dx + dy * dy)
    if chord < 1e-12:
        return float(np.sqrt((x - a[0]) * (x - a[0]) + (y - a[1]) * (y - a[1])))
    ux, uy = dx / chord, dy / chord
    along = (x - 0.5 * (a[0] + b[0])) * ux + (y - 0.5 * (a[1] + b[1])) * uy
    inside = abs(along) <= 0.5 * chord
    if bulge != 0.0:
        across = -(x - a[0]) * uy + (y - a[1]) * ux
        rise = 0.25 * chord * (1 - bulge * bulge) / bulge
        # seen from the centre: within half the included angle of the middle of the arc
        down = (rise - across) if bulge > 0 else (across - rise)
        inside = np.arctan2(abs(along), down) <= 2 * np.arctan(abs(bulge))
    if inside:
        return abs(residual(a[0], a[1], b[0], b[1], bulge, x, y))
    one = (x - a[0]) * (x - a[0]) + (y - a[1]) * (y - a[1])
    two = (x - b[0]) * (x - b[0]) + (y - b[1]) * (y - b[1])
    return float(np.sqrt(min(one, two)))

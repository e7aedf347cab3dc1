"""Cubic curves as arcs that go into each other without a corner.

Words used here
    biarc    two arcs from one place of a curve to another, tangent to it there and to each other

References
----------
K. M. Bolton, "Biarc curves", Computer-Aided Design 7(2), 1975, 89-92. Of all biarcs the one is
taken whose joint is as far, along the tangents, from one end as from the other.
"""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.geometry.flatten import cubic_hulls
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Path

_FLAT = 1e-7  # of a chord, that an arc leaves it by where it is a line
_SAMPLES = 24  # of a curve from place to place, that are held against the arcs
_FINEST = 1 / 256  # of a cubic, that two arcs take at least
_MOST = 0.5  # bulge: an arc goes round no more than that


def with_arcs(path: Path, within: float) -> Path:
    """Return `path` with its cubics as arcs and lines, `within` mm of them at most."""
    cubic = path.kinds == CUBIC
    if not cubic.any():
        return path
    hulls = iter(cubic_hulls(path))
    nodes: list[Floats] = []
    bulges: list[Floats] = []
    for i in range(len(path.kinds)):
        if cubic[i]:
            rows = _biarcs(np.ascontiguousarray(next(hulls)), within)
            nodes.append(rows[:, :2])
            bulges.append(rows[:, 2])
        else:
            nodes.append(path.starts[i : i + 1])
            bulges.append(path.bulges[i : i + 1])
    if not path.closed:
        nodes.append(path.nodes[-1:])
    bulge = np.concatenate(bulges)
    kinds = np.where(bulge != 0, ARC, LINE).astype(np.uint8)
    return type(path)(np.concatenate(nodes), kinds, bulge)


@compiled
def _at(hull: Floats, t: float) -> tuple[float, float, float, float]:
    """Return the point of a cubic and its direction, a unit vector."""
    s = 1 - t
    x = s**3 * hull[0, 0] + 3 * s * s * t * hull[1, 0] + 3 * s * t * t * hull[2, 0]
    y = s**3 * hull[0, 1] + 3 * s * s * t * hull[1, 1] + 3 * s * t * t * hull[2, 1]
    x, y = x + t**3 * hull[3, 0], y + t**3 * hull[3, 1]
    u, v, size = 0.0, 0.0, 0.0
    for shift in (0.0, 1e-4, 1e-2):  # where a control point lies on its end there is no speed
        r = min(max(t + (shift if t < 0.5 else -shift), 0.0), 1.0)
        q = 1 - r
        u = q * q * (hull[1, 0] - hull[0, 0]) + 2 * q * r * (hull[2, 0] - hull[1, 0])
        v = q * q * (hull[1, 1] - hull[0, 1]) + 2 * q * r * (hull[2, 1] - hull[1, 1])
        u, v = u + r * r * (hull[3, 0] - hull[2, 0]), v + r * r * (hull[3, 1] - hull[2, 1])
        size = np.hypot(u, v)
        reach = abs(hull[3, 0] - hull[0, 0]) + abs(hull[3, 1] - hull[0, 1])
        reach += abs(hull[2, 0] - hull[1, 0]) + abs(hull[2, 1] - hull[1, 1])
        if size > 1e-9 * reach:
            break
    if size == 0:
        return x, y, 1.0, 0.0
    return x, y, u / size, v / size


@compiled
def _bulge(ax: float, ay: float, u: float, v: float, bx: float, by: float) -> float:
    """Return the bulge of the arc that leaves a place in a direction and comes to another."""
    cx, cy = bx - ax, by - ay
    return float(np.tan(0.5 * np.arctan2(u * cy - v * cx, u * cx + v * cy)))


@compiled
def _off(px: float, py: float, ax: float, ay: float, bx: float, by: float, bulge: float) -> float:
    """Return how far a point is from the circle or line of an arc."""
    cx, cy = bx - ax, by - ay
    size = np.hypot(cx, cy)
    if size == 0:
        return float(np.hypot(px - ax, py - ay))
    if abs(bulge) < _FLAT:
        return float(abs(cx * (py - ay) - cy * (px - ax)) / size)
    k = (1 - bulge * bulge) / (4 * bulge)
    mx, my = 0.5 * (ax + bx) - k * cy, 0.5 * (ay + by) + k * cx
    radius = size * (1 + bulge * bulge) / (4 * abs(bulge))
    return float(abs(np.hypot(px - mx, py - my) - radius))


@compiled
def _joint(hull: Floats, low: float, high: float) -> tuple[float, float, float, float]:
    """Return where the two arcs from one place to another meet, and their bulges."""
    ax, ay, u, v = _at(hull, low)
    bx, by, w, z = _at(hull, high)
    cx, cy = bx - ax, by - ay
    size = cx * cx + cy * cy
    along = cx * (u + w) + cy * (v + z)
    spread = 2 - 2 * (u * w + v * z)
    if spread > 1e-12:
        reach = (-along + np.sqrt(along * along + spread * size)) / spread
    elif along > 0:
        reach = size / (2 * along)
    else:
        reach = 0.5 * np.sqrt(size)
    px, py, qx, qy = ax + reach * u, ay + reach * v, bx - reach * w, by - reach * z
    jx, jy = 0.5 * (px + qx), 0.5 * (py + qy)
    first = _bulge(ax, ay, u, v, jx, jy)
    second = -_bulge(bx, by, -w, -z, jx, jy)
    return jx, jy, first, second


@compiled
def _fits(hull: Floats, low: float, high: float, within: float) -> bool:
    jx, jy, first, second = _joint(hull, low, high)
    if abs(first) > _MOST or abs(second) > _MOST:
        return False
    ax, ay, _, _ = _at(hull, low)
    bx, by, _, _ = _at(hull, high)
    for k in range(1, _SAMPLES):
        x, y, _, _ = _at(hull, low + (high - low) * k / _SAMPLES)
        one = _off(x, y, ax, ay, jx, jy, first)
        two = _off(x, y, jx, jy, bx, by, second)
        # before the joint the first arc counts, after it the second
        ahead = (x - jx) * (bx - ax) + (y - jy) * (by - ay)
        if (two if ahead > 0 else one) > within:
            return False
    return True


@compiled
def _biarcs(hull: Floats, within: float) -> Floats:
    """Return vertices (K, 3) of arcs along a cubic: x, y, and the bulge of what follows."""
    rows = np.zeros((2 * int(1 / _FINEST) + 4, 3))
    count = 0
    low = 0.0
    while low < 1.0:
        high = 1.0
        if not _fits(hull, low, high, within):
            good, bad = low, high
            for _ in range(12):
                middle = 0.5 * (good + bad)
                if _fits(hull, low, middle, within):
                    good = middle
                else:
                    bad = middle
            high = min(max(good, low + _FINEST), 1.0)
            if 1.0 - high < _FINEST:  # rather two alike than one and a splinter
                high = 0.5 * (low + 1.0) if 1.0 - low > 2 * _FINEST else 1.0
        ax, ay, _, _ = _at(hull, low)
        rows[count, 0], rows[count, 1] = ax, ay
        if _fits(hull, low, high, within):
            jx, jy, first, second = _joint(hull, low, high)
            rows[count, 2] = first if abs(first) > _FLAT else 0.0
            rows[count + 1, 0], rows[count + 1, 1] = jx, jy
            rows[count + 1, 2] = second if abs(second) > _FLAT else 0.0
            count += 1
        count += 1
        low = high
    return rows[:count]

"""The best place for every node of a chain at once, with tangent joints where they belong.

Words used here
    block      what belongs to one segment k: its first node (x, y) and its bulge
    tangent    a joint at which the path does not turn
    pull       multiplier of a tangent joint's turn; it grows until the turn is gone

Gauss-Newton steps on the squared distances of all contour points. A tangent joint adds its turn
as a residual with a pull (method of multipliers: M. R. Hestenes, "Multiplier and gradient
methods", Journal of Optimization Theory and Applications 4, 1969, 303-320). A block meets its two
neighbours on either side only, so the normal matrix is a closed band; taken in the order 0, n - 1,
1, n - 2, ... it is an open band of twice the width, which Cholesky's method solves in linear time.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.fitting.joints import kept_sign, tangent_turn
from silhueta.core.fitting.segments import Ints, arc_lengths, trimmed
from silhueta.core.geometry.path import Floats

Flags = NDArray[np.bool_]

_STEPS = 6
_TIGHT = 20  # steps where joints are tangent
_DAMP = 0.02  # points' worth of pull towards where a node stood
_HELD = 1e12
_PULL = 60.0  # px per radian of turn
_CORNER_TURN = 0.8  # radians; below, a joint is smooth and nothing near it is rounded by blur
_HALF = 15  # width of half the band, its middle counted
_STILL = 1e-4  # px
_STRIDE, _NEARER = 1.0, 0.25  # px that a node moves a step at most, and share of a segment beside


@compiled
def settle(
    points: Floats,
    stops: Ints,
    nodes: Floats,
    bulges: Floats,
    tangent: Flags,
    held: Flags,
    trim: float,
) -> None:
    """Move nodes and bulges, in place, to the least squared distance from the contour.

    Parameters
    ----------
    points : (n, 2), px, begun at a breakpoint
    stops : (m + 1,), breakpoints from 0 to n
    nodes, bulges : (m, 2), (m,)
    tangent : (m,) of bool
        Joints at which the path must not turn.
    held : (m,) of bool
        Nodes that stay where they are.
    trim : float, px
        What blur has rounded at both ends of a segment that meets another in a corner.

    """
    m = len(nodes)
    along = arc_lengths(points)
    spans = np.zeros((m, 2), np.int64)
    pull = np.zeros(m)
    shares = np.ones(m)
    place = _places(m)
    tied = tangent.any()
    size = 3 * m
    for step in range(_TIGHT if tied else _STEPS):
        if step < 3:
            _spans(along, stops, nodes, bulges, trim, spans)
        band = np.zeros((size, _HALF))
        right = np.zeros(size)
        out = np.zeros((5, 6))
        for k in range(m):
            out[:] = 0.0
            q = (k + 1) % m
            _gather(nodes[k], nodes[q], bulges[k], points, spans[k, 0], spans[k, 1], out)
            _add(band, right, out, place, k, q, bulges[k] == 0.0)
        for k in range(m):
            if tangent[k]:
                _tie(band, right, place, nodes, bulges, k, pull[k])
        for i in range(size):
            band[i, 0] += _DAMP if i % 3 < 2 else 1e-9 + 1e-6 * band[i, 0]
        for k in range(m):
            if bulges[k] == 0.0:
                band[3 * place[k] + 2, 0] = 1.0
            if held[k]:
                band[3 * place[k], 0] += _HELD
                band[3 * place[k] + 1, 0] += _HELD
        if not _solve(band, right):
            break
        moved = 0.0
        longest = 0.0
        for k in range(m):
            x, y = right[3 * place[k]], right[3 * place[k] + 1]
            longest = max(longest, np.sqrt(x * x + y * y))
        if not np.isfinite(longest):
            break
        for k in range(m):
            x, y = right[3 * place[k]], right[3 * place[k] + 1]
            far = np.sqrt(x * x + y * y)
            shares[k] = min(1.0, _most(nodes, k) / max(far, 1e-12))
            moved = max(moved, shares[k] * far)
        for k in range(m):
            nodes[k, 0] += shares[k] * right[3 * place[k]]
            nodes[k, 1] += shares[k] * right[3 * place[k] + 1]
            if bulges[k] != 0.0:  # what its nodes may not go on, a bulge does not either
                share = min(shares[k], shares[(k + 1) % m])
                bulges[k] = kept_sign(bulges[k], bulges[k] + share * right[3 * place[k] + 2])
        worst = 0.0
        for k in range(m):
            if tangent[k]:
                turn = tangent_turn(nodes, bulges, k)
                pull[k] += turn
                worst = max(worst, abs(turn))
        if moved < _STILL and worst < 1e-4:
            break


@compiled
def _most(nodes: Floats, k: int) -> float:
    """Return how far node k may move in a step, px: never past the next one, which would fold."""
    shorter = np.inf
    for q in (k - 1, (k + 1) % len(nodes)):
        x, y = nodes[k] - nodes[q]
        shorter = min(shorter, np.sqrt(x * x + y * y))
    return float(min(_STRIDE, _NEARER * shorter))


@compiled
def _places(m: int) -> Ints:
    """Return where each block stands in the folded order."""
    place = np.zeros(m, np.int64)
    low, high = 0, m - 1
    for i in range(m):
        if i % 2 == 0:
            place[low] = i
            low += 1
        else:
            place[high] = i
            high -= 1
    return place


@compiled
def _spans(
    along: Floats, stops: Ints, nodes: Floats, bulges: Floats, trim: float, spans: Ints
) -> None:
    m = len(nodes)
    for k in range(m):
        first, last = trimmed(along, stops[k], stops[k + 1], trim)
        if abs(tangent_turn(nodes, bulges, k)) < _CORNER_TURN:
            first = stops[k]
        if abs(tangent_turn(nodes, bulges, (k + 1) % m)) < _CORNER_TURN:
            last = stops[k + 1]
        spans[k, 0], spans[k, 1] = first, last


@compiled
def _gather(
    a: Floats, b: Floats, bulge: float, points: Floats, first: int, last: int, out: Floats
) -> None:
    """Add to `out` (rows: ax, ay, bx, by, bulge; last column: right side) its points' pull."""
    n = len(points)
    dx, dy = b[0] - a[0], b[1] - a[1]
    square = dx * dx + dy * dy
    if square < 1e-18:
        return
    chord = np.sqrt(square)
    ux, uy = dx / chord, dy / chord
    mx, my = 0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])
    rise, radius, slope_rise, slope_radius, sign = 0.0, 0.0, 0.0, 0.0, 1.0
    if bulge != 0.0:
        k = bulge * bulge
        sign = 1.0 if bulge > 0 else -1.0
        rise = 0.25 * chord * (1 - k) / bulge
        radius = 0.25 * chord * (1 + k) / abs(bulge)
        slope_rise = -0.25 * chord * (1 + k) / k
        slope_radius = 0.25 * chord * (k - 1) / k * sign
    j = np.zeros(5)
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
            r = sign * (radius - far)
            # the normal to the left, at the foot of the point
            ca, cb = -sign * along / far, -sign * lift / far
            nx, ny = ca * ux - cb * uy, ca * uy + cb * ux
            db = sign * (slope_radius + lift / far * slope_rise)
        # the foot as a complex share of the way from a to b: 0 at a, 1 at b
        fx, fy = x - r * nx - a[0], y - r * ny - a[1]
        qr, qi = (fx * dx + fy * dy) / square, (fy * dx - fx * dy) / square
        # moving b by d moves the foot by d times that share, moving a by d times the rest
        j[2] = -(nx * qr + ny * qi)
        j[3] = nx * qi - ny * qr
        j[0] = -(nx * (1 - qr) - ny * qi)
        j[1] = -nx * qi - ny * (1 - qr)
        j[4] = db
        for row in range(5):
            for column in range(row, 5):
                out[row, column] += j[row] * j[column]
            out[row, 5] -= j[row] * r


@compiled
def _put(band: Floats, one: int, two: int, value: float) -> None:
    """Add `value` to the symmetric matrix at (one, two); the band keeps its lower half."""
    if one >= two:
        band[one, one - two] += value
    else:
        band[two, two - one] += value


@compiled
def _add(
    band: Floats, right: Floats, out: Floats, place: Ints, k: int, q: int, straight: bool
) -> None:
    at = np.array(
        [3 * place[k], 3 * place[k] + 1, 3 * place[q], 3 * place[q] + 1, 3 * place[k] + 2]
    )
    for row in range(4 if straight else 5):
        right[at[row]] += out[row, 5]
        for column in range(row, 4 if straight else 5):
            _put(band, at[row], at[column], out[row, column])


@compiled
def _tie(
    band: Floats, right: Floats, place: Ints, nodes: Floats, bulges: Floats, k: int, pull: float
) -> None:
    """Add the turn at joint k as a residual."""
    m = len(nodes)
    p, q = (k - 1) % m, (k + 1) % m
    ax, ay = nodes[k, 0] - nodes[p, 0], nodes[k, 1] - nodes[p, 1]
    bx, by = nodes[q, 0] - nodes[k, 0], nodes[q, 1] - nodes[k, 1]
    aa, bb = max(ax * ax + ay * ay, 1e-12), max(bx * bx + by * by, 1e-12)
    # d atan2(y, x) = (x dy - y dx) / (x² + y²)
    j = np.zeros(8)
    j[0], j[1] = -ay / aa, ax / aa  # by the node before
    j[4], j[5] = -by / bb, bx / bb  # by the node after
    j[2], j[3] = by / bb + ay / aa, -bx / bb - ax / aa  # by the node itself
    j[6] = -2 / (1 + bulges[p] * bulges[p]) if bulges[p] != 0.0 else 0.0
    j[7] = -2 / (1 + bulges[k] * bulges[k]) if bulges[k] != 0.0 else 0.0
    at = np.array(
        [
            3 * place[p],
            3 * place[p] + 1,
            3 * place[k],
            3 * place[k] + 1,
            3 * place[q],
            3 * place[q] + 1,
            3 * place[p] + 2,
            3 * place[k] + 2,
        ]
    )
    r = tangent_turn(nodes, bulges, k) + pull
    weight = _PULL * _PULL
    for row in range(8):
        right[at[row]] -= weight * j[row] * r
        for column in range(8):
            if at[row] >= at[column]:
                band[at[row], at[row] - at[column]] += weight * j[row] * j[column]


@compiled
def _solve(band: Floats, right: Floats) -> bool:
    """Solve the banded system by Cholesky's method, `right` becoming its solution."""
    n = len(right)
    for i in range(n):
        low = max(0, i - _HALF + 1)
        for j in range(low, i + 1):
            total = band[i, i - j]
            for k in range(max(low, j - _HALF + 1), j):
                total -= band[i, i - k] * band[j, j - k]
            if i == j:
                if total <= 0.0:
                    return False
                band[i, 0] = np.sqrt(total)
            else:
                band[i, i - j] = total / band[j, 0]
    for i in range(n):
        total = right[i]
        for k in range(max(0, i - _HALF + 1), i):
            total -= band[i, i - k] * right[k]
        right[i] = total / band[i, 0]
    for i in range(n - 1, -1, -1):
        total = right[i]
        for k in range(i + 1, min(n, i + _HALF)):
            total -= band[k, k - i] * right[k]
        right[i] = total / band[i, 0]
    return True

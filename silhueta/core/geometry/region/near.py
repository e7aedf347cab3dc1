"""The compiled parts of a region's arrangement: which chords meet, and chains of edges."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats
from silhueta.core.geometry.sweep import BLOCK, Ints, near_blocks

_SHORT = 4.0  # reaches, under which a chord has no direction


def meeting(ends: Floats, reach: float) -> NDArray[np.bool_]:
    """Return which chords (K, 2, 2) come within `reach` of another, ends that they share aside.

    Chords that are the same do not count. Chords of one outline should follow each other, which
    makes it fast.
    """
    one, two = near_blocks(ends, reach)
    return np.asarray(_meeting(np.ascontiguousarray(ends), one, two, BLOCK, reach))


@compiled
def _from(px: float, py: float, ax: float, ay: float, bx: float, by: float) -> float:
    """Return the square of how far a point is from a straight piece."""
    ux, uy = bx - ax, by - ay
    size = ux * ux + uy * uy
    t = ((px - ax) * ux + (py - ay) * uy) / size if size > 0 else 0.0
    t = min(max(t, 0.0), 1.0)
    x, y = px - ax - t * ux, py - ay - t * uy
    return x * x + y * y


@compiled
def _meeting(ends: Floats, one: Ints, two: Ints, block: int, reach: float) -> NDArray[np.bool_]:
    count = len(ends)
    met = np.zeros(count, np.bool_)
    square = reach * reach
    for k in range(len(one)):
        for i in range(one[k] * block, min((one[k] + 1) * block, count)):
            ax, ay, bx, by = ends[i, 0, 0], ends[i, 0, 1], ends[i, 1, 0], ends[i, 1, 1]
            left, right = min(ax, bx) - reach, max(ax, bx) + reach
            low, high = min(ay, by) - reach, max(ay, by) + reach
            for j in range(max(two[k] * block, i + 1), min((two[k] + 1) * block, count)):
                if met[i] and met[j]:
                    continue
                cx, cy, dx, dy = ends[j, 0, 0], ends[j, 0, 1], ends[j, 1, 0], ends[j, 1, 1]
                if max(cx, dx) < left or min(cx, dx) > right:
                    continue
                if max(cy, dy) < low or min(cy, dy) > high:
                    continue
                ac, ad = ax == cx and ay == cy, ax == dx and ay == dy
                bc, bd = bx == cx and by == cy, bx == dx and by == dy
                if (ac and bd) or (ad and bc):
                    continue
                if ac or ad or bc or bd:
                    # apart, unless one lies along the other
                    ox, oy = (ax, ay) if ac or ad else (bx, by)
                    ux, uy = (bx - ox, by - oy) if ac or ad else (ax - ox, ay - oy)
                    vx, vy = (dx - ox, dy - oy) if ac or bc else (cx - ox, cy - oy)
                    u, v = np.hypot(ux, uy), np.hypot(vx, vy)
                    wide = abs(ux * vy - uy * vx) > 2 * reach * max(u, v)
                    if min(u, v) > _SHORT * reach and (wide or ux * vx + uy * vy < 0):
                        continue
                    met[i] = met[j] = True
                    continue
                ux, uy, vx, vy = bx - ax, by - ay, dx - cx, dy - cy
                wx, wy = cx - ax, cy - ay
                first = (ux * wy - uy * wx) * (ux * (wy + vy) - uy * (wx + vx))
                second = (vx * -wy + vy * wx) * (vx * (uy - wy) - vy * (ux - wx))
                if (
                    (first < 0 and second < 0)
                    or _from(ax, ay, cx, cy, dx, dy) <= square
                    or _from(bx, by, cx, cy, dx, dy) <= square
                    or _from(cx, cy, ax, ay, bx, by) <= square
                    or _from(dx, dy, ax, ay, bx, by) <= square
                ):
                    met[i] = met[j] = True
    return met


@compiled
def chained(pair: Ints, many: int) -> tuple[Ints, Ints, Ints]:
    """Return edges (E, 2) between `many` vertices as chains that meet nothing on their way.

    The vertices along all chains, where in them each chain begins and the last one ends, and for
    each edge the chain that it belongs to: negative, less one, where it runs against it.
    """
    edges = len(pair)
    degree = np.zeros(many + 1, np.int64)
    for e in range(edges):
        degree[pair[e, 0] + 1] += 1
        degree[pair[e, 1] + 1] += 1
    first = np.cumsum(degree)
    fill = first[:-1].copy()
    beside = np.empty(2 * edges, np.int64)
    for e in range(edges):
        for side in range(2):
            beside[fill[pair[e, side]]] = e
            fill[pair[e, side]] += 1
    along = np.empty(2 * edges, np.int64)
    begins = np.empty(edges + 1, np.int64)
    chain = np.full(edges, edges, np.int64)
    used, count = 0, 0
    for turn in range(2):  # from where chains meet; then what is left, closed on itself
        for e in range(edges):
            for side in range(2):
                vertex = pair[e, side]
                if chain[e] != edges or (turn == 0 and degree[vertex + 1] == 2):
                    continue
                begins[count] = used
                along[used] = vertex
                used += 1
                edge = e
                while chain[edge] == edges:
                    ahead = pair[edge, 0] == vertex
                    chain[edge] = count if ahead else -count - 1
                    vertex = pair[edge, 1] if ahead else pair[edge, 0]
                    along[used] = vertex
                    used += 1
                    if degree[vertex + 1] != 2:
                        break
                    one = beside[first[vertex]]
                    edge = beside[first[vertex] + 1] if one == edge else one
                count += 1
    begins[count] = used
    return along[:used], begins[: count + 1], chain

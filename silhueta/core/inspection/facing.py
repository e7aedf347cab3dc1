"""The compiled search for segments that may face each other across a web or a slot."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled, doubled
from silhueta.core.geometry.path import LINE, Floats
from silhueta.core.geometry.region.segments import Ints, Segments, chords_of
from silhueta.core.geometry.sweep import BLOCK, near_blocks

ASKEW = 0.02  # sine of the angle under which two sides run apart, and still are one width
CURVE = 0.002  # mm, within which cubics are taken as arcs: less than any tool keeps to
_CHORDS = 1 / 20  # of the limit, that chords may leave an arc while pairs are looked for
_SLACK = 1 / 10  # of the limit, that pairs are looked for beyond it: twice what chords hide
_LINE = int(LINE)


def facing_pairs(table: Segments, after: Ints, limit: float, solid: bool, most: int) -> Ints | None:
    """Return pairs of segments that may be nearest to each other across what is solid, (P, 2).

    Parameters
    ----------
    table : Segments
        Lines and arcs of closed loops, with what is solid on their left.
    after : (S,)
        The segment after each in its loop.
    limit : float, mm
        Farther apart is not looked for.
    solid : bool
        False: across what falls away.
    most : int
        Pairs from which on the answer is None: nearly everything is near everything.

    """
    chords = chords_of(table, max(CURVE, _CHORDS * limit))
    slack = _SLACK * limit
    one, two = near_blocks(chords.ends, (limit + slack) / 2)
    found, count = _pairs(
        chords.ends,
        chords.segment,
        after,
        table.kinds == _LINE,
        one,
        two,
        limit,
        slack,
        1.0 if solid else -1.0,
        most,
    )
    if count > most:
        return None
    pairs = found[:count]
    lines = (table.kinds[pairs] == _LINE).all(1)
    # an arc has several chords, each of which was met on its own
    bent = np.unique(pairs[~lines], axis=0)
    return np.concatenate([pairs[lines], bent])


@compiled
def _pairs(
    ends: Floats,
    segment: Ints,
    after: Ints,
    line: NDArray[np.bool_],
    one: Ints,
    two: Ints,
    limit: float,
    slack: float,
    side: float,
    most: int,
) -> tuple[Ints, int]:
    """Return pairs of segments whose chords come near each other, and how many; too many: all."""
    found = np.zeros((1024, 2), np.int64)
    count, total = 0, len(ends)
    for k in range(len(one)):
        for i in range(one[k] * BLOCK, min((one[k] + 1) * BLOCK, total)):
            p = segment[i]
            ax, ay, bx, by = ends[i, 0, 0], ends[i, 0, 1], ends[i, 1, 0], ends[i, 1, 1]
            left, right = min(ax, bx) - limit - slack, max(ax, bx) + limit + slack
            low, high = min(ay, by) - limit - slack, max(ay, by) + limit + slack
            for j in range(max(two[k] * BLOCK, i + 1), min((two[k] + 1) * BLOCK, total)):
                q = segment[j]
                if p == q or after[p] == q or after[q] == p:
                    continue
                cx, cy, dx, dy = ends[j, 0, 0], ends[j, 0, 1], ends[j, 1, 0], ends[j, 1, 1]
                if min(cx, dx) > right or max(cx, dx) < left:
                    continue
                if min(cy, dy) > high or max(cy, dy) < low:
                    continue
                if line[p] and line[q]:
                    near = (
                        _faces(ax, ay, bx, by, cx, cy, dx, dy, 1.0, limit, side)
                        or _faces(bx, by, ax, ay, cx, cy, dx, dy, -1.0, limit, side)
                        or _faces(cx, cy, dx, dy, ax, ay, bx, by, 1.0, limit, side)
                        or _faces(dx, dy, cx, cy, ax, ay, bx, by, -1.0, limit, side)
                    )
                else:
                    far = limit + slack
                    near = (
                        _off(ax, ay, cx, cy, dx, dy) < far
                        or _off(bx, by, cx, cy, dx, dy) < far
                        or _off(cx, cy, ax, ay, bx, by) < far
                        or _off(dx, dy, ax, ay, bx, by) < far
                    )
                if not near:
                    continue
                if count == len(found):
                    found = doubled(found, count)
                found[count, 0], found[count, 1] = p, q
                count += 1
                if count > most:
                    return found, count
    return found, count


@compiled
def _off(px: float, py: float, ax: float, ay: float, bx: float, by: float) -> float:
    """Return how far a point is from a chord."""
    wx, wy = bx - ax, by - ay
    long = max(wx * wx + wy * wy, 1e-300)
    t = min(max(((px - ax) * wx + (py - ay) * wy) / long, 0.0), 1.0)
    return float(np.hypot(px - ax - t * wx, py - ay - t * wy))


@compiled
def _faces(
    px: float,
    py: float,
    ox: float,
    oy: float,
    ax: float,
    ay: float,
    bx: float,
    by: float,
    way: float,
    limit: float,
    side: float,
) -> bool:
    """Return whether the end p of a line (its other end o) may be nearest to the line from a to b.

    `way`: 1 where the first line runs from p to o, else -1. What lies between must be on the
    wanted side of both, and neither may come nearer where it goes on from its end.
    """
    wx, wy = bx - ax, by - ay
    long = max(wx * wx + wy * wy, 1e-300)
    t = ((px - ax) * wx + (py - ay) * wy) / long
    end = t <= 0.0 or t >= 1.0
    t = min(max(t, 0.0), 1.0)
    vx, vy = ax + t * wx - px, ay + t * wy - py  # from p to the other line
    apart = np.hypot(vx, vy)
    if apart >= limit:
        return False
    mx, my = ox - px, oy - py
    own = np.hypot(mx, my)
    most = ASKEW * apart
    if vx * mx + vy * my > most * own:
        return False
    if side * way * (mx * vy - my * vx) < -most * own:
        return False
    if side * (wx * -vy - wy * -vx) < -most * np.sqrt(long):
        return False
    if end:
        back = 1.0 if t <= 0.0 else -1.0
        if -(vx * wx + vy * wy) * back > most * np.sqrt(long):
            return False
    return True

"""The compiled search for pieces that cut through each other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats


@compiled
def sweep(lines: Floats, most: int) -> tuple[Floats, NDArray[np.int64]]:
    """Return places where two of `lines` (N, 4: x0, y0, x1, y1) cross, and the two indices.

    `lines` must be sorted by their lower x: each is held against those that begin before it ends.
    """
    found = np.zeros((most, 2))
    pairs = np.zeros((most, 2), np.int64)
    count = 0
    total = len(lines)
    for i in range(total):
        ax, ay, bx, by = lines[i]
        right, low, high = max(ax, bx), min(ay, by), max(ay, by)
        for j in range(i + 1, total):
            cx, cy, dx, dy = lines[j]
            if min(cx, dx) > right:
                break
            if min(cy, dy) > high or max(cy, dy) < low:
                continue
            side_c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            side_d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            if side_c * side_d >= 0:
                continue
            side_a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            side_b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if side_a * side_b >= 0:
                continue
            t = side_a / (side_a - side_b)
            found[count, 0] = ax + t * (bx - ax)
            found[count, 1] = ay + t * (by - ay)
            pairs[count, 0], pairs[count, 1] = i, j
            count += 1
            if count == most:
                return found, pairs
    return found[:count], pairs[:count]

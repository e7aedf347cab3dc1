"""The compiled search for pieces that cut through each other."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats

Ints = NDArray[np.int64]
BLOCK = 12  # pieces that share a box
_FEW = 8  # blocks that are held together without looking at their boxes


def near_blocks(ends: Floats, reach: float = 0.0) -> tuple[Ints, Ints]:
    """Return which blocks of `BLOCK` pieces in a row have boxes within `reach`, each pair once.

    `ends` is (K, 2, 2). Pieces of one outline should follow each other, which makes it fast.
    """
    import shapely

    blocks = np.arange(0, len(ends), BLOCK)
    if not len(blocks):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    if len(blocks) <= _FEW:
        one, two = np.triu_indices(len(blocks))
        return one.astype(np.int64), two.astype(np.int64)
    low = np.minimum.reduceat(ends.min(1), blocks) - reach
    high = np.maximum.reduceat(ends.max(1), blocks) + reach
    boxes: Any = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
    one, two = shapely.STRtree(boxes).query(boxes)
    some = one <= two
    order = np.lexsort((two[some], one[some]))
    return one[some][order], two[some][order]


@compiled
def sweep(
    ends: Floats, owner: Ints, one: Ints, two: Ints, most: int, own: bool
) -> tuple[Floats, Ints]:
    """Return places where two of the pieces `ends` (N, 2, 2) cross, (K, 2), and the two indices.

    Only pieces of the blocks `one` and `two`, which `near_blocks` gives, are held together; with
    `own`, only those of the same `owner` (N,).
    """
    found = np.zeros((most, 2))
    pairs = np.zeros((most, 2), np.int64)
    count, total = 0, len(ends)
    for k in range(len(one)):
        for i in range(one[k] * BLOCK, min((one[k] + 1) * BLOCK, total)):
            ax, ay, bx, by = ends[i, 0, 0], ends[i, 0, 1], ends[i, 1, 0], ends[i, 1, 1]
            left, right, low, high = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
            for j in range(max(two[k] * BLOCK, i + 1), min((two[k] + 1) * BLOCK, total)):
                if own and owner[i] != owner[j]:
                    continue
                cx, cy, dx, dy = ends[j, 0, 0], ends[j, 0, 1], ends[j, 1, 0], ends[j, 1, 1]
                if min(cx, dx) > right or max(cx, dx) < left:
                    continue
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

"""What goes round a closed ring: the cheapest smooth path."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats


@compiled
def closed_path(worth: Floats, bend: float) -> NDArray[np.int64]:
    """Return the column of each row that makes the sum of worth, less bends, largest; closed.

    The ring is walked twice, and the second half of each walk is taken: by then where it began
    no longer matters.
    """
    n, m = worth.shape
    total = 2 * n
    best = np.empty((total, m))
    came = np.zeros((total, m), np.int8)
    best[0] = worth[0]
    for i in range(1, total):
        for j in range(m):
            top, way = -1e300, 0
            for d in range(-2, 3):
                k = j + d
                if 0 <= k < m:
                    value = best[i - 1, k] - bend * abs(d) * abs(d)
                    if value > top:
                        top, way = value, d
            best[i, j] = top + worth[i % n, j]
            came[i, j] = way
    path = np.zeros(total, np.int64)
    path[total - 1] = np.argmax(best[total - 1])
    for i in range(total - 1, 0, -1):
        path[i - 1] = path[i] + came[i, path[i]]
    out = np.empty(n, np.int64)
    half = n // 2
    for i in range(n):
        out[(i + half) % n] = path[i + half]
    return out

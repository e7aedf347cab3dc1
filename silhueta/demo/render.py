"""Pictures of outlines with the exact share of every pixel that is covered.

Truth for the demo, the tests and the benchmarks: nothing is sampled, so a rendered edge is where
the geometry says it is.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats


def coverage(outlines: Iterable[Floats], width: int, height: int) -> Floats:
    """Return how much of each pixel the outlines cover, (height, width), 0 to 1.

    Parameters
    ----------
    outlines : iterable of (n, 2) float, px
        Closed polygons, y down, (0, 0) at the outer corner of the top-left pixel. Holes run the
        other way round than what they are in; the covered sides are added up.
    width, height : int, px

    """
    lines = np.vstack([np.hstack([p, np.roll(p, -1, axis=0)]) for p in outlines])
    return np.clip(np.abs(_accumulate(np.ascontiguousarray(lines), width, height)), 0, 1)


@compiled
def _accumulate(lines: Floats, width: int, height: int) -> Floats:
    """Add up, per pixel, the signed area to the right of every line, row by row."""
    area = np.zeros((height, width))
    cover = np.zeros((height, width + 1))
    for k in range(len(lines)):
        x0, y0, x1, y1 = lines[k]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        slope = (x1 - x0) / (y1 - y0)
        for row in range(max(int(np.floor(y0)), 0), min(int(np.ceil(y1)), height)):
            top, bottom = max(y0, float(row)), min(y1, row + 1.0)
            if bottom <= top:
                continue
            xa, xb = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            left, right = min(xa, xb), max(xa, xb)
            first, last = int(np.floor(left)), int(np.floor(right))
            for column in range(first, last + 1):
                if right > left:
                    a, b = max(left, float(column)), min(right, column + 1.0)
                    part = (bottom - top) * (b - a) / (right - left)
                    middle = 0.5 * (a + b)
                else:
                    part, middle = bottom - top, left
                if part <= 0.0:
                    continue
                if column < 0:
                    cover[row, 0] += sign * part
                elif column < width:
                    area[row, column] += sign * part * (column + 1.0 - middle)
                    cover[row, column + 1] += sign * part
    for row in range(height):
        total = 0.0
        for column in range(width):
            total += cover[row, column]
            area[row, column] += total
    return area

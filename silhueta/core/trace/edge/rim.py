"""What runs along the picture's border and is no part: a scanner's dark rim, a bench's edge.

Words used here
    rim    dark that covers a side of the picture, or lies along it in a thin strip
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.edge.contours import Grey, PixelContours

_ON = 0.01  # px from the border
_WHOLE = 0.9  # of a side: covered from end to end
_LONG = 0.3  # of a side, that a thin strip covers at least
_THIN = 0.03  # of the picture's shorter side


def rims(found: PixelContours, shape: tuple[int, ...]) -> list[int]:
    """Return which outer contours are a rim of the picture of `shape` (rows, columns)."""
    rows, columns = shape[:2]
    out: list[int] = []
    if len(found) == 0:
        return out
    low = np.minimum.reduceat(found.points, found.first[:-1])
    high = np.maximum.reduceat(found.points, found.first[:-1])
    touches = (low <= _ON).any(1) | (high >= np.array([columns, rows]) - _ON).any(1)
    for i in np.flatnonzero(touches & (found.areas > 0)):
        x, y = found.contour(int(i)).T
        sides = (
            (int((x <= _ON).sum()), rows),
            (int((x >= columns - _ON).sum()), rows),
            (int((y <= _ON).sum()), columns),
            (int((y >= rows - _ON).sum()), columns),
        )
        share = max(count / side for count, side in sides)
        touching = sum(count for count, _ in sides)
        thin = touching > 0 and found.areas[i] < _THIN * min(rows, columns) * touching
        if share >= _WHOLE or (thin and share >= _LONG):
            out.append(int(i))
    return out


def without(values: Grey, level: float, dark: bool, found: PixelContours, which: list[int]) -> Grey:
    """Return a field in which the part at the given contours is ground."""
    import cv2

    inside = (values < level) if dark else (values > level)
    count, labels = cv2.connectedComponents(inside.astype(np.uint8), connectivity=4)
    taken = np.zeros(count, np.bool_)
    rows, columns = values.shape
    for i in which:
        points = found.contour(i)
        at_x = np.clip(np.floor(points[:, 0]).astype(int), 0, columns - 1)
        at_y = np.clip(np.floor(points[:, 1]).astype(int), 0, rows - 1)
        seen: NDArray[np.int32] = labels[at_y, at_x]
        taken[seen] = True
    taken[0] = False
    made = values.copy()
    top = np.iinfo(values.dtype).max
    made[taken[labels]] = top if dark else 0
    return made

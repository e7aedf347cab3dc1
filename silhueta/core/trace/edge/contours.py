"""The edge between dark and light at sub-pixel accuracy.

Words used here
    level     the grey value that the edge follows; between two pixel centres it is found by
              straight interpolation
    inside    pixels that belong to the part
    contour   the closed chain of such crossings; one a loop of the mask, none ever crossing another

Coordinates are pixels with (0, 0) at the outer corner of the top-left pixel, so the centre of that
pixel is (0.5, 0.5). What leaves the picture is closed along the picture's border.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats

Grey = NDArray[np.uint8] | NDArray[np.uint16]


class PixelContours(NamedTuple):
    """All contours of a picture.

    points : (K, 2) float, pixels as (x, y), y down; contour i is ``points[first[i]:first[i + 1]]``.
    first : (N + 1,) int.
    areas : (N,) float, px²; positive for outer contours, negative for holes.
    dropped : how many contours were left out because their area was under the limit.
    """

    points: Floats
    first: NDArray[np.int64]
    areas: Floats
    dropped: int

    def __len__(self) -> int:
        return len(self.areas)

    def contour(self, i: int) -> Floats:
        """Return the points of contour `i`, (n, 2), px."""
        return self.points[self.first[i] : self.first[i + 1]]


def gathered(pieces: Sequence[Floats], areas: Floats, dropped: int) -> PixelContours:
    """Return contours of these points, a (n, 2) px each, and areas, (N,) px²."""
    first = np.concatenate([[0], np.cumsum([len(points) for points in pieces])]).astype(np.int64)
    return PixelContours(np.ascontiguousarray(np.vstack(pieces)), first, areas, dropped)


def contours(
    grey: Grey, level: float, *, dark: bool = True, least_area: float = 0.0
) -> PixelContours:
    """Return every closed contour of `grey` at `level`.

    Travelled with the part on the left, seen with y up: outer contours counter-clockwise. Where
    two part pixels meet at a corner only, they join when the mean of the four is on their side.

    Parameters
    ----------
    grey : (H, W) array of uint8 or uint16
    level : float
        Grey value of the edge. A whole number is raised by 0.01, so that no pixel lies on it.
    dark : bool
        Whether the part is darker than the level.
    least_area : float, px²
        Contours that enclose less are dropped and counted.

    References
    ----------
    W. E. Lorensen and H. E. Cline, "Marching cubes", ACM SIGGRAPH Computer Graphics 21(4), 1987,
    163-169, in two dimensions and followed instead of collected.

    """
    if float(level).is_integer():
        level += 0.01
    points, first, areas, dropped = _follow_all(
        cast("Grey", np.ascontiguousarray(grey)), float(level), dark, float(least_area)
    )
    return PixelContours(points, first, areas, int(dropped))


@compiled
def _value(grey: Grey, level: float, sign: float, r: int, c: int) -> float:
    """Return sign * (level - grey), above zero inside; past the border it mirrors or repeats."""
    rows, columns = grey.shape
    rr = min(max(r, 0), rows - 1)
    cc = min(max(c, 0), columns - 1)
    value = float(sign * (level - grey[rr, cc]))
    if (rr != r or cc != c) and value > 0:
        return -value  # the crossing then falls on the border itself
    return value


@compiled
def _follow_all(
    grey: Grey, level: float, dark: bool, least_area: float
) -> tuple[Floats, NDArray[np.int64], Floats, int]:
    rows, columns = grey.shape
    sign = 1.0 if dark else -1.0
    seen = np.zeros((rows, columns), np.bool_)
    points = np.empty((4096, 2))
    first = np.zeros(256, np.int64)
    areas = np.zeros(256)
    used, count, dropped = 0, 0, 0
    for row in range(rows):
        before = False
        for column in range(columns):
            now = (level - grey[row, column]) * sign > 0
            fresh = now and not before
            before = now
            if not fresh or seen[row, column]:
                continue
            # the pixel on the left hand and the one on the right, and the way ahead
            lr, lc, dr, dc = row, column, 1, 0
            start, area = used, 0.0
            while True:
                rr, rc = lr + dc, lc - dr
                left = _value(grey, level, sign, lr, lc)
                right = _value(grey, level, sign, rr, rc)
                t = left / (left - right)
                if used == len(points):
                    grown = np.empty((2 * used, 2))
                    grown[:used] = points
                    points = grown
                x = lc + 0.5 + t * (rc - lc)
                y = lr + 0.5 + t * (rr - lr)
                points[used, 0], points[used, 1] = x, y
                if used > start:
                    area += points[used - 1, 1] * x - points[used - 1, 0] * y
                used += 1
                if dr == 1:
                    seen[lr, lc] = True
                ahead_left = _value(grey, level, sign, lr + dr, lc + dc)
                ahead_right = _value(grey, level, sign, rr + dr, rc + dc)
                turn_left = ahead_left <= 0
                turn_right = ahead_left > 0 and ahead_right > 0
                if turn_left and ahead_right > 0 and left + right + ahead_left + ahead_right > 0:
                    turn_left, turn_right = False, True
                if turn_left:
                    dr, dc = -dc, dr
                elif turn_right:
                    lr, lc = rr + dr, rc + dc
                    dr, dc = dc, -dr
                else:
                    lr, lc = lr + dr, lc + dc
                if lr == row and lc == column and dr == 1:
                    break
            area += points[used - 1, 1] * points[start, 0] - points[used - 1, 0] * points[start, 1]
            area *= 0.5
            if used - start < 4 or abs(area) < least_area:
                used = start
                dropped += 1
                continue
            if count + 1 == len(first):
                longer = np.zeros(2 * len(first), np.int64)
                longer[: count + 1] = first[: count + 1]
                first = longer
                wider = np.zeros(2 * len(areas))
                wider[:count] = areas[:count]
                areas = wider
            areas[count] = area
            count += 1
            first[count] = used
    return points[:used].copy(), first[: count + 1].copy(), areas[:count].copy(), dropped

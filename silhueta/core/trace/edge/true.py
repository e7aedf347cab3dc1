"""Where the edge really is: contour points moved to what the greys on both sides say.

Words used here
    axis     along which a point is moved: the picture's axis that crosses the edge more squarely
    reach    pixels on each side of the edge's own pixel that blur has greyed
    side     grey value of what lies beside the edge, past the reach

Along a row or column that crosses an edge, the sum of the pixels between two sides tells how much
of them is part: the mean place of the edge over that pixel's width, exactly, for a straight edge
and whatever the (symmetric) blur; straight interpolation between two pixel centres does not. The
sides are taken beside each point, so that the edge lies half-way also where the light is uneven.

References
----------
A. Trujillo-Pino, K. Krissian, M. Alemán-Flores and D. Santana-Cedrés, "Accurate subpixel edge
location based on partial area effect", Image and Vision Computing 31(1), 2013, 72-90.
"""

from __future__ import annotations

from typing import NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.contours import Grey, PixelContours

_WIDEST = 4  # px of reach
_SETTLED = 0.03  # of the contrast, that the pixel past the reach may still differ by
_FADED = 0.5  # of the typical contrast; less is a corner, a thin place or no edge
_GAP = 1.5  # px between points on one side of a corner, at most
_WHOLE = 0.8  # of the contrast around; less is a pixel of a corner, part this side and part that
_AHEAD = 8  # points on each side over which a side's grey is averaged
_FARTHEST = 0.8  # px that a point is moved at most, and a pixel for each of reach past the first
_SAMPLE = 20_000  # points that tell the reach
_FEWEST = 8
_LAG = 3.0  # px
THIRD = 20.0  # 1 + 9 + 9 + 1


class Edge(NamedTuple):
    """Contours at the true edge, and what the picture told of itself.

    contours : PixelContours
    noise : float, px
        Standard deviation of one point across the edge.
    reach : int, px
        1 where there is only anti-aliasing, more where the picture is soft.
    along : float
        Points over which noise goes along.
    rough : bool
        A photo's or scan's, that may be wrong by more in places.
    """

    contours: PixelContours
    noise: float
    reach: int
    along: float = 1.0
    rough: bool = False


def true_edge(grey: Grey, found: PixelContours) -> Edge:
    """Return `found` moved to the edge.

    Parameters
    ----------
    grey : (H, W) array of uint8 or uint16
        The picture the contours were followed in.
    found : PixelContours

    """
    grey = cast("Grey", np.ascontiguousarray(grey))
    if len(found.points) == 0:
        return Edge(found, 0.0, 1)
    step = max(1, len(found.points) // _SAMPLE)
    reach = int(_reach(grey, np.ascontiguousarray(found.points[::step])))
    points, first, noise = _moved(grey, found.points, found.first, reach)
    return Edge(PixelContours(points, first, found.areas, found.dropped), float(noise), reach)


def noise_along(found: PixelContours) -> float:
    """Return the standard deviation, px, of contour points across the edge, whatever made them.

    From third differences over a few pixels along each contour, which neither lines nor circles
    have; neighbours may err together. (J. von Neumann, "Distribution of the ratio of the mean
    square successive difference to the variance", Annals of Mathematical Statistics 12(4), 1941,
    for differences as a measure of noise.)
    """
    jumps = []
    for i in range(len(found)):
        ring = found.contour(i)
        ring = np.vstack([ring, ring[:1]])
        along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
        at = np.arange(0.0, along[-1], _LAG)
        if len(at) >= 4 * _FEWEST:
            points = np.column_stack([np.interp(at, along, ring[:, k]) for k in range(2)])
            jumps.append(third_differences(points))
    if not jumps:
        return 0.0
    return float(1.4826 * np.median(np.concatenate(jumps)) / np.sqrt(THIRD))


def third_differences(ring: Floats, lag: int = 1) -> Floats:
    """Return the size of third differences of a closed ring's points across it, px, (N,).

    Of points that err alone they have `THIRD` times the variance of one.
    """
    one, two, three = (np.roll(ring, -j * lag, 0) for j in (1, 2, 3))
    third = three - 3 * two + 3 * one - ring
    chord = three - ring
    chord /= np.maximum(np.hypot(*chord.T), 1e-9)[:, None]
    return np.asarray(np.abs(third[:, 1] * chord[:, 0] - third[:, 0] * chord[:, 1]))


@compiled
def _crossing(grey: Grey, x: float, y: float) -> tuple[int, int, int, int, bool]:
    """Return row, column and way (dr, dc) across the edge at a contour point, and if it counts.

    It does not where the other axis crosses the edge more squarely.
    """
    rows, columns = grey.shape
    r = min(max(int(np.floor(y)), 0), rows - 1)
    c = min(max(int(np.floor(x)), 0), columns - 1)
    along_x = abs(y - np.floor(y) - 0.5) < 1e-9
    if along_x:
        a = min(max(int(np.floor(x - 0.5)), 0), columns - 2)
        steep = abs(float(grey[r, a + 1]) - float(grey[r, a]))
        up, down = max(r - 1, 0), min(r + 1, rows - 1)
        other = 0.25 * abs(
            float(grey[down, a])
            + float(grey[down, a + 1])
            - float(grey[up, a])
            - float(grey[up, a + 1])
        )
        return r, c, 0, 1, steep >= other
    a = min(max(int(np.floor(y - 0.5)), 0), rows - 2)
    steep = abs(float(grey[a + 1, c]) - float(grey[a, c]))
    left, right = max(c - 1, 0), min(c + 1, columns - 1)
    other = 0.25 * abs(
        float(grey[a, right])
        + float(grey[a + 1, right])
        - float(grey[a, left])
        - float(grey[a + 1, left])
    )
    return r, c, 1, 0, steep >= other


@compiled
def _reach(grey: Grey, points: Floats) -> int:
    """Return the reach that settles the greys at nine points of ten."""
    rows, columns = grey.shape
    far = _WIDEST + 2
    settled = np.zeros(_WIDEST + 1, np.int64)
    tried = 0
    for i in range(len(points)):
        r, c, dr, dc, counts = _crossing(grey, points[i, 0], points[i, 1])
        if not counts:
            continue
        if min(r - far * dr, c - far * dc) < 0 or r + far * dr >= rows or c + far * dc >= columns:
            continue
        low, high = float(grey[r - far * dr, c - far * dc]), float(grey[r + far * dr, c + far * dc])
        # of two sides as far apart as those that lie nearer: no other edge is near
        contrast = high - low
        tried += 1
        if contrast == 0.0:
            continue
        for k in range(1, _WIDEST + 1):
            near = float(grey[r - (k + 1) * dr, c - (k + 1) * dc])
            past = float(grey[r + (k + 1) * dr, c + (k + 1) * dc])
            if abs((past - near) / contrast - 1.0) < 2 * _SETTLED:
                settled[k] += 1
    most = settled.max()
    for k in range(1, _WIDEST + 1):
        if settled[k] >= 0.85 * most:
            return k
    return 1


@compiled
def _moved(
    grey: Grey, points: Floats, first: NDArray[np.int64], reach: int
) -> tuple[Floats, NDArray[np.int64], float]:
    total = len(points)
    kept = np.empty((total, 2))
    begins = np.zeros(len(first), np.int64)
    jumps = np.empty(total)
    used, jumped = 0, 0
    for i in range(len(first) - 1):
        n = first[i + 1] - first[i]
        place, sides, good, m = _sided(grey, points, first[i], n, reach)
        if m < _FEWEST:
            for k in range(n):
                kept[used + k] = points[first[i] + k]
            used += n
            begins[i + 1] = used
            continue
        rises = np.abs(sides[:m, 1] - sides[:m, 0])
        least = _FADED * np.median(rises)
        for k in range(m):
            good[k] = good[k] and rises[k] >= least
        light, dark, weight = _running(sides, good, m)
        before, before2, axis = 0.0, 0.0, -1
        runs = 0
        for k in range(m):
            r, c, dr, p = place[k]
            # round a corner, what lies between two points that are far apart stays as it was
            q = place[k - 1, 3] if k > 0 else place[m - 1, 3] - n
            gap = points[p] - points[first[i] + (q - first[i]) % n]
            if gap[0] * gap[0] + gap[1] * gap[1] > _GAP * _GAP:
                for between in range(q + 1, p):
                    kept[used] = points[first[i] + (between - first[i]) % n]
                    used += 1
            x, y = points[p]
            at = y if dr == 1 else x
            where = at
            moved = False
            if good[k] and weight[k] > 0 and rises[k] >= _WHOLE * (light[k] - dark[k]):
                up = sides[k, 1] > sides[k, 0]
                low = dark[k] if up else light[k]
                high = light[k] if up else dark[k]
                middle = r if dr == 1 else c
                share = 0.0
                for o in range(-reach, reach + 1):
                    value = float(grey[r + o, c]) if dr == 1 else float(grey[r, c + o])
                    share += (value - low) / (high - low)
                # `share` pixels at the far end of the window are of the far side
                where = middle + reach + 1.0 - share
                moved = abs(where - at) <= _FARTHEST + (reach - 1)
                if not moved:
                    where = at
            kept[used, 0], kept[used, 1] = (x, where) if dr == 1 else (where, y)
            # second differences along one axis tell the noise
            if moved and axis == dr and abs(where - before) < 1.5:
                runs += 1
                if runs >= 2:
                    jumps[jumped] = abs(where - 2 * before + before2)
                    jumped += 1
            else:
                runs = 0
            before2, before, axis = before, where, (dr if moved else -1)
            used += 1
        begins[i + 1] = used
    noise = 0.0
    if jumped >= _FEWEST:
        noise = 1.4826 * float(np.median(jumps[:jumped])) / np.sqrt(6.0)
    return kept[:used].copy(), begins, noise


@compiled
def _sided(
    grey: Grey, points: Floats, begin: int, n: int, reach: int
) -> tuple[NDArray[np.int64], Floats, NDArray[np.bool_], int]:
    """Return where n points cross, the greys beside them, where both are known, and how many."""
    rows, columns = grey.shape
    place = np.zeros((n, 4), np.int64)
    sides = np.zeros((n, 2))
    good = np.zeros(n, np.bool_)
    m = 0
    for k in range(n):
        x, y = points[begin + k]
        r, c, dr, dc, counts = _crossing(grey, x, y)
        if not counts:
            continue
        place[m, 0], place[m, 1], place[m, 2] = r, c, dr
        place[m, 3] = begin + k
        o = reach + 1
        if min(r - o * dr, c - o * dc) >= 0 and r + o * dr < rows and c + o * dc < columns:
            sides[m, 0] = float(grey[r - o * dr, c - o * dc])
            sides[m, 1] = float(grey[r + o * dr, c + o * dc])
            good[m] = True
        m += 1
    return place, sides, good, m


@compiled
def _running(sides: Floats, good: NDArray[np.bool_], m: int) -> tuple[Floats, Floats, Floats]:
    """Return the lighter and the darker side at each point, averaged over its neighbours."""
    light, dark, weight = np.zeros(m), np.zeros(m), np.zeros(m)
    sums = np.zeros((3, m + 2 * _AHEAD + 2))
    for k in range(m + 2 * _AHEAD + 1):
        q = (k - _AHEAD) % m
        for part in range(3):
            sums[part, k + 1] = sums[part, k]
        if good[q]:
            sums[0, k + 1] += max(sides[q, 0], sides[q, 1])
            sums[1, k + 1] += min(sides[q, 0], sides[q, 1])
            sums[2, k + 1] += 1.0
    for k in range(m):
        count = sums[2, k + 2 * _AHEAD + 1] - sums[2, k]
        weight[k] = count
        if count > 0:
            light[k] = (sums[0, k + 2 * _AHEAD + 1] - sums[0, k]) / count
            dark[k] = (sums[1, k + 2 * _AHEAD + 1] - sums[1, k]) / count
    return light, dark, weight

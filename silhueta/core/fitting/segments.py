"""Where one segment ends and the next begins: the cheapest chain of lines and arcs.

Words used here
    candidate   a contour point at which a segment may begin or end
    trim        px at both ends of a segment that blur has rounded, left out of its fit
    gate        the largest distance that a fitted point may have from its segment
    price       what a segment costs, px²; more squared residual is taken before another is bought

A chain's cost is the sum of its squared residuals plus the price of every segment. Dynamic
programming over the candidates finds the cheapest chain round the loop, as in J.-C. Perez and
E. Vidal, "Optimum polygonal approximation of digitized curves", Pattern Recognition Letters 15(8),
1994, 743-750, with arcs as well as lines. Candidates are few: a breakpoint of a chain with the
fewest segments lies between where a greedy walk backward and one forward would put it, so those
windows are sampled, with the corners and a few places between.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.fitting.primitives import SUMS, add_point, best_primitive, ends_keep
from silhueta.core.geometry.path import ARC, Floats

Ints = NDArray[np.int64]

TRIM = 1.6  # px that anti-aliasing rounds on each side of a corner
ROUNDED = 0.28  # of the trim, that blur moves a contour off either side of a sharp corner, at most
_BLUNT = 1.5  # trims: a segment this short may be a corner cut off
_CUT_OFF = 0.5  # of the trim, that such a corner's contour may be off its sides
_WINDOW = 10  # candidates in a window at most
_PATIENCE = 3  # candidates in a row that no primitive reaches before a start is given up
_HOPELESS = 1e6  # px²: cost of a stretch that nothing fits; looked at again afterwards


@compiled
def arc_lengths(points: Floats) -> Floats:
    """Return the length along the closed contour to each point and back to the first, (n + 1,)."""
    n = len(points)
    out = np.zeros(n + 1)
    for i in range(n):
        x, y = points[(i + 1) % n] - points[i]
        out[i + 1] = out[i] + np.sqrt(x * x + y * y)
    return out


@compiled
def trimmed(along: Floats, i: int, j: int, trim: float) -> tuple[int, int]:
    """Return the first and last index of segment i..j (0 <= i < j <= n) that its fit uses."""
    start, end = along[i], along[j]
    cut = min(trim, 0.25 * (end - start))
    a, b = i, j
    while a < j and along[a] < start + cut:
        a += 1
    while b > a and along[b] > end - cut:
        b -= 1
    if b - a < 2 and j - i >= 2:  # never fewer than three points where there are three
        a, b = max(i, (i + j) // 2 - 1), min(j, (i + j) // 2 + 1)
    return a, b


@compiled
def fit_between(
    points: Floats,
    along: Floats,
    i: int,
    j: int,
    gate: float,
    trim: float,
    rounded: float,
    price: float,
    out: Floats,
) -> bool:
    """Fit segment i..j and write its primitive into `out`; False when none keeps to the gate.

    What the trims leave out may be `rounded` px off.
    """
    a, b = trimmed(along, i, j, trim)
    n = len(points)
    sums = np.zeros(SUMS)
    ox, oy = points[a % n]
    for k in range(a, b + 1):
        add_point(sums, points[k % n, 0] - ox, points[k % n, 1] - oy)
    if sums[0] < 2 or not best_primitive(sums, points, a, b, gate, 0.25 * price, out):
        return False
    return ends_keep(points, i, j, a, b, max(gate, rounded), out)


@compiled
def sharpness(points: Floats, along: Floats, reach: float) -> Floats:
    """Return the turn at each contour point between chords of about `reach` px, (n,), radians."""
    n = len(points)
    step = max(1, int(reach * n / max(along[n], 1e-9) + 0.5))
    out = np.zeros(n)
    for i in range(n):
        bx, by = points[i] - points[(i - step) % n]
        ax, ay = points[(i + step) % n] - points[i]
        out[i] = abs(np.arctan2(bx * ay - by * ax, bx * ax + by * ay))
    return out


@compiled
def _greedy(points: Floats, along: Floats, gate: float, trim: float, way: int, n: int) -> Ints:
    """Return the breakpoints, ascending from 0 to n, of the walk that goes as far as it can."""
    stops = np.zeros(n + 2, np.int64)
    out = np.zeros(6)
    here, count = (0, 1) if way > 0 else (n, 1)
    stops[0] = here
    goal = n - here
    while here != goal:
        best, bad = here + way, 0
        leap = 2
        while True:
            there = here + way * leap
            if (there - goal) * way > 0:
                there = goal
            low, high = min(here, there), max(here, there)
            if fit_between(points, along, low, high, gate, trim, ROUNDED * trim, 0.0, out):
                best = there
            elif leap < 12:
                bad += 1
            else:
                bad = _PATIENCE
            if there == goal or bad >= _PATIENCE:
                break
            leap += max(1, leap // 6)
        here = best
        stops[count] = here
        count += 1
    return stops[:count] if way > 0 else stops[:count][::-1].copy()


@compiled
def _candidates(
    points: Floats, along: Floats, turn: Floats, gate: float, trim: float, n: int
) -> Ints:
    """Return candidates from 0 to n, which is the number of points, or the last one's index."""
    mark = np.zeros(n + 1, np.bool_)
    mark[0] = mark[n] = True
    for part in range(2):
        limit = gate if part == 0 else 0.4 * gate
        ahead = _greedy(points, along, limit, trim, 1, n)
        back = _greedy(points, along, limit, trim, -1, n)
        paired = len(ahead) == len(back)
        for k in range(1, len(ahead)):
            low = min(back[k], ahead[k]) if paired else ahead[k]
            high = max(back[k], ahead[k]) if paired else ahead[k]
            low, high = max(low - 2, 0), min(high + 2, n)
            step = max(1.0, (high - low) / _WINDOW)
            at = float(low)
            while at < high + 0.5:
                mark[min(int(at + 0.5), n)] = True
                at += step
            span = ahead[k] - ahead[k - 1]
            for q in range(1, 6):
                mark[ahead[k - 1] + q * span // 6] = True
        if not paired:
            for k in range(len(back)):
                for q in range(max(back[k] - 2, 0), min(back[k] + 3, n + 1)):
                    mark[q] = True
    for i in range(n):
        if turn[i] > 0.3 and turn[i] >= turn[i - 1] and turn[i] >= turn[(i + 1) % len(points)]:
            for q in range(max(i - 2, 0), min(i + 3, n + 1)):
                mark[q] = True
    return np.flatnonzero(mark)


@compiled
def _cheapest(
    points: Floats, along: Floats, at: Ints, gate: float, trim: float, price: float
) -> Ints:
    """Return the breakpoints, 0 to n, of the cheapest chain over the candidates `at`."""
    count, n = len(at), at[len(at) - 1]
    closed = n == len(points)
    cost = np.full(count, np.inf)
    came = np.zeros(count, np.int64)
    cost[0] = 0.0
    out = np.zeros(6)
    sums = np.zeros(SUMS)
    for i in range(count - 1):
        bad = 0
        first = at[i]
        while first < n and along[first] < along[at[i]] + trim:
            first += 1
        last = first - 1  # the sums hold the points first..last, and grow with j
        sums[:] = 0.0
        ox, oy = points[first % n]
        for j in range(i + 1, count):
            if closed and at[j] - at[i] > 0.9 * n:
                break
            if cost[i] + price >= cost[j]:
                continue  # whatever the fit, it comes too dear
            if along[at[j]] - along[at[i]] < 4.2 * trim:
                fits = fit_between(
                    points, along, at[i], at[j], gate, trim, ROUNDED * trim, price, out
                )
            else:
                end = at[j]
                while along[end] > along[at[j]] - trim:
                    end -= 1
                while last < end:
                    last += 1
                    add_point(sums, points[last % n, 0] - ox, points[last % n, 1] - oy)
                fits = best_primitive(sums, points, first, end, gate, 0.25 * price, out)
                fits = fits and ends_keep(
                    points, at[i], at[j], first, end, max(gate, ROUNDED * trim), out
                )
            bad = 0 if fits else bad + 1
            spent = out[4] + _price(out, price)
            if not fits:
                if j > i + 1:
                    if bad >= _PATIENCE and at[j] - at[i] > 8:
                        break
                    continue
                spent = _HOPELESS
            if cost[i] + spent < cost[j]:
                cost[j], came[j] = cost[i] + spent, i
    chain = np.zeros(count, np.int64)
    used, k = 1, count - 1
    chain[0] = n
    while k > 0:
        k = came[k]
        chain[used] = at[k]
        used += 1
    return chain[:used][::-1].copy()


@compiled
def _settle(
    points: Floats, along: Floats, stops: Ints, gate: float, trim: float, price: float
) -> None:
    """Move each inner breakpoint to the best place near it, twice."""
    for _ in range(2):
        for k in range(1, len(stops) - 1):
            _settle_one(points, along, stops, k, gate, trim, price)


@compiled
def _settle_one(
    points: Floats, along: Floats, stops: Ints, k: int, gate: float, trim: float, price: float
) -> None:
    left, right = np.zeros(6), np.zeros(6)
    before, here, after = stops[k - 1], stops[k], stops[k + 1]
    reach = max(3, min(12, min(here - before, after - here) // 4))
    best, where = np.inf, here
    for q in range(max(before + 2, here - reach), min(after - 1, here + reach + 1)):
        if not fit_between(points, along, before, q, gate, trim, ROUNDED * trim, price, left):
            continue
        if not fit_between(points, along, q, after, gate, trim, ROUNDED * trim, price, right):
            continue
        if left[4] + right[4] < best:
            best, where = left[4] + right[4], q
    stops[k] = where


@compiled
def _merged(
    points: Floats, along: Floats, stops: Ints, gate: float, trim: float, price: float
) -> Ints:
    """Return `stops` without those whose two segments are as well one."""
    out = np.zeros(6)
    kept = np.zeros(len(stops), np.int64)
    used = 1
    before = np.inf  # cost of the segment from kept[used - 1] to the stop looked at
    for k in range(1, len(stops)):
        cost = _cost(points, along, kept[used - 1], stops[k], gate, trim, price, out)
        if used > 1 and (len(stops) - k + used > 3 or stops[-1] < len(points)):
            whole = _cost(points, along, kept[used - 2], stops[k], gate, trim, price, out)
            if np.isfinite(whole) and whole <= before + cost:
                used -= 1
                cost = whole
        kept[used] = stops[k]
        used += 1
        before = cost
    return kept[:used]


@compiled
def _sharpened(
    points: Floats, along: Floats, stops: Ints, gate: float, trim: float, price: float
) -> Ints:
    """Return `stops` with corners instead of segments that are no longer than blur.

    Where the very pixel of a sharp corner is hardly covered, the contour cuts it off by up to two
    pixels. A cut that short cannot be told from the corner, which is the cheaper description.
    """
    left, right = np.zeros(6), np.zeros(6)
    kept = stops.copy()
    used = 1
    k = 1
    while k < len(stops):
        blunt = k + 1 < len(stops) and along[stops[k + 1]] - along[stops[k]] <= _BLUNT * trim
        enough = len(stops) - k + used > 4 or stops[-1] < len(points)
        if blunt and k + 2 < len(stops) and enough:
            before, after = kept[used - 1], stops[k + 2]
            best, where = np.inf, -1
            for q in range(stops[k], stops[k + 1] + 1):
                if q - before < 3 or after - q < 3:
                    continue
                if not fit_between(
                    points, along, before, q, gate, trim, _CUT_OFF * trim, price, left
                ):
                    continue
                if not fit_between(
                    points, along, q, after, gate, trim, _CUT_OFF * trim, price, right
                ):
                    continue
                if left[4] + right[4] < best:
                    best, where = left[4] + right[4], q
            if where >= 0:
                kept[used] = where
                used += 1
                k += 2
                continue
        kept[used] = stops[k]
        used += 1
        k += 1
    return kept[:used]


@compiled
def _cost(
    points: Floats,
    along: Floats,
    i: int,
    j: int,
    gate: float,
    trim: float,
    price: float,
    out: Floats,
) -> float:
    """Return what segment i..j costs, without end when nothing fits it."""
    if not fit_between(points, along, i, j, gate, trim, ROUNDED * trim, price, out):
        return np.inf
    return float(out[4] + _price(out, price))


@compiled
def _price(primitive: Floats, price: float) -> float:
    return price * (1.25 if primitive[0] == ARC else 1.0)


@compiled
def break_up(points: Floats, gate: float, trim: float, price: float) -> tuple[Floats, Ints]:
    """Return the contour, begun at a breakpoint, and its breakpoints from 0 to n.

    Parameters
    ----------
    points : (n, 2), n >= 4, px; closed, the first not repeated
    gate, trim, price : float, px, px and px²

    Returns
    -------
    points : (n, 2)
        The same contour from another start.
    stops : (m + 1,) of int
        ``stops[0] == 0`` and ``stops[m] == n``, ascending; m >= 2.

    """
    along = arc_lengths(points)
    turn = sharpness(points, along, 4.0)
    points, turn = _turned_to(points, turn, int(np.argmax(turn)))
    along = arc_lengths(points)
    points, turn = _turned_to(
        points, turn, _good_start(_greedy(points, along, gate, trim, 1, len(points)))
    )
    along = arc_lengths(points)
    stops = _cheapest(
        points, along, _candidates(points, along, turn, gate, trim, len(points)), gate, trim, price
    )
    _settle(points, along, stops, gate, trim, price)
    # the start was the greedy walk's: begin at another breakpoint, so that it settles too
    start = _good_start(stops)
    points, turn = _turned_to(points, turn, start)
    along = arc_lengths(points)
    n = len(points)
    stops = np.append(np.sort((stops[:-1] - start) % n), n)
    # what begins where the walk happened to may reach round a corner, and then be no line
    for k in range(1, len(stops) - 1):
        if stops[k] == n - start:
            _settle_one(points, along, stops, k, gate, trim, price)
    stops = _merged(points, along, stops, gate, trim, price)
    stops = _sharpened(points, along, stops, gate, trim, price)
    _settle(points, along, stops, gate, trim, price)
    return points, stops


@compiled
def break_open(points: Floats, gate: float, trim: float, price: float) -> Ints:
    """Return the breakpoints, from 0 to n - 1, of an open chain of n >= 4 points, px."""
    along = arc_lengths(points)
    turn = sharpness(points, along, 4.0)
    n = len(points) - 1
    at = _candidates(points, along, turn, gate, trim, n)
    stops = _cheapest(points, along, at, gate, trim, price)
    _settle(points, along, stops, gate, trim, price)
    stops = _merged(points, along, stops, gate, trim, price)
    stops = _sharpened(points, along, stops, gate, trim, price)
    _settle(points, along, stops, gate, trim, price)
    return stops


@compiled
def _turned_to(points: Floats, turn: Floats, start: int) -> tuple[Floats, Floats]:
    return (
        np.concatenate((points[start:], points[:start])),
        np.concatenate((turn[start:], turn[:start])),
    )


@compiled
def _good_start(stops: Ints) -> int:
    """Return the breakpoint between the two neighbours of which the shorter is longest."""
    start, longest = 0, 0
    for k in range(1, len(stops) - 1):
        shorter = min(stops[k] - stops[k - 1], stops[k + 1] - stops[k])
        if shorter > longest:
            start, longest = int(stops[k]), int(shorter)
    return start

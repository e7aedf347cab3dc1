"""The shortest way round many places: the nearest next, then exchanges until none shortens it.

Words used here
    exchange    two stretches of the way swapped or turned round: 2-opt (G. A. Croes, "A Method for
                Solving Traveling-Salesman Problems", Operations Research 6(6), 1958) and or-opt, a
                short stretch put elsewhere (I. Or, thesis, Northwestern University, 1976)

A way is open: it begins where the tool is, and ends anywhere.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import Floats

Ints = NDArray[np.int64]
_NEAR = 10  # neighbours of each place that exchanges are tried with
_LONGEST = 3  # places that or-opt moves together
_WOKEN = 5  # neighbours of a place that are looked at again after an exchange there
_KICKS = 10  # times a way is kicked out of a local best, for each of its places
_MOST_KICKS = 2000  # in all: half a second; on 200 places ways get 4 % shorter by them


def shortest(start: Floats, begin: Floats, end: Floats) -> Ints:
    """Return the order in which places are gone to, (N,), about as short as can be.

    Parameters
    ----------
    start : (2,) ndarray, mm
        Where the tool is.
    begin, end : (N, 2) ndarray, mm
        Where work at each place begins, and where it ends; the way between these is looked at by
        its middle, and measured in the end as it is.

    """
    count = len(begin)
    if count < 2:
        return np.arange(count)
    from scipy.spatial import cKDTree

    points = np.ascontiguousarray(np.vstack([np.asarray(start)[None], (begin + end) / 2]))
    near = min(_NEAR, count)
    found = np.asarray(cKDTree(points).query(points, near + 1)[1])
    around = np.ascontiguousarray(found[:, 1:], np.int64)
    order = _nearest_next(points, around)
    kicks = int(min(_KICKS * count, _MOST_KICKS))
    return np.asarray(_improved(points, order, around, kicks)[1:] - 1)


@compiled
def _apart(points: Floats, a: int, b: int) -> float:
    return float(np.hypot(points[a, 0] - points[b, 0], points[a, 1] - points[b, 1]))


@compiled
def _nearest_next(points: Floats, around: Ints) -> Ints:
    """Return the way that goes to the nearest place not yet seen, from the first."""
    count = len(points)
    seen = np.zeros(count, np.bool_)
    order = np.zeros(count, np.int64)
    seen[0] = True
    for k in range(1, count):
        at, best, least = order[k - 1], -1, np.inf
        for n in around[at]:
            if not seen[n] and _apart(points, at, n) < least:
                best, least = n, _apart(points, at, n)
        if best < 0:
            for n in range(count):
                if not seen[n] and _apart(points, at, n) < least:
                    best, least = n, _apart(points, at, n)
        order[k] = best
        seen[best] = True
    return order


@compiled
def _turn(order: Ints, place: Ints, i: int, j: int) -> None:
    """Turn the stretch from place i to place j of the way round."""
    while i < j:
        a, b = order[i], order[j]
        order[i], order[j] = b, a
        place[b], place[a] = i, j
        i += 1
        j -= 1


@compiled
def _from_to(points: Floats, order: Ints, i: int, j: int) -> float:
    """Return how far apart two places of the way are; beyond its end nothing is far."""
    if j >= len(order):
        return 0.0
    return _apart(points, order[i], order[j])


@compiled
def _exchange(points: Floats, order: Ints, place: Ints, around: Ints, a: int) -> bool:
    """Make one exchange about a place that shortens the way, and return whether there was one."""
    least = -1e-9  # mm: what is less comes of rounding
    i = place[a]
    before = _apart(points, order[i - 1], a) if i > 0 else 0.0
    after = _from_to(points, order, i, i + 1)
    for n in around[a]:
        gap = _apart(points, a, n)
        if gap >= max(before, after):
            break  # of what an exchange takes away, one link beside it is longer than what it adds
        j = place[n]
        low, high = (i, j) if i < j else (j, i)
        if high > low + 1:
            change = (
                gap
                + _gap_after(points, order, low, high)
                - _from_to(points, order, low, low + 1)
                - _from_to(points, order, high, high + 1)
            )
            if change < least:
                _turn(order, place, low + 1, high)
                return True
            if low > 0:
                change = (
                    gap
                    + _apart(points, order[low - 1], order[high - 1])
                    - _apart(points, order[low - 1], order[low])
                    - _apart(points, order[high - 1], order[high])
                )
                if change < least:
                    _turn(order, place, low, high - 1)
                    return True
        if _moved(points, order, place, i, j, least):
            return True
    return False


@compiled
def _gap_after(points: Floats, order: Ints, low: int, high: int) -> float:
    if high + 1 >= len(order):
        return 0.0
    return _apart(points, order[low + 1], order[high + 1])


@compiled
def _moved(points: Floats, order: Ints, place: Ints, i: int, j: int, least: float) -> bool:
    """Put a short stretch that begins or ends at place i beside place j, if that is shorter."""
    count = len(order)
    for size in range(1, _LONGEST + 1):
        for side in range(2):
            low = i if side == 0 else i - size + 1
            high = low + size - 1
            if low < 1 or high >= count or low <= j <= high:
                continue
            taken = (
                _apart(points, order[low - 1], order[low])
                + _from_to(points, order, high, high + 1)
                - (_apart(points, order[low - 1], order[high + 1]) if high + 1 < count else 0.0)
            )
            for behind in range(2):
                # between place p and p + 1
                p = j if behind == 0 else j - 1
                if p < 0 or low - 1 <= p <= high:
                    continue
                old = _from_to(points, order, p, p + 1)
                for turned in range(2):
                    first = order[low] if turned == 0 else order[high]
                    last = order[high] if turned == 0 else order[low]
                    new = _apart(points, order[p], first)
                    if p + 1 < count:
                        new += _apart(points, last, order[p + 1])
                    if new - old - taken < least:
                        _put(order, place, low, high, p, turned == 1)
                        return True
    return False


@compiled
def _put(order: Ints, place: Ints, low: int, high: int, p: int, turned: bool) -> None:
    """Take the stretch from low to high out of the way and put it behind place p."""
    size = high - low + 1
    piece = order[low : high + 1].copy()
    if turned:
        piece = piece[::-1].copy()
    if p > high:
        for k in range(low, p - size + 1):
            order[k] = order[k + size]
            place[order[k]] = k
        start = p - size + 1
    else:
        k = high
        while k > p + size:
            order[k] = order[k - size]
            place[order[k]] = k
            k -= 1
        start = p + 1
    for k in range(size):
        order[start + k] = piece[k]
        place[piece[k]] = start + k


@compiled
def _settled(points: Floats, order: Ints, place: Ints, around: Ints, asked: Ints) -> None:
    """Make exchanges about the places that are asked for, until there are no more."""
    count = len(order)
    waiting = np.zeros(count, np.bool_)
    stack = np.zeros(count, np.int64)
    size = 0
    for a in asked:
        stack[size] = a
        waiting[a] = True
        size += 1
    while size > 0:
        size -= 1
        a = stack[size]
        waiting[a] = False
        tries = 0
        while _exchange(points, order, place, around, a) and tries < 1000:
            tries += 1
            for n in around[a, :_WOKEN]:
                if not waiting[n]:
                    waiting[n] = True
                    stack[size] = n
                    size += 1


@compiled
def _length(points: Floats, order: Ints) -> float:
    whole = 0.0
    for k in range(len(order) - 1):
        whole += _apart(points, order[k], order[k + 1])
    return whole


@compiled
def _improved(points: Floats, order: Ints, around: Ints, kicks: int) -> Ints:
    """Return a way with all exchanges made, kicked and settled again as long as that helps."""
    count = len(order)
    place = np.zeros(count, np.int64)
    for k in range(count):
        place[order[k]] = k
    _settled(points, order, place, around, np.arange(count))
    if count < 8:
        return order
    np.random.seed(7)
    least = _length(points, order)
    window = min(50, count - 2)
    for _ in range(kicks):
        # a double bridge within a short window: it changes four links and nothing far away
        low = 1 + np.random.randint(0, max(1, count - window))
        cuts = np.sort(low + np.random.choice(window, 3, replace=False))
        a, b, c = cuts[0], cuts[1], min(cuts[2], count - 1)
        if a >= b or b >= c:
            continue
        kept = order.copy()
        piece = np.concatenate((order[b:c], order[a:b]))
        for k in range(len(piece)):
            order[a + k] = piece[k]
            place[piece[k]] = a + k
        asked = np.array([order[a - 1], order[a], order[c - 1], order[min(c, count - 1)]])
        asked = np.unique(asked)
        _settled(points, order, place, around, asked)
        now = _length(points, order)
        if now < least - 1e-9:
            least = now
        else:
            order[:] = kept
            for k in range(count):
                place[order[k]] = k
    return order

"""The skeleton of a drawing's ink as chains of pixels.

Words used here
    skeleton   the pixels in the middle of the ink, one wide
    chain      skeleton pixels from one end or junction to the next
    spur       a chain so short that only the ink's ragged edge made it
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled, doubled
from silhueta.core.geometry.path import Floats

Ink = NDArray[np.bool_]
Chain = NDArray[np.int64]


def chains_of(skeleton: Ink) -> list[NDArray[np.int64]]:
    """Return the chains as (row, column) of pixels, closed ones with their first repeated."""
    found, first = _follow(np.ascontiguousarray(skeleton))
    return [found[first[i] : first[i + 1]] for i in range(len(first) - 1)]


@compiled
def _degree(skeleton: Ink, r: int, c: int) -> int:
    """Return how many skeleton pixels one can step to; corners only where no side leads there."""
    count = 0
    for k in range(8):
        if _steps(skeleton, r, c, k):
            count += 1
    return count


@compiled
def _steps(skeleton: Ink, r: int, c: int, k: int) -> bool:
    dr, dc = _way(k)
    if not skeleton[r + dr, c + dc]:
        return False
    if dr != 0 and dc != 0:
        return not (skeleton[r + dr, c] or skeleton[r, c + dc])
    return True


@compiled
def _way(k: int) -> tuple[int, int]:
    if k == 0:
        return 0, 1
    if k == 1:
        return 1, 0
    if k == 2:
        return 0, -1
    if k == 3:
        return -1, 0
    if k == 4:
        return 1, 1
    if k == 5:
        return 1, -1
    if k == 6:
        return -1, -1
    return -1, 1


@compiled
def _follow(skeleton: Ink) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    rows, columns = skeleton.shape
    total = 0
    for r in range(rows):
        for c in range(columns):
            if skeleton[r, c]:
                total += 1
    out = np.zeros((2 * total + 8 * 1024 + 16, 2), np.int64)
    first = np.zeros(total + 2, np.int64)
    used, count = 0, 0
    walked = np.zeros((rows, columns), np.uint8)  # a bit for each way out of a pixel
    for turn in range(2):  # from ends and junctions first, then the rings that are left
        for r in range(1, rows - 1):
            for c in range(1, columns - 1):
                if not skeleton[r, c]:
                    continue
                degree = _degree(skeleton, r, c)
                if degree == 0 or (turn == 0 and degree == 2):
                    continue
                for k in range(8):
                    if walked[r, c] >> k & 1 or not _steps(skeleton, r, c, k):
                        continue
                    if turn == 1 and degree != 2:
                        continue
                    start = used
                    if used + 2 >= len(out):
                        out = doubled(out, used)
                    out[used, 0], out[used, 1] = r, c
                    used += 1
                    pr, pc, way = r, c, k
                    while True:
                        walked[pr, pc] |= np.uint8(1 << way)
                        dr, dc = _way(way)
                        nr, nc = pr + dr, pc + dc
                        for back in range(8):
                            br, bc = _way(back)
                            if br == -dr and bc == -dc:
                                walked[nr, nc] |= np.uint8(1 << back)
                        if used + 2 >= len(out):
                            out = doubled(out, used)
                        out[used, 0], out[used, 1] = nr, nc
                        used += 1
                        if (nr == r and nc == c) or _degree(skeleton, nr, nc) != 2:
                            break
                        following = -1
                        for further in range(8):
                            fr, fc = _way(further)
                            if fr == -dr and fc == -dc:
                                continue
                            if _steps(skeleton, nr, nc, further):
                                following = further
                        if following < 0 or walked[nr, nc] >> following & 1:
                            break
                        pr, pc, way = nr, nc, following
                    if used - start < 2:
                        used = start
                        continue
                    count += 1
                    if count + 1 >= len(first):
                        longer = np.zeros(2 * len(first), np.int64)
                        longer[: count + 1] = first[: count + 1]
                        first = longer
                    first[count] = used
    return out[:used].copy(), first[: count + 1].copy()


def ends_of(chain: Chain) -> tuple[tuple[int, int], tuple[int, int]]:
    """Return a chain's two ends, (row, column)."""
    a, b = chain[0].tolist(), chain[-1].tolist()
    return (a[0], a[1]), (b[0], b[1])


def without_spurs(chains: list[NDArray[np.int64]], least: float) -> list[NDArray[np.int64]]:
    """Return chains without short ones that have a free end; what they parted joins again."""
    while True:
        degree: dict[tuple[int, int], int] = {}
        for chain in chains:
            for end in ends_of(chain):
                degree[end] = degree.get(end, 0) + 1
        # only the shortest spur of a junction goes in one round: two may be the line's own ends
        shortest: dict[tuple[int, int], int] = {}
        for i, chain in enumerate(chains):
            a, b = ends_of(chain)
            if a == b or len(chain) > least:
                continue
            free = [end for end in (a, b) if degree[end] == 1]
            held = [end for end in (a, b) if degree[end] > 2]
            if len(free) == 1 and held:
                other = shortest.get(held[0])
                if other is None or len(chains[other]) > len(chain):
                    shortest[held[0]] = i
        gone = set(shortest.values())
        if not gone:
            return chains
        chains = _rejoined([chain for i, chain in enumerate(chains) if i not in gone])


def _rejoined(chains: list[NDArray[np.int64]]) -> list[NDArray[np.int64]]:
    """Return chains joined where only two ends meet."""
    at: dict[tuple[int, int], list[int]] = {}
    alive: dict[int, NDArray[np.int64]] = dict(enumerate(chains))
    for i, chain in alive.items():
        for end in ends_of(chain):
            at.setdefault(end, []).append(i)
    for end, users in at.items():
        if len(users) != 2 or users[0] == users[1]:
            continue
        one, two = users
        a, b = alive.pop(one), alive.pop(two)
        if ends_of(a)[1] != end:
            a = a[::-1]
        if ends_of(b)[0] != end:
            b = b[::-1]
        whole = np.vstack([a, b[1:]])
        alive[one] = whole
        for other in ends_of(whole):
            at[other] = [one if user == two else user for user in at[other]]
    return list(alive.values())


def direction(chain: NDArray[np.int64], at_end: bool, look: int) -> Floats:
    """Return the unit vector (x, y) in which a chain runs out of its end (or its start)."""
    points = chain[::-1] if not at_end else chain
    tail = points[-min(look, len(points)) :].astype(np.float64)
    way = tail[-1] - tail[0]
    size = float(np.hypot(*way)) or 1.0
    return np.array([way[1], way[0]]) / size

"""Holes of a part by how each place leans: basins in the face, each filled as far as it is its own.

Words used here
    basin    places below a level that hang together, with the deepest of them
    leaning  how much a place's look speaks for the face (see `finer`)

A hole is filled up from its deepest place. Where two basins meet and both are deep for themselves,
there is a web between them, however thin, and neither rises further; a shallow one belongs to the
other. What lies outside of the part is a basin, too. This is the watershed by immersion of
L. Vincent and P. Soille, "Watersheds in digital spaces: an efficient algorithm based on immersion
simulations", IEEE Transactions on Pattern Analysis and Machine Intelligence 13(6), 1991, 583-598,
with basins told by their depth.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import Light, Mask, UntoldError, filled_in, largest_piece

_LEVELS = np.arange(-6.75, -0.24, 0.25)
_OWN = 0.75  # depth from which a basin is one for itself
_CALM_PX = 0.6
_WAIST = 0.75  # of the half width of the smaller of two, from which there is none between them
_SLIVER_PX, _SLIVER = 1.6, 0.25  # half width, px and of the other's, of what is no hole itself
_OPENED = 0.5  # above the level where two met, at which it is looked for
_TYPICAL, _MOST_ODD = 3.0, 8.0  # spreads that are not odd; times these, that count no further
_MOST_PX = 500_000_000  # looked at between basins that met: some seconds, and no part needs more
_FLOOR = -9.0
_MANY = 1 << 32  # basins, that there never are
_LEAST_HOLE = 1.2  # mm²
_DEEP, _MEAN = -2.0, -1.2  # leaning of a hole: where it is clearest, and all over
_OUTSIDE = 1


class Faced(NamedTuple):
    """How each place (H, W) stands to the face.

    leaning
        The logarithm of how much more often such a look is the face's.
    odd
        How many spreads it lies from the face's.
    """

    leaning: Light
    odd: Light


def with_holes(made: Mask, look: Faced, mm: float) -> Mask:
    """Return a part with its holes as far as they reach.

    Parameters
    ----------
    made : (H, W) of bool
        The part, with holes that may be too small, cut in two or run into one.
    look : Faced
    mm : float
        Side of a pixel.

    Raises
    ------
    UntoldError
        If all of the face is such basins.

    """
    import cv2

    filled = filled_in(made) > 0
    odd = np.log2(np.clip(look.odd / _TYPICAL, 1.0, _MOST_ODD))
    calm = cv2.GaussianBlur((look.leaning - odd).astype(np.float32), (0, 0), _CALM_PX)
    calm = np.where(filled, calm, np.float32(_FLOOR))
    labels = _parted(_basins(calm, filled), calm, filled)
    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    total = np.bincount(labels.ravel(), weights=calm.ravel(), minlength=count)
    deep = np.zeros(count)
    np.minimum.at(deep, labels.ravel(), calm.ravel())
    mean = total / np.maximum(area, 1)
    fits = (area * mm * mm >= _LEAST_HOLE) & (deep <= _DEEP) & (mean <= _MEAN)
    fits[0] = False
    hole = fits[labels]
    _, before = cv2.connectedComponents((filled & ~made).astype(np.uint8), connectivity=4)
    before = np.asarray(before, np.int32)
    redrawn = np.zeros(int(before.max()) + 1, bool)
    redrawn[np.unique(before[hole])] = True
    redrawn[0] = True
    empty = filled & (hole | ~redrawn[before])
    _, labels, stats, _ = cv2.connectedComponentsWithStats(empty.astype(np.uint8), connectivity=4)
    crumb = stats[:, cv2.CC_STAT_AREA] * mm * mm < _LEAST_HOLE
    return largest_piece(filled & (~empty | crumb[labels]))


class _Basins(NamedTuple):
    """Which basin each place is of, 0: none, 1: outside of the part; which met, at which level."""

    held: NDArray[np.int32]
    met: list[tuple[int, int, float]]


def _basins(calm: Light, filled: Mask) -> _Basins:
    """Return the basins that are deep for themselves; what meets one later is nobody's."""
    import cv2

    held = np.where(filled, 0, _OUTSIDE).astype(np.int32)
    flat, depth = held.reshape(-1), calm.reshape(-1)
    inside = np.flatnonzero(filled)
    square = np.ones((3, 3), np.uint8)
    shore = np.flatnonzero(~filled & (cv2.dilate(filled.astype(np.uint8), square) > 0))
    deepest = {_OUTSIDE: _FLOOR}
    full: set[int] = set()
    meetings = []
    for level in _LEVELS.tolist():
        count, labels = cv2.connectedComponents((calm < level).astype(np.uint8), connectivity=4)
        wet = np.asarray(labels, np.int32).reshape(-1)
        now = inside[depth[inside] < level]
        pool_of, basin_of = wet[now].astype(np.int64), flat[now]
        known_at = basin_of > 0
        keys = np.unique(pool_of[known_at] * _MANY + basin_of[known_at])
        within = {int(pool): [_OUTSIDE] for pool in np.unique(wet[shore])}
        for pool, basin in zip((keys // _MANY).tolist(), (keys % _MANY).tolist(), strict=True):
            within.setdefault(pool, []).append(basin)
        low = np.full(count, np.inf)
        np.minimum.at(low, pool_of, depth[now])
        name = np.zeros(count, np.int32)
        for pool in np.unique(pool_of).tolist():
            known = within.get(pool, [])
            if not known:
                name[pool] = max(deepest) + 1
                deepest[int(name[pool])] = float(low[pool])
                continue
            own = [b for b in known if level - deepest[b] >= _OWN]
            if len(own) > 1 or any(b in full for b in known):
                meetings += [(own[i], own[j], level) for i in range(len(own)) for j in range(i)]
                full.update(own)
                continue
            name[pool] = min(known, key=lambda b: deepest[b])
        grown = name[pool_of]
        flat[now] = np.where(grown > 0, grown, basin_of)
    return _Basins(held, sorted(set(meetings)))


def _parted(basins: _Basins, calm: Light, filled: Mask) -> NDArray[np.int32]:
    """Return which hole each place below the face is of, 0: none.

    Basins that met are two holes where there is a waist between them, as a web leaves it. Shade
    and light in one hole have none: their border soon opens as wide as the hole.
    """
    import cv2
    from scipy.ndimage import distance_transform_edt

    group = np.arange(int(basins.held.max()) + 1)
    looked_at = 0
    for level in sorted({level for *_, level in basins.met}):
        pairs = [(a, b) for a, b, met in basins.met if met == level and _OUTSIDE not in (a, b)]
        wide = min(level + _OPENED, float(_LEVELS[-1]))
        looked_at += _join(group, pairs, basins.held, (calm < wide) | ~filled)
        if looked_at > _MOST_PX:
            raise UntoldError
    below = calm < _LEVELS[-1]
    grouped = np.where(basins.held > 0, group[basins.held], 0).astype(np.int32)
    # what is nobody's goes to the nearest, with a line of face between two
    nearest = distance_transform_edt(grouped == 0, return_distances=False, return_indices=True)
    spread = np.where(below | ~filled, grouped[tuple(nearest)], 0).astype(np.int32)
    square = np.ones((3, 3), np.uint8)
    high = cv2.dilate(spread.astype(np.float32), square)
    low = cv2.erode(np.where(spread > 0, spread, spread.max()).astype(np.float32), square)
    line = (high != low) & (spread > 0)
    hole = np.where(line | (spread == _OUTSIDE), 0, spread)
    return np.asarray(hole, np.int32)


def _peaks(
    deep: NDArray[Any], labels: NDArray[np.int64], names: NDArray[np.int64]
) -> dict[int, tuple[int, int]]:
    """Return the deepest place, (row, column), of each of some labels."""
    rank = np.full(int(labels.max()) + 1, -1, np.int64)
    rank[names] = np.arange(len(names))
    ranked = rank[labels.ravel()]
    cells = np.flatnonzero(ranked >= 0)
    ranked, depth = ranked[cells], deep.ravel()[cells]
    deepest = np.zeros(len(names), deep.dtype)
    np.maximum.at(deepest, ranked, depth)
    at = np.flatnonzero(depth == deepest[ranked])[::-1]  # the first of equals is written last
    places = np.zeros(len(names), np.int64)
    places[ranked[at]] = cells[at]
    rows, columns = np.unravel_index(places, labels.shape)
    return dict(zip(names.tolist(), zip(rows.tolist(), columns.tolist(), strict=True), strict=True))


def _join(
    group: NDArray[np.int64], pairs: list[tuple[int, int]], held: NDArray[np.int32], below: Mask
) -> int:
    """Put basins that met, and have no waist between them, into one group.

    Returns how many px it looked at; over the most it stops half-way.
    """
    import cv2

    if not pairs:
        return 0
    looked_at = 0
    deep = cv2.distanceTransform(below.astype(np.uint8), cv2.DIST_L2, 5)
    peaks = _peaks(deep, group[held], np.unique(group[np.array(pairs)]))
    _, lakes, boxes, _ = cv2.connectedComponentsWithStats(below.astype(np.uint8))
    for pair in pairs:
        one, other = sorted((int(group[basin]) for basin in pair), key=lambda g: deep[peaks[g]])
        if one == other:
            continue
        least, most = float(deep[peaks[one]]), float(deep[peaks[other]])
        if least >= max(_SLIVER_PX, _SLIVER * most):  # else shade along the other's border
            left, top, wide, high = boxes[lakes[peaks[one]], :4].tolist()
            looked_at += wide * high
            if looked_at > _MOST_PX:
                break
            lake = deep[top : top + high, left : left + wide] > _WAIST * least
            _, pieces = cv2.connectedComponents(lake.astype(np.uint8))
            here, there = ((y - top, x - left) for y, x in (peaks[one], peaks[other]))
            if lakes[peaks[one]] != lakes[peaks[other]] or pieces[here] != pieces[there]:
                continue
        group[group == one] = other
    return looked_at

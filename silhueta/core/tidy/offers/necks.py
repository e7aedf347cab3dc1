"""Offer: pieces that nearly touch are joined by a neck.

Words used here
    neck    two parallel lines, so far apart as it is wide, where two pieces are nearest
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.geometry.flatten import flatten_indexed
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import Place, chained, place_of, point_at, segment_of, stretch
from silhueta.core.tidy.choose import depths
from silhueta.core.tidy.offers.offer import Item, Offer, Search, edited

_CHORD = 0.01  # mm
_ROOM = 3.0  # a piece must be so many necks long round about


def find(search: Search) -> list[Item]:
    """Return where two solid pieces are no farther apart than the limit."""
    import shapely

    limits = search.limits
    if not limits.neck:
        return []
    depth = depths(search.outline)
    solid = [(i, c.path) for i, c in search.contours if depth[i] >= 0 and depth[i] % 2 == 0]
    rings = [shapely.LinearRing(flatten_indexed(path, _CHORD)[0]) for _, path in solid]
    pairs = shapely.STRtree(rings).query(rings, predicate="dwithin", distance=limits.neck)
    joined = list(range(len(solid)))  # each piece's group: no two pieces are joined twice

    def group(k: int) -> int:
        while joined[k] != k:
            k = joined[k]
        return k

    apart = [(shapely.distance(rings[a], rings[b]), a, b) for a, b in pairs.T.tolist() if a < b]
    items = []
    for _, a, b in sorted(apart):
        (i, one), (k, two) = solid[a], solid[b]
        room = _ROOM * limits.neck_width
        if group(a) == group(b) or depth[i] != depth[k] or min(length(one), length(two)) < room:
            continue
        joined[group(a)] = group(b)
        ends = shapely.get_coordinates(shapely.shortest_line(rings[a], rings[b]))
        x, y = ends.mean(axis=0).tolist()
        items.append(Item((x, y), (i, k), ends))
    return items


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Return the outline with those pieces joined."""
    contours = list(offer.outline.contours)
    now = {i: i for i in range(len(contours))}  # where a contour's piece is now
    gone: set[int] = set()
    for item in items:
        i, k = (now[c] for c in item.contours)
        if i == k:
            continue
        made = necked(contours[i].path, contours[k].path, item.data, offer.limits.neck_width)
        contours[i] = edited(contours[i], made)
        gone.add(k)
        now = {c: (i if at == k else at) for c, at in now.items()}
    return Outline(tuple(c for i, c in enumerate(contours) if i not in gone))


def necked(one: Path, two: Path, ends: Floats, width: float) -> Loop:
    """Return two loops as one, joined by a neck `width` mm wide at `ends`, (2, 2), on each."""
    sides = []
    for path, at in ((one, ends[0]), (two, ends[1])):
        assert isinstance(path, Loop)
        loop = path if signed_area(path) > 0 else reverse_loop(path)
        foot = place_of(loop, at)
        before, after = along(loop, foot, -width / 2), along(loop, foot, width / 2)
        sides.append(stretch(loop, after, before))
    made = chained(sides, close=True)
    assert isinstance(made, Loop)
    return made


def along(loop: Path, place: Place, distance: float) -> Place:
    """Return the place `distance` mm farther along a loop; less than nothing is back."""
    points, segment = flatten_indexed(loop, _CHORD)
    closed = np.vstack([points, points[:1]])
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = point_at(loop, place)
    own = np.flatnonzero(segment == place.segment)
    near = own[int(np.argmin(np.hypot(*(points[own] - at).T)))]
    # behind the place or ahead of it
    way = closed[near + 1] - points[near]
    here = run[near] + float((at - points[near]) @ way) / max(float(np.hypot(*way)), 1e-12)
    wanted = (here + distance) % run[-1]
    piece = int(np.clip(np.searchsorted(run, wanted) - 1, 0, len(points) - 1))
    share = (wanted - run[piece]) / max(run[piece + 1] - run[piece], 1e-12)
    point = closed[piece] + share * (closed[piece + 1] - closed[piece])
    single = segment_of(loop, int(segment[piece]))
    return Place(int(segment[piece]), place_of(single, point).share)

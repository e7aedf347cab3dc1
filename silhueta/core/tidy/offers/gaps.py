"""Offer: ends that should meet, joined straight or where their own directions meet.

Words used here
    end    one of the two ends of an open path: (contour, True) its last node, False its first
    link   two ends that become one place
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from silhueta.core.geometry.measure import length_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, OpenPath, Path, reverse
from silhueta.core.geometry.pieces import chained
from silhueta.core.tidy.offers.matching import matched
from silhueta.core.tidy.offers.offer import Item, Offer, Search, edited

_TURN = np.radians(12.0)  # less than this between two ends' directions: they are joined straight
_MEET = 1e-6  # mm that ends may already be past the place where they meet
_STRAY = 0.6  # how much worse a link is for ends that look away from each other
_SAME_LINE = 0.3  # of a line: another whose far end is no farther off would be its way back
_ROUND = 4.0  # gaps: a path shorter than this is not closed on itself

End = tuple[int, bool]


@dataclass(frozen=True)
class Link:
    """Two ends, and where they meet: None for a straight join."""

    one: End
    two: End
    distance: float
    corner: tuple[float, float] | None


def find(search: Search) -> list[Item]:
    """Return which ends are to be joined, each end once, so that all together fit best.

    As many ends as possible are joined, near ones, ones that look at each other, and ones that
    close what they belong to first. Not sure is a link where others would do nearly as well.
    """
    from scipy.spatial import cKDTree

    outline, limits = search.outline, search.limits
    ends: list[End] = []
    places: list[Floats] = []
    ways: list[Floats] = []
    for i, contour in search.contours:
        path = contour.path
        if path.closed:
            continue
        for last in (False, True):
            ends.append((i, last))
            places.append(path.nodes[-1 if last else 0])
            ways.append(end_way(path, last))
    if len(ends) < 2 or not limits.gap:
        return []
    at, way = np.array(places), np.array(ways)
    pairs = cKDTree(at).query_pairs(limits.gap, output_type="ndarray")
    apart = at[pairs[:, 1]] - at[pairs[:, 0]]
    distance = np.hypot(*apart.T)
    possible = np.array(
        [
            _can_close(outline, ends[a], ends[b], far)
            for (a, b), far in zip(pairs.tolist(), distance.tolist(), strict=True)
        ],
        np.bool_,
    )
    pairs, apart, distance = pairs[possible], apart[possible], distance[possible]
    if not len(pairs):
        return []
    unit = apart / np.maximum(distance, 1e-12)[:, None]
    one, two = way[pairs[:, 0]], way[pairs[:, 1]]
    # 0 where each end looks at the other, 2 where both look away
    away = 1 - 0.5 * ((one * unit).sum(1) - (two * unit).sum(1))
    meet = distance <= limits.same
    away[meet] = 1 + (one[meet] * two[meet]).sum(1)  # 0 where one goes straight on as the other
    cost = np.maximum(distance, limits.same) * (1 + _STRAY * away)
    items = []
    for k, sure in matched(pairs, cost, meet, [i for i, _ in ends]):
        a, b = pairs[k]
        corner = None
        if limits.extend and not meet[k]:
            corner = _corner(at[a], way[a], at[b], way[b], limits.gap)
        middle = 0.5 * (at[a] + at[b])
        link = Link(ends[a], ends[b], float(distance[k]), corner)
        place = (float(middle[0]), float(middle[1]))
        items.append(Item(place, tuple(sorted({ends[a][0], ends[b][0]})), link, sure))
    return items


def end_way(path: Path, last: bool) -> Floats:
    """Return the direction in which an open path runs out of one of its ends, a unit vector."""
    if not last:
        path = reverse(path)
    start, end, kind = path.nodes[-2], path.nodes[-1], path.kinds[-1]
    way = end - start
    if kind == ARC:
        half = 2 * np.arctan(path.bulges[-1])
        c, s = np.cos(half), np.sin(half)
        way = np.array([c * way[0] - s * way[1], s * way[0] + c * way[1]])
    elif kind == CUBIC:
        way = end - path.controls[-1, 1]
        if not way.any():
            way = end - start
    size = float(np.hypot(*way))
    unit: Floats = way / size if size > 0 else np.array([1.0, 0.0])
    return unit


def _can_close(outline: Outline, one: End, two: End, distance: float) -> bool:
    """Return whether joining these ends gives a path at all.

    Not where a scrap would be bent into itself, or a line drawn twice would be its own way back.
    """
    path, other = outline.contours[one[0]].path, outline.contours[two[0]].path
    straight = len(path.nodes) == 2 and path.kinds[0] == LINE
    if one[0] != two[0]:
        if not straight or len(other.nodes) != 2 or other.kinds[0] != LINE:
            return True
        apart = path.nodes[-1 if not one[1] else 0] - other.nodes[-1 if not two[1] else 0]
        return bool(np.hypot(*apart) > _SAME_LINE * min(length_of(path), length_of(other)))
    if straight or (len(path.nodes) == 3 and (path.kinds == LINE).all()):
        return False
    return length_of(path) > _ROUND * distance


def _corner(a: Floats, u: Floats, b: Floats, v: Floats, gap: float) -> tuple[float, float] | None:
    """Return where two ends, run on straight, meet: ahead of both, no farther than the gap."""
    cross = float(u[0] * v[1] - u[1] * v[0])
    # ends that face each other run against each other: straight on is a turn of half a circle
    if abs(cross) < np.sin(_TURN):
        return None
    apart = b - a
    s = float(apart[0] * v[1] - apart[1] * v[0]) / cross
    t = float(apart[0] * u[1] - apart[1] * u[0]) / cross
    if not (-_MEET <= s <= gap and -_MEET <= t <= gap):
        return None
    x, y = a + s * u
    return float(x), float(y)


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Return the outline with the linked ends joined; what comes round to itself is closed."""
    outline, same = offer.outline, offer.limits.same
    links: dict[End, Link] = {}
    for item in items:
        links[item.data.one] = links[item.data.two] = item.data
    joined: dict[int, Contour | None] = {}
    for i in sorted({end[0] for end in links}):
        if i in joined:
            continue
        chain, close = _chain(i, links)
        for k, _ in chain:
            joined[k] = None
        first = outline.contours[chain[0][0]]
        joined[chain[0][0]] = edited(first, _path(outline, chain, links, close, same))
    contours = [joined.get(i, c) for i, c in enumerate(outline.contours)]
    return Outline(tuple(c for c in contours if c is not None))


def _chain(start: int, links: dict[End, Link]) -> tuple[list[tuple[int, bool]], bool]:
    """Return the contours joined to `start` in a row, each with whether it is run backwards."""

    def other(end: End) -> End | None:
        link = links.get(end)
        if link is None:
            return None
        return link.two if link.one == end else link.one

    here: End = (start, False)  # go back to the first of the row
    seen = {start}
    while (before := other(here)) is not None:
        if before[0] == start:
            break
        if before[0] in seen:
            break
        seen.add(before[0])
        here = (before[0], not before[1])
    first = here
    row = [(first[0], first[1])]
    while (after := other((row[-1][0], not row[-1][1]))) is not None:
        if after[0] == first[0]:
            return row, True
        row.append((after[0], after[1]))
    return row, False


def _path(
    outline: Outline,
    chain: list[tuple[int, bool]],
    links: dict[End, Link],
    close: bool,
    same: float,
) -> Path:
    pieces: list[Path] = []
    for i, backwards in chain:
        path = outline.contours[i].path
        pieces.append(reverse(path) if backwards else path)
    for k, (i, backwards) in enumerate(chain):
        link = links.get((i, not backwards))  # where this piece runs out
        if link is None or link.corner is None or (k == len(chain) - 1 and not close):
            continue
        corner = np.array(link.corner)
        pieces[k] = _run_on(pieces[k], corner)
        after = (k + 1) % len(pieces)
        pieces[after] = reverse(_run_on(reverse(pieces[after]), corner))
    return chained(pieces, close, max(same, 1e-7))


def _run_on(path: Path, corner: Floats) -> Path:
    """Return an open path with its end run on straight to `corner`."""
    if path.kinds[-1] == LINE:
        return OpenPath(
            np.vstack([path.nodes[:-1], corner]), path.kinds, path.bulges, path.controls
        )
    return chained([path, OpenPath(np.array([path.nodes[-1], corner]))])

"""Findings on what is too thin: webs that burn away or break, slots that the tool does not fit.

A web is measured between two places of the outline that face each other: the circle over the line
between them holds no other place of it. So is a slot, through what falls away.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.approaches import approaches
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import circle_of
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop, Path
from silhueta.core.geometry.region.segments import Ints, Segments, chords_of, segments_of
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.inspection.facing import ASKEW, CURVE, facing_pairs
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.limits import Limits, least_corner, least_web, tool_of
from silhueta.core.inspection.remedies import SPARE, grown, moved, widened

_CHORD = 0.002  # mm, to which the outline is followed to see whether a circle is empty
_EMPTY = 0.006  # mm, that a circle may reach over the outline: what the two above may add up to
_BACK = 0.5  # cosine: how straight back the sides of a blunt end must run; 60° at most
_BACK_ALL = -0.99  # cosine between a line and the next, where the two are there and back again
_TAPER = 0.1  # of its circle, that may lie outside where its sides come nearer to each other
_MOST = 2_000_000  # pairs of segments that are looked at; of more, the limit is far too large


class _Narrow(NamedTuple):
    """K places: how wide, (K,), the ends of the line across, (K, 2, 2), mm, and whose, (K, 2).

    `group`, (K,): places of one web or slot have the same number.
    """

    wide: Floats
    ends: Floats
    loops: Ints
    group: Ints


_Free = Callable[[Floats, int, float], bool]


def _narrow(contours: list[Contour], limit: float, solid: bool) -> tuple[_Narrow, list[int], _Free]:
    """Return places narrower than a limit, in what is solid or between it, the narrowest first.

    With the keys of the loops that they name, and what tells whether no other loop than one comes
    as near to a place as so many mm. The contours are closed, and all of one colour.
    """
    import shapely

    loops = [loop for c in contours if isinstance(loop := with_arcs(c.path, CURVE), Loop)]
    loops = orient(loops, nest(loops))
    keys = [c.key for c in contours]
    none = _Narrow(np.zeros(0), np.zeros((0, 2, 2)), np.zeros((0, 2), np.int64), np.zeros(0, int))
    if not loops or limit <= 0:
        return none, keys, lambda *_: False
    table = segments_of(loops)
    pairs = facing_pairs(table, neighbours(table)[1], limit, solid, _MOST)
    if pairs is None:
        raise EditError(
            f"nearly everything of the part is nearer together than {limit:g} mm; hold it "
            "against a smaller web or tool"
        )
    found = approaches(table, pairs)
    near = (found.apart < limit) & (found.apart > _EMPTY)
    near[near] = _nearest_there(table, found.places[near], found.segments[near])
    tips, centres, beside = _blunt_ends(table, limit)
    ends = np.concatenate((found.places[near], tips))
    segments = np.concatenate((found.segments[near], beside))
    apart = np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    blunt = np.arange(len(ends)) >= near.sum()
    middle = np.asarray(shapely.points(np.concatenate((found.places[near].mean(1), centres))))
    if not len(middle):
        return none, keys, lambda *_: False
    chords = chords_of(table, _CHORD)
    tree = shapely.STRtree(shapely.linestrings(chords.ends))  # type: ignore[arg-type]
    at, free = tree.query_nearest(middle, return_distance=True, all_matches=False)
    room = np.full(len(middle), np.inf)
    room[at[0]] = free
    # a blunt end is a line of the outline: its circle lies beside it, and may be cut a little
    least = np.where(blunt, (1 - _TAPER) * apart / 2, apart / 2 - _EMPTY)
    good = np.flatnonzero(room >= least)
    good = good[_within(loops, middle[good]) == solid]
    good = good[~_at_spike(table, segments[good])]
    order = np.argsort(apart[good], kind="stable")
    across = segments[good][order]
    groups = _grouped(table, across)
    made = _Narrow(apart[good][order], ends[good][order], table.loop[across], groups)

    def free_there(centre: Floats, loop: int, reach: float) -> bool:
        near = tree.query(shapely.Point(centre), "dwithin", reach)
        return bool((table.loop[chords.segment[near]] == loop).all())

    return made, keys, free_there


def _within(loops: list[Loop], points: np.ndarray) -> np.ndarray:
    """Return which points of shapely's lie in what is solid, (K,) of bool."""
    import shapely

    whole = solids(loops)
    pieces = np.array([polygon_of(piece, _CHORD) for piece in whole], object)
    shapely.prepare(pieces)
    point, piece = shapely.STRtree(pieces).query(points)
    inside = shapely.contains(pieces[piece], points[point])
    return np.isin(np.arange(len(points)), point[inside])


def _at_spike(table: Segments, segments: Ints) -> np.ndarray:
    """Return which places lie between the two ends of a line that runs out and straight back.

    That is told as a hairpin, which it is.
    """
    before, after = neighbours(table)
    every = np.arange(len(table.kinds))
    back = (directions(table, every, True) * directions(table, after, False)).sum(1) < _BACK_ALL
    spikes = np.flatnonzero(back)  # the segments that run out to a tip
    near = {
        frozenset((int(one), int(two)))
        for k in spikes.tolist()
        for one in (before[k], k)
        for two in (after[k], after[after[k]])
    }
    return np.array([frozenset(pair) in near for pair in segments.tolist()], bool)


def _blunt_ends(table: Segments, limit: float) -> tuple[Floats, Floats, Ints]:
    """Return the flat ends of tongues and of blind slots: lines whose neighbours turn back.

    Their ends (K, 2, 2), mm, the middles of the circles beside them (K, 2), and their neighbours'
    numbers (K, 2).
    """
    before, after = neighbours(table)
    way = table.end - table.start
    long = np.hypot(way[:, 0], way[:, 1])
    short = np.flatnonzero((table.kinds == LINE) & (long < limit) & (long > _EMPTY))
    into = directions(table, before[short], True)
    out = directions(table, after[short], False)
    short_ = (-into * out).sum(1) > _BACK
    short, inward = short[short_], (out - into)[short_]
    inward /= np.maximum(np.hypot(inward[:, 0], inward[:, 1]), 1e-300)[:, None]
    ends = np.stack((table.start[short], table.end[short]), 1)
    # a little deeper than half its width, so that the line itself does not cut its circle
    centres = ends.mean(1) + (0.5 * long[short] + _EMPTY)[:, None] * inward
    return ends, centres, np.stack((before[short], after[short]), 1)


def directions(table: Segments, which: Ints, at_end: bool) -> Floats:
    """Return the direction in which segments run at their ends, unit vectors (K, 2)."""
    way = table.end[which] - table.start[which]
    ray = (table.end if at_end else table.start)[which] - table.centres[which]
    turn = np.sign(table.turns[which])[:, None]
    arc = (table.kinds[which] == ARC)[:, None]
    way = np.where(arc, turn * np.column_stack([-ray[:, 1], ray[:, 0]]), way)
    return np.asarray(way / np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-300)[:, None])


def neighbours(table: Segments) -> tuple[Ints, Ints]:
    """Return the segments before and after each in its loop, (S,)."""
    first = np.searchsorted(table.loop, table.loop)
    last = np.searchsorted(table.loop, table.loop, side="right") - 1
    at = np.arange(len(table.loop))
    return np.where(at == first, last, at - 1), np.where(at == last, first, at + 1)


def _grouped(table: Segments, across: Ints) -> Ints:
    """Return a number for each place, (K,): the same where one web goes on from one to the other.

    It does where the segments on both sides are the same or follow each other in their loop.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    pairs, which = np.unique(np.sort(across, 1), axis=0, return_inverse=True)
    known = {(one, two): k for k, (one, two) in enumerate(pairs.tolist())}
    before, after = neighbours(table)
    links = [(k, k) for k in range(len(pairs))]
    for k, (one, two) in enumerate(pairs.tolist()):
        for p in (one, int(after[one]), int(before[one])):
            for q in (two, int(after[two]), int(before[two])):
                other = known.get((min(p, q), max(p, q)))
                if other is not None:
                    links.append((k, other))
    rows, columns = np.array(links).reshape(-1, 2).T
    graph = coo_matrix((np.ones(len(rows)), (rows, columns)), shape=(len(pairs), len(pairs)))
    numbers = connected_components(graph, directed=False)[1]
    return np.asarray(numbers[which.reshape(-1)], np.int64)


def _nearest_there(table: Segments, places: Floats, segments: Ints) -> np.ndarray:
    """Return of which places the distance grows whichever way either of them goes, (K,) of bool."""
    before, after = neighbours(table)
    every = np.arange(len(table.kinds))
    ways = directions(table, every, False), directions(table, every, True)
    good = np.ones(len(places), bool)
    for side in (0, 1):
        p, own = places[:, side], segments[:, side]
        across = places[:, 1 - side] - p
        most = ASKEW * np.hypot(across[:, 0], across[:, 1])
        for at_end, other in ((False, before), (True, after)):
            node = table.end[own] if at_end else table.start[own]
            here = (np.abs(p - node) < 1e-9).all(1)
            sign = -1.0 if at_end else 1.0
            which = np.flatnonzero(here & good)
            mine = sign * ways[at_end][own[which]]
            theirs = -sign * ways[not at_end][other[own[which]]]
            there, limit = across[which], most[which]
            nearer = ((there * mine).sum(1) > limit) | ((there * theirs).sum(1) > limit)
            good[which[nearer]] = False
    return good


def _each(found: _Narrow) -> Iterator[int]:
    """Yield the narrowest place of each web or slot."""
    _, first = np.unique(found.group, return_index=True)  # the narrowest come first
    yield from np.sort(first).tolist()


def _webs(scene: Scene) -> Iterator[Finding]:
    limit, why = least_web(scene.limits)
    for contours in scene.colours:
        found, keys, free = _narrow(contours, limit, True)
        paths = [c.path for c in contours]
        for k in _each(found):
            yield _told(
                found,
                k,
                keys,
                limit,
                "thin-web",
                f"a web is {found.wide[k]:.2f} mm wide, {limit:.2f} mm are asked for: {why}",
                _stronger(paths, found, k, keys, scene.limits, free),
            )


def _stronger(
    paths: list[Path], found: _Narrow, k: int, keys: list[int], limits: Limits, free: _Free
) -> tuple[Remedy, ...]:
    """Return what makes a web as wide as it must be: a round hole is moved where it has room."""
    ends, loops, limit = found.ends[k], found.loops[k].tolist(), least_web(limits)[0]
    at = tuple(ends.mean(0).tolist())
    own = tuple(dict.fromkeys(keys[loop] for loop in loops))
    grow = Remedy(
        f"Grow it to {limit:.2f} mm",
        partial(
            grown,
            keys=own,
            at=at,
            wide=float(found.wide[k]),
            least=limit,
            radius=least_corner(limits)[0],
        ),
    )
    by_hand = Remedy("Change it by hand at Build", stop="build")
    for side, loop in enumerate(loops):
        circle = circle_of(paths[loop])
        if circle is None or len(own) < 2:
            continue
        away = ends[side] - ends[1 - side]
        move = (limit + SPARE - found.wide[k]) * away / np.hypot(*away)
        centre = np.asarray(circle[0]) + move
        if free(centre, loop, circle[1] + limit):
            x, y = move.tolist()
            shift = partial(moved, keys=(keys[loop],), x=x, y=y)
            return Remedy(f"Move the hole by {np.hypot(x, y):.2f} mm", shift), grow, by_hand
    return grow, by_hand


def _slots(scene: Scene) -> Iterator[Finding]:
    tool = tool_of(scene.limits)
    for contours in scene.colours:
        found, keys, _ = _narrow(contours, tool, False)
        for k in _each(found):
            one, two = (keys[loop] for loop in found.loops[k].tolist())
            if one == two and scene.width_of(contours[found.loops[k, 0]]) < tool:
                continue  # all of the hole is, and that is told
            yield _told(
                found,
                k,
                keys,
                tool,
                "narrow-slot",
                f"a slot is {found.wide[k]:.2f} mm wide, the tool takes {tool:.2f} mm",
                _wider(found, k, keys, scene.limits),
            )


def _wider(found: _Narrow, k: int, keys: list[int], limits: Limits) -> tuple[Remedy, ...]:
    tool = tool_of(limits)
    at = tuple(found.ends[k].mean(0).tolist())
    own = tuple(dict.fromkeys(keys[loop] for loop in found.loops[k].tolist()))
    return (
        Remedy(
            f"Widen it to {tool:.2f} mm",
            partial(
                widened,
                keys=own,
                at=at,
                wide=float(found.wide[k]),
                least=tool,
                radius=least_corner(limits)[0],
            ),
        ),
        Remedy("Make it wider, or skip it, at Tidy", stop="tidy"),
    )


def _told(
    found: _Narrow,
    k: int,
    keys: list[int],
    limit: float,
    code: str,
    text: str,
    remedies: tuple[Remedy, ...],
) -> Finding:
    ends = found.ends[k]
    (left, bottom), (right, top) = ends.min(0).tolist(), ends.max(0).tolist()
    x, y = ends.mean(0).tolist()
    return Finding(
        code,
        "hurt",
        (x, y),
        (left, bottom, right, top),
        text,
        float(found.wide[k]),
        limit,
        tuple(dict.fromkeys(keys[loop] for loop in found.loops[k].tolist())),
        remedies,
        ((ends[0, 0].item(), ends[0, 1].item()), (ends[1, 0].item(), ends[1, 1].item())),
    )


FINDERS = (
    Finder("thin-web", "Web too thin", "webs that are too thin", _webs),
    Finder("narrow-slot", "Slot too narrow", "slots that the tool does not fit", _slots),
)

"""Offsets of ragged outlines: of every edge moved aside, what lies as far away as it should.

Words used here
    edge     a segment moved aside, or the arc about a corner that opens
    piece    a stretch of an edge, from one place along it (0 to 1) to another
    hidden   nearer to the outline than the offset, so no part of what comes of it

Most edges of a ragged outline are hidden altogether: both ends of a piece that lie within the
offset of one and the same chord have all of it there, because what is so near to a chord is convex.
The rest is cut where it crosses and kept where its middle is not hidden. That every end then has
just one beginning is seen, and else None is returned.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from silhueta.core.build.trimmed import right, turned, ways
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop
from silhueta.core.geometry.region.segments import (
    Chords,
    Ints,
    Segments,
    chords_of,
    points_at,
    segments_between,
    segments_of,
)

_TURN = 1e-7  # radians, under which a joint goes on smoothly
_SHORT = 1e-9  # mm
_NONE = 1e-6  # mm of an arc's radius, that is none
_CHORD = 2e-4  # mm, within which the outline is chords while distances are guessed
_SURE = 1e-3  # mm nearer than the offset, by such a guess, is hidden
_NEARER = 1e-7  # mm nearer than the offset is hidden
_HALVINGS = 4
_JOINED = 1e-6  # mm
_TAIL = 0.02  # mm of a piece that ends loose, at most
_TAILS = 8
_SLIVER = 1e-6  # mm²
Flags = NDArray[np.bool_]


class _Pieces(NamedTuple):
    edge: Ints
    begin: Floats
    end: Floats

    def of(self, which: Ints | Flags) -> _Pieces:
        return _Pieces(self.edge[which], self.begin[which], self.end[which])


class _Outline(NamedTuple):
    """The outline that is moved: its segments, chords of them in a tree, and their middles."""

    table: Segments
    chords: Chords
    tree: shapely.STRtree
    middles: cKDTree


def kept(solid: Sequence[Loop], by: float) -> list[Loop] | None:
    """Return the offset of loops by `by` mm with round corners; None where that is not certain.

    Parameters
    ----------
    solid : sequence of Loop, mm
        Lines and arcs; solids counter-clockwise, holes clockwise.

    """
    table = _moved(solid, by)
    if table is None or not _are_apart(solid):
        return None  # where outlines overlap, not all that is far enough away is a border
    source = segments_of(solid)
    chords = chords_of(source, _CHORD)
    lines = shapely.STRtree(np.asarray(shapely.linestrings(chords.ends), object))
    outline = _Outline(source, chords, lines, cKDTree(chords.ends.mean(axis=1)))
    pieces = _perhaps_seen(table, outline, abs(by))
    cuts = _cuts(table, pieces)
    if cuts is None:
        return None
    pieces = _cut(table, pieces, *cuts)
    middles = points_at(table, pieces.edge, (pieces.begin + pieces.end) / 2)
    pieces = pieces.of(_far_enough(outline, middles, abs(by)))
    rings = _rings(table, pieces)
    if rings is None:
        return None
    made = [_loop(table, pieces.of(ring)) for ring in rings]
    loops = [loop for loop in made if loop is not None and abs(signed_area(loop)) > _SLIVER]
    return loops if _are_apart(loops) else None


def _are_apart(loops: Sequence[Loop]) -> bool:
    """Return whether loops cross and touch neither themselves nor each other."""
    rings = [shapely.LinearRing(flatten(loop, _CHORD)) for loop in loops]
    return bool(shapely.is_simple(shapely.MultiLineString(rings)))


def _moved(solid: Sequence[Loop], by: float) -> Segments | None:
    """Return all edges; None where there is none."""
    found: list[tuple[Floats, Floats, Floats]] = []
    for loop in solid:
        some = np.hypot(*(loop.ends - loop.starts).T) > _SHORT
        starts, ends, bulges = loop.starts[some], loop.ends[some], loop.bulges[some]
        if not some.any():
            continue
        first, last = ways(starts, ends, bulges)
        a, b = starts + by * right(first), ends + by * right(last)
        turn = turned(last, np.roll(first, -1))
        opening = turn * by > _TURN * abs(by)
        found.append((b[opening], np.roll(a, -1, axis=0)[opening], np.tan(turn[opening] / 4)))
        arcs = bulges != 0
        stays = ~arcs
        if arcs.any():
            _, radii = arc_centres(starts[arcs], ends[arcs], bulges[arcs])
            stays[arcs] = radii + by * np.sign(bulges[arcs]) > _NONE
        found.append((a[stays], b[stays], bulges[stays]))
    starts, ends, bulges = (np.concatenate(values) for values in zip(*found, strict=True))
    some = np.hypot(*(ends - starts).T) > _SHORT
    if not some.any():
        return None
    kinds = np.where(bulges[some] != 0, ARC, LINE).astype(np.uint8)
    return segments_between(starts[some], ends[some], kinds, bulges[some])


# what is hidden


def _perhaps_seen(table: Segments, outline: _Outline, by: float) -> _Pieces:
    """Return what is left of the edges when pieces are gone that are hidden for certain."""
    count = len(table.kinds)
    some = _Pieces(np.arange(count), np.zeros(count), np.ones(count))
    done: list[_Pieces] = []
    for level in range(_HALVINGS + 1):
        half = (some.begin + some.end) / 2
        a, middle, b = (points_at(table, some.edge, at) for at in (some.begin, half, some.end))
        near = outline.middles.query(middle)[1]  # any chord will do, and a near one best
        one, two = outline.chords.ends[near, 0], outline.chords.ends[near, 1]
        rise = _rise(table, some)
        far = [_from_line(points, one, two) for points in (a, middle, b)]
        hidden = np.maximum(far[0], far[2]) + rise < by - _SURE
        shown = far[1] > by - _SURE
        done.append(some.of(shown | (~hidden & (level == _HALVINGS))))
        rest = ~hidden & ~shown
        some, half = some.of(rest), half[rest]
        some = _Pieces(
            np.concatenate([some.edge, some.edge]),
            np.concatenate([some.begin, half]),
            np.concatenate([half, some.end]),
        )
        if not len(some.edge):
            break
    edge, begin, end = (np.concatenate(values) for values in zip(*done, strict=True))
    return _Pieces(edge, begin, end)


def _rise(table: Segments, pieces: _Pieces) -> Floats:
    """Return how far arcs stand off their chords, (N,), mm; 0 of lines."""
    half = table.turns[pieces.edge] * (pieces.end - pieces.begin) / 2
    return np.asarray(table.radii[pieces.edge] * (1 - np.cos(half)))


def _from_line(points: Floats, a: Floats, b: Floats) -> Floats:
    """Return how far points (N, 2) lie from straight lines with two ends, mm."""
    way = b - a
    share = ((points - a) * way).sum(1) / np.maximum((way**2).sum(1), 1e-300)
    away = points - (a + np.clip(share, 0.0, 1.0)[:, None] * way)
    return np.asarray(np.hypot(*away.T))


def _far_enough(outline: _Outline, points: Floats, by: float) -> Flags:
    """Return which points (N, 2) are no nearer to the outline than the offset."""
    near = outline.middles.query(points)[1]
    guess = _from_line(points, outline.chords.ends[near, 0], outline.chords.ends[near, 1])
    some = np.flatnonzero(guess > by - _SURE)
    far = np.full(len(points), -np.inf)
    far[some] = np.inf
    point, chord = outline.tree.query(
        shapely.points(points[some]), predicate="dwithin", distance=by + _SURE
    )
    table, segment, point = outline.table, outline.chords.segment[chord], some[point]
    at = points[point]
    off = _from_line(at, table.start[segment], table.end[segment])
    arcs = table.kinds[segment] == ARC
    own = segment[arcs]
    spoke = at[arcs] - table.centres[own]
    ahead = np.sign(table.turns[own]) * (np.arctan2(spoke[:, 1], spoke[:, 0]) - table.angles[own])
    beside = ahead % (2 * np.pi) <= np.abs(table.turns[own])
    ends = np.minimum(
        np.hypot(*(at[arcs] - table.start[own]).T), np.hypot(*(at[arcs] - table.end[own]).T)
    )
    off[arcs] = np.where(beside, np.abs(np.hypot(*spoke.T) - table.radii[own]), ends)
    np.minimum.at(far, point, off)
    return far > by - _NEARER


# where pieces cross


def _cuts(table: Segments, pieces: _Pieces) -> tuple[Ints, Floats] | None:
    """Return pieces and places along their edges at which they cross; None where two are one."""
    a, b = (points_at(table, pieces.edge, at) for at in (pieces.begin, pieces.end))
    reach = _rise(table, pieces)[:, None] + _JOINED
    low, high = np.minimum(a, b) - reach, np.maximum(a, b) + reach
    boxes = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
    one, two = shapely.STRtree(boxes).query(boxes)
    apart = (one < two) & (pieces.edge[one] != pieces.edge[two])
    one, two = one[apart], two[apart]
    bent = table.kinds[pieces.edge] == ARC
    swap = bent[one] & ~bent[two]
    one, two = np.where(swap, two, one), np.where(swap, one, two)
    found_piece: list[Ints] = []
    found_at: list[Floats] = []
    for kind in ((False, False), (False, True), (True, True)):
        which = (bent[one] == kind[0]) & (bent[two] == kind[1])
        p, q = one[which], two[which]
        if not len(p):
            continue
        meet = _meeting(table, pieces.edge[p], pieces.edge[q])
        if meet is None:
            return None
        for places in meet:
            there = np.isfinite(places[:, 0])
            s, t = (_along(table, pieces.edge[x], places) for x in (p, q))
            there &= _within(table, pieces.of(p), s) & _within(table, pieces.of(q), t)
            found_piece += [p[there], q[there]]
            found_at += [s[there], t[there]]
    if not found_piece:
        return np.zeros(0, np.int64), np.zeros(0)
    return np.concatenate(found_piece), np.concatenate(found_at)


def _meeting(table: Segments, p: Ints, q: Ints) -> tuple[Floats, ...] | None:
    """Return the places (K, 2) where edges meet, prolonged; nan: nowhere. None: two are one."""
    with np.errstate(divide="ignore", invalid="ignore"):
        if table.kinds[p[0]] == LINE and table.kinds[q[0]] == LINE:
            a, d = table.start[p], table.end[p] - table.start[p]
            c, e = table.start[q], table.end[q] - table.start[q]
            cross = d[:, 0] * e[:, 1] - d[:, 1] * e[:, 0]
            off = c - a
            long = np.hypot(*d.T) * np.hypot(*e.T)
            level = np.abs(cross) < 1e-12 * long
            aside = np.abs(off[:, 0] * d[:, 1] - off[:, 1] * d[:, 0]) / np.hypot(*d.T)
            if (level & (aside < _JOINED) & _overlap(a, d, c, e)).any():
                return None
            share = (off[:, 0] * e[:, 1] - off[:, 1] * e[:, 0]) / np.where(level, np.nan, cross)
            return (a + share[:, None] * d,)
        if table.kinds[p[0]] == LINE:
            a, d = table.start[p], table.end[p] - table.start[p]
            d = d / np.hypot(*d.T)[:, None]
            off = table.centres[q] - a
            foot = (off * d).sum(1)
            aside = off[:, 0] * d[:, 1] - off[:, 1] * d[:, 0]
            half = np.sqrt(table.radii[q] ** 2 - aside**2)
            return tuple(a + (foot + side * half)[:, None] * d for side in (-1, 1))
        d = table.centres[q] - table.centres[p]
        far = np.hypot(*d.T)
        r, s = table.radii[p], table.radii[q]
        round_ = (far < _JOINED) & (np.abs(r - s) < _JOINED)
        if round_.any() and _side_by_side(table, p[round_], q[round_]):
            return None
        d = d / np.where(round_, np.nan, far)[:, None]
        foot = (far**2 + r**2 - s**2) / (2 * far)
        half = np.sqrt(r**2 - foot**2)
        left = np.column_stack([-d[:, 1], d[:, 0]])
        middle = table.centres[p] + foot[:, None] * d
        return tuple(middle + (side * half)[:, None] * left for side in (-1, 1))


def _side_by_side(table: Segments, p: Ints, q: Ints) -> bool:
    """Return whether arcs of one circle have more than ends in common."""
    for one, two in ((p, q), (q, p)):
        half = np.full(len(two), 0.5)
        for places in (table.start[two], points_at(table, two, half), table.end[two]):
            at = _along(table, one, places)
            room = _JOINED / _lengths(table, one)
            if ((at > room) & (at < 1 - room)).any():
                return True
    return False


def _overlap(a: Floats, d: Floats, c: Floats, e: Floats) -> Flags:
    """Return whether level lines from `a` by `d` and from `c` by `e` run beside each other."""
    long = (d**2).sum(1)
    one, two = ((c - a) * d).sum(1) / long, ((c + e - a) * d).sum(1) / long
    return np.asarray((np.maximum(one, two) > 1e-9) & (np.minimum(one, two) < 1 - 1e-9))


def _along(table: Segments, edge: Ints, points: Floats) -> Floats:
    """Return how far along their edges points on them lie, 0 to 1; beyond: they are not there."""
    way = table.end[edge] - table.start[edge]
    out = ((points - table.start[edge]) * way).sum(1) / np.maximum((way**2).sum(1), 1e-300)
    arcs = table.kinds[edge] == ARC
    own = edge[arcs]
    spoke = points[arcs] - table.centres[own]
    turn = table.turns[own]
    ahead = np.sign(turn) * (np.arctan2(spoke[:, 1], spoke[:, 0]) - table.angles[own])
    spare = np.pi - np.abs(turn) / 2  # as far before the beginning as after the end
    out[arcs] = ((ahead + spare) % (2 * np.pi) - spare) / np.abs(turn)
    return np.asarray(out)


def _lengths(table: Segments, edge: Ints) -> Floats:
    """Return the lengths of whole edges, mm."""
    chords = np.hypot(*(table.end[edge] - table.start[edge]).T)
    arcs = table.kinds[edge] == ARC
    return np.where(arcs, table.radii[edge] * np.abs(table.turns[edge]), chords)


def _within(table: Segments, pieces: _Pieces, at: Floats) -> Flags:
    room = _SHORT / _lengths(table, pieces.edge)
    return (at > pieces.begin - room) & (at < pieces.end + room)


def _cut(table: Segments, pieces: _Pieces, which: Ints, at: Floats) -> _Pieces:
    """Return the pieces cut at places along their edges."""
    every = np.arange(len(pieces.edge))
    piece = np.concatenate([every, every, which])
    place = np.concatenate(
        [pieces.begin, pieces.end, np.clip(at, pieces.begin[which], pieces.end[which])]
    )
    order = np.lexsort((place, piece))
    piece, place = piece[order], place[order]
    edge = pieces.edge[piece]
    same = piece[1:] == piece[:-1]
    long = (place[1:] - place[:-1]) * _lengths(table, edge[1:])
    some = np.flatnonzero(same & (long > _SHORT))
    return _Pieces(edge[some], place[some], place[some + 1])


# what is kept


def _rings(table: Segments, pieces: _Pieces) -> list[Ints] | None:
    """Return the pieces in order round each loop; None where they do not go on one by one."""
    count = len(pieces.edge)
    if count == 0:
        return []
    starts, ends = (points_at(table, pieces.edge, at) for at in (pieces.begin, pieces.end))
    pairs = cKDTree(np.vstack([starts, ends])).query_pairs(_JOINED, output_type="ndarray")
    links = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (2 * count, 2 * count))
    total, place = connected_components(links, directed=False)
    first, last = np.split(place.astype(np.int64), 2)
    left = _without_tails(
        first, last, total, _lengths(table, pieces.edge) * (pieces.end - pieces.begin)
    )
    if left is None:
        return None
    begins = np.zeros(total, np.int64)
    begins[first[left]] = np.flatnonzero(left)
    after = begins[last].tolist()
    rings = []
    for start in np.flatnonzero(left).tolist():
        ring, k = [], start
        while left[k]:
            left[k] = False
            ring.append(k)
            k = after[k]
        if ring:
            rings.append(np.array(ring))
    return rings


def _without_tails(first: Ints, last: Ints, places: int, lengths: Floats) -> Flags | None:
    """Return which pieces stay when short ones with a loose end are gone; None: not one by one.

    Behind a corner that hardly turns, the tails of both edges lie too little inside to be seen.
    """
    left = np.ones(len(first), np.bool_)
    for _ in range(_TAILS):
        ins = np.bincount(last[left], minlength=places)
        outs = np.bincount(first[left], minlength=places)
        loose = left & ((ins[first] == 0) | (outs[last] == 0))
        if not loose.any():
            return left if ins.max() <= 1 and np.array_equal(ins, outs) else None
        if lengths[loose].max() > _TAIL:
            return None
        left &= ~loose
    return None


def _loop(table: Segments, pieces: _Pieces) -> Loop | None:
    """Return pieces in order as a loop, those that go on along one edge as one segment."""
    before = np.roll(np.arange(len(pieces.edge)), 1)
    fresh = (pieces.edge != pieces.edge[before]) | (
        np.abs(pieces.begin - pieces.end[before]) * _lengths(table, pieces.edge) > _JOINED
    )
    at = np.flatnonzero(fresh)
    if len(at) < 2:
        return None
    edge, begin = pieces.edge[at], pieces.begin[at]
    end = pieces.end[(np.roll(at, -1) - 1) % len(fresh)]
    bulges = np.tan(table.turns[edge] * (end - begin) / 4)
    kinds = np.where(bulges != 0, ARC, LINE).astype(np.uint8)
    if len(at) == 2 and not bulges.any():
        return None
    return Loop(points_at(table, edge, begin), kinds, bulges)

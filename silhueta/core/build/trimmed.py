"""Offsets that need no untangling: every edge moved aside, neighbours trimmed where they meet.

What comes of it is the offset where nothing else happens: where no edge vanishes, no loop crosses
itself or another, and all lie in each other as before. That is seen, and else None is returned.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.nesting import Nesting, nest
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop

_TURN = 1e-7  # radians, under which a joint goes on smoothly
_SHORT = 1e-9  # mm
_NONE = 1e-6  # mm of an arc's radius, that is none
TIP = 4.0  # times the offset, that a sharp corner stands out at most; more is cut off there
_STEPS = 8  # of Newton's method, to where two edges meet
_MET = 1e-10  # mm
_CHORD = 2e-4  # mm, within which loops are chords while they are looked at
_LOOKED_AT = 2_000  # places whose distance from the outline is measured
_OFF = 1e-3  # mm, that these may be nearer
Flags = NDArray[np.bool_]


class _Edges(NamedTuple):
    """Edges moved aside: their ends, the ways at both, bulges, centres and radii (0: a line).

    corners, gone : (K, 2), (K,) of bool
        Where each met the next before; the centre of an arc between them whose radius is none now.
    """

    starts: Floats
    ends: Floats
    first: Floats
    last: Floats
    bulges: Floats
    centres: Floats
    radii: Floats
    corners: Floats
    gone: Flags


def trimmed(
    solid: Sequence[Loop], by: float, corners: Literal["round", "sharp", "flat"]
) -> list[Loop] | None:
    """Return the offset of loops by `by` mm, where trimming is all that it takes; else None.

    Parameters
    ----------
    solid : sequence of Loop, mm
        Lines and arcs; solids counter-clockwise, holes clockwise.

    """
    made = []
    for loop in solid:
        one = _trimmed(loop, by, corners)
        if one is None or signed_area(one) * signed_area(loop) <= 0:
            return None
        made.append(one)
    if not made or not _still_nested(made, nest(solid)):
        return None
    return made if _keep_away(solid, made, abs(by)) else None


def _still_nested(made: Sequence[Loop], nesting: Nesting) -> bool:
    """Return whether loops lie in each other as given, and neither cross nor touch."""
    rings = [shapely.LinearRing(flatten(loop, _CHORD)) for loop in made]
    outer = np.flatnonzero(nesting.depth % 2 == 0).tolist()
    holes = [np.flatnonzero(nesting.parent == k).tolist() for k in outer]
    pieces = [
        shapely.Polygon(rings[k], [rings[j] for j in own])
        for k, own in zip(outer, holes, strict=True)
    ]
    return bool(shapely.is_valid(shapely.MultiPolygon(pieces)))


def _keep_away(solid: Sequence[Loop], made: Sequence[Loop], by: float) -> bool:
    """Return whether what was made is nowhere nearer to the outline than the offset."""
    lines = shapely.MultiLineString(
        [np.vstack([p, p[:1]]) for p in (flatten(loop, _CHORD) for loop in solid)]
    )
    places = np.vstack([loop.nodes for loop in made])
    some = places[:: max(1, len(places) // _LOOKED_AT)]
    shapely.prepare(lines)
    return not bool(shapely.dwithin(lines, shapely.points(some), by - _OFF).any())


def right(way: Floats) -> Floats:
    """Return the directions (N, 2) to the right of ways (N,), radians."""
    return np.column_stack([np.sin(way), -np.cos(way)])


def ways(starts: Floats, ends: Floats, bulges: Floats) -> tuple[Floats, Floats]:
    """Return the ways (N,), radians, of segments where they begin and where they end."""
    chords = ends - starts
    angle, half = np.arctan2(chords[:, 1], chords[:, 0]), 2 * np.arctan(bulges)
    return angle - half, angle + half


def turned(last: Floats, first: Floats) -> Floats:
    """Return by how much ways turn from one to the other, from -pi to pi."""
    turn = first - last
    return np.asarray(turn - 2 * np.pi * np.floor((turn + np.pi) / (2 * np.pi)))


def cusps(loop: Loop) -> Floats:
    """Return for each segment's end, (N,), whether the loop turns right back there.

    1: what is left of the loop ends in a point; -1: what is right of it does; 0: neither. Which it
    is follows from how both edges bend: their ways are the same.
    """
    first, last = ways(loop.starts, loop.ends, loop.bulges)
    back = np.abs(np.abs(turned(last, np.roll(first, -1))) - np.pi) < _TURN
    chords = np.maximum(np.hypot(*(loop.ends - loop.starts).T), 1e-300)
    bend = 4 * loop.bulges / (chords * (1 + loop.bulges**2))  # curvature, left of the way
    both = bend + np.roll(bend, -1)
    return np.asarray(np.where(back, np.where(both > 0, -1.0, 1.0), 0.0))


def cut_off(half: float) -> float:
    """Return how far edges go on beyond a corner that is cut off at the limit, in offsets.

    `half` is half of what the way turns by there, radians.
    """
    return float((TIP - np.cos(half)) / np.sin(half)) if half > 0 else 0.0


def _moved(loop: Loop, by: float) -> _Edges | None:
    """Return the edges of a loop moved aside; None where an arc would vanish."""
    starts, ends, bulges = loop.starts, loop.ends, loop.bulges
    chords = ends - starts
    if np.hypot(*chords.T).min() < _SHORT:
        return None
    first, last = ways(starts, ends, bulges)
    arcs = bulges != 0
    centres, radii = np.zeros_like(starts), np.zeros(len(starts))
    if arcs.any():
        centres[arcs], found = arc_centres(starts[arcs], ends[arcs], bulges[arcs])
        radii[arcs] = found + by * np.sign(bulges[arcs])
        if radii[arcs].min() < -_NONE:
            return None
    kept = ~(arcs & (radii <= _NONE))
    before = np.roll(kept, -1)  # whether what follows an edge is still there
    if not kept.any() or (~kept & ~before).any():
        return None
    corners = np.where(before[:, None], ends, np.roll(centres, -1, axis=0))
    moved = (starts + by * right(first), ends + by * right(last))
    every = (*moved, first, last, bulges, centres, radii, corners, ~before)
    return _Edges(*(values[kept] for values in every))


def _trimmed(loop: Loop, by: float, corners: str) -> Loop | None:
    edges = _moved(loop, by)
    if edges is None:
        return None
    after = np.roll(np.arange(len(edges.first)), -1)
    turn = turned(edges.last, edges.first[after])
    smooth = np.abs(turn) < _TURN
    closing = (turn * by < 0) & ~smooth
    opening = (turn * by > 0) & ~smooth
    starts, ends = edges.starts.copy(), edges.ends.copy()
    if closing.any():
        met = _met(edges, np.flatnonzero(closing), after, turn, by)
        if met is None:
            return None
        ends[closing], starts[after[closing]] = met, met
    bulges = _bulges(edges, starts, ends)
    if bulges is None:
        return None
    if (edges.gone & ~closing).any():
        return None
    return _strung(edges, by, (starts, ends, bulges), opening, turn, corners)


def _met(
    edges: _Edges,
    at: NDArray[np.int64],
    after: NDArray[np.int64],
    turn: Floats,
    by: float,
) -> Floats | None:
    """Return where edges meet the next ones, (K, 2), from where their tangents would."""
    following = after[at]
    tip = by / np.maximum(np.cos(turn[at] / 2), 1e-3)
    place = edges.corners[at] + tip[:, None] * right(edges.last[at] + turn[at] / 2)
    place = np.where(edges.gone[at, None], edges.corners[at], place)
    for _ in range(_STEPS):
        f, n = _off(edges, at, edges.ends, edges.last, place)
        g, m = _off(edges, following, edges.starts, edges.first, place)
        det = n[:, 0] * m[:, 1] - n[:, 1] * m[:, 0]
        if np.abs(det).min() < 1e-6:
            return None
        step = np.column_stack([f * m[:, 1] - g * n[:, 1], g * n[:, 0] - f * m[:, 0]])
        step /= det[:, None]
        place = place - step
        if np.abs(step).max() < _MET:
            break
    f, _n = _off(edges, at, edges.ends, edges.last, place)
    g, _m = _off(edges, following, edges.starts, edges.first, place)
    if not max(np.abs(f).max(), np.abs(g).max()) < _MET:
        return None
    return place


def _off(
    edges: _Edges, which: NDArray[np.int64], ends: Floats, ways: Floats, place: Floats
) -> tuple[Floats, Floats]:
    """Return how far places lie off the lines or circles of edges, mm, and the way that grows."""
    line = edges.radii[which] == 0
    normal = right(ways[which])
    off = ((place - ends[which]) * normal).sum(axis=1)
    away = place - edges.centres[which]
    far = np.maximum(np.hypot(*away.T), 1e-12)
    normal = np.where(line[:, None], normal, away / far[:, None])
    return np.where(line, off, far - edges.radii[which]), normal


def _bulges(edges: _Edges, starts: Floats, ends: Floats) -> Floats | None:
    """Return the bulges of trimmed edges; None where one of them is gone."""
    chords = ends - starts
    arcs = edges.radii > 0
    along = np.column_stack([np.cos(edges.first), np.sin(edges.first)])
    if ((chords * along).sum(axis=1)[~arcs] <= _SHORT).any():
        return None
    bulges = np.zeros(len(edges.bulges))
    if arcs.any():
        a, b = starts[arcs] - edges.centres[arcs], ends[arcs] - edges.centres[arcs]
        sense = np.sign(edges.bulges[arcs])
        sweep = sense * (np.arctan2(b[:, 1], b[:, 0]) - np.arctan2(a[:, 1], a[:, 0]))
        sweep -= 2 * np.pi * np.floor(sweep / (2 * np.pi))
        whole = 4 * np.arctan(np.abs(edges.bulges[arcs]))
        if ((sweep > whole + 1e-9) | (sweep * edges.radii[arcs] < _SHORT)).any():
            return None
        bulges[arcs] = sense * np.tan(sweep / 4)
    return bulges


def _strung(
    edges: _Edges,
    by: float,
    moved: tuple[Floats, Floats, Floats],
    opening: Flags,
    turn: Floats,
    corners: str,
) -> Loop:
    """Return edges as a loop, with what fills the corners that open."""
    starts, ends, bulges = moved
    tip = 1 / np.maximum(np.cos(turn / 2), 1e-9)
    sharp = opening & (corners == "sharp") & (tip <= TIP)
    cut = opening & (corners == "sharp") & ~sharp
    count = len(starts)
    place = np.arange(count)
    half = np.maximum(np.abs(turn / 2), 1e-9)
    on = (by * (TIP - np.cos(half)) / np.sin(half))[:, None]
    first = np.roll(edges.first, -1)
    nodes = [
        starts,
        ends[opening],
        (edges.corners + by * tip[:, None] * right(edges.last + turn / 2))[sharp],
        (ends + on * np.column_stack([np.cos(edges.last), np.sin(edges.last)]))[cut],
        (np.roll(starts, -1, axis=0) - on * np.column_stack([np.cos(first), np.sin(first)]))[cut],
    ]
    join = np.tan(turn[opening] / 4) if corners == "round" else np.zeros(int(opening.sum()))
    values = [bulges, join, *(np.zeros(int(some.sum())) for some in (sharp, cut, cut))]
    at = [place, place[opening] + 0.2, place[sharp] + 0.4, place[cut] + 0.4, place[cut] + 0.6]
    order = np.argsort(np.concatenate(at), kind="stable")
    made = np.concatenate(values)[order]
    kinds = np.where(made != 0, ARC, LINE).astype(np.uint8)
    return Loop(np.concatenate(nodes)[order], kinds, made)

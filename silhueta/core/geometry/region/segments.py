"""The segments of many paths in one table, and chords of them that know where they come from.

Words used here
    place    a segment and how far along it, 0 to 1; on an arc by angle, on a cubic by parameter
    chord    a straight piece between two places of one segment
    split    a further place where chords must end, as another outline has a node there
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Kinds, Path

Ints = NDArray[np.int64]
_MOST_PIECES = 4096  # of one segment
_FEWEST_TURN = 3  # an eighth of a circle, a chord of an arc at most: 2 to this power go round
_NEAR = 0.25  # of a chord, within which a place beside a split is left out
_FOLLOW = 12  # Newton steps to the place of a cubic nearest to a point


class Segments(NamedTuple):
    """S segments of N paths, mm; `loop` tells whose each is.

    start, end : (S, 2)
    kinds : (S,)
    bulges : (S,)
    controls : (S, 2, 2)
    centres, radii, angles, turns : (S, 2), (S,), (S,), (S,)
        Of arcs; zero for the others.
    loop : (S,) of int
    """

    start: Floats
    end: Floats
    kinds: Kinds
    bulges: Floats
    controls: Floats
    centres: Floats
    radii: Floats
    angles: Floats
    turns: Floats
    loop: Ints


class Chords(NamedTuple):
    """K chords.

    segment : (K,) of int
    along : (K, 2)
        Places.
    ends : (K, 2, 2), mm
    held : (K, 2)
        Whether an end is a node or a split.
    """

    segment: Ints
    along: Floats
    ends: Floats
    held: NDArray[np.bool_]


def segments_of(loops: Sequence[Path]) -> Segments:
    """Return the segments of paths, in order."""
    return segments_between(
        np.concatenate([loop.starts for loop in loops]),
        np.concatenate([loop.ends for loop in loops]),
        np.concatenate([loop.kinds for loop in loops]),
        np.concatenate([loop.bulges for loop in loops]),
        np.concatenate([loop.controls for loop in loops]),
        np.repeat(np.arange(len(loops)), [len(loop.kinds) for loop in loops]),
    )


def segments_between(
    start: Floats,
    end: Floats,
    kinds: NDArray[np.uint8],
    bulges: Floats,
    controls: Floats | None = None,
    loop: Ints | None = None,
) -> Segments:
    """Return segments from ends (K, 2), mm, kinds and bulges (K,).

    Of cubics also the controls (K, 2, 2), mm; `loop` (K,) is which path each belongs to.
    """
    count = len(kinds)
    centres, radii, angles, turns = (np.zeros(shape) for shape in (start.shape, *[kinds.shape] * 3))
    arcs = kinds == ARC
    if arcs.any():
        centres[arcs], radii[arcs] = arc_centres(start[arcs], end[arcs], bulges[arcs])
        spoke = start[arcs] - centres[arcs]
        angles[arcs] = np.arctan2(spoke[:, 1], spoke[:, 0])
        turns[arcs] = 4 * np.arctan(bulges[arcs])
    return Segments(
        start,
        end,
        kinds,
        bulges,
        np.zeros((count, 2, 2)) if controls is None else controls,
        centres,
        radii,
        angles,
        turns,
        np.zeros(count, np.int64) if loop is None else loop,
    )


def points_at(table: Segments, segment: Ints, along: Floats) -> Floats:
    """Return the points (K, 2), mm, at places; ends as they are given."""
    start, end = table.start[segment], table.end[segment]
    out = start + along[:, None] * (end - start)
    arcs = table.kinds[segment] == ARC
    if arcs.any():
        own = segment[arcs]
        angle = table.angles[own] + along[arcs] * table.turns[own]
        round_ = np.column_stack([np.cos(angle), np.sin(angle)])
        out[arcs] = table.centres[own] + table.radii[own, None] * round_
    cubics = table.kinds[segment] == CUBIC
    if cubics.any():
        a, b, c, d = _hulls(table, segment[cubics])
        t = along[cubics, None]
        s = 1 - t
        out[cubics] = s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d
    out = np.where((along <= 0)[:, None], start, out)
    return np.asarray(np.where((along >= 1)[:, None], end, out))


def speeds_at(table: Segments, segment: Ints, along: Floats) -> Floats:
    """Return by how much the point moves, (K, 2), mm for a whole segment."""
    out = table.end[segment] - table.start[segment]
    arcs = table.kinds[segment] == ARC
    if arcs.any():
        own = segment[arcs]
        angle = table.angles[own] + along[arcs] * table.turns[own]
        reach = (table.radii[own] * table.turns[own])[:, None]
        out[arcs] = reach * np.column_stack([-np.sin(angle), np.cos(angle)])
    cubics = table.kinds[segment] == CUBIC
    if cubics.any():
        a, b, c, d = _hulls(table, segment[cubics])
        t = along[cubics, None]
        s = 1 - t
        out[cubics] = 3 * (s * s * (b - a) + 2 * s * t * (c - b) + t * t * (d - c))
    return np.asarray(out)


def _hulls(table: Segments, which: Ints) -> tuple[Floats, Floats, Floats, Floats]:
    controls = table.controls[which]
    return table.start[which], controls[:, 0], controls[:, 1], table.end[which]


def nearest_along(table: Segments, segment: Ints, along: Floats, points: Floats) -> Floats:
    """Return the places (K,) nearest to `points` (K, 2), sought from `along`."""
    out = along.copy()
    kinds = table.kinds[segment]
    start = table.start[segment]
    chord = table.end[segment] - start
    lines = kinds == LINE
    size = np.maximum((chord**2).sum(1), 1e-300)
    out[lines] = (((points - start) * chord).sum(1) / size)[lines]
    arcs = kinds == ARC
    if arcs.any():
        own = segment[arcs]
        spoke = points[arcs] - table.centres[own]
        turn = table.turns[own]
        swept = (np.arctan2(spoke[:, 1], spoke[:, 0]) - table.angles[own]) * np.sign(turn)
        whole, turn = 2 * np.pi, np.abs(turn)
        # of all the turns that lead there, the one nearest to where it is sought
        swept += whole * np.round((along[arcs] * turn - swept) / whole)
        out[arcs] = swept / turn
    cubics = np.flatnonzero(kinds == CUBIC)
    for _ in range(_FOLLOW if len(cubics) else 0):
        own, t = segment[cubics], out[cubics]
        away = points[cubics] - points_at(table, own, t)
        speed = speeds_at(table, own, t)
        step = (away * speed).sum(1) / np.maximum((speed**2).sum(1), 1e-300)
        out[cubics] = np.clip(t + np.clip(step, -0.1, 0.1), 0, 1)
    return np.clip(out, 0.0, 1.0)


def chords_of(
    table: Segments, chord_error: float, splits: tuple[Ints, Floats] | None = None
) -> Chords:
    """Return chords no farther than `chord_error` mm from their segments.

    Arcs are cut at the same angles wherever they begin, so that two arcs of one circle have the
    same chords where they lie on each other. `splits` are segments (M,) and places (M,).
    """
    count = len(table.kinds)
    pieces = np.ones(count, np.int64)
    arcs, cubics = np.flatnonzero(table.kinds == ARC), np.flatnonzero(table.kinds == CUBIC)
    segment, along, fixed = [np.arange(count)] * 2, [np.zeros(count), np.ones(count)], 2 * count
    if splits is not None and len(splits[0]):
        segment, along = [*segment, splits[0]], [*along, splits[1]]
        fixed += len(splits[0])
    if len(arcs):
        flat = np.clip(chord_error / np.maximum(table.radii[arcs], 1e-300), 1e-9, 1.0)
        power = np.ceil(np.log2(np.pi / np.arccos(1 - flat)))
        turn = table.turns[arcs]
        most = np.maximum(np.log2(_MOST_PIECES * 2 * np.pi / np.abs(turn)), _FEWEST_TURN)
        step = 2 * np.pi / 2 ** np.floor(np.clip(power, _FEWEST_TURN, most))
        low = np.minimum(table.angles[arcs], table.angles[arcs] + turn)
        first = np.ceil(low / step)
        many = np.maximum(np.floor((low + np.abs(turn)) / step) - first + 1, 0).astype(np.int64)
        which = np.repeat(np.arange(len(arcs)), many)
        angle = step[which] * (first[which] + _within(many))
        segment.append(arcs[which])
        along.append((angle - table.angles[arcs][which]) / turn[which])
        pieces[arcs] = np.maximum(np.abs(turn) / step, 1)
    if len(cubics):
        a, b, c, d = _hulls(table, cubics)
        bend = np.maximum(np.hypot(*(a - 2 * b + c).T), np.hypot(*(b - 2 * c + d).T))
        # a chord over a step h leaves the curve by at most h² |B''| / 8, and |B''| <= 6 bend
        many = np.clip(np.ceil(np.sqrt(0.75 * bend / chord_error)), 1, _MOST_PIECES).astype(int)
        which = np.repeat(np.arange(len(cubics)), many - 1)
        segment.append(cubics[which])
        along.append((1.0 + _within(many - 1)) / many[which])
        pieces[cubics] = many
    segments, places = np.concatenate(segment), np.concatenate(along)
    held = np.arange(len(segments)) < fixed
    order = np.lexsort((places, segments))
    segments, places, held = segments[order], places[order], held[order]
    near = _NEAR / pieces[segments]
    close = np.zeros(len(segments), np.bool_)
    for shift in (1, -1):
        beside = (np.roll(segments, shift) == segments) & np.roll(held, shift)
        close |= beside & (np.abs(np.roll(places, shift) - places) < near)
    stays = held | ~(close | (places <= 0) | (places >= 1))
    segments, places, held = segments[stays], places[stays], held[stays]
    points = points_at(table, segments, places)
    on = np.flatnonzero(segments[1:] == segments[:-1])
    return Chords(
        segments[on],
        np.column_stack([places[on], places[on + 1]]),
        np.stack([points[on], points[on + 1]], axis=1),
        np.column_stack([held[on], held[on + 1]]),
    )


def _within(counts: Ints) -> Ints:
    """Return 0, 1, ... for each of `counts`, one after the other."""
    total = int(counts.sum())
    return np.arange(total) - np.repeat(np.cumsum(counts) - counts, counts)

"""Where two segments of outlines come nearest to each other, across what lies between them.

Words used here
    approach   two places of two segments, nearer to each other than their surroundings are
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import ARC, Floats
from silhueta.core.geometry.region.segments import Ints, Segments

_ON = 1e-9  # of a line or radians of an arc, that a place may lie beyond its end


class Approaches(NamedTuple):
    """K approaches: their two places (K, 2, 2), mm, and the two segments, (K, 2) of int."""

    places: Floats
    segments: Ints

    @property
    def apart(self) -> Floats:
        """How far the two places lie apart, (K,), mm."""
        between = self.places[:, 1] - self.places[:, 0]
        return np.asarray(np.hypot(between[:, 0], between[:, 1]))


def approaches(table: Segments, pairs: Ints) -> Approaches:
    """Return all places where pairs of segments, lines or arcs, are nearest to each other.

    An end held against the other segment, or the inside of both: the foot of an arc's centre on a
    line, and the line through the centres of two arcs. Exact; all such places, not the least alone.

    Parameters
    ----------
    table : Segments
        Of lines and arcs.
    pairs : (P, 2) of int

    """
    one, two = pairs[:, 0], pairs[:, 1]
    found: list[tuple[Floats, Floats, Ints]] = []
    everywhere = np.arange(len(pairs))
    for ends in (table.start[one], table.end[one]):
        found.append((ends, nearest_on(table, two, ends), everywhere))
    for ends in (table.start[two], table.end[two]):
        found.append((nearest_on(table, one, ends), ends, everywhere))
    found += _inside(table, one, two)
    places = np.concatenate([np.stack((p, q), 1) for p, q, _ in found])
    segments = np.concatenate([pairs[which] for _, _, which in found])
    return Approaches(places, segments)


def nearest_on(table: Segments, which: Ints, points: Floats) -> Floats:
    """Return the place of segment `which[k]` that is nearest to point k, (K, 2), mm."""
    start, end = table.start[which], table.end[which]
    way = end - start
    long = np.maximum((way**2).sum(1), 1e-300)
    along = np.clip(((points - start) * way).sum(1) / long, 0, 1)
    out = start + along[:, None] * way
    arcs = np.flatnonzero(table.kinds[which] == ARC)
    if len(arcs):
        own, at = which[arcs], points[arcs]
        toward = at - table.centres[own]
        size = np.hypot(toward[:, 0], toward[:, 1])
        on = table.centres[own] + toward * (table.radii[own] / np.maximum(size, 1e-300))[:, None]
        ends = np.stack((start[arcs], end[arcs]), 1)
        away = np.hypot(*(ends - at[:, None]).transpose(2, 0, 1))
        nearer = ends[np.arange(len(own)), away.argmin(1)]
        # from the centre itself every place of an arc is as near: its ends are two
        there = _swept(table, own, on) & (size > 0)
        out[arcs] = np.where(there[:, None], on, nearer)
    return np.asarray(out)


def _inside(table: Segments, one: Ints, two: Ints) -> list[tuple[Floats, Floats, Ints]]:
    """Return approaches at which neither place is an end, and which pairs have them."""
    bent = table.kinds[one] == ARC, table.kinds[two] == ARC
    found = []
    for mine, theirs, turned, chosen in (
        (one, two, False, ~bent[0] & bent[1]),
        (two, one, True, bent[0] & ~bent[1]),
    ):
        which = np.flatnonzero(chosen)
        first, second = mine[which], theirs[which]
        start, way = table.start[first], table.end[first] - table.start[first]
        long = np.maximum((way**2).sum(1), 1e-300)
        centre = table.centres[second]
        along = ((centre - start) * way).sum(1) / long
        foot = start + along[:, None] * way
        good = (along > -_ON) & (along < 1 + _ON)
        for sign in (1.0, -1.0):
            other = centre + sign * table.radii[second][:, None] * _unit(foot - centre)
            fits = good & _swept(table, second, other)
            p, q = (other[fits], foot[fits]) if turned else (foot[fits], other[fits])
            found.append((p, q, which[fits]))
    which = np.flatnonzero(bent[0] & bent[1])
    first, second = one[which], two[which]
    across = _unit(table.centres[second] - table.centres[first])
    for sign in (1.0, -1.0):
        p = table.centres[first] + sign * table.radii[first][:, None] * across
        on = _swept(table, first, p)
        for side in (1.0, -1.0):
            q = table.centres[second] + side * table.radii[second][:, None] * across
            fits = on & _swept(table, second, q)
            found.append((p[fits], q[fits], which[fits]))
    return found


def _unit(vectors: Floats) -> Floats:
    size = np.hypot(vectors[:, 0], vectors[:, 1])[:, None]
    out = np.tile([1.0, 0.0], (len(vectors), 1))
    return np.asarray(np.divide(vectors, size, out=out, where=size > 0))


def _swept(table: Segments, which: Ints, points: Floats) -> NDArray[np.bool_]:
    """Return whether points on the circles of arcs lie on the arcs themselves."""
    toward = points - table.centres[which]
    angle = np.arctan2(toward[:, 1], toward[:, 0])
    turn = table.turns[which]
    swept = (angle - table.angles[which]) * np.sign(turn) % (2 * np.pi)
    return np.asarray((swept <= np.abs(turn) + _ON) | (swept >= 2 * np.pi - _ON))

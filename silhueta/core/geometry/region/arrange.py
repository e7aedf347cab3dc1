"""The plane cut up by outlines: edges, the faces between them, how often each face is gone round.

Words used here
    grid     whole multiples of the tolerance; every vertex lies on it while it is decided what
             belongs to what
    vertex   a point of the grid where chords end or cross
    edge     a straight piece between two vertices with nothing in between; of several chords that
             lie on each other one edge is made
    face     what edges enclose, without an edge inside
    winding  how many times a group of outlines goes round a face, counter-clockwise

Where chords come within the tolerance of each other they are cut and put on the grid by GEOS's
snap rounding, so that what is decided is always a plane without crossings; where they do not they
stay as they are. J. D. Hobby, "Practical segment intersection with finite precision output",
Computational Geometry 13(4), 1999, 199-214, for snap rounding.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.path import Floats
from silhueta.core.geometry.region.near import chained, meeting
from silhueta.core.geometry.region.segments import (
    Chords,
    Ints,
    Segments,
    chords_of,
    nearest_along,
    points_at,
)
from silhueta.core.geometry.sweep import near_blocks, sweep

Marks = NDArray[np.bool_]
CHORDS = 5.0  # tolerances that a chord may be from its segment
_COVERS = 1.5  # tolerances from an edge to the chord it came of
MOST_CROSSINGS = 30_000  # that are untangled
_AT_ONCE = 2048  # faces whose rays are followed at once
_WIDE = 1 << 31  # of the grid, at most


class Inside(NamedTuple):
    """Which groups go round which faces, (K,) each: group, face, how many times; never zero.

    many : int
        Faces.
    """

    group: Ints
    face: Ints
    times: Ints
    many: int


class Edges(NamedTuple):
    """E edges, and F faces.

    at : (V, 2)
        The vertices, in tolerances.
    ends : (E, 2) of int
        Vertices.
    chord : (E,) of int
        What each came of.
    faces : (E, 2) of int
        To the left and to the right; -1: outside of everything.
    inside : Inside
    """

    at: Floats
    ends: Ints
    chord: Ints
    faces: Ints
    inside: Inside


def split_chords(table: Segments, tolerance: float) -> Chords:
    """Return chords of all segments, cut where a node lies on another segment."""
    import shapely

    first = chords_of(table, CHORDS * tolerance)
    reach = (CHORDS + 2) * tolerance
    near = np.flatnonzero(meeting(first.ends, reach))
    if not len(near):
        return first
    lines: Any = shapely.linestrings(first.ends[near])
    begins = near[first.along[near, 0] == 0]
    own = np.unique(np.concatenate([first.segment[begins], _next(table, first, near)]))
    nodes, chord = shapely.STRtree(lines).query(
        shapely.points(table.start[own]), predicate="dwithin", distance=reach
    )
    nodes, chord = own[nodes], near[chord]
    points, segment = table.start[nodes], first.segment[chord]
    ends = np.minimum(
        np.hypot(*(points - table.start[segment]).T), np.hypot(*(points - table.end[segment]).T)
    )
    apart = ends > tolerance
    points, segment, chord = points[apart], segment[apart], chord[apart]
    along = nearest_along(table, segment, first.along[chord].mean(1), points)
    off = np.hypot(*(points_at(table, segment, along) - points).T)
    on = (off <= tolerance) & (along > 0) & (along < 1)
    pairs = np.unique(np.column_stack([segment[on], np.round(along[on], 12)]), axis=0)
    if not len(pairs):
        return first
    return chords_of(table, CHORDS * tolerance, (pairs[:, 0].astype(np.int64), pairs[:, 1]))


def _next(table: Segments, chords: Chords, which: Ints) -> Ints:
    """Return the segments that begin where some of the chords end their own."""
    segment = chords.segment[which][chords.along[which, 1] == 1]
    first = np.searchsorted(table.loop, table.loop[segment])
    last = np.searchsorted(table.loop, table.loop[segment], side="right")
    return np.asarray(np.where(segment + 1 < last, segment + 1, first), np.int64)


def arranged(
    table: Segments, chords: Chords, group: Ints, tolerance: float, loose: bool = False
) -> Edges:
    """Return the plane as `chords` cut it up; `group` (N,) tells each loop's.

    `loose`: an edge that encloses nothing, as of a line with two ends, gets a face of its own on
    both sides, which tells what goes round it.
    """
    import shapely

    low = np.floor(chords.ends.min((0, 1)) / tolerance)
    ends = _on_grid(chords, tolerance, low)
    some = np.flatnonzero((ends[:, 0] != ends[:, 1]).any(1))
    _bound(ends[some])
    met = meeting(ends[some], 1.0)
    alone, mixed = some[~met], some[met]
    pieces, sources = [ends[alone]], [alone]
    if len(mixed):
        cut = shapely.union_all(shapely.linestrings(ends[mixed]), grid_size=1.0)
        points, part = shapely.get_coordinates(shapely.get_parts(cut), return_index=True)
        same = np.flatnonzero(part[1:] == part[:-1])
        made = np.rint(np.stack([points[same], points[same + 1]], axis=1))
        pieces.append(made)
        sources.append(mixed[_came_of(made, ends[mixed])])
    both, source = np.concatenate(pieces), np.concatenate(sources)
    keys = (both[..., 0] * _WIDE + both[..., 1]).astype(np.int64)
    vertices, flat = np.unique(keys, return_inverse=True)
    pair = flat.reshape(-1, 2)
    turned = pair[:, 0] > pair[:, 1]
    pair = np.sort(pair, axis=1)
    order = np.lexsort((turned, source, pair[:, 1], pair[:, 0]))
    pair, source = pair[order], source[order]
    new = np.append(True, (pair[1:] != pair[:-1]).any(1)) & (pair[:, 0] != pair[:, 1])
    pair, source = pair[new], source[new]
    at = np.column_stack([vertices // _WIDE, vertices % _WIDE]).astype(np.float64)
    faces, inner = _faces(at, pair)
    own = group[table.loop[chords.segment[some]]]
    if loose:
        free = np.flatnonzero((faces < 0).all(1))
        faces[free] = len(inner) + np.arange(len(free))[:, None]
        inner = np.concatenate([inner, at[pair[free]].mean(1)])
    return Edges(at + low, pair, source, faces, _windings(inner, ends[some], own))


def _bound(ends: Floats) -> None:
    """Raise when chords (K, 2, 2) cross more often than can be untangled, before they are."""
    owner = np.zeros(len(ends), np.int64)
    places, _ = sweep(ends, owner, *near_blocks(ends), MOST_CROSSINGS + 1, False)
    if len(places) > MOST_CROSSINGS:
        raise GeometryError(
            f"the outlines cross each other or themselves more than {MOST_CROSSINGS:,} times, more "
            "than can be untangled: open them as lines (--overlaps lines), or save them merged"
        )


def _on_grid(chords: Chords, tolerance: float, low: Floats) -> Floats:
    """Return ends of chords on the grid; nodes and splits within the tolerance are one."""
    from scipy.spatial import cKDTree

    ends = np.rint(chords.ends / tolerance - low)
    points, again = np.unique(chords.ends[chords.held], axis=0, return_inverse=True)
    beside = cKDTree(points).query_pairs(tolerance, output_type="ndarray")
    stands = np.arange(len(points))
    for i, j in beside[np.lexsort((beside[:, 1], beside[:, 0]))].tolist():
        if stands[i] == i and stands[j] == j:
            stands[j] = i
    ends[chords.held] = np.rint(points[stands] / tolerance - low)[again]
    return ends


def _came_of(made: Floats, ends: Floats) -> Ints:
    """Return for each piece (K, 2, 2) the first of the lines `ends` that it lies on."""
    import shapely

    lines: Any = shapely.linestrings(ends)
    tree = shapely.STRtree(lines)
    middle = shapely.points(made.mean(1))
    piece, line = tree.query(middle, predicate="dwithin", distance=_COVERS)
    far = np.maximum(
        shapely.distance(shapely.points(made[piece, 0]), lines[line]),
        shapely.distance(shapely.points(made[piece, 1]), lines[line]),
    )
    nearest = tree.nearest(middle)
    on = far <= _COVERS
    piece, line = piece[on], line[on]
    order = np.lexsort((line, piece))
    piece, line = piece[order], line[order]
    first = np.append(True, piece[1:] != piece[:-1]) if len(piece) else np.zeros(0, np.bool_)
    out = np.asarray(nearest, np.int64)
    out[piece[first]] = line[first]
    return out


def _faces(at: Floats, pair: Ints) -> tuple[Ints, Floats]:
    """Return the faces beside each edge, (E, 2), and a point inside of each face, (F, 2)."""
    import shapely

    along, begins, chain = chained(pair, len(at))
    many = np.diff(begins)
    lines: Any = shapely.linestrings(at[along], indices=np.repeat(np.arange(len(many)), many))
    made: Any = shapely.polygonize(lines)
    shapes = shapely.get_parts(made)
    rings, owner = shapely.get_rings(shapes, return_index=True)
    points, ring = shapely.get_coordinates(rings, return_index=True)
    points = np.rint(points)
    same = np.flatnonzero(ring[1:] == ring[:-1])
    a, b, which = points[same], points[same + 1], ring[same]
    area = np.bincount(which, a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], minlength=len(rings))
    outer = np.append(True, owner[1:] != owner[:-1]) if len(owner) else np.zeros(0, np.bool_)
    flip = ((area > 0) != outer)[which]
    a, b = np.where(flip[:, None], b, a), np.where(flip[:, None], a, b)
    # one edge of each chain tells for all of it
    first, second = along[begins[:-1]], along[begins[:-1] + 1]
    known = np.unique(np.concatenate([first, second]))
    keys = (at[known, 0] * _WIDE + at[known, 1]).astype(np.int64)
    size = len(known)

    def found(points: Floats) -> tuple[Ints, Marks]:
        own = (points[:, 0] * _WIDE + points[:, 1]).astype(np.int64)
        place = np.minimum(np.searchsorted(keys, own), size - 1)
        return place, keys[place] == own

    (u, is_u), (v, is_v) = found(a), found(b)
    both = is_u & is_v
    directed, face = u[both] * size + v[both], owner[which][both]
    order = np.argsort(directed)
    directed, face = directed[order], face[order]

    def beside(one: Ints, two: Ints) -> Ints:
        if not len(directed):
            return np.full(len(one), -1)
        own = np.searchsorted(known, one) * size + np.searchsorted(known, two)
        place = np.minimum(np.searchsorted(directed, own), len(directed) - 1)
        return np.where(directed[place] == own, face[place], -1)

    sides = np.column_stack([beside(first, second), beside(second, first)])
    ahead = chain >= 0
    own = sides[np.where(ahead, chain, -chain - 1)]
    inner = shapely.get_coordinates(shapely.point_on_surface(shapes)).reshape(-1, 2)
    return np.where(ahead[:, None], own, own[:, ::-1]), inner


def _windings(inner: Floats, ends: Floats, group: Ints) -> Inside:
    """Return how many times the chords of each group go round each point (F, 2)."""
    import shapely

    many = len(inner)
    lines: Any = shapely.linestrings(ends)
    tree = shapely.STRtree(lines)
    right = float(ends[..., 0].max(initial=0.0)) + 1.0
    keys, changes = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    for first in range(0, many, _AT_ONCE):
        some = inner[first : first + _AT_ONCE]
        rays = shapely.box(some[:, 0], some[:, 1], np.full(len(some), right), some[:, 1])
        face, chord = tree.query(rays)
        (x1, y1), (x2, y2) = ends[chord, 0].T, ends[chord, 1].T
        x, y = some[face].T
        up, down = (y1 <= y) & (y2 > y), (y2 <= y) & (y1 > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            crossed = x1 + (y - y1) / (y2 - y1) * (x2 - x1) > x
        hit = np.flatnonzero((up | down) & crossed)
        key, place = np.unique(group[chord[hit]] * many + face[hit] + first, return_inverse=True)
        change = np.bincount(place, np.where(up[hit], 1, -1), minlength=len(key))
        keys.append(key[change != 0])
        changes.append(np.rint(change[change != 0]).astype(np.int64))
    key = np.concatenate(keys)
    return Inside(key // max(many, 1), key % max(many, 1), np.concatenate(changes), many)

"""V-grooves: a pointed bit sinks as far as the groove is wide, and rises into its corners.

Words used here
    middle     the places that have two or more nearest places on the wall: the medial axis
               (H. Blum, "A Transformation for Extracting New Descriptors of Shape", 1967)
    foot       a nearest place on the wall
    floor      what is broader than the bit may sink for: it gets a flat bottom

A bit of angle a that cuts r to either side of its point is r / tan(a / 2) deep: the published
formula for V-bits, which is a triangle's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.cutting.kerf import CURVE
from silhueta.core.errors import EditError
from silhueta.core.geometry.approaches import nearest_on
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.measure import circle_of
from silhueta.core.geometry.path import Floats, Loop, OpenPath
from silhueta.core.geometry.region.segments import chords_of, segments_of
from silhueta.core.geometry.solids import polygon_of, solids

_CHORD = 1e-3  # mm, within which the field is followed by chords
_ACROSS = 400  # points along the longer side of a field, on its wall, at least
_FINEST, _COARSEST = 0.02, 0.3  # mm apart on the wall: closer takes long, farther misses detail
_MOST = 120_000  # points on the wall: the middle of that many takes about two seconds
_ALONG = 4.0  # steps along the wall between two feet, over which they are of two walls
_APART = math.radians(40)  # between the ways to two feet at least, where they are of two walls
_CORNER = math.radians(12)  # that the wall turns by at a corner into which the bit is driven
_SIMPLE = 2e-3  # mm, by which the middle may be simplified, in place and in depth
_LEAST = 0.02  # mm: grooves that are shallower are not seen

Ints = NDArray[np.int64]


class Groove(NamedTuple):
    """A way of a V-bit, and how deep its point is at each node, mm below the sheet's top."""

    path: OpenPath
    depths: Floats


class Grooves(NamedTuple):
    """The ways of a V-bit, and the loops of the floor that another bit has to clear."""

    ways: tuple[Groove, ...]
    floor: tuple[Loop, ...]


def grooves(loops: Sequence[Loop], angle: float, deepest: float) -> Grooves:
    """Return how a V-bit carves what loops enclose.

    Parameters
    ----------
    loops : sequence of Loop, mm
        Of the field; loops in each other are islands, by turns.
    angle : float, degrees
        Of the bit, from flank to flank.
    deepest : float, mm
        Below the sheet's top, that the bit goes at most.

    Raises
    ------
    EditError
        If angle or depth cannot be.

    """
    if not 1 <= angle <= 175 or not 0 < deepest < 1000:
        raise EditError("a V-groove needs an angle from 1 to 175 degrees and a depth over 0 mm")
    plain = [one for one in (with_arcs(loop, CURVE) for loop in loops) if isinstance(one, Loop)]
    slope = math.tan(math.radians(angle) / 2)
    most = deepest * slope  # half of how wide the bit cuts at its deepest
    ways: list[Groove] = []
    floor: list[Loop] = []
    for solid in solids(plain):
        rings = (solid.outer, *solid.holes)
        circle = circle_of(solid.outer) if not solid.holes else None
        if circle is not None and circle[1] <= most:
            at = np.asarray(circle[0], np.float64)
            path = OpenPath(np.array([at, at + [1e-3, 0.0]]))  # a plunge: a way has two nodes
            ways.append(Groove(path, np.full(2, circle[1] / slope)))
            continue
        field = polygon_of(solid, _CHORD)
        if field.is_empty:
            continue
        lines, half = _middle(rings, field, most)
        ways += _joined(lines, half, slope)
        bottom = _bottom(rings, most)
        floor += bottom
        ways += [Groove(path, np.full(len(path.nodes), deepest)) for path in map(_opened, bottom)]
    return Grooves(tuple(ways), tuple(floor))


def _bottom(rings: Sequence[Loop], most: float) -> list[Loop]:
    """Return the loops of the floor: where the field is broader than the bit may sink for."""
    from silhueta.core.build.offset import offset

    return offset(list(rings), -most)


def _opened(loop: Loop) -> OpenPath:
    from silhueta.core.geometry.pieces import Place, stretch

    return stretch(loop, Place(0, 0.0), Place(0, 0.0))


def _middle(rings: Sequence[Loop], field: shapely.Polygon, most: float) -> tuple[Floats, Floats]:
    """Return pieces of the middle, (K, 2, 2) mm, and half the field's width at their ends, (K, 2).

    Of all borders between what is nearest to each of many points on the wall, those are of the
    middle whose two points lie on two walls (J. W. Brandt and V. R. Algazi, "Continuous skeleton
    computation by Voronoi diagram", CVGIP 55(3), 1992). How wide the field is at their ends is
    measured on the segments themselves; into each corner a piece is led that ends at no width.
    """
    from scipy.spatial import Voronoi

    table = segments_of(list(rings))
    points, along, owner = _on_wall(rings, field)
    whole = np.array([along[owner == k].max(initial=0.0) for k in range(len(rings))])
    diagram = Voronoi(points)
    ridge = np.asarray(diagram.ridge_vertices)
    pair = np.asarray(diagram.ridge_points)
    good = (ridge >= 0).all(axis=1)
    ridge, pair = ridge[good], pair[good]
    vertices = diagram.vertices
    shapely.prepare(field)
    used = np.unique(ridge)
    inside = np.zeros(len(vertices), bool)
    inside[used] = shapely.contains_xy(field, vertices[used])
    good = inside[ridge].all(axis=1)
    ridge, pair = ridge[good], pair[good]
    if not len(ridge):
        return np.zeros((0, 2, 2)), np.zeros((0, 2))
    # two feet on one wall lie close along it; or nearly in one direction, as on a bend
    step = np.hypot(*(np.diff(points, axis=0)).T)
    step = float(np.median(step)) if len(step) else _FINEST
    same = owner[pair[:, 0]] == owner[pair[:, 1]]
    gap = np.abs(along[pair[:, 0]] - along[pair[:, 1]])
    gap = np.minimum(gap, whole[owner[pair[:, 0]]] - gap)
    middle = vertices[ridge].mean(axis=1)
    one, two = points[pair[:, 0]] - middle, points[pair[:, 1]] - middle
    between = np.abs(
        np.arctan2(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0], (one * two).sum(axis=1))
    )
    good = ~same | ((gap > _ALONG * step) & (between > _APART))
    ridge = ridge[good]
    ends = np.unique(ridge)
    half = np.zeros(len(vertices))
    half[ends] = _half_width(table, vertices[ends])
    lines, width = vertices[ridge], half[ridge]
    lines, width = _to_corners(rings, lines, width, field)
    return _clipped(lines, width, most)


def _on_wall(rings: Sequence[Loop], field: shapely.Polygon) -> tuple[Floats, Floats, Ints]:
    """Return points on the wall, how far along its ring each is, mm, and which ring it is of."""
    left, bottom, right, top = field.bounds
    step = float(np.clip(max(right - left, top - bottom) / _ACROSS, _FINEST, _COARSEST))
    step = max(step, field.length / _MOST)
    points, along, owner = [], [], []
    for k, ring in enumerate(rings):
        chords = chords_of(segments_of([ring]), _CHORD)
        line = shapely.LineString(np.vstack([chords.ends[:, 0], chords.ends[:1, 0]]))
        count = max(8, math.ceil(line.length / step))
        at = (np.arange(count) + 0.5) / count * line.length
        points.append(shapely.get_coordinates(shapely.line_interpolate_point(line, at)))
        along.append(at)
        owner.append(np.full(count, k))
    return np.concatenate(points), np.concatenate(along), np.concatenate(owner)


def _half_width(table: object, places: Floats) -> Floats:
    """Return how far places are from the wall, (N,), mm, on its segments themselves."""
    chords = chords_of(table, _CHORD)  # type: ignore[arg-type]
    tree = shapely.STRtree(shapely.linestrings(chords.ends))  # type: ignore[arg-type]
    spots = np.asarray(shapely.points(places))
    far = tree.query_nearest(spots, return_distance=True, all_matches=False)[1]
    point, chord = tree.query(spots, "dwithin", far + 2 * _CHORD)
    on = nearest_on(table, chords.segment[chord], places[point])  # type: ignore[arg-type]
    found = np.full(len(places), np.inf)
    np.minimum.at(found, point, np.hypot(*(on - places[point]).T))
    return found


def _to_corners(
    rings: Sequence[Loop], lines: Floats, width: Floats, field: shapely.Polygon
) -> tuple[Floats, Floats]:
    """Return the middle with a last piece into each corner of the wall that turns inward."""
    ends, count = np.unique(np.round(lines.reshape(-1, 2), 9), axis=0, return_counts=True)
    loose = ends[count == 1]
    if not len(loose):
        return lines, width
    more, none = [], []
    for ring in rings:
        turns = np.asarray(node_turns(ring))
        # solid on the left: a corner of the field turns left on the outer ring and on holes alike
        for node in ring.nodes[np.flatnonzero(turns > _CORNER)]:
            near = loose[int(np.argmin(((loose - node) ** 2).sum(axis=1)))]
            piece = shapely.LineString([near, node])
            if shapely.covers(shapely.buffer(field, _CHORD), piece):
                more.append([near, node])
                none.append([np.nan, 0.0])
    if not more:
        return lines, width
    table = segments_of(list(rings))
    extra, wide = np.array(more), np.array(none)
    wide[:, 0] = _half_width(table, extra[:, 0])
    return np.concatenate([lines, extra]), np.concatenate([width, wide])


def _clipped(lines: Floats, width: Floats, most: float) -> tuple[Floats, Floats]:
    """Return the pieces as far as the field is no wider than the bit may sink for."""
    over = width > most + 1e-9
    both, one = np.asarray(over.all(axis=1)), np.asarray(over.any(axis=1))
    lines, width = lines[~both].copy(), width[~both].copy()
    for k in np.flatnonzero(one[~both]).tolist():
        far = int(width[k, 1] > width[k, 0])
        share = (most - width[k, 1 - far]) / (width[k, far] - width[k, 1 - far])
        lines[k, far] = lines[k, 1 - far] + share * (lines[k, far] - lines[k, 1 - far])
        width[k, far] = most
    return lines, width


def _joined(lines: Floats, half: Floats, slope: float) -> list[Groove]:
    """Return pieces put together to ways as long as can be, without needless nodes."""
    import networkx as nx

    graph = nx.Graph()
    for piece, wide in zip(np.round(lines, 6).tolist(), half.tolist(), strict=True):
        a, b = tuple(piece[0]), tuple(piece[1])
        graph.add_node(a, deep=wide[0] / slope)
        graph.add_node(b, deep=wide[1] / slope)
        if a != b:
            graph.add_edge(a, b)
    found: list[Groove] = []
    for some in nx.connected_components(graph):
        own = graph.subgraph(some).copy()
        if max(own.nodes[n]["deep"] for n in own) < _LEAST:
            continue
        while own.number_of_edges():
            found.append(_simpler(_longest(own), graph))
    return found


def _longest(graph: object) -> list[tuple[float, float]]:
    """Return a way through a graph, as straight as can be; its edges are taken out."""
    ends = [n for n in graph if graph.degree(n) == 1]  # type: ignore[attr-defined]
    at = min(ends) if ends else next(n for n in graph if graph.degree(n))  # type: ignore[attr-defined]
    way = [at]
    while True:
        others = list(graph.neighbors(at))  # type: ignore[attr-defined]
        if not others:
            return way
        if len(way) > 1:
            u, v = at[0] - way[-2][0], at[1] - way[-2][1]
            others.sort(
                key=lambda n: (
                    -(
                        (u * (n[0] - at[0]) + v * (n[1] - at[1]))
                        / max(math.hypot(n[0] - at[0], n[1] - at[1]), 1e-12)
                    )
                )
            )
        graph.remove_edge(at, others[0])  # type: ignore[attr-defined]
        at = others[0]
        way.append(at)


def _simpler(way: list[tuple[float, float]], graph: object) -> Groove:
    """Return a way without the nodes that lie on a straight line between others, in depth, too."""
    deep = [graph.nodes[n]["deep"] for n in way]  # type: ignore[attr-defined]
    rows = np.column_stack([np.array(way), deep])
    kept = _kept(rows, _SIMPLE)
    return Groove(OpenPath(rows[kept, :2]), rows[kept, 2])


def _kept(rows: Floats, off: float) -> Ints:
    """Return the nodes to keep of a chain in space, (N, 3), no other farther than `off` from it.

    D. H. Douglas and T. K. Peucker, "Algorithms for the reduction of the number of points required
    to represent a digitized line", Cartographica 10(2), 1973.
    """
    keep = np.zeros(len(rows), bool)
    keep[[0, -1]] = True
    spans = [(0, len(rows) - 1)]
    while spans:
        a, b = spans.pop()
        if b - a < 2:
            continue
        way = rows[b] - rows[a]
        size = float(way @ way)
        rest = rows[a + 1 : b] - rows[a]
        share = np.clip(rest @ way / size, 0, 1) if size > 0 else np.zeros(len(rest))
        away = np.linalg.norm(rest - share[:, None] * way, axis=1)
        k = int(np.argmax(away))
        if away[k] > off:
            keep[a + 1 + k] = True
            spans += [(a, a + 1 + k), (a + 1 + k, b)]
    return np.flatnonzero(keep)

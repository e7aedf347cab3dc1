"""Islands, and the ties that hold them.

Words used here
    island   a piece that lies in a hole of another and would fall out
    tie      a straight strip from an island to what holds it
    foot     what a tie stands on at either end: it must be broad enough there, no tip, no thin web

A tie is looked for straight outward from all round an island. The shortest one counts, then the
one that is best opposite to it; a tie stands only where a strip as wide as asked, and as deep again
on both sides, lies in solid material.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box, box_of
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.geometry.region.region import covered, cut_away, united
from silhueta.core.geometry.solids import polygon_of, solids

MOST = 500  # islands
_CHORD = 0.005  # mm, within which loops are polygons while places are looked for
_PLACES = 180  # round an island, from which ties are looked for
_FINER = 4  # times as many, from which one that is moved by hand is looked for
_FOOT = 0.5  # widths of a tie, that it stands in solid material on both ends
_SOLID = 0.98  # of a foot, that must be solid
_LEAN = math.radians(35)  # from square to the island's edge, that a tie stands at most
_OPPOSITE = 2.0  # times as long may a tie be, that stands opposite to the first
_STEEP = 0.15  # of its length, that a tie which is neither level nor plumb counts more


class Tie(NamedTuple):
    """A strip from a place on an island to one on what holds it, mm."""

    start: tuple[float, float]
    end: tuple[float, float]
    width: float

    @property
    def length(self) -> float:
        """From edge to edge, mm."""
        return math.dist(self.start, self.end)


class Bridged(NamedTuple):
    """An outline whose islands are tied.

    loops : list of Loop
    ties : list of Tie
    left : list of (x, y)
        Islands that no tie of that width can hold, by a place of theirs, mm.
    """

    loops: list[Loop]
    ties: list[Tie]
    left: list[tuple[float, float]]


def islands(loops: Sequence[Loop]) -> list[int]:
    """Return which loops are the outer lines of islands."""
    return [solid.place for solid in solids(loops) if solid.depth >= 2]


def bridged(loops: Sequence[Loop], width: float, count: int = 2) -> Bridged:
    """Return an outline with its islands tied to what lies around them.

    Parameters
    ----------
    loops : sequence of Loop, mm
        Solids and holes by how they lie in each other.
    width : float, mm
        Of a tie.
    count : int
        Ties an island, 1 to 8; fewer where there is no room for more.

    Raises
    ------
    EditError
        If the width is none, or there are too many islands.

    """
    if not 0.05 <= width <= 1000:
        raise EditError(f"a tie must be from 0.05 to 1,000 mm wide, not {width:g} mm")
    if not 1 <= count <= 8:
        raise EditError("an island is held by 1 to 8 ties")
    found = islands(loops)
    if len(found) > MOST:
        raise EditError(
            f"there are {len(found):,} islands; up to {MOST} can be tied, so skip specks first"
        )
    if not found:
        return Bridged(list(loops), [], [])
    every = solids(loops)
    pieces = [polygon_of(solid, _CHORD) for solid in every]
    loose = {k for k, solid in enumerate(every) if solid.depth >= 2}
    ties: list[Tie] = []
    while loose:
        done = set()
        for k in sorted(loose):
            near = shapely.box(*box_of(loops[every[k].within])).buffer(3 * width)
            held = _near(pieces, near, set(range(len(pieces))) - loose)
            some = _candidates(pieces[k], held, _near(pieces, near, loose - {k}), width)
            if some:
                ties += _chosen(some, pieces[k], count)
                done.add(k)
        if not done:
            break
        loose -= done  # what is held now may hold others
    left = [_place(pieces[k]) for k in sorted(loose)]
    return Bridged(with_ties(loops, ties) if ties else list(loops), ties, left)


def tied_at(
    loops: Sequence[Loop], at: tuple[float, float], width: float, count: int = 2
) -> Bridged:
    """Return an outline whose island nearest to a place has its first tie there.

    The others stand opposite to it, as `bridged` would put them.

    Raises
    ------
    EditError
        If there is no island, or no tie of that width stands on it.

    """
    if not 0.05 <= width <= 1000 or not 1 <= count <= 8:
        raise EditError("a tie is from 0.05 to 1,000 mm wide, and an island has 1 to 8 of them")
    every = solids(loops)
    pieces = [polygon_of(solid, _CHORD) for solid in every]
    place = shapely.Point(at)
    loose = [k for k, solid in enumerate(every) if solid.depth >= 2]
    if not loose:
        raise EditError("there is no island: nothing would fall out")
    k = min(loose, key=lambda one: pieces[one].distance(place))
    near = shapely.box(*box_of(loops[every[k].within])).buffer(3 * width)
    held = _near(pieces, near, set(range(len(pieces))) - {k})
    some = _candidates(pieces[k], held, shapely.Point(), width)
    if not some:
        raise EditError(f"this island has no room for a tie of {width:g} mm; take a narrower one")
    nearest = min(some, key=lambda one: shapely.LineString(one[1][:2]).distance(place))
    ties = _chosen([nearest, *some], pieces[k], count)
    return Bridged(with_ties(loops, ties), ties, [])


def with_ties(loops: Sequence[Loop], ties: Sequence[Tie]) -> list[Loop]:
    """Return an outline with strips in it for ties."""
    # holes run the other way round, whatever they were before something about them was skipped
    turned = orient(loops, nest(loops))
    made = united(turned, [_strip(tie) for tie in ties], "nonzero")
    before = {id(new): old for new, old in zip(turned, loops, strict=True)}
    return [before.get(id(loop), loop) for loop in made]  # what no tie touches is what it was


def slid(loops: Sequence[Loop], ties: Sequence[Tie], which: int, at: tuple[float, float]) -> Tie:
    """Return one of several ties as it stands where it is moved to along its island's edge.

    Parameters
    ----------
    loops : sequence of Loop, mm
        The outline without any tie.
    ties : sequence of Tie
    which : int
        The one that is moved; it keeps clear of the others.
    at : (x, y), mm
        It goes to the place nearest to this one where it has a foot on both ends.

    Raises
    ------
    EditError
        If there is no such place.

    """
    tie = ties[which]
    others = [*ties[:which], *ties[which + 1 :]]
    every = solids(loops)
    pieces = [polygon_of(solid, _CHORD) for solid in every]
    start, end = shapely.Point(tie.start), shapely.Point(tie.end)
    k = min(range(len(pieces)), key=lambda i: pieces[i].exterior.distance(start))
    holder = min(set(range(len(pieces))) - {k}, key=lambda i: pieces[i].distance(end))
    loose = {i for i, solid in enumerate(every) if solid.depth >= 2} - {k, holder}
    near = shapely.box(*box_of(loops[every[k].within])).buffer(3 * tie.width)
    held = _near(pieces, near, set(range(len(pieces))) - loose - {k})
    ring = shapely.LineString(pieces[k].exterior.coords)
    count = _FINER * _PLACES
    aside = np.arange(count) - count // 2
    aside = aside[np.argsort(np.abs(aside), kind="stable")]
    first = float(ring.project(shapely.Point(at)))
    places = np.array((first + aside * (ring.length / count)) % ring.length, np.float64)
    for _, found in _standing(pieces[k], held, _near(pieces, near, loose), tie.width, places):
        if not _overlap(found, others):
            return found
    raise EditError("this tie finds no footing elsewhere; take it away by undo, or a narrower one")


def stencilled(loops: Sequence[Loop], width: float, count: int = 2) -> Bridged:
    """Return what is cut away, as letters are, with ties left in it: nothing inside falls out.

    Raises
    ------
    EditError
        As for `bridged`.

    """
    left, bottom, right, top = bounding_box(loops)
    room = 4 * width
    corners = [(left, bottom), (right, bottom), (right, top), (left, top)]
    away = np.array([(-room, -room), (room, -room), (room, room), (-room, room)])
    plate = Loop(np.array(corners) + away)
    done = bridged(cut_away([plate], covered(list(loops), "evenodd"), "nonzero"), width, count)
    return done._replace(loops=cut_away([plate], done.loops, "evenodd"))


def _near(pieces: Sequence[shapely.Polygon], box: BaseGeometry, which: set[int]) -> BaseGeometry:
    """Return what of some pieces lies in a box."""
    some = [pieces[k] for k in which if pieces[k].intersects(box)]
    return shapely.union_all([piece.intersection(box) for piece in some])


def _place(piece: shapely.Polygon) -> tuple[float, float]:
    at = piece.representative_point()
    return float(at.x), float(at.y)


_Scored = tuple[float, Tie]


def _candidates(
    piece: shapely.Polygon,
    held: BaseGeometry,
    others: BaseGeometry,
    width: float,
) -> list[_Scored]:
    """Return ties from an island to what is held, past `others`, the best first."""
    places = (np.arange(_PLACES, dtype=np.float64) + 0.5) * (piece.exterior.length / _PLACES)
    return sorted(_standing(piece, held, others, width, places))


def _standing(
    piece: shapely.Polygon,
    held: BaseGeometry,
    others: BaseGeometry,
    width: float,
    at: Floats,
) -> Iterator[_Scored]:
    """Yield the ties that stand on an island's edge, from places (N,) along it, mm, in order."""
    if held.is_empty:
        return
    shapely.prepare(held)
    far = _reach(piece, held)
    ring = shapely.LineString(piece.exterior.coords)
    bit = 0.01 * ring.length / _PLACES
    at = np.minimum(at, ring.length - 2 * bit)
    places = shapely.get_coordinates(shapely.line_interpolate_point(ring, at))
    ahead = shapely.get_coordinates(shapely.line_interpolate_point(ring, at + bit))
    away = ahead - places
    normals = np.column_stack([away[:, 1], -away[:, 0]]) / np.hypot(*away.T)[:, None]
    if not piece.exterior.is_ccw:
        normals = -normals
    for place, normal in zip(places, normals, strict=True):
        for way in _ways(normal):
            ray = shapely.LineString([place + 1e-6 * way, place + far * way])
            hit = ray.intersection(held)
            if hit.is_empty:
                continue
            long = float(shapely.Point(place).distance(hit))
            tie = Tie(_pair(place), _pair(place + long * way), width)
            if _stands(tie, piece, held, others):
                plain = min(abs(way[0]), abs(way[1])) < 1e-9
                shown = _shown(tie, piece, held) * (1.0 if plain else 1.0 + _STEEP)
                yield shown, tie


def _reach(piece: shapely.Polygon, held: BaseGeometry) -> float:
    left, bottom, right, top = shapely.bounds(shapely.GeometryCollection([piece, held])).tolist()
    return math.hypot(right - left, top - bottom)


def _ways(normal: Floats) -> list[Floats]:
    """Return the directions that are tried from a place: square to its edge, level and plumb."""
    plain = [np.array(way, np.float64) for way in ((1, 0), (-1, 0), (0, 1), (0, -1))]
    near = [way for way in plain if float(way @ normal) > math.cos(_LEAN)]
    return near or [normal]


def _pair(values: Floats) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _stands(tie: Tie, piece: shapely.Polygon, held: BaseGeometry, others: BaseGeometry) -> bool:
    """Return whether a tie has a foot at both ends and touches nothing else that is loose."""
    if tie.length < 1e-6:
        return False
    way = (np.array(tie.end) - tie.start) / tie.length
    aside = np.array([-way[1], way[0]]) * tie.width / 2
    deep = _FOOT * tie.width * way
    start, end = np.array(tie.start), np.array(tie.end)
    room = tie.width * tie.width * _FOOT
    for at, solid, depth in ((start, piece, -deep), (end, held, deep)):
        # where the strip's sides meet a slanting or round edge later, the foot lies deeper
        for more in (0.0, 0.5, 1.0):
            foot = _box(at + more * depth, at + (more + 1) * depth, aside)
            if foot.intersection(solid).area >= _SOLID * room:
                break
        else:
            return False
    whole = _box(start, end, aside)
    return others.is_empty or not whole.intersects(others)


def _shown(tie: Tie, piece: shapely.Polygon, held: BaseGeometry) -> float:
    """Return how long a tie is seen, mm: its longer side, and by how much that is longer.

    Where its sides differ it runs beside a tip, and would leave a sliver of what is cut.
    """
    a, b = np.array(tie.start), np.array(tie.end)
    way = (b - a) / tie.length
    aside = np.array([-way[1], way[0]]) * tie.width / 2
    deep = 2 * tie.width * way
    solid = [piece, held]
    sides = [shapely.LineString([a + s - deep, b + s + deep]) for s in (aside, -aside)]
    long, short = sorted(
        (side.length - sum(side.intersection(some).length for some in solid) for side in sides),
        reverse=True,
    )
    return float(long + (long - short))


def _box(a: Floats, b: Floats, aside: Floats) -> shapely.Polygon:
    return shapely.Polygon([a - aside, b - aside, b + aside, a + aside])


def _strip(tie: Tie) -> Loop:
    """Return a tie as an outline that reaches a foot into the solid at both ends."""
    a, b = np.array(tie.start), np.array(tie.end)
    way = (b - a) / tie.length
    aside = np.array([-way[1], way[0]]) * tie.width / 2
    deep = 2 * _FOOT * tie.width * way
    a, b = a - deep, b + deep
    return Loop(np.array([a - aside, b - aside, b + aside, a + aside]))


def _chosen(found: list[_Scored], piece: shapely.Polygon, count: int) -> list[Tie]:
    """Return up to `count` ties: the best, then such as stand farthest round from those there."""
    ties = [found[0][1]]
    middle = piece.centroid

    def angle(tie: Tie) -> float:
        return math.atan2(tie.start[1] - middle.y, tie.start[0] - middle.x)

    shortest = max(found[0][0], 0.5 * ties[0].width)
    while len(ties) < count:
        meant = 2 * math.pi / count * 0.75
        best, cost = None, math.inf
        for long, tie in found:
            round_ = min(abs(math.remainder(angle(tie) - angle(t), 2 * math.pi)) for t in ties)
            if round_ < meant * 0.6 or _overlap(tie, ties):
                continue
            here = long / shortest + _OPPOSITE * (1 - round_ / math.pi)
            if len(ties) == 1:  # straight across: on one line with the first
                here += _aside(tie, ties[0]) / shortest
            if here < cost:
                best, cost = tie, here
        if best is None:
            break
        ties.append(best)
    return ties


def _aside(tie: Tie, first: Tie) -> float:
    """Return how far a tie's foot lies beside the line of the first, mm."""
    way = (np.array(first.end) - first.start) / max(first.length, 1e-9)
    off = np.array(tie.start) - first.start
    return abs(float(way[0] * off[1] - way[1] * off[0]))


def _overlap(tie: Tie, others: Sequence[Tie]) -> bool:
    """Return whether a tie comes nearer to another than a width."""
    line = shapely.LineString([tie.start, tie.end])
    return any(line.distance(shapely.LineString([t.start, t.end])) < 2 * tie.width for t in others)

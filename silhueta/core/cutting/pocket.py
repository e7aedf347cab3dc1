"""Fields cleared to a depth: ways of a round bit that reach all that it can reach, and no more.

Words used here
    field    what is cleared: loops in each other are islands, by turns
    home     where the bit's middle may be: the field shrunk by its radius
    ring     a way round, parallel to the wall
    rest     what the rings left though the bit could reach it: in acute corners, in the middle
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from silhueta.core.build.offset import offset
from silhueta.core.cutting.kerf import CURVE
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.path import Floats, Loop, OpenPath, reverse
from silhueta.core.geometry.pieces import Place, chained, place_of, stretch
from silhueta.core.geometry.solids import polygon_of, solids

_CHORD = 2e-3  # mm, within which fields are followed by chords while rings are found
_FINE = 5e-3  # mm, by which inner rings may be simplified: the wall's own ring is exact
_QUARTER = 32  # chords a quarter of round corners of inner rings: 0.01 mm off at a radius of 10
_REST = 2e-4  # of a bit's own area: what is less is no rest
_MOST_RINGS = 5000  # one inside the other: a bit of 1 mm in a field of 4 m
_RESTS = 4  # times that rests are looked for


def cleared(
    loops: Sequence[Loop],
    width: float,
    stepover: float,
    way: str = "spiral",
    finish: float = 0.0,
) -> list[OpenPath]:
    """Return the ways of a bit that clears a field, in the order of work.

    Parameters
    ----------
    loops : sequence of Loop, mm
        Of the field; loops in each other are islands, by turns.
    width : float, mm
        Of the bit.
    stepover : float
        From one way to the next, as a part of the width.
    way : {"spiral", "raster"}
        From inside outward along the wall, or to and fro.
    finish : float, mm
        Left at the wall for a last way round.

    Returns
    -------
    list of OpenPath
        Closed ones end where they begin. Empty where the bit does not fit in.

    """
    plain = [one for one in (with_arcs(loop, CURVE) for loop in loops) if isinstance(one, Loop)]
    walls = offset(plain, -width / 2)
    if not walls:
        return []
    field = shapely.MultiPolygon(
        [one for s in solids(plain) if isinstance(one := polygon_of(s, _CHORD), shapely.Polygon)]
    ).buffer(0)
    home = shapely.MultiPolygon(
        [one for s in solids(walls) if isinstance(one := polygon_of(s, _CHORD), shapely.Polygon)]
    ).buffer(0)
    step = stepover * width
    rough = _shrunk(home, finish) if finish else home
    ways: list[shapely.LineString] = []
    if way == "raster":
        ways = _to_and_fro(_shrunk(rough, 0.0 if finish else step / 2), step)
        if finish:
            ways += _rings_of(rough)
    else:
        ways = _from_inside(rough, step, with_own=bool(finish))
    exact = [_round(loop) for loop in walls]
    ways = _with_rests(ways, home, field, width, step)
    return _chained([_path(line) for line in ways] + exact, home, 1.6 * step)


def _shrunk(area: BaseGeometry, by: float) -> BaseGeometry:
    return shapely.buffer(area, -by, quad_segs=_QUARTER) if by else area


def _rings_of(area: BaseGeometry) -> list[shapely.LineString]:
    """Return the rings round an area, as closed lines."""
    rings = []
    for polygon in shapely.get_parts(area):
        rings += [polygon.exterior, *polygon.interiors]
    return [shapely.LineString(ring.coords) for ring in rings if ring.length > 0]


def _from_inside(home: BaseGeometry, step: float, with_own: bool) -> list[shapely.LineString]:
    """Return rings inside the home's own, each after all that lie in it, side after side."""
    found: list[shapely.LineString] = []
    first = [(part, with_own, False) for part in shapely.get_parts(home)]
    stack: list[tuple[BaseGeometry, bool, bool]] = first
    while stack and len(found) < _MOST_RINGS:
        part, own, done = stack.pop()
        if done:
            found += _rings_of(part)
            continue
        if own:
            stack.append((part, True, True))
        inner = shapely.simplify(_shrunk(part, step), _FINE)
        stack += [(one, True, False) for one in shapely.get_parts(inner) if not one.is_empty]
    return found


def _to_and_fro(area: BaseGeometry, step: float) -> list[shapely.LineString]:
    """Return lines across an area, every second one the other way."""
    if area.is_empty:
        return []
    left, bottom, right, top = area.bounds
    count = max(1, math.ceil((top - bottom) / step))
    rows = bottom + (np.arange(count) + 0.5) / count * (top - bottom)
    lines = [shapely.LineString([(left - 1, y), (right + 1, y)]) for y in rows.tolist()]
    found: list[shapely.LineString] = []
    for k, piece in enumerate(shapely.intersection(area, lines)):
        parts = [p for p in shapely.get_parts(piece) if isinstance(p, shapely.LineString)]
        parts = [p for p in parts if not p.is_empty]
        parts.sort(key=lambda part: part.coords[0][0], reverse=bool(k % 2))
        for part in parts:
            ends = sorted(part.coords, reverse=bool(k % 2))
            found.append(shapely.LineString([ends[0], ends[-1]]))
    return found


def _with_rests(
    ways: list[shapely.LineString],
    home: BaseGeometry,
    field: BaseGeometry,
    width: float,
    step: float,
) -> list[shapely.LineString]:
    """Return ways with further ones, before them, over what they and the wall's rings leave."""
    radius = width / 2
    reach: BaseGeometry = shapely.buffer(home, radius - _CHORD, quad_segs=_QUARTER)
    reach = shapely.intersection(reach, field)
    done: BaseGeometry = shapely.buffer(
        shapely.MultiLineString(_rings_of(home)), radius, quad_segs=_QUARTER
    )
    if ways:
        own = shapely.buffer(shapely.MultiLineString(ways), radius, quad_segs=_QUARTER)
        done = shapely.union(done, own)
    for k in range(_RESTS):
        rest = shapely.difference(reach, done)
        big = [p for p in shapely.get_parts(rest) if p.area > _REST * math.pi * radius**2]
        if not big:
            break
        more: list[shapely.LineString] = []
        near = shapely.buffer(shapely.MultiPolygon(big), radius)
        # rings between those that are there, only where something was left
        level: BaseGeometry = _shrunk(home, step * (0.5 if k == 0 else 0.25))
        while not level.is_empty:
            rings = _rings_of(level)
            pieces = shapely.intersection(shapely.MultiLineString(rings), near)
            if isinstance(pieces, shapely.MultiLineString):
                pieces = shapely.line_merge(pieces)
            more += [
                p
                for p in shapely.get_parts(pieces)
                if isinstance(p, shapely.LineString) and p.length
            ]
            level = _shrunk(level, step * (1.0 if k == 0 else 0.5))
        # the middle of what no ring reaches
        for piece in big:
            spot = shapely.intersection(home, shapely.buffer(piece, 0.5 * radius))
            if not spot.is_empty and k > 0:
                point = spot.representative_point()
                more.append(shapely.LineString([point.coords[0], (point.x + 1e-3, point.y)]))
        if not more:
            break
        ways = more + ways
        done = shapely.union(
            done, shapely.buffer(shapely.MultiLineString(more), radius, quad_segs=_QUARTER)
        )
    return ways


def _chained(paths: Sequence[OpenPath], home: BaseGeometry, near: float) -> list[OpenPath]:
    """Return ways put together where the bit can go on to the next without being drawn up.

    Closed ways are begun where they are nearest to the end of the one before.
    """
    room = shapely.buffer(home, _CHORD)
    shapely.prepare(room)
    found: list[list[OpenPath]] = []
    for path in paths:
        if found:
            end = found[-1][-1].nodes[-1]
            path = _begun_at(path, end)
            link = np.array([end, path.nodes[0]])
            far = float(np.hypot(*(link[1] - link[0])))
            if far <= near and (far < _CHORD or shapely.covers(room, shapely.LineString(link))):
                found[-1].append(path)
                continue
        found.append([path])
    made = [chained(some) for some in found]
    return [one for one in made if isinstance(one, OpenPath)]


def _begun_at(path: OpenPath, point: Floats) -> OpenPath:
    """Return a closed way begun where it is nearest to a point; an open one from its nearer end."""
    if np.hypot(*(path.nodes[0] - path.nodes[-1])) < _CHORD and len(path.nodes) > 2:
        loop = Loop(path.nodes[:-1], path.kinds, path.bulges, path.controls)
        at = place_of(loop, point)
        return stretch(loop, at, at)
    if np.hypot(*(path.nodes[-1] - point)) < np.hypot(*(path.nodes[0] - point)):
        back = reverse(path)
        assert isinstance(back, OpenPath)
        return back
    return path


def _path(line: shapely.LineString) -> OpenPath:
    return OpenPath(np.asarray(line.coords))


def _round(loop: Loop) -> OpenPath:
    return stretch(loop, Place(0, 0.0), Place(0, 0.0))

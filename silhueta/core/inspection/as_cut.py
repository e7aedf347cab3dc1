"""The part as a round tool really leaves it.

A tool of some radius that keeps off what is solid reaches all that the solid, grown by the radius
and shrunk by it again, does not cover: morphology calls that closing. Arcs stay arcs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.build.offset import offset
from silhueta.core.errors import EditError
from silhueta.core.geometry.approaches import nearest_on
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, box_of
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.geometry.region.region import cut_away
from silhueta.core.geometry.region.segments import chords_of, segments_of
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.inspection.facing import CURVE

_ROUGH = 1e-3  # mm, to which outlines are followed to tell which segment is the nearest
_MIDDLE = 400.0  # of a place's size, to which the middle of a closed slot is found
_LEAST = 1e-6  # mm²: what is less came of rounding


class Standing(NamedTuple):
    """A place that the tool does not reach.

    loops : tuple of Loop
        What stays standing there, with what is cut out of it.
    area : float, mm²
    far : float, mm
        How far it reaches from what was drawn.
    at : (x, y), mm
        Where it does.
    """

    loops: tuple[Loop, ...]
    area: float
    far: float
    at: tuple[float, float]


class AsCut(NamedTuple):
    """What the tool leaves: its outline, and the places that stay standing, the farthest first."""

    outline: tuple[Loop, ...]
    standing: tuple[Standing, ...]

    @property
    def area(self) -> float:
        """What stays standing over the drawing, mm²."""
        return sum(place.area for place in self.standing)

    @property
    def far(self) -> float:
        """How far any of it reaches from what was drawn, mm."""
        return max((place.far for place in self.standing), default=0.0)


def as_cut(loops: Sequence[Loop], width: float) -> AsCut:
    """Return what a round tool leaves of what `loops` enclose, cut along their outside.

    Parameters
    ----------
    loops : sequence of Loop
        Solid and holes by how they lie in each other, mm.
    width : float, mm
        The tool's diameter; 0: everything is as drawn.

    Raises
    ------
    EditError
        If the width is none.

    """
    if not math.isfinite(width) or width < 0:
        raise EditError("a tool must be 0 mm wide or more")
    if not width or not loops:
        return AsCut(tuple(loops), ())
    left = offset(offset(list(loops), width / 2), -width / 2)
    more = [loop for loop in cut_away(left, list(loops), "evenodd") if abs(area_of(loop)) > _LEAST]
    drawn = _Drawn(loops)
    places = [_standing((s.outer, *s.holes), drawn) for s in solids(more)]
    kept = sorted((p for p in places if p.area > _LEAST), key=lambda place: -place.far)
    return AsCut(tuple(left), tuple(kept))


def outline_as_cut(outline: Outline, width: float) -> AsCut:
    """Return what a round tool leaves of an outline, mm: each colour is cut out of its own sheet.

    Raises
    ------
    EditError
        As :func:`as_cut`.

    """
    each = [as_cut([p for p in paths if isinstance(p, Loop)], width) for _, paths in outline.groups]
    standing = sorted((p for one in each for p in one.standing), key=lambda place: -place.far)
    return AsCut(tuple(loop for one in each for loop in one.outline), tuple(standing))


class _Drawn:
    """What was drawn, ready to be asked how far places are from it."""

    def __init__(self, loops: Sequence[Loop]) -> None:
        import shapely

        self._table = segments_of([with_arcs(loop, CURVE) for loop in loops])
        chords = chords_of(self._table, _ROUGH)
        self._segment = chords.segment
        self._tree = shapely.STRtree(shapely.linestrings(chords.ends))  # type: ignore[arg-type]

    def off(self, points: Floats) -> Floats:
        """Return how far points are from the nearest place that was drawn, (K,), mm.

        The nearest chord, and all that are about as near, tell which segments are measured.
        """
        import shapely

        places = np.asarray(shapely.points(points))
        far = self._tree.query_nearest(places, return_distance=True, all_matches=False)[1]
        point, chord = self._tree.query(places, "dwithin", far + 2 * _ROUGH)
        on = nearest_on(self._table, self._segment[chord], points[point])
        found = np.full(len(points), np.inf)
        np.minimum.at(found, point, np.hypot(*(on - points[point]).T))
        return found


def _standing(loops: tuple[Loop, ...], drawn: _Drawn) -> Standing:
    areas = [abs(area_of(loop)) for loop in loops]
    far, at = _farthest(loops, drawn)
    return Standing(loops, areas[0] - sum(areas[1:]), far, at)


def _farthest(loops: tuple[Loop, ...], drawn: _Drawn) -> tuple[float, tuple[float, float]]:
    """Return the place of a piece that is farthest from any loop that was drawn, and how far."""
    import shapely

    left, bottom, right, top = box_of(loops[0])
    points = np.concatenate([_with_middles(loop) for loop in loops])
    piece = polygon_of(solids(loops)[0], _ROUGH)
    if not piece.is_empty:
        # a slot that is closed altogether is farthest in its middle
        fine = max(max(right - left, top - bottom) / _MIDDLE, _ROUGH)
        line = shapely.maximum_inscribed_circle(piece, fine)
        points = np.vstack([points, np.asarray(line.coords)[:1]])
    off = drawn.off(points)
    k = int(np.argmax(off))
    return float(off[k]), (float(points[k, 0]), float(points[k, 1]))


def _with_middles(loop: Loop) -> np.ndarray:
    """Return points along a loop, with the exact middle of each of its arcs."""
    chords = loop.ends - loop.starts
    aside = np.column_stack([chords[:, 1], -chords[:, 0]])
    middles = (loop.starts + loop.ends) / 2 + loop.bulges[:, None] * aside / 2
    return np.vstack([flatten(loop, _ROUGH), middles])


def v_groove_width(depth: float, angle: float) -> float:
    """Return how wide a V-bit of an angle, degrees, cuts at a depth, mm.

    Raises
    ------
    EditError
        If depth or angle cannot be.

    """
    if not 0 < angle < 180 or not 0 <= depth < 1000:
        raise EditError("a V-bit has an angle between 0 and 180 degrees, and a depth from 0 mm")
    return 2 * depth * math.tan(math.radians(angle) / 2)

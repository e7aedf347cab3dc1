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
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, box_of
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.region.region import cut_away
from silhueta.core.geometry.solids import polygon_of, solids

_CHORD = 1e-5  # mm, to which what stays standing is followed to find its farthest place
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
    places = [_standing((s.outer, *s.holes), loops) for s in solids(more)]
    kept = sorted((p for p in places if p.area > _LEAST), key=lambda place: -place.far)
    return AsCut(tuple(left), tuple(kept))


def _standing(loops: tuple[Loop, ...], drawn: Sequence[Loop]) -> Standing:
    areas = [abs(area_of(loop)) for loop in loops]
    far, at = _farthest(loops, drawn)
    return Standing(loops, areas[0] - sum(areas[1:]), far, at)


def _farthest(loops: tuple[Loop, ...], drawn: Sequence[Loop]) -> tuple[float, tuple[float, float]]:
    """Return the place of a piece that is farthest from any loop that was drawn, and how far."""
    import shapely

    left, bottom, right, top = box_of(loops[0])
    reach = max(right - left, top - bottom)
    near = [loop for loop in drawn if _meets(box_of(loop), (left, bottom, right, top), reach)]
    points = np.concatenate([_with_middles(loop) for loop in loops])
    piece = polygon_of(solids(loops)[0], 1e-3)
    if not piece.is_empty:
        # a slot that is closed altogether is farthest in its middle
        line = shapely.maximum_inscribed_circle(piece, 1e-4)
        points = np.vstack([points, np.asarray(line.coords)[:1]])
    off = np.min([nearest(loop, points).distance for loop in near], axis=0)
    k = int(np.argmax(off))
    return float(off[k]), (float(points[k, 0]), float(points[k, 1]))


def _with_middles(loop: Loop) -> np.ndarray:
    """Return points along a loop, with the exact middle of each of its arcs."""
    chords = loop.ends - loop.starts
    aside = np.column_stack([chords[:, 1], -chords[:, 0]])
    middles = (loop.starts + loop.ends) / 2 + loop.bulges[:, None] * aside / 2
    return np.vstack([flatten(loop, max(_CHORD, 1e-3)), middles])


def _meets(one: Sequence[float], two: Sequence[float], reach: float) -> bool:
    return (
        one[0] <= two[2] + reach
        and one[2] >= two[0] - reach
        and one[1] <= two[3] + reach
        and one[3] >= two[1] - reach
    )


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

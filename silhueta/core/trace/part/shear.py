"""Narrow spurs and notches of an edge that something beside the part made: a figure, a speck.

Words used here
    spur    what sticks out of a shape and is narrower than a few tenths of a millimetre
    notch   a spur of what is outside
    beside  what lies outside along the spur's own length, and inside where it begins

A real tab looks like the face that it grows out of. A printed figure that the edge ran out to looks
like the wall or the ground beside it. So each spur is held against both, and cut off where it
looks like what is beside it; notches are filled the same way. What is as much like one as like the
other stays as it is. The foot of a thick part is the same outline in another plane: a spur of the
edge that the foot, where it is seen, has not is none either.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from silhueta.core.datum.edges import sample
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.looks import Light

_HALF_MM, _HALF_PX = 0.6, 4.0  # half the width of a spur, the wider of the two
_WIDER = 2.0  # times that, where a foot tells
_DEEP = 2.5  # px that it sticks out at least
_LIKE = 0.5  # times as much like what is beside it as like where it begins
_TELLS = 0.25  # of the logarithm of light, that both differ by at least
_MOST = 40  # spurs that are looked at: more is a torn edge
_CLEAR = 1.5  # px from an edge, that blur leaves as it is
_SHOWN, _AROUND = 0.7, 12.0  # of a foot, that must be seen; half widths round a part, where it may
_FOOT = 6.0  # px between an edge and its foot, from which that is looked at
_FEWEST = 6  # px that tell how a place looks


def shorn(ring: Floats, light: Light, mm: float, walls: Walls | None = None) -> Floats:
    """Return a closed ring (N, 2), px, without spurs and notches that are none of its shape's.

    Parameters
    ----------
    ring : (N, 2), px
        The part on its left seen with y up.
    light : (H, W, 3)
        Linear.
    mm : float
        Side of a pixel.
    walls : Walls, optional
        Of a thick part.

    """
    from shapely.geometry import Polygon

    half = max(_HALF_MM / mm, _HALF_PX)
    ring = _without(ring, half, partial(_looks_like, light=light))
    if walls is None:
        return ring
    shape: Any = Polygon(ring).buffer(0)
    empty = shape if _turned(ring) > 0 else shape.buffer(_AROUND * half).difference(shape)
    at_foot = partial(_looks_like_at_foot, empty=empty, light=light, walls=walls)
    return _without(ring, _WIDER * half, at_foot)


def _without(ring: Floats, half: float, none_of_its: Callable[[Any, Any, Any], bool]) -> Floats:
    """Return a ring without those spurs and notches up to twice `half` wide, px, that are none."""
    from shapely.geometry import Polygon

    shape: Any = Polygon(ring).buffer(0)
    solid = shape.buffer(-half).buffer(half)
    if shape.geom_type != "Polygon" or solid.is_empty:
        return ring
    inside, outside = solid.buffer(-2 * _CLEAR), shape.buffer(_CLEAR)
    cut = [
        spur.buffer(_CLEAR)
        for spur in _far_from(solid, shape.difference(solid.buffer(_CLEAR / 2)))
        if none_of_its(
            spur,
            spur.buffer(2 * half).difference(outside),
            spur.buffer(3 * half).intersection(inside),
        )
    ]
    whole = shape.buffer(half).buffer(-half)
    far, within = whole.buffer(2 * _CLEAR), shape.buffer(-_CLEAR)
    filled = [
        notch.buffer(_CLEAR)
        for notch in _far_from(
            _outside(whole, 2 * half), whole.difference(shape.buffer(_CLEAR / 2))
        )
        if none_of_its(
            notch,
            notch.buffer(2 * half).intersection(within),
            notch.buffer(3 * half).difference(far),
        )
    ]
    if not cut and not filled:
        return ring
    for spur in cut:
        shape = shape.difference(spur)
    for notch in filled:
        shape = shape.union(notch)
    largest: Any = max(getattr(shape, "geoms", [shape]), key=lambda piece: piece.area)
    again = np.asarray(largest.exterior.coords, np.float64)[:-1]
    return again if (_turned(again) > 0) == (_turned(ring) > 0) else again[::-1]


def _outside(whole: Any, wide: float) -> Any:
    return whole.buffer(wide).difference(whole)


def _turned(ring: Floats) -> float:
    x, y = ring.T
    return float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def _far_from(solid: Any, rest: Any) -> list[Any]:
    """Return the pieces of `rest` that reach deep enough; none of too many."""
    import shapely

    pieces = [
        piece
        for piece in getattr(rest, "geoms", [rest])
        if piece.geom_type == "Polygon"
        and shapely.distance(shapely.points(piece.exterior.coords), solid).max(initial=0) > _DEEP
    ]
    return pieces if len(pieces) <= _MOST else []


def _looks_like(spur: Any, beside: Any, home: Any, light: Light) -> bool:
    """Return whether a place looks like what is beside it, and not like where it begins."""
    own, other, begin = (_look(where, light) for where in (spur, beside, home))
    if own is None or other is None or begin is None:
        return False
    strange = float(np.abs(own - begin).max())
    return strange > _TELLS and float(np.abs(own - other).max()) < _LIKE * strange


def _looks_like_at_foot(
    spur: Any, beside: Any, home: Any, empty: Any, light: Light, walls: Walls
) -> bool:
    """Return the same of where a place would have its foot, as far as that is seen, not covered.

    `empty` is where there is no face.
    """
    import shapely

    share, under = 1 / (1 + walls.ratio), np.array(walls.under)
    x, y = spur.centroid.x - walls.under[0], spur.centroid.y - walls.under[1]
    if (1 - share) * np.hypot(x, y) < _FOOT:
        return False
    feet = [
        shapely.transform(where, lambda places: under + share * (places - under))
        for where in (spur, beside, home)
    ]
    shown = [foot.intersection(empty) for foot in feet]
    return shown[0].area > _SHOWN * spur.area and _looks_like(shown[0], shown[1], shown[2], light)


def _look(where: Any, light: Light) -> Floats | None:
    """Return the median logarithm of light in a shape, (3,); None where it is too small to tell."""
    import shapely

    if where.is_empty:
        return None
    left, top, right, bottom = where.bounds
    x, y = np.meshgrid(np.arange(left, right), np.arange(top, bottom))
    points = np.column_stack([x.ravel(), y.ravel()])
    points = points[shapely.contains_xy(where, points)]
    if len(points) < _FEWEST:
        return None
    return np.asarray(np.median(np.log(sample(light, points) + 0.01), axis=0), np.float64)

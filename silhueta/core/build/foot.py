"""A foot on an edge, and the slot in a base that it stands in.

Words used here
    relief   a round bite in the corner beside a foot, so that the part comes down on its base
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from silhueta.core.build.shapes import rectangle
from silhueta.core.errors import EditError
from silhueta.core.geometry.path import LINE, Loop, circle_loop
from silhueta.core.geometry.region.region import cut_away, united

_SINK = 1.0  # times the foot's depth, that it reaches into the part to be welded

Point = tuple[float, float]


def edge_near(loops: Sequence[Loop], at: Point) -> tuple[Point, Point]:
    """Return the ends of the straight edge nearest to a place, the solid on its left, mm.

    Raises
    ------
    EditError
        If there is none.

    """
    best: tuple[float, Point, Point] | None = None
    for loop in loops:
        for k in np.flatnonzero(loop.kinds == LINE).tolist():
            (ax, ay), (bx, by) = loop.starts[k].tolist(), loop.ends[k].tolist()
            dx, dy = bx - ax, by - ay
            square = dx * dx + dy * dy
            if square < 1e-12:
                continue
            share = min(max(((at[0] - ax) * dx + (at[1] - ay) * dy) / square, 0.0), 1.0)
            far = math.hypot(ax + share * dx - at[0], ay + share * dy - at[1])
            if best is None or far < best[0]:
                best = far, (ax, ay), (bx, by)
    if best is None:
        raise EditError("there is no straight edge for a foot; click near one")
    return best[1], best[2]


def footed(
    loops: Sequence[Loop], at: Point, length: float, depth: float, relief: float = 0.0
) -> list[Loop]:
    """Return an outline with a foot welded to the middle of its straight edge nearest to `at`.

    Parameters
    ----------
    loops : sequence of Loop, mm
        Solids counter-clockwise, holes clockwise.
    length, depth : float, mm
        Along the edge and out of it.
    relief : float, mm
        Radius of the bites beside it; 0: none.

    Raises
    ------
    EditError
        If the edge is too short.

    """
    if not (length > 0 and depth > 0 and 0 <= relief <= depth):
        raise EditError("a foot has a length and a depth, and reliefs no larger than its depth")
    (ax, ay), (bx, by) = edge_near(loops, at)
    long = math.hypot(bx - ax, by - ay)
    if long < length + 4 * relief:
        raise EditError(
            f"the edge is {long:.1f} mm long, too short for a foot of {length:g} mm"
            + (f" with reliefs of {relief:g} mm" if relief else "")
        )
    ux, uy = (bx - ax) / long, (by - ay) / long
    out = np.array([uy, -ux])
    along = np.array([ux, uy])
    middle = np.array([(ax + bx) / 2, (ay + by) / 2])
    half = length / 2 * along
    inner, outer = middle - _SINK * depth * out, middle + depth * out
    foot = Loop(np.array([inner - half, outer - half, outer + half, inner + half]))
    made = united(list(loops), [foot], "nonzero")
    if not relief:
        return made
    bites = [
        circle_loop(middle + side * (length / 2 + relief) * along, relief) for side in (-1.0, 1.0)
    ]
    return cut_away(made, bites, "nonzero")


def slot_for(length: float, thickness: float, clearance: float, centre: Point) -> Loop:
    """Return the slot for a foot of that length in a part of that thickness, larger all round.

    Raises
    ------
    EditError
        If a size is none.

    """
    if not 0 <= clearance <= 10:
        raise EditError("the clearance of a slot must be from 0 to 10 mm")
    return rectangle(length + 2 * clearance, thickness + 2 * clearance, 0.0, centre)

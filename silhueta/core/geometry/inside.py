"""Whether points lie inside a loop."""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.flatten import flatten_indexed
from silhueta.core.geometry.path import ARC, Floats, Loop


def inside(loop: Loop, points: Floats) -> np.ndarray:
    """Return which of `points` (K, 2) in mm lie inside `loop`, (K,) of bool.

    By the even-odd rule: crossings of the ray to the right are counted, exactly for lines and
    arcs; cubics count by their chords to 0.001 mm. Every piece owns its lower end and not its
    upper one, so that a ray through a node counts once.
    """
    points = np.atleast_2d(np.asarray(points, dtype=np.float64))
    result = np.zeros(len(points), dtype=bool)
    corners, segment = flatten_indexed(loop, 1e-3)
    straight = loop.kinds[segment] != ARC
    after = np.roll(corners, -1, axis=0)
    for (ax, ay), (bx, by) in zip(corners[straight], after[straight], strict=True):
        if ay != by:
            spans = (ay > points[:, 1]) != (by > points[:, 1])
            result ^= spans & (points[:, 0] < (bx - ax) * (points[:, 1] - ay) / (by - ay) + ax)
    arcs = loop.kinds == ARC
    starts, ends, bulges = loop.starts[arcs], loop.ends[arcs], loop.bulges[arcs]
    for arc in zip(starts, ends, bulges, *arc_centres(starts, ends, bulges), strict=True):
        result ^= _crosses_arc(points, *arc)
    return result


def _crosses_arc(
    points: Floats, start: Floats, end: Floats, bulge: float, centre: Floats, radius: float
) -> np.ndarray:
    """Return whether the ray from each point crosses the arc an odd number of times."""
    result = np.zeros(len(points), dtype=bool)
    begin = np.arctan2(start[1] - centre[1], start[0] - centre[0])
    finish = begin + 4 * np.arctan(bulge)
    low, high = min(begin, finish), max(begin, finish)
    # cut at the top and the bottom of the circle: between them the arc only rises or only falls
    turns = np.arange(np.ceil(low / np.pi - 0.5), np.floor(high / np.pi - 0.5) + 1)
    cuts = [begin, *(np.pi * (turns + 0.5))[:: 1 if bulge > 0 else -1], finish]
    levels = centre[1] + radius * np.sin(cuts)
    levels[0], levels[-1] = start[1], end[1]
    reach = np.sqrt(np.maximum(radius**2 - (points[:, 1] - centre[1]) ** 2, 0))
    for k in range(len(cuts) - 1):
        right_half = np.cos((cuts[k] + cuts[k + 1]) / 2) > 0
        x = centre[0] + np.where(right_half, reach, -reach)
        result ^= ((levels[k] > points[:, 1]) != (levels[k + 1] > points[:, 1])) & (
            points[:, 0] < x
        )
    return result

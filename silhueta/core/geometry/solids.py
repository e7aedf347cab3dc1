"""Loops as solid pieces: an outer loop and the holes right inside it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.path import Loop


class Solid(NamedTuple):
    """A piece: its outer loop, counter-clockwise, its holes, clockwise, and how deep it lies.

    place, within : int
        Numbers of the outer loop, and of the loop right round it (-1: none).
    inside : tuple of int
        Numbers of the holes.
    """

    outer: Loop
    holes: tuple[Loop, ...]
    depth: int
    place: int
    within: int
    inside: tuple[int, ...]


def solids(loops: Sequence[Loop]) -> list[Solid]:
    """Return the pieces that `loops` enclose, the deepest first."""
    nesting = nest(loops)
    turned = orient(loops, nesting)
    holes: dict[int, list[int]] = {}
    for i, parent in enumerate(nesting.parent):
        if nesting.depth[i] % 2 == 1:
            holes.setdefault(int(parent), []).append(i)
    outer = np.flatnonzero(nesting.depth % 2 == 0)
    deepest_first = outer[np.argsort(-nesting.depth[outer], kind="stable")].tolist()
    return [
        Solid(
            turned[i],
            tuple(turned[k] for k in holes.get(i, ())),
            int(nesting.depth[i]),
            i,
            int(nesting.parent[i]),
            tuple(holes.get(i, ())),
        )
        for i in deepest_first
    ]


def polygon_of(solid: Solid, chord_error: float) -> shapely.Polygon:
    """Return a piece as a polygon whose chords leave it by `chord_error` mm at most.

    A ring that is thinner than that everywhere is nothing.
    """
    rings = [flatten(loop, chord_error) for loop in (solid.outer, *solid.holes)]
    if len(rings[0]) < 3:
        return shapely.Polygon()
    rings = [ring for ring in rings if len(ring) >= 3]
    return shapely.Polygon(rings[0], rings[1:]).buffer(0)

"""Which loop lies in which: outer loops, holes, islands in holes, at any depth.

Words used here
    depth    how many other loops lie around a loop; even is solid (outer, island), odd is a hole
    parent   the smallest loop around it
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Sequence
from operator import is_
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from silhueta.core.geometry.measure import areas_of
from silhueta.core.geometry.path import Loop, reverse
from silhueta.core.geometry.region.segments import chords_of, segments_of

if TYPE_CHECKING:
    from shapely import STRtree


class Nesting(NamedTuple):
    """For each of N loops: its depth, and its parent's place in the sequence or -1, (N,) of int."""

    depth: np.ndarray
    parent: np.ndarray


def nest(loops: Sequence[Loop], chord_error: float = 0.02) -> Nesting:
    """Return how `loops` lie in each other.

    Loops may touch and share edges. One that crosses another is placed by a point inside it. Two
    loops that are the same lie beside each other.

    Parameters
    ----------
    loops : sequence of Loop
    chord_error : float, mm
        How finely arcs and cubics are followed.

    """
    asked = tuple(loops)
    with _lock:
        answers = tuple(_last)
    for held, chord, known in answers:
        if chord == chord_error and len(held) == len(asked) and all(map(is_, held, asked)):
            return known
    made = _nested(asked, chord_error)
    with _lock:
        _last.appendleft((asked, chord_error, made))
    return made


_lock = threading.Lock()  # asked by the window and by what works beside it
_last: deque[tuple[tuple[Loop, ...], float, Nesting]] = deque(maxlen=6)  # the last answers
_AT_ONCE = 256  # loops whose surroundings are held at a time


def _nested(loops: Sequence[Loop], chord_error: float) -> Nesting:
    count = len(loops)
    depth = np.zeros(count, dtype=np.int64)
    parent = np.full(count, -1, dtype=np.int64)
    if count < 2:
        return Nesting(depth, parent)
    import shapely

    rings = polygons(loops, chord_error)
    areas = np.abs(areas_of(loops))
    # a place inside, not a node: that may lie on another outline
    places = shapely.point_on_surface(rings)
    shapely.prepare(rings)
    tree = shapely.STRtree(rings)
    for first in range(0, count, _AT_ONCE):
        some = np.arange(first, min(first + _AT_ONCE, count))
        parent[some] = _parents(some, places, rings, areas, tree)
    # from the parents, so that of a loop and what is around it one is solid, even if they cross
    for k in np.argsort(-areas, kind="stable"):
        if parent[k] >= 0:
            depth[k] = depth[parent[k]] + 1
    return Nesting(depth, parent)


def _parents(
    some: np.ndarray, places: np.ndarray, rings: np.ndarray, areas: np.ndarray, tree: STRtree
) -> np.ndarray:
    """Return the smallest loop around each of some, or -1.

    Of all whose boxes are around, the smallest is looked at first: of many loops in each other it
    is the one, and the others are left alone.
    """
    import shapely

    inner, outer = tree.query(places[some])
    bigger = areas[outer] > areas[some[inner]]
    inner, outer = inner[bigger], outer[bigger]
    order = np.lexsort((areas[outer], inner))
    inner, outer = inner[order], outer[order]
    at = np.searchsorted(inner, np.arange(len(some)))
    last = np.append(at[1:], len(inner))
    found = np.full(len(some), -1, dtype=np.int64)
    open_ = np.flatnonzero(at < last)
    while len(open_):
        around = outer[at[open_]]
        within = shapely.contains(rings[around], places[some[open_]])
        found[open_[within]] = around[within]
        open_ = open_[~within]
        at[open_] += 1
        open_ = open_[at[open_] < last[open_]]
    return found


def polygons(loops: Sequence[Loop], chord_error: float) -> np.ndarray:
    """Return loops as polygons of shapely's; an empty one where nothing is left of a loop."""
    import shapely

    chords = chords_of(segments_of(loops), chord_error)
    owner = np.repeat(np.arange(len(loops)), [len(loop.kinds) for loop in loops])[chords.segment]
    first = np.searchsorted(owner, np.arange(len(loops)))
    last = np.append(first[1:], len(owner))
    points = np.insert(chords.ends[:, 0], last, chords.ends[first, 0], 0)
    rings = shapely.linearrings(points, indices=np.insert(owner, first, np.arange(len(loops))))
    return np.asarray(shapely.polygons(rings))


def orient(loops: Sequence[Loop], nesting: Nesting) -> list[Loop]:
    """Return `loops` with solids counter-clockwise and holes clockwise."""
    wanted = np.where(nesting.depth % 2 == 0, 1.0, -1.0)
    return [
        loop if area * want >= 0 else reverse_loop(loop)
        for loop, area, want in zip(loops, areas_of(loops), wanted, strict=True)
    ]


def reverse_loop(loop: Loop) -> Loop:
    """Return `loop` run the other way."""
    turned = reverse(loop)
    assert isinstance(turned, Loop)
    return turned

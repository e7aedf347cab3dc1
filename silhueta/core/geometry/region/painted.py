"""What is to be seen of outlines painted one over the other, and of lines drawn among them.

Words used here
    group   loops that are filled together with one colour; a later group hides earlier ones
    stroke  a line along a path, without a width: it hides nothing
    run     a stretch of a stroke that is seen without a break
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import Place, stretch
from silhueta.core.geometry.region.arrange import Marks
from silhueta.core.geometry.region.region import Plane, Rule
from silhueta.core.geometry.region.segments import Ints


class Painted(NamedTuple):
    """What is to be seen of groups of loops painted one over the other.

    colours : list of hashable
        Each once.
    outlines : list of list of Loop
        Of each colour.
    hidden : list of int
        Groups of whose outline nothing is to be seen.
    lines : list of (Path, hashable)
        What is to be seen of each stroke where no outline runs, and its colour.
    """

    colours: list[Hashable]
    outlines: list[list[Loop]]
    hidden: list[int]
    lines: list[tuple[Path, Hashable]]


class Stroke(NamedTuple):
    """A line that is painted along `path`, mm, over the first `above` groups."""

    path: Path
    colour: Hashable
    above: int


def painted(
    groups: Sequence[Sequence[Loop]],
    colours: Sequence[Hashable],
    rules: Sequence[Rule],
    strokes: Sequence[Stroke] = (),
) -> Painted:
    """Return the outline of what is to be seen of each colour, and lines that lie elsewhere.

    Each group hides what earlier ones cover; None is the colour of the bare ground. Of a stroke
    is seen what no later group covers and what lies on another colour than its own; where it runs
    along an outline both are one line.
    """
    # where several lie on each other, the topmost stroke is the one that is seen
    over = sorted(strokes, key=lambda stroke: -stroke.above)
    plane = Plane([list(group) for group in groups], [stroke.path for stroke in over])
    own, face, covers = plane.covers(rules)
    top = np.full(plane.faces + 1, -1)  # the last is the outside
    np.maximum.at(top, face[covers], own[covers])
    every = dict.fromkeys([*colours, *(stroke.colour for stroke in over)])
    seen = [colour for colour in every if colour is not None]
    number = {colour: k for k, colour in enumerate(seen)}
    kinds = np.array([number.get(colour, -1) for colour in colours] + [-1])
    outlines = [plane.outline(kinds[top[:-1]] == k) for k in range(len(seen))]
    kept = [k for k, outline in enumerate(outlines) if outline]
    lines: list[tuple[Path, Hashable]] = []
    shown = set(plane.shown)
    if over:
        beside = top[plane.edges.faces]
        # an edge that a stroke has in common with a group is the group's, too
        shown.update(np.unique(beside[kinds[beside[:, 0]] != kinds[beside[:, 1]]]).tolist())
        own_colours = np.array([number.get(stroke.colour, -1) for stroke in over])
        above = np.array([stroke.above for stroke in over])
        loop = plane.table.loop[plane.chords.segment[plane.edges.chord]]
        stroke = np.minimum(loop, len(over) - 1)
        same = kinds[beside[:, 0]] == kinds[beside[:, 1]]
        seen_there = (
            (loop < len(over))
            & same
            & (own_colours[stroke] != kinds[beside[:, 0]])
            & (beside.min(1) < above[stroke])
        )
        lines = [(path, over[k].colour) for k, path in _runs(plane, seen_there, loop)]
    hidden = [i for i in range(len(groups)) if i not in shown and groups[i]]
    return Painted([seen[k] for k in kept], [outlines[k] for k in kept], hidden, lines)


def _runs(plane: Plane, seen: Marks, loop: Ints) -> list[tuple[int, Path]]:
    """Return (which path, what is seen of it) for edges (E,) that are; `loop` (E,) tells whose."""
    edges = np.flatnonzero(seen)
    chord = plane.edges.chord[edges]
    segment, whose = plane.chords.segment[chord], loop[edges]
    built = plane.built
    ends = [built.along(chord, plane.edges.at[plane.edges.ends[edges, k]]) for k in range(2)]
    low, high = np.minimum(*ends), np.maximum(*ends)
    near = 2 * plane.tolerance / np.maximum(built.lengths[segment], 1e-300)
    low, high = np.where(low < near, 0.0, low), np.where(high > 1 - near, 1.0, high)
    order = np.lexsort((low, segment))
    low, high, segment, whose = low[order], high[order], segment[order], whose[order]
    found: list[tuple[int, Path]] = []
    for k in np.unique(whose).tolist():
        own = whose == k
        path = plane.loops[k]
        first = int(np.searchsorted(plane.table.loop, k))
        found += [
            (k, run) for run in _of_path(path, segment[own] - first, low[own], high[own], near[0])
        ]
    return found


def _of_path(path: Path, segment: Ints, low: Floats, high: Floats, near: float) -> list[Path]:
    """Return the stretches of a path that edges in order along it leave, joined where they meet."""
    count = len(path.kinds)
    same = (segment[1:] == segment[:-1]) & (low[1:] <= high[:-1] + max(near, 1e-9))
    next_one = (segment[1:] == segment[:-1] + 1) & (high[:-1] == 1) & (low[1:] == 0)
    breaks = np.flatnonzero(~(same | next_one))
    begins, lasts = np.append(0, breaks + 1), np.append(breaks, len(segment) - 1)
    runs = [
        [Place(int(segment[a]), float(low[a])), Place(int(segment[b]), float(high[b]))]
        for a, b in zip(begins, lasts, strict=True)
    ]
    start, end = Place(0, 0.0), Place(count - 1, 1.0)
    if len(runs) == 1 and runs[0] == [start, end]:
        return [path]
    if path.closed and runs[0][0] == start and runs[-1][1] == end and len(runs) > 1:
        runs[0][0] = runs.pop()[0]  # over the loop's first node
    return [stretch(path, one, two) for one, two in runs]

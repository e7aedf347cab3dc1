"""Fitted loops that cross, mended where they cross: what was fitted elsewhere stays as it is.

Words used here
    run     segments in a row that something crosses; what stands in their place is a stretch
    stage   how closely a stretch keeps to the contour, from a tighter fit to the contour itself
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np
import shapely

from silhueta.core.fitting.fit import fit_open, polygon
from silhueta.core.geometry.path import Floats, Loop, OpenPath, Path
from silhueta.core.geometry.region.segments import chords_of, segments_of
from silhueta.core.geometry.sweep import Ints, near_blocks, sweep
from silhueta.core.trace.edge.contours import PixelContours
from silhueta.core.work import Work

_CHORD = 0.01  # px, for the search for crossings
_MOST = 10_000  # crossings that are looked at in one turn
# how a stretch is made of the contour, within which share of what noise and tolerance allow
_STAGES: tuple[tuple[Literal["fitted", "lines"], float], ...] = (
    ("fitted", 0.5),
    ("fitted", 0.25),
    ("lines", 0.25),
    ("lines", 0.1),
    ("lines", 0.0),
)
_TURNS = 13  # after which loops go over to the contour all round
_ASTRAY = 0.25  # of the edge, that a run may be longer than its share of the loop
_NEAREST = 12  # points of the edge that a node may belong to


class Mended(NamedTuple):
    """Loops that do not cross, and how many are the contour itself, for nothing else helped."""

    loops: list[Loop]
    bare: int


def mended(found: PixelContours, fitted: Sequence[Loop], allowed: float, work: Work) -> Mended:
    """Return loops that neither cross themselves nor each other.

    Parameters
    ----------
    found : PixelContours
        As they were found: these never cross. Moved to the edge they may, where it is unclear.
    fitted : sequence of Loop
    allowed : float, px
        How far noise and tolerance let a loop leave its contour.
    work : Work

    """
    loops = list(fitted)
    mending: dict[int, _Mending] = {}
    whole: dict[int, int] = {}  # how often a loop was taken all round
    turn = 0
    while hit := _hits(loops):
        work.step(turn / (turn + _TURNS))
        if all(whole.get(i, 0) > 1 for i in hit):
            break  # these are the contours themselves
        for i, segments in hit.items():
            if i not in mending:
                mending[i] = _Mending(fitted[i], found.contour(i), allowed)
            made = None
            if i not in whole and turn < _TURNS:
                made = mending[i].worse(segments)
            if made is None:
                made = polygon(found.contour(i), 0.0 if i in whole else 0.25 * allowed)
                whole[i] = whole.get(i, 0) + 1
            loops[i] = made
        turn += 1
    return Mended(loops, sum(times > 1 for times in whole.values()))


def _hits(loops: Sequence[Loop]) -> dict[int, Ints]:
    """Return which segments of which loops cross something."""
    table = segments_of(loops)
    chords = chords_of(table, _CHORD)
    owner = table.loop[chords.segment]
    _, pairs = sweep(chords.ends, owner, *near_blocks(chords.ends), _MOST, False)
    crossed = np.unique(chords.segment[np.unique(pairs)])
    first = np.searchsorted(table.loop, np.arange(len(loops)))
    return {int(i): crossed[table.loop[crossed] == i] - first[i] for i in table.loop[crossed]}


class _Mending:
    """One loop, and at which stage each segment of its fit stands."""

    def __init__(self, fitted: Loop, found: Floats, allowed: float) -> None:
        self._fitted, self._allowed = fitted, allowed
        self._points = found
        self._at = _places(fitted, found)
        count = len(fitted.kinds)
        self._lengths = np.hypot(*(fitted.ends - fitted.starts).T) * (1 + fitted.bulges**2)
        self._stage = np.zeros(count, np.int64)
        self._from = np.arange(count)[:, None] + [0, 1]  # of each segment now, those of the fit

    def worse(self, crossed: Ints) -> Loop | None:
        """Return the loop with what is crossed kept closer to the edge; None: there is no more."""
        count = len(self._stage)
        for low, high in self._from[crossed].tolist():
            run = np.arange(low, high)
            stage = int(self._stage[run % count].max()) + 1
            # what only gets closer may still be crossed by what is beside it
            aside = stage - 1
            run = np.arange(low - aside, high + aside) % count
            self._stage[run] = np.maximum(self._stage[run], min(stage, len(_STAGES)))
        if self._stage.all():
            return None
        return self._made()

    def _made(self) -> Loop | None:
        """Return the fit with a stretch in place of each run."""
        fitted, count = self._fitted, len(self._stage)
        start = int(np.flatnonzero(self._stage == 0)[0])  # no run goes over it
        pieces: list[Path] = []
        sources: list[tuple[int, int]] = []
        k = start
        while k < start + count:
            end = k + 1
            if self._stage[k % count]:
                while self._stage[end % count]:
                    end += 1
                made = self._stretch(k, end)
            else:
                own = slice(k % count, k % count + 1)
                made = OpenPath(
                    np.stack([fitted.starts[k % count], fitted.ends[k % count]]),
                    fitted.kinds[own],
                    fitted.bulges[own],
                    fitted.controls[own],
                )
            pieces.append(made)
            sources += [(k, end)] * len(made.kinds)
            k = end
        self._from = np.array(sources)
        nodes = np.concatenate([piece.nodes[:-1] for piece in pieces])
        arrays = (
            np.concatenate([getattr(piece, name) for piece in pieces])
            for name in ("kinds", "bulges", "controls")
        )
        return Loop(nodes, *arrays) if len(nodes) > 2 else None

    def _stretch(self, low: int, high: int) -> OpenPath:
        """Return what stands for the segments from `low` up to `high`."""
        count = len(self._stage)
        stage = int(self._stage[np.arange(low, high) % count].max())
        way, share_of = _STAGES[stage - 1]
        points, at = self._points, self._at
        begin, finish = int(at[low % count]), int(at[high % count])
        many = (finish - begin) % len(points)
        share = self._lengths[np.arange(low, high) % count].sum() / self._lengths.sum()
        if many > (share + _ASTRAY) * len(points):
            many = 0  # the two nodes lie the other way round: nothing of the edge is between them
        inner = points[np.arange(begin + 1, begin + many) % len(points)]
        start, end = self._fitted.nodes[low % count], self._fitted.nodes[high % count]
        chain = np.vstack([start, inner, end])
        allowed = share_of * self._allowed
        if way == "fitted" and len(chain) > 3:
            return fit_open(chain, allowed)
        if allowed:
            chain = shapely.get_coordinates(shapely.simplify(shapely.LineString(chain), allowed))
        return OpenPath(chain)


def _places(loop: Loop, points: Floats) -> Ints:
    """Return which point of the edge each node belongs to: a near one that runs the same way."""
    from scipy.spatial import cKDTree

    way = np.roll(points, -1, 0) - np.roll(points, 1, 0)
    way /= np.maximum(np.hypot(*way.T), 1e-12)[:, None]
    nodes = loop.nodes
    own = np.roll(nodes, -1, 0) - np.roll(nodes, 1, 0)
    own /= np.maximum(np.hypot(*own.T), 1e-12)[:, None]
    off, near = cKDTree(points).query(nodes, k=min(_NEAREST, len(points)))
    against = (way[near] * own[:, None]).sum(2) < 0
    best = np.argmin(off + 1e3 * against, axis=1)
    return np.asarray(np.atleast_2d(near)[np.arange(len(nodes)), best])

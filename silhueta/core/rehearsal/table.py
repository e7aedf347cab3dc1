"""The steps of a file as columns, so that a hundred thousand of them are gone through at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.steps import Step

Flags = NDArray[np.bool_]
_SMALL = 1e-9  # of a turn, in radians: a straight line


@dataclass(frozen=True, eq=False)
class StepTable:
    """What N steps do, a row each; steps that do not move stay where the one before ended.

    Parameters
    ----------
    first, last : (N, 3) ndarray, mm
        Where each begins and ends.
    low, high : (N, 3) ndarray, mm
        Of its box.
    turn : (N,) ndarray, radians
        Of arcs, positive counter-clockwise; 0: straight.
    way_first, way_last : (N,) ndarray, radians
        Which way it goes in the plane at its beginning, and at its end.
    flat : (N,) ndarray, mm
        How far it goes in the plane, along arcs.
    far : (N,) ndarray, mm
        How far it goes, up and down counted in.
    cut, plunge, rapid, moves, on : (N,) ndarray of bool
        What it is; whether it moves; whether the tool is on.
    feed : (N,) ndarray, mm/min
    tool : (N,) ndarray of int

    """

    first: Floats
    last: Floats
    low: Floats
    high: Floats
    turn: Floats
    way_first: Floats
    way_last: Floats
    flat: Floats
    far: Floats
    cut: Flags
    plunge: Flags
    rapid: Flags
    moves: Flags
    on: Flags
    feed: Floats
    tool: NDArray[np.int64]

    @cached_property
    def working(self) -> Flags:
        """Whether it cuts or goes down at a feed."""
        return self.cut | self.plunge


def table_of(steps: Sequence[Step]) -> StepTable:
    """Return steps as columns."""
    count = len(steps)
    first, last = np.zeros((count, 3)), np.zeros((count, 3))
    bulges = [0.0] * count
    turns = np.zeros(count)
    here = np.zeros(3)
    for k, one in enumerate(steps):
        points = one.motion.points
        size = len(points)
        if size:
            first[k], here = points[0], points[-1]
            if size > 2:  # an arc of more than half a circle, in two
                turns[k] = 4 * float(np.arctan(one.motion.bulges).sum())
            elif size == 2:
                bulges[k] = float(one.motion.bulges[0])
        else:
            first[k] = here
        last[k] = here
    two = np.array([len(one.motion.points) <= 2 for one in steps], bool)
    turn = np.where(turns != 0, turns, 4 * np.arctan(np.array(bulges)))
    chord = np.hypot(last[:, 0] - first[:, 0], last[:, 1] - first[:, 1])
    flat = _arc_length(chord, turn)
    angle = np.arctan2(last[:, 1] - first[:, 1], last[:, 0] - first[:, 0])
    way_first, way_last = angle - turn / 2, angle + turn / 2
    for k in np.flatnonzero(~two).tolist():  # a full circle has no chord: by its halves
        ways = np.diff(steps[k].motion.points[:, :2], axis=0)
        halves = 4 * np.arctan(steps[k].motion.bulges)
        flat[k] = _arc_length(np.hypot(*ways.T), halves).sum()
        way_first[k] = np.arctan2(ways[0, 1], ways[0, 0]) - halves[0] / 2
        way_last[k] = np.arctan2(ways[-1, 1], ways[-1, 0]) + halves[-1] / 2
    low, high = np.minimum(first, last), np.maximum(first, last)
    _bellies(low, high, first, turn, way_first, flat)
    kinds = np.array([one.motion.kind for one in steps], dtype="U8")
    far = np.hypot(flat, last[:, 2] - first[:, 2])
    cut, plunge, rapid = kinds == "cut", kinds == "plunge", kinds == "rapid"
    return StepTable(
        first, last, low, high, turn, way_first, way_last, flat, far,
        cut, plunge, rapid, cut | plunge | rapid,
        np.array([one.on for one in steps], bool),
        np.array([one.motion.feed for one in steps], float),
        np.array([one.tool for one in steps], np.int64),
    )  # fmt: skip


def _bellies(
    low: Floats, high: Floats, first: Floats, turn: Floats, way_first: Floats, flat: Floats
) -> None:
    """Widen the boxes of arcs by what they reach beyond their ends: in up to four directions."""
    arcs = np.flatnonzero(np.abs(turn) > _SMALL)
    sense = np.sign(turn[arcs])
    radius = flat[arcs] / np.abs(turn[arcs])
    out = way_first[arcs] - sense * np.pi / 2  # from the centre to where it begins
    x, y = first[arcs, 0] - radius * np.cos(out), first[arcs, 1] - radius * np.sin(out)
    for quarter in range(4):
        angle = quarter * np.pi / 2
        gone = (sense * (angle - out)) % (2 * np.pi)
        which = gone <= np.abs(turn[arcs])
        rows = arcs[which]
        for axis, centre, way in ((0, x, np.cos(angle)), (1, y, np.sin(angle))):
            far = (centre + radius * way)[which]
            low[rows, axis] = np.minimum(low[rows, axis], far)
            high[rows, axis] = np.maximum(high[rows, axis], far)


def _arc_length(chord: Floats, turn: Floats) -> Floats:
    half = np.abs(turn) / 2
    long: Floats = np.where(half > _SMALL, chord * half / np.maximum(np.sin(half), 1e-300), chord)
    return long

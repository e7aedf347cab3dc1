"""A file as it is run, from moment to moment: where the tool is, what is cut, what is free."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.event import Rehearsed
from silhueta.core.rehearsal.kerfs import Piece, Run
from silhueta.core.rehearsal.relief import Relief
from silhueta.core.rehearsal.scene import Scene
from silhueta.core.rehearsal.through import places_deep

_SHOWN = 1600  # cells along the longer side of a picture of what bits leave: a screen has not more
_KEPT = 12  # heights that are kept along the way, so that going back begins near


class Moment(NamedTuple):
    """What is going on at one time.

    step : int
        The one under way; the last one at the end; -1 of a file without any.
    place : (x, y, z), mm
        Where the tool's middle is, in the file's coordinates.
    line : int
        Of the file.
    on : bool
    feed : float, mm/min
        0 while it does not cut.
    cut_mm : float
        So far.
    pierces, runs, pieces : int
        So far: times into the sheet, ways through it that are done, pieces that are free.
    """

    step: int
    place: tuple[float, float, float]
    line: int
    on: bool
    feed: float
    cut_mm: float
    pierces: int
    runs: int
    pieces: int


@dataclass(frozen=True, eq=False)
class Course:
    """A file that was run: its steps in time, what they cut, and what came of it.

    Parameters
    ----------
    scene : Scene
    runs : tuple of Run
    pieces : tuple of Piece
        In the order in which they come free.
    done : Rehearsed

    """

    scene: Scene
    runs: tuple[Run, ...]
    pieces: tuple[Piece, ...]
    done: Rehearsed
    _cut: Floats = field(init=False, repr=False)
    _pierced: Floats = field(init=False, repr=False)
    _run_ends: Floats = field(init=False, repr=False)
    _free_at: Floats = field(init=False, repr=False)

    def __post_init__(self) -> None:
        """Add up along the way what is asked at every moment."""
        object.__setattr__(self, "_cut", np.cumsum(cut_of(self.scene)))
        object.__setattr__(self, "_pierced", np.cumsum(pierced(self.scene)))
        object.__setattr__(self, "_run_ends", np.array([run.at_s for run in self.runs]))
        free = [self.runs[piece.run].at_s for piece in self.pieces]
        object.__setattr__(self, "_free_at", np.array(free))

    @property
    def seconds(self) -> float:
        """How long it takes."""
        return float(self.scene.when[-1]) if len(self.scene.when) else 0.0

    def at(self, t: float) -> Moment:
        """Return what is going on at a time, s."""
        steps, when = self.scene.steps, self.scene.when
        if not len(steps):
            return Moment(-1, (0.0, 0.0, 0.0), 0, False, 0.0, 0.0, 0, 0, 0)
        k, share = self.step_at(t)
        step = steps[k]
        before = float(self._cut[k - 1]) if k else 0.0
        x, y, z = self._place(k, share)
        cutting = step.motion.kind in ("cut", "plunge")
        done = t >= float(when[k]) - 1e-9
        return Moment(
            k,
            (x, y, z),
            step.line,
            step.on,
            step.motion.feed if cutting and not done else 0.0,
            float(before + share * (float(self._cut[k]) - before)),
            int(self._pierced[k]),
            int(np.searchsorted(self._run_ends, t + 1e-9, "right")),
            int(np.searchsorted(self._free_at, t + 1e-9, "right")),
        )

    def step_at(self, t: float) -> tuple[int, float]:
        """Return which step is under way at a time, and which part of it is done, 0 to 1."""
        when = self.scene.when
        k = min(int(np.searchsorted(when, t, "left")), len(when) - 1)
        begin = float(when[k - 1]) if k else 0.0
        lasts = float(when[k]) - begin
        share = 1.0 if lasts <= 0 else min(max((t - begin) / lasts, 0.0), 1.0)
        return k, share

    def _place(self, k: int, share: float) -> tuple[float, float, float]:
        if not self.scene.table.moves[k]:
            x, y, z = self.scene.table.last[k].tolist()
            return x, y, z
        x, y, z = along(places_deep(self.scene.steps[k]), share)[-1].tolist()
        return x, y, z

    def part_of(self, number: int, t: float) -> Floats:
        """Return how far a run has come at a time, (N, 2) mm; empty before it begins."""
        run = self.runs[number]
        k, share = self.step_at(t)
        if k < run.first or (k > run.last and t < run.at_s):
            return np.zeros((0, 2))
        if t >= run.at_s:
            return run.points
        own, table = slice(run.first, run.last + 1), self.scene.table
        ways = np.where(table.cut[own], table.flat[own], 0.0)
        there = float(ways[: k - run.first].sum() + share * ways[k - run.first])
        return along(run.points, there / max(float(ways.sum()), 1e-12))

    def under_way(self, t: float) -> int | None:
        """Return the run that is being cut at a time, if one is."""
        n = int(np.searchsorted(self._run_ends, t + 1e-9, "right"))
        if n >= len(self.runs):
            return None
        return n if self.step_at(t)[0] >= self.runs[n].first else None


def pierced(scene: Scene) -> NDArray[np.bool_]:
    """Return at which steps the tool goes into the sheet, (N,)."""
    table = scene.table
    if scene.flat:
        return np.array([one.motion.kind == "on" for one in scene.steps], np.bool_)
    top = scene.tops - 1e-6
    down = table.working & (table.last[:, 2] < top) & (table.first[:, 2] >= top)
    return np.asarray(down)


def cut_of(scene: Scene) -> Floats:
    """Return how far each step goes in the sheet, (N,) mm, leads counted in."""
    table = scene.table
    sinks = table.plunge & (table.last[:, 2] < scene.tops - 1e-6)
    return np.where(table.cut | (sinks & (not scene.flat)), table.far, 0.0)


def along(points: Floats, share: float) -> Floats:
    """Return the beginning of a chain of places (N, K), so much of its length in the plane."""
    far = np.hypot(*np.diff(points[:, :2], axis=0).T)
    if not far.any():  # straight up or down
        return np.array([points[0], points[0] + share * (points[-1] - points[0])])
    ends = np.concatenate([[0.0], np.cumsum(far)])
    there = share * float(ends[-1])
    k = min(max(int(np.searchsorted(ends, there, "right")) - 1, 0), len(far) - 1)
    rest = (there - float(ends[k])) / max(float(far[k]), 1e-12)
    last = points[k] + min(rest, 1.0) * (points[k + 1] - points[k])
    return np.vstack([points[: k + 1], last])


def cutting_spans(course: Course) -> tuple[Floats, Floats]:
    """Return from when to when it cuts, (N, 2) s, and when it goes into the sheet, (M,) s.

    Gaps that a screen cannot show are left out.
    """
    scene = course.scene
    when = np.concatenate([[0.0], scene.when])
    least = course.seconds / _SHOWN
    spans: list[list[float]] = []
    for k in np.flatnonzero(scene.table.working & scene.table.on).tolist():
        if spans and when[k] - spans[-1][1] <= least:
            spans[-1][1] = float(when[k + 1])
        else:
            spans.append([float(when[k]), float(when[k + 1])])
    ticks = scene.when[pierced(scene)] if len(scene.steps) else np.zeros(0)
    if len(ticks) > 1:
        ticks = ticks[np.concatenate([[True], np.diff(np.floor(ticks / max(least, 1e-9))) > 0])]
    return np.array(spans).reshape(-1, 2), ticks


class Carving:
    """What bits leave of the sheet, from moment to moment, at the coarseness of a screen.

    Parameters
    ----------
    course : Course
    box : (left, bottom, right, top), mm
        Of the sheet, or of what is worked.

    """

    def __init__(self, course: Course, box: tuple[float, float, float, float]) -> None:
        self.course, self.box = course, box
        cell = max(box[2] - box[0], box[3] - box[1]) / _SHOWN
        self._kept: list[tuple[int, Relief]] = [(0, Relief(box, cell))]
        self.relief, self._step = self._kept[0][1].copy(), 0
        self._share = 0.0

    def at(self, t: float) -> Relief:
        """Return the heights at a time: carved on from those before, or from what was kept."""
        k, share = self.course.step_at(t)
        if k < self._step or (k == self._step and share < self._share):
            last = max(n for n, (step, _) in enumerate(self._kept) if step <= k)
            step, kept = self._kept[last]
            self.relief, self._step, self._share = kept.copy(), step, 0.0
        stride = max(1, len(self.course.scene.steps) // _KEPT)
        scene = self.course.scene
        while self._step < k:
            goal = min(k, (self._step // stride + 1) * stride)
            carve(self.relief, scene, np.arange(self._step, goal))
            self._step = goal
            if goal % stride == 0 and goal > self._kept[-1][0]:
                self._kept.append((goal, self.relief.copy()))
        self._share = share
        if share == 1:
            carve(self.relief, scene, np.array([k]))
        elif _takes(scene)[k]:
            _take(self.relief, scene, k, [along(places_deep(scene.steps[k]), share)])
        return self.relief


def _takes(scene: Scene) -> NDArray[np.bool_]:
    """Return at which steps something may be taken away, (N,)."""
    return scene.table.working & scene.table.on


def carve(relief: Relief, scene: Scene, rows: NDArray[np.int64]) -> None:
    """Take away what steps cut, by their numbers, (K,)."""
    table = scene.table
    rows = rows[_takes(scene)[rows]]
    for own in np.split(rows, np.flatnonzero(np.diff(table.tool[rows])) + 1):
        straight = own[table.turn[own] == 0]
        if len(straight):
            up = np.array([0.0, 0.0, 1.0]) * scene.tops[straight][:, None]
            ends = np.hstack([table.first[straight] - up, table.last[straight] - up])
            relief.carve(ends, scene.cutter(int(straight[0])))
        arcs = own[table.turn[own] != 0].tolist()
        if arcs:
            _take(relief, scene, arcs[0], [places_deep(scene.steps[k]) for k in arcs])


def _take(relief: Relief, scene: Scene, k: int, ways: list[Floats]) -> None:
    """Take away what the tool of one step leaves of ways (N, 3)."""
    up = [0.0, 0.0, float(scene.tops[k])]
    ends = np.concatenate([np.hstack([way[:-1] - up, way[1:] - up]) for way in ways])
    relief.carve(ends, scene.cutter(k))


def box_of(scene: Scene, pad: float) -> tuple[float, float, float, float]:
    """Return the box of what steps cut, mm, with room round it."""
    working = scene.table.working
    if not working.any():
        return 0.0, 0.0, 1.0, 1.0
    left, bottom, _ = (scene.table.low[working].min(axis=0) - pad).tolist()
    right, top, _ = (scene.table.high[working].max(axis=0) + pad).tolist()
    return left, bottom, right, top

"""The motions that a plan comes to: what a machine does, step by step, in mm.

Words used here
    motion    one step: a rapid, a cut along lines and arcs, the tool on or off, a wait, a change, a
              lift straight up from wherever the machine is
    ramp      the way down into the sheet along the cut itself, so that a bit does not dive

Z is 0 on the sheet's top; where a tool is set on the table, its program counts from there.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from silhueta.core.cutting.plan import Entry, Plan, Tab, Way
from silhueta.core.geometry.along import Along
from silhueta.core.geometry.path import Floats, OpenPath, reverse
from silhueta.core.geometry.pieces import Place, chained, stretch
from silhueta.core.plan_settings import Tool
from silhueta.core.remembered import Remembered

MotionKind = Literal["rapid", "cut", "plunge", "on", "off", "wait", "tool", "lift"]
_PIERCE, _CUT = 3.8, 1.5  # mm that a torch pierces and cuts above the sheet (common practice)
_SAFE = 1.0  # mm above the sheet, to where a bit goes down at rapid
_RAMP = math.tan(math.radians(5))  # how steeply a bit goes down along its cut (common practice)
_RISE = math.tan(math.radians(45))  # how steeply it goes up and down at a tab's ends
_SAME = 1e-9  # mm


@dataclass(frozen=True, eq=False)
class Motion:
    """One step of a program.

    Parameters
    ----------
    kind : str
    points : (N, 3) ndarray, mm
        Where it goes, its beginning counted in; empty for steps that do not move.
    bulges : (N - 1,) ndarray
        Of arcs in the plane; with a change of depth they are helices.
    feed : float, mm/min
        Of cuts and plunges.
    entry : int
        Number of the plan's entry that it belongs to, from 0; -1: to none.
    tool : Tool or None
        Of a change.
    seconds : float
        Of a wait.

    """

    kind: MotionKind
    points: Floats
    bulges: Floats
    feed: float = 0.0
    entry: int = -1
    tool: Tool | None = None
    seconds: float = 0.0


_NOWHERE = np.zeros((0, 3))
_FLAT = np.zeros(0)


def motions(plan: Plan) -> tuple[Motion, ...]:
    """Return the motions of a plan, worked out once: from (0, 0) at its clearance and back up."""
    return _known(plan)


class _Program:
    """Puts motions one behind the other; knows where the tool is."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.high = plan.machine.clearance_mm if plan.machine.z == "depth" else 0.0
        self.at: Floats = np.array([0.0, 0.0, self.high])

    def run(self) -> Iterator[Motion]:
        tool: Tool | None = None
        for number, entry in enumerate(self.plan.entries):
            if tool is None or entry.tool != tool:
                yield Motion("tool", _NOWHERE, _FLAT, entry=number, tool=entry.tool)
                tool = entry.tool
                if self.high:
                    self.at = np.array([self.at[0], self.at[1], self.high])
                    yield Motion("lift", self.at[None], _FLAT, entry=number)
            if self.plan.flat:
                yield from self._flat(number, entry)
            elif entry.operation == "drill":
                yield from self._drilled(number, entry)
            else:
                yield from self._deep(number, entry)
        if not self.plan.flat and len(self.plan.entries):
            yield from self._rapid(self.at[:2], self.high, len(self.plan.entries) - 1)

    def _rapid(self, place: Floats, z: float, entry: int) -> Iterator[Motion]:
        to = np.array([place[0], place[1], z])
        if np.abs(to - self.at).max() > _SAME:
            yield Motion("rapid", np.array([self.at, to]), np.zeros(1), entry=entry)
            self.at = to

    def _over(self, place: Sequence[float], entry: int) -> Iterator[Motion]:
        """Go over to another place, high above the sheet."""
        yield from self._rapid(self.at[:2], self.high, entry)
        yield from self._rapid(np.asarray(place), self.high, entry)

    def _cut(self, path: OpenPath, z: Floats, feed: float, entry: int) -> Iterator[Motion]:
        points = np.column_stack([path.nodes, z])
        self.at = points[-1]
        yield Motion("cut", points, path.bulges, feed, entry)

    # torch, beam, jet, knife

    def _flat(self, number: int, entry: Entry) -> Iterator[Motion]:
        material, tool = self.plan.material, entry.tool
        pierce, above = tool.pierce_seconds, tool.pierce_height_mm
        if material is not None:
            pierce = pierce or (material.pierce_seconds if entry.through else 0.0)
            above = above or material.pierce_height_mm
        above = max(above or _PIERCE, _CUT)
        low = _CUT
        if tool.kind != "torch":
            # a beam is set on the sheet's top, a blade goes down into it
            low = 0.0 if tool.kind == "beam" else -(entry.depth or self.plan.thickness)
            above = 0.0 if tool.kind == "beam" else _SAFE
        for _ in entry.steps:
            for way in entry.ways:
                for piece in with_gaps(way):
                    yield from self._over(piece.nodes[0], number)
                    if self.high:
                        yield from self._rapid(self.at[:2], min(above, self.high), number)
                    yield Motion("on", _NOWHERE, _FLAT, entry=number)
                    if pierce:
                        yield Motion("wait", _NOWHERE, _FLAT, entry=number, seconds=pierce)
                    if self.high:
                        yield from self._down(low, entry.plunge, number)
                    z = np.full(len(piece.nodes), self.at[2])
                    yield from self._cut(piece, z, entry.feed, number)
                    yield Motion("off", _NOWHERE, _FLAT, entry=number)
        yield from self._rapid(self.at[:2], self.high, number)

    # bits

    def _drilled(self, number: int, entry: Entry) -> Iterator[Motion]:
        for way in entry.ways:
            yield from self._over(way.begin, number)
            yield from self._rapid(self.at[:2], _SAFE, number)
            for k, depth in enumerate(entry.steps):
                yield from self._down(-depth, entry.plunge, number)
                if k + 1 < len(entry.steps):  # drawn out, so that the chips come
                    yield from self._rapid(self.at[:2], _SAFE, number)
                    yield from self._rapid(self.at[:2], min(-depth + 0.5, _SAFE), number)
            yield from self._rapid(self.at[:2], self.high, number)

    def _down(self, z: float, plunge: float, entry: int) -> Iterator[Motion]:
        to = np.array([self.at[0], self.at[1], z])
        if np.abs(to - self.at).max() > _SAME:
            yield Motion("plunge", np.array([self.at, to]), np.zeros(1), plunge, entry)
            self.at = to

    def _deep(self, number: int, entry: Entry) -> Iterator[Motion]:
        for way in entry.ways:
            if way.depths is not None:
                yield from self._carved(number, entry, way)
                continue
            before = 0.0
            for depth in entry.steps:
                if before == 0 or not way.closed or way.lead_in is not None:
                    yield from self._over(way.begin, number)
                    yield from self._rapid(self.at[:2], max(_SAFE - before, -before), number)
                yield from self._pass(number, entry, way, before, depth)
                before = depth
        yield from self._rapid(self.at[:2], self.high, number)

    def _pass(
        self, number: int, entry: Entry, way: Way, before: float, depth: float
    ) -> Iterator[Motion]:
        """Go down into one pass and round."""
        settings = self.plan.settings
        if way.lead_in is not None:
            yield from self._down(-depth, entry.plunge, number)
            z = np.full(len(way.lead_in.nodes), -depth)
            yield from self._cut(way.lead_in, z, entry.feed, number)
        elif settings.entry == "plunge" or (not way.closed and entry.operation != "pocket"):
            yield from self._down(-depth, entry.plunge, number)
        elif settings.entry == "helix" and way.closed:
            yield from self._down(-before, entry.plunge, number)
            yield from self._round_and_down(number, entry, way, before, depth)
        else:
            yield from self._down(-before, entry.plunge, number)
            yield from self._ramped(number, entry, way, before, depth)
        floor = self.plan.thickness - entry.tab_height
        tabs = way.tabs if depth > floor + _SAME else ()
        path = _longer(way)
        if tabs:
            path, z = _over_tabs(path, tabs, depth, floor)
        else:
            z = np.full(len(path.nodes), -depth)
        yield from self._cut(path, z, entry.feed, number)
        if way.lead_out is not None:
            z = np.full(len(way.lead_out.nodes), -depth)
            yield from self._cut(way.lead_out, z, entry.feed, number)

    def _round_and_down(
        self, number: int, entry: Entry, way: Way, before: float, depth: float
    ) -> Iterator[Motion]:
        """Go down evenly over one whole round of the way: on a round hole that is a helix."""
        whole = Along(way.path)
        z = -before - (depth - before) * whole.starts / whole.length
        steep = (depth - before) / whole.length
        feed = min(entry.feed, entry.plunge * math.hypot(1.0, steep) / max(steep, 1e-9))
        yield from self._cut(way.path, z, feed, number)

    def _ramped(
        self, number: int, entry: Entry, way: Way, before: float, depth: float
    ) -> Iterator[Motion]:
        """Go down along the way itself, and back to where it begins, at that depth.

        Forth on the ramp and back level: what the ramp leaves is cut on the way back.
        """
        whole = Along(way.path)
        run = min((depth - before) / _RAMP, whole.length / 2)
        if run < 1e-6:
            yield from self._down(-depth, entry.plunge, number)
            return
        forth = stretch(way.path, Place(0, 0.0), whole.places(np.array([run]))[0])
        own = Along(forth)
        z = -before - (depth - before) * own.starts / own.length
        feed = min(entry.feed, max(entry.plunge / math.sin(math.atan(_RAMP)), entry.plunge))
        yield from self._cut(forth, z, feed, number)
        back = reverse(forth)
        assert isinstance(back, OpenPath)
        yield from self._cut(back, np.full(len(back.nodes), -depth), entry.feed, number)

    def _carved(self, number: int, entry: Entry, way: Way) -> Iterator[Motion]:
        """Follow a groove in its own depths."""
        assert way.depths is not None
        start = np.array([*way.path.nodes[0], -float(way.depths[0])])
        if np.abs(start - self.at).max() > _SAME:
            yield from self._over(way.path.nodes[0], number)
            yield from self._rapid(self.at[:2], _SAFE, number)
            yield from self._down(float(start[2]), entry.plunge, number)
        yield from self._cut(way.path, -way.depths, entry.feed, number)


def _motions(plan: Plan) -> tuple[Motion, ...]:
    return tuple(_Program(plan).run())


# what is timed is written and proven as well
_known: Remembered[Plan, tuple[Motion, ...]] = Remembered(_motions)


def _longer(way: Way) -> OpenPath:
    """Return a way that goes on beyond its beginning, where it does."""
    if not way.closed or not way.overcut:
        return way.path
    whole = Along(way.path)
    more = min(way.overcut, whole.length / 2)
    made = chained([way.path, stretch(way.path, Place(0, 0.0), whole.places(np.array([more]))[0])])
    assert isinstance(made, OpenPath)
    return made


def with_gaps(way: Way) -> list[OpenPath]:
    """Return the pieces of a way between its tabs, leads with the first and the last."""
    path = _longer(way)
    whole = Along(path)
    stops = [0.0]
    for tab in sorted(way.tabs):
        stops += [tab.low, tab.high]
    stops.append(whole.length)
    pieces: list[OpenPath] = []
    for low, high in zip(stops[::2], stops[1::2], strict=True):
        low, high = max(low, 0.0), min(high, whole.length)
        if high - low < 1e-6:
            continue
        a, b = whole.places(np.array([low, high]))
        end = Place(len(path.kinds) - 1, 1.0) if high >= whole.length else b
        pieces.append(path if low <= 0 and high >= whole.length else stretch(path, a, end))
    if pieces and way.lead_in is not None:
        pieces[0] = _strung([way.lead_in, pieces[0]])
    if pieces and way.lead_out is not None:
        pieces[-1] = _strung([pieces[-1], way.lead_out])
    return pieces


def _strung(pieces: list[OpenPath]) -> OpenPath:
    made = chained(pieces)
    assert isinstance(made, OpenPath)
    return made


def _over_tabs(
    path: OpenPath, tabs: Sequence[Tab], depth: float, floor: float
) -> tuple[OpenPath, Floats]:
    """Return a way with nodes where it rises over tabs, and the depth of each node.

    It has risen fully where a tab begins, and sinks behind its end: what stands is never narrower.
    """
    whole = Along(path)
    run = (depth - floor) / _RISE
    marks: list[tuple[float, float]] = []
    for tab in sorted(tabs):
        marks += [
            (tab.low - run, -depth),
            (tab.low, -floor),
            (tab.high, -floor),
            (tab.high + run, -depth),
        ]
    marks = [(min(max(at, 0.0), whole.length), z) for at, z in marks]
    at = np.array([m[0] for m in marks])
    z = np.array([m[1] for m in marks])
    stops = np.unique(np.concatenate([[0.0], at, whole.starts[1:-1], [whole.length]]))
    keep = np.concatenate([[True], np.diff(stops) > 1e-7])
    stops = stops[keep]
    stops[-1] = whole.length
    levels = np.interp(stops, at, z, left=-depth, right=-depth)
    points, _ = whole.points(stops)
    points[-1] = path.nodes[-1]
    which = whole.segments((stops[:-1] + stops[1:]) / 2)
    share = np.diff(stops) / np.maximum(whole.lengths[which], 1e-300)
    bulges = np.tan(np.arctan(path.bulges[which]) * share)
    kinds = path.kinds[which]
    return OpenPath(points, kinds, bulges), levels

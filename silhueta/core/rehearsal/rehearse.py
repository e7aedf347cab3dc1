"""A file run step by step: what goes wrong, what comes free, and what is left of what was wanted.

What a tool does below the sheet's top, but not through it, is not looked at here: pockets and
grooves leave no piece.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import shapely

from silhueta.core.cutting.plan import TWO_D
from silhueta.core.cutting.timing import times
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import Box
from silhueta.core.geometry.path import ARC, LINE, Floats, OpenPath
from silhueta.core.inspect_settings import Process
from silhueta.core.rehearsal.bench_of import laid_on
from silhueta.core.rehearsal.clock import ends
from silhueta.core.rehearsal.event import Event, Rehearsed
from silhueta.core.rehearsal.kerfs import Piece, Run, chain, freed, left_of
from silhueta.core.rehearsal.steps import Step
from silhueta.core.shop.machines import Machine, machine_of
from silhueta.core.units import MM_PER_INCH
from silhueta.core.work import Work

_CHORD = 0.002  # mm, within which arcs are followed
_THROUGH = 0.05  # mm above the underside, from which a bit is through: burrs are thicker
_INTO_PART = 0.05  # mm into what should stay, over which that is said
_BED = 1.0  # mm below the sheet that a bit may go into the board under it (common practice)
_ALMOST = 0.12  # of that factor, within which a size is one of the other unit: leads reach out
_AGAIN = 0.99  # of a kerf, that lies in what is cut already, from which it is cut again
_MISSED = 0.5  # of a loop's length that no kerf reaches, from which it was missed
_EVERY = 1.0  # mm between places at which that is looked for
_MOST = 200  # events of one kind: more say nothing new


@dataclass(frozen=True, eq=False)
class Bench:
    """What a file is run on, and what it is held against.

    Parameters
    ----------
    process : str or None
        None: a program that goes below zero is a router's, another one a beam's.
    width : float, mm
        Of the tool; `widths` has it by the tool's number.
    thickness : float, mm
        Of the sheet; 0: not told.
    sheet : (left, bottom, right, top) or None, mm
    machine : Machine or None
        None: no limit of feed or bed is looked at.
    wanted : tuple of Polygon
        What should stay, laid on what is cut where the file counts from elsewhere; empty: nothing
        is held against it.
    held : bool
        Whether tabs should hold what is wanted.
    tables : tuple of int
        Numbers of the tools whose Z counts from the table.

    """

    process: Process | None = None
    width: float = 0.0
    widths: dict[int, float] = field(default_factory=dict)
    thickness: float = 0.0
    sheet: Box | None = None
    machine: Machine | None = None
    wanted: tuple[shapely.Polygon, ...] = ()
    held: bool = False
    tables: tuple[int, ...] = ()


def rehearse(steps: Sequence[Step], bench: Bench, work: Work | None = None) -> Rehearsed:
    """Return what running a file comes to.

    Parameters
    ----------
    steps : sequence of Step
        In the file's own order (steps.of_program, steps.of_drawing).
    bench : Bench
    work : Work or None

    Raises
    ------
    StoppedError
        When the work is stopped.

    """
    work = work or Work()
    run = _Run(steps, bench)
    events = [*run.beside()]
    work.step(0.3)
    runs = run.through()
    pieces, kerfs = freed(runs, bench.sheet)
    work.step(0.7)
    events += run.order(runs, pieces, kerfs)
    parts, moved = laid_on(bench.wanted, pieces)
    run.bench = replace(bench, wanted=parts)
    suspect = run.unit()
    events += suspect
    deviation = None
    if bench.wanted and not suspect:
        events += run.against(runs, kerfs)
        deviation, loose = run.left(runs, pieces, kerfs)
        events += loose
    machine = bench.machine or machine_of(bench.process, None)
    spent = times([one.motion for one in steps], machine)
    events.sort(key=lambda one: one.at_s)
    return Rehearsed(
        tuple(events), len(pieces), deviation, spent.seconds, spent.cut_mm, spent.rapid_mm,
        spent.pierces, tuple(one.shape for one in pieces), tuple(kerfs), moved,
    )  # fmt: skip


def runs_of(steps: Sequence[Step], bench: Bench) -> list[Run]:
    """Return the ways that a file cuts through the sheet."""
    return _Run(steps, bench).through()


class _Run:
    """A file while it is run."""

    def __init__(self, steps: Sequence[Step], bench: Bench) -> None:
        self.steps, self.bench = steps, bench
        cutting = [one for one in steps if one.motion.kind in ("cut", "plunge")]
        lowest = min((float(one.motion.points[:, 2].min()) for one in cutting), default=0.0)
        self.flat = bench.process in TWO_D if bench.process else lowest >= -1e-6
        self._fed = 0.0  # mm/min of the cut before: a feed is told once, as long as it stays
        self.when = ends(steps, bench.machine or machine_of(bench.process, None))

    def bottom(self, step: Step) -> float:
        """Return the Z of the sheet's underside for the tool that is in."""
        return 0.0 if step.tool in self.bench.tables else -self.bench.thickness

    def _event(self, code: str, k: int, text: str, at: Floats | None = None) -> Event:
        points = self.steps[k].motion.points
        place = at if at is not None else (points[-1] if len(points) else self._place(k))
        return Event(
            code, float(self.when[k]), (float(place[0]), float(place[1])), self.steps[k].line, text
        )

    def _place(self, k: int) -> Floats:
        for one in reversed(self.steps[:k]):
            if len(one.motion.points):
                found: Floats = one.motion.points[-1]
                return found
        return np.zeros(3)

    # what each step shows by itself

    def beside(self) -> Iterator[Event]:
        """Yield what goes wrong at single steps: feeds, beds, what is on or off."""
        said: dict[str, int] = {}
        for k in range(len(self.steps)):
            for event in self._at(k):
                said[event.code] = said.get(event.code, 0) + 1
                if said[event.code] <= _MOST:
                    yield event
        yield from self._bounds()
        if self.steps and self.steps[-1].on:
            what = "torch or beam" if self.flat else "spindle"
            yield self._event("left-on", len(self.steps) - 1, f"it ends with the {what} on")

    def _at(self, k: int) -> Iterator[Event]:
        step, machine = self.steps[k], self.bench.machine
        motion, points = step.motion, step.motion.points
        if not len(points):
            return
        far = float(np.hypot(*(points[-1] - points[0])[:2]))
        low = float(points[:, 2].min())
        bottom = self.bottom(step)
        top = bottom + self.bench.thickness
        deep = not self.flat and low < top - 1e-3
        if motion.kind == "rapid" and far > 1e-6:
            if self.flat and step.on:
                yield self._event("left-on", k, "the torch or beam is on while it goes on at rapid")
            if deep:
                yield self._event(
                    "rapid-in-material", k, f"at rapid, {top - low:.2f} mm below the sheet's top"
                )
        if motion.kind == "cut" and not step.on and far > 1e-6 and (self.flat or deep):
            what = "the torch or beam is off" if self.flat else "the spindle stands still"
            yield self._event("no-pierce", k, f"it would cut, and {what}")
        if motion.kind in ("cut", "plunge"):
            most = np.inf if machine is None else machine.max_feed_mm_min
            if machine is not None and self._fed != motion.feed > most + 1e-3:
                yield self._event(
                    "over-feed",
                    k,
                    f"{motion.feed:g} mm/min are more than {machine.name} can do ({most:g})",
                )
            self._fed = motion.feed
            if not self.flat and self.bench.thickness and low < bottom - _BED - 1e-3:
                yield self._event(
                    "into-bed", k, f"{bottom - low:.2f} mm below the sheet, into what is under it"
                )

    def _bounds(self) -> Iterator[Event]:
        """Yield what lies off the bed or the sheet, the first step of each."""
        cutting = [k for k, one in enumerate(self.steps) if one.motion.kind in ("cut", "plunge")]
        if not cutting:
            return
        low = np.array([self.steps[k].motion.points[:, :2].min(axis=0) for k in cutting])
        high = np.array([self.steps[k].motion.points[:, :2].max(axis=0) for k in cutting])
        machine, sheet = self.bench.machine, self.bench.sheet
        if machine is not None:
            start = low.min(axis=0)
            beyond = ((high - start) > np.array(machine.bed_mm) + 1e-6).any(axis=1)
            if beyond.any():
                k = cutting[int(beyond.argmax())]
                wide, deep = (high.max(axis=0) - start).tolist()
                bed = f"{machine.bed_mm[0]:g} x {machine.bed_mm[1]:g} mm"
                yield self._event(
                    "off-bed", k, f"it needs {wide:.1f} x {deep:.1f} mm, the bed has {bed}"
                )
        if sheet is not None:
            off = (low < np.array(sheet[:2]) - 1e-6) | (high > np.array(sheet[2:]) + 1e-6)
            if off.any():
                k = cutting[int(off.any(axis=1).argmax())]
                yield self._event("off-sheet", k, "it leaves the sheet")

    # what is cut through

    def through(self) -> list[Run]:
        """Return the ways through the sheet, in their order."""
        found: list[Run] = []
        parts: list[Floats] = []
        first, last = 0, 0

        def close() -> None:
            nonlocal parts
            if parts:
                width = self.bench.widths.get(self.steps[first].tool, self.bench.width)
                found.append(
                    Run(chain(parts), width, float(self.when[last]), self.steps[first].line)
                )
            parts = []

        for k, one in enumerate(self.steps):
            if one.motion.kind == "wait":
                continue
            if one.motion.kind != "cut" or not self._is_through(one):
                if one.motion.kind != "plunge" or self.flat:
                    close()
                continue
            if not parts:
                first = k
            parts.append(_places(one))
            last = k
        close()
        return found

    def _is_through(self, one: Step) -> bool:
        if self.flat:
            return one.on and not one.light
        deep = float(one.motion.points[:, 2].max()) <= self.bottom(one) + _THROUGH
        return one.on and deep and bool(self.bench.thickness or self.bench.tables)

    def order(
        self, runs: Sequence[Run], pieces: Sequence[Piece], kerfs: Sequence[shapely.Polygon]
    ) -> Iterator[Event]:
        """Yield what is cut in pieces that are free already, or cut twice."""
        if not kerfs:
            return
        tree = shapely.STRtree(list(kerfs))
        said = 0
        for piece in pieces:
            inside = [
                k
                for k in sorted(tree.query(piece.shape, "intersects").tolist())
                if k > piece.run and kerfs[k].intersection(piece.shape).area > 0.5 * kerfs[k].area
            ]
            if not inside or said >= _MOST:
                continue
            said += 1
            run = runs[piece.run]
            x, y = piece.shape.representative_point().coords[0]
            yield Event(
                "freed-early", run.at_s, (x, y), run.line,
                f"the piece is free before {len(inside)} of its cuts are done",
            )  # fmt: skip
            for k in inside[:_MOST]:
                u, v = runs[k].points[0].tolist()
                yield Event(
                    "cut-again", runs[k].at_s, (u, v), runs[k].line,
                    "it cuts in a piece that is free already",
                )  # fmt: skip
        for k, kerf in enumerate(kerfs):
            before = [j for j in tree.query(kerf, "intersects").tolist() if j < k]
            if not before:
                continue
            done = shapely.union_all([kerfs[j] for j in before])
            if kerf.intersection(done).area > _AGAIN * kerf.area:
                u, v = runs[k].points[0].tolist()
                yield Event("cut-again", runs[k].at_s, (u, v), runs[k].line, "this is cut already")

    # what was wanted

    def unit(self) -> list[Event]:
        """Return whether it is 25.4 times as large, or as small, as what was wanted."""
        cutting = [one.motion.points for one in self.steps if one.motion.kind == "cut"]
        if not self.bench.wanted or not cutting:
            return []
        every = np.concatenate(cutting)[:, :2]
        size = float(np.ptp(every, axis=0).max())
        left, bottom, right, top = shapely.total_bounds(list(self.bench.wanted))
        factor = size / max(right - left, top - bottom)
        for one, words in ((MM_PER_INCH, "large"), (1 / MM_PER_INCH, "small")):
            if abs(factor / one - 1) < _ALMOST:
                text = f"it is about 25.4 times too {words}: mm and inches are mixed up"
                return [Event("unit-suspect", 0.0, (0.0, 0.0), self.steps[0].line, text)]
        return []

    def against(self, runs: Sequence[Run], kerfs: Sequence[shapely.Polygon]) -> Iterator[Event]:
        """Yield where runs go into what should stay, and what of it was not cut at all."""
        solid = list(self.bench.wanted)
        core = [part.buffer(-_INTO_PART) for part in solid]
        tree = shapely.STRtree(core)
        for run, kerf in zip(runs, kerfs, strict=True):
            for n in tree.query(kerf, "intersects").tolist():
                common = kerf.intersection(solid[n])
                corners = np.asarray(shapely.points(shapely.get_coordinates(common)))
                deep = shapely.distance(corners, solid[n].boundary)
                k = int(deep.argmax())
                x, y = corners[k].coords[0]
                yield Event(
                    "cuts-part", run.at_s, (x, y), run.line,
                    f"it cuts {float(deep[k]):.2f} mm into what should stay",
                )  # fmt: skip
        end = float(self.when[-1]) if len(self.when) else 0.0
        every = shapely.STRtree(list(kerfs))
        for part in solid:
            for ring in (part.exterior, *part.interiors):
                count = max(16, int(ring.length / _EVERY))
                share = (np.arange(count) + 0.5) / count
                places = np.asarray(shapely.line_interpolate_point(ring, share, normalized=True))
                # a tool that is wider than a corner leaves it: its radius is allowed for
                near = self.bench.width / 2 + 2 * _INTO_PART
                hit = np.zeros(count, bool)
                if len(kerfs):
                    hit[every.query(places, "dwithin", near)[0]] = True
                if 1 - hit.mean() > _MISSED:
                    x, y = places[int((~hit).argmax())].coords[0]
                    line = self.steps[-1].line if self.steps else 0
                    text = f"{ring.length * (1 - hit.mean()):.0f} mm of this outline are not cut"
                    yield Event("missed", end, (x, y), line, text)

    def left(
        self, runs: Sequence[Run], pieces: Sequence[Piece], kerfs: Sequence[shapely.Polygon]
    ) -> tuple[float | None, list[Event]]:
        """Return how far freed parts are off what was wanted, mm, and which should not be free."""
        worst: float | None = None
        loose = []
        for part in self.bench.wanted:
            at = part.representative_point()
            own = [one for one in pieces if one.shape.contains(at)]
            if not own:
                continue
            piece = min(own, key=lambda one: one.shape.area)
            left = left_of(piece.shape, kerfs)
            corners = np.asarray(shapely.points(shapely.get_coordinates(left)))
            off = float(shapely.distance(corners, part.boundary).max()) if len(corners) else 0.0
            worst = off if worst is None else max(worst, off)
            if self.bench.held:
                run = runs[piece.run]
                text = "it comes free, though tabs should hold it"
                loose.append(Event("freed-early", run.at_s, (at.x, at.y), run.line, text))
        return worst, loose


def _places(step: Step) -> Floats:
    """Return the places along a step, (N, 2) mm, arcs as chords."""
    motion = step.motion
    if not motion.bulges.any():
        return motion.points[:, :2]
    kinds = np.where(motion.bulges != 0, ARC, LINE).astype(np.uint8)
    return flatten(OpenPath(motion.points[:, :2], kinds, motion.bulges), _CHORD)

"""A file run step by step: what goes wrong, what comes free, how far it is off what was meant."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from silhueta.core.geometry.measure import Box
from silhueta.core.rehearsal.against import (
    Off,
    floors,
    into_parts,
    loose,
    missed,
    off_outline,
    over_tabs,
    unit,
)
from silhueta.core.rehearsal.bench import Bench, Field
from silhueta.core.rehearsal.beside import beside
from silhueta.core.rehearsal.course import Course, box_of, carve, cut_of, pierced
from silhueta.core.rehearsal.event import Event, Rehearsed
from silhueta.core.rehearsal.kerfs import freed
from silhueta.core.rehearsal.laying import laid_on
from silhueta.core.rehearsal.order import order
from silhueta.core.rehearsal.relief import Relief
from silhueta.core.rehearsal.scene import Scene, scene_of
from silhueta.core.rehearsal.steps import Step
from silhueta.core.rehearsal.through import runs_of
from silhueta.core.work import Work


def rehearse(steps: Sequence[Step], bench: Bench, work: Work | None = None) -> Rehearsed:
    """Return what running a file comes to; as `course_of`."""
    return course_of(steps, bench, work).done


def course_of(steps: Sequence[Step], bench: Bench, work: Work | None = None) -> Course:
    """Return a file as it is run, and what that comes to.

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
    scene = scene_of(steps, bench)
    runs = runs_of(scene)
    work.step(0.1)
    pieces, kerfs = freed(runs, bench.sheet)
    work.step(0.4)
    whole = over_tabs(scene, runs, pieces, kerfs) if bench.wanted else (runs, pieces, kerfs, [])
    parts, moved = laid_on(bench.wanted, whole[1], whole[0])
    if moved != (0.0, 0.0):
        fields = tuple(_moved(one, *moved) for one in bench.fields)
        sheet = _box_moved(bench.sheet, *moved)
        scene = replace(scene, bench=replace(bench, wanted=parts, fields=fields, sheet=sheet))
        if sheet is not None:  # it lies about the part, wherever the file has that
            pieces, kerfs = freed(runs, sheet)
        whole = over_tabs(scene, runs, pieces, kerfs)
    work.step(0.5)
    events = [*beside(scene)]
    work.step(0.6)
    events += order(scene, runs, pieces, kerfs)
    work.step(0.7)
    off, beyond, deep = None, None, None
    suspect = unit(scene)
    events += suspect
    if bench.wanted and not suspect:
        events += into_parts(scene, runs, kerfs)
        events += missed(scene, whole[0], whole[2])
        events += loose(scene, runs, pieces)
        off, beyond = off_outline(scene, whole[0], whole[1], whole[2], whole[3])
        work.step(0.8)
        deep, high = _floors(scene)
        events += high
    events.sort(key=lambda one: one.at_s)
    done = Rehearsed(
        events=tuple(events),
        pieces=len(pieces),
        deviation=None if off is None else off.mm,
        deviation_at=None if off is None else off.at,
        beyond_radius=beyond,
        depth_off=None if deep is None else deep.mm,
        seconds=float(scene.when[-1]) if len(scene.when) else 0.0,
        cut_mm=float(cut_of(scene).sum()),
        rapid_mm=float(scene.table.far[scene.table.rapid].sum()),
        pierces=int(pierced(scene).sum()),
        freed=tuple(one.shape for one in pieces),
        kerfs=tuple(kerfs),
        moved=moved,
    )
    return Course(scene, tuple(runs), tuple(pieces), done)


def _box_moved(box: Box | None, x: float, y: float) -> Box | None:
    return None if box is None else (box[0] + x, box[1] + y, box[2] + x, box[3] + y)


def _moved(field: Field, x: float, y: float) -> Field:
    return field._replace(shape=shapely.transform(field.shape, lambda points: points + [x, y]))


def _floors(scene: Scene) -> tuple[Off | None, list[Event]]:
    """Return how far pockets' floors are off, from the heights that the file's bits leave."""
    if scene.flat or not any(one.pocket for one in scene.bench.fields):
        return None, []
    widest = max(scene.bench.width, *(t.diameter_mm for t in scene.bench.tools.values()), 1.0)
    relief = Relief(box_of(scene, widest))
    carve(relief, scene, np.arange(len(scene.steps)))
    return floors(scene, relief)

"""When each step of a file is done, with the machine's limits."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.cutting.timing import times
from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.steps import Step
from silhueta.core.shop.machines import Machine


def ends(steps: Sequence[Step], machine: Machine) -> Floats:
    """Return when each step ends, (N,) seconds from the start.

    Cuts that follow each other are gone through without a stop, so they are timed together; within
    them time is shared by length.
    """
    spent = np.zeros(len(steps))
    start = 0
    for stop in range(1, len(steps) + 1):
        goes_on = stop < len(steps) and (
            steps[stop].motion.kind == steps[start].motion.kind == "cut"
        )
        if goes_on:
            continue
        group = [one.motion for one in steps[start:stop]]
        if group[0].kind == "tool":
            # the first is no change; times() counts one from the second on
            seconds = machine.tool_change_seconds if start else 0.0
        else:
            seconds = times(group, machine).seconds
        far = np.array([long(one) for one in steps[start:stop]])
        share = far / far.sum() if far.sum() > 0 else np.full(len(far), 1 / len(far))
        spent[start:stop] = seconds * share
        start = stop
    return np.cumsum(spent)


def long(step: Step) -> float:
    """Return how far a step goes, mm; arcs by their chords where they do not turn."""
    points, bulges = step.motion.points, step.motion.bulges
    if len(points) < 2:
        return 0.0
    chord = np.hypot(*np.diff(points[:, :2], axis=0).T)
    turn = 4 * np.arctan(np.abs(bulges))
    round_ = np.where(turn > 1e-9, turn / 2 / np.maximum(np.sin(turn / 2), 1e-12), 1.0)
    return float(np.hypot(chord * round_, np.diff(points[:, 2])).sum())

"""When each step of a file is done, with the machine's limits.

The machine stands still where it goes on from cutting to something else, as the tool is put on or
off there; cuts that follow each other are gone through, corners as fast as they can be rounded
(cutting.timing has the formulas and their sources).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.cutting.timing import corner_speed, profile, walk
from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.steps import Step
from silhueta.core.rehearsal.table import StepTable
from silhueta.core.shop.machines import Machine

_REAL = 1e-9  # mm: what is shorter is no way


def ends(steps: Sequence[Step], table: StepTable, machine: Machine) -> Floats:
    """Return when each step ends, (N,) seconds from the start."""
    spent = np.zeros(len(steps))
    a = machine.acceleration_mm_s2
    for k in np.flatnonzero(~table.moves).tolist():
        one = steps[k].motion
        if one.kind == "wait":
            spent[k] = one.seconds
        elif one.kind == "tool" and k and table.moves[:k].any():  # the first is in already
            spent[k] = machine.tool_change_seconds
    if not len(steps):
        return spent
    up = np.abs(table.last[:, 2] - table.first[:, 2])
    rapid = np.flatnonzero(table.rapid)
    sideways = _alone(table.flat[rapid], machine.rapid_mm_min / 60, a)
    spent[rapid] = np.maximum(sideways, _alone(up[rapid], machine.z_rapid_mm_min / 60, a))
    for k in np.flatnonzero(table.plunge).tolist():
        spent[k] = profile(table.far[k], 0.0, 0.0, float(table.feed[k]) / 60, a)
    _cuts(table, machine, spent)
    found: Floats = np.cumsum(spent)
    return found


def _cuts(table: StepTable, machine: Machine, spent: Floats) -> None:
    """Put in how long cuts take; those that follow each other are gone through in one."""
    rise = table.last[:, 2] - table.first[:, 2]
    size = np.maximum(table.far, 1e-300)
    first, last = (
        np.column_stack([table.flat * np.cos(way), table.flat * np.sin(way), rise]) / size[:, None]
        for way in (table.way_first, table.way_last)
    )
    turn = np.abs(table.turn)
    radius = np.where(turn > _REAL, table.flat / np.maximum(turn, 1e-300), np.inf)
    a = machine.acceleration_mm_s2
    top = np.minimum(np.minimum(table.feed, machine.max_feed_mm_min) / 60, np.sqrt(a * radius))
    edges = np.flatnonzero(np.diff(np.concatenate([[0], table.cut.astype(np.int8), [0]])))
    for begin, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        real = np.flatnonzero(table.far[begin:end] > _REAL) + begin
        if not len(real):
            continue
        cos = np.clip((last[real[:-1]] * first[real[1:]]).sum(axis=1), -1.0, 1.0)
        slower = np.minimum(top[real[:-1]], top[real[1:]])
        corner = np.minimum(corner_speed(cos, a, machine.corner_mm), slower)
        speeds = np.concatenate([[0.0], corner, [0.0]])
        spent[real] = walk(table.far[real], top[real], speeds, a)


@compiled
def _alone(far: Floats, top: float, a: float) -> Floats:
    """Return how long ways take that begin and end at rest, (N,) s."""
    spent = np.zeros(len(far))
    for k in range(len(far)):
        spent[k] = profile(far[k], 0.0, 0.0, top, a)
    return spent

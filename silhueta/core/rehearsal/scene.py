"""A file's steps on a bench, with the time of each: what every look at them begins from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.bench import Bench
from silhueta.core.rehearsal.clock import ends
from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.relief import Cutter, cutter_of
from silhueta.core.rehearsal.steps import Step
from silhueta.core.rehearsal.table import StepTable, table_of
from silhueta.core.shop.machines import machine_of

MOST = 200  # events of one kind: more say nothing new


@dataclass(frozen=True, eq=False)
class Scene:
    """A file's steps on a bench.

    Parameters
    ----------
    steps : sequence of Step
    table : StepTable
        The same as columns.
    bench : Bench
    when : (N,) ndarray, s
        When each of them ends.
    flat : bool
        Whether nothing sinks: torch, beam, jet, knife, or a drawing.

    """

    steps: Sequence[Step]
    table: StepTable
    bench: Bench
    when: Floats
    flat: bool

    def event(self, code: str, k: int, text: str, at: Floats | None = None) -> Event:
        """Return an event at the end of a step, or at a place of it."""
        x, y = (self.table.last[k] if at is None else at)[:2].tolist()
        return Event(code, float(self.when[k]), (x, y), self.steps[k].line, text)

    @cached_property
    def bottoms(self) -> Floats:
        """The Z of the sheet's underside for the tool that is in, step by step, (N,) mm."""
        on_table = np.isin(self.table.tool, self.bench.tables)
        return np.where(on_table, 0.0, -self.bench.thickness)

    def cutter(self, k: int) -> Cutter:
        """Return the underside of the bit that is in at a step."""
        return cutter_of(self.bench.tools.get(int(self.table.tool[k])), self.bench.width)

    @property
    def tops(self) -> Floats:
        """The Z of the sheet's top, step by step, (N,) mm."""
        return self.bottoms + self.bench.thickness

    @cached_property
    def widths(self) -> Floats:
        """How wide the tool is that is in, step by step, (N,) mm."""
        numbers, which = np.unique(self.table.tool, return_inverse=True)
        return np.array([self.bench.width_of(int(n)) for n in numbers])[which]


def scene_of(steps: Sequence[Step], bench: Bench) -> Scene:
    """Return steps on a bench; without a machine they are timed as the process's generic one."""
    table = table_of(steps)
    when = ends(steps, table, bench.machine or machine_of(bench.process, None))
    low = table.low[table.working, 2]
    return Scene(steps, table, bench, when, bench.is_flat(float(low.min()) if len(low) else 0.0))

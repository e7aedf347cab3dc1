"""A program to be looked at: its lines, and where each of them goes on the part."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from pathlib import Path as File

import numpy as np

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.program import motions
from silhueta.core.files.plan_job import drawing_of_plan
from silhueta.core.files.program_proof import machine_words
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job
from silhueta.core.rs274.deeds import Deed
from silhueta.core.rs274.interpret import interpret

_ARC = math.radians(3.0)  # between points of an arc that is shown


@dataclass(frozen=True, eq=False)
class ProgramShown:
    """A program's text, and what its lines do.

    Parameters
    ----------
    text : str
    deeds : mapping of int to Deed
        The moves, by their lines from 1.
    shift : (x, y), mm
        From the outline's coordinates to the program's.
    inverse : tuple of str
        Axes that the machine counts the other way.

    """

    text: str
    deeds: dict[int, Deed] = field(default_factory=dict)
    shift: tuple[float, float] = (0.0, 0.0)
    inverse: tuple[str, ...] = ()

    def move(self, line: int) -> Floats | None:
        """Return where a line goes, (N, 2) mm in the outline's coordinates; None: nowhere."""
        deed = self.deeds.get(line)
        if deed is None:
            return None
        points = np.array([deed.start[:2], deed.end[:2]])
        if deed.centre is not None:
            count = max(2, math.ceil(abs(deed.turn) / _ARC) + 1)
            turn = np.linspace(0, deed.turn, count)
            x, y = points[0] - deed.centre
            c, s = np.cos(turn), np.sin(turn)
            points = np.column_stack([c * x - s * y, s * x + c * y]) + deed.centre
        sign = [-1.0 if axis in self.inverse else 1.0 for axis in "XY"]
        moved: Floats = points * sign - self.shift
        return moved

    def words(self, line: int) -> str:
        """Return what a line does, for people."""
        deed = self.deeds.get(line)
        if deed is None:
            return ""
        (x, y, z), (a, b, c) = deed.start, deed.end
        far = math.hypot(a - x, b - y)
        if deed.centre is not None:
            far = abs(deed.turn) * math.dist((x, y), deed.centre)
        how = "between cuts" if deed.kind == "rapid" else f"{deed.feed:g} mm/min"
        if far < 1e-6:
            return f"{'down' if c < z else 'up'} {abs(c - z):.2f} mm, {how}"
        return f"{far:.2f} mm, {how}, Z {c:.2f} mm"


def program_shown(job: Job, plan: Plan) -> ProgramShown:
    """Return the program that would be written for a job's plan.

    Raises
    ------
    FileError
        If nothing is planned, or the machine cannot do it.

    """
    page = None if job.page is None else (job.page[2] - job.page[0], job.page[3] - job.page[1])
    drawing = drawing_of_plan(job, plan, page, File("x.nc"))
    data = program_bytes(
        plan, motions(plan), drawing.units, drawing.shift, drawing.name, drawing.zero
    )
    text = data.decode("ascii")
    found = interpret(text, words=machine_words(plan.machine))
    deeds = {one.line: one for one in found if one.kind in ("rapid", "feed")}
    return ProgramShown(text, deeds, drawing.shift, plan.machine.inverse)

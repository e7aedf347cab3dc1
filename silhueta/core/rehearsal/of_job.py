"""A cut file rehearsed for the window: a job's own, saved or as it would be, or another one."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path as File

import numpy as np

from silhueta.core.cutting.plan import Plan
from silhueta.core.errors import FileError
from silhueta.core.files.cut_job import export_job
from silhueta.core.files.formats import FORMATS, SHOWN, format_named, format_of
from silhueta.core.files.nc import NC
from silhueta.core.files.plan_job import drawing_of_plan, export_plan
from silhueta.core.files.save_all import programs, stem_of
from silhueta.core.job import Job
from silhueta.core.rehearsal.bench import Bench
from silhueta.core.rehearsal.bench_of import (
    Wanted,
    bench_for,
    parts_of,
    tables_of,
    wanted_of_plan,
)
from silhueta.core.rehearsal.course import Course
from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.reading import Reading, Units
from silhueta.core.rehearsal.rehearse import course_of
from silhueta.core.work import Work


@dataclass(frozen=True, eq=False)
class Rehearsal:
    """A cut file that was run, or why it was not.

    Parameters
    ----------
    name : str
        Of the file; of several the first one's, and how many more.
    saved : bool
        Whether it lies on disk as it was run; else it is as it would be saved.
    text : str
        Its lines; of a drawing, one for each path in its order.
    course : Course or None
        None: it was not run.
    held : bool
        Whether it was held against something.
    refused : Event or None
        What was not understood, and where: nothing was run then.
    unit_missing : bool
        Whether it does not say its unit, which then has to be asked.
    shift : (x, y), mm
        From the outline's coordinates to the file's.

    """

    name: str
    saved: bool
    text: str = ""
    course: Course | None = None
    held: bool = False
    refused: Event | None = None
    unit_missing: bool = False
    shift: tuple[float, float] = (0.0, 0.0)


def rehearsed_job(
    job: Job,
    plan: Plan | None,
    frame: tuple[float, float] | None,
    saved: Sequence[File] = (),
    work: Work | None = None,
) -> Rehearsal:
    """Return the rehearsal of a job's own cut file, held against the job.

    Parameters
    ----------
    job : Job
    plan : Plan or None
        Its cut plan; None: its outline is what the file holds.
    frame : (width, height), mm, or None
        Of the picture or page that it came with.
    saved : sequence of Path
        Where it was saved; none: it is written into a folder of its own first, and read there.
    work : Work or None

    Raises
    ------
    FileError
        If the file cannot be written or read, in words.

    """
    work = work or Work()
    with tempfile.TemporaryDirectory(prefix="silhueta-") as folder:
        files = list(saved) or _written(job, plan, frame, File(folder))
        read = Reading()
        with work.stage("read"):
            for file in files:
                read.add(file, None if plan is None else plan.machine, None)
        planned = plan is not None and (not read.drawing or job.cut_file.holds == "plan")
        if planned:
            assert plan is not None
            shift = drawing_of_plan(job, plan, frame, files[0]).shift
            wanted = wanted_of_plan(job, plan, shift)
            through = [one.tool.diameter_mm for one in plan.entries if one.through]
            if through:
                wanted = wanted._replace(width=through[0])
        else:
            shift = (0.0, 0.0)
            wanted = Wanted(parts_of(job, shift))
    more = f" and {len(files) - 1} more" if len(files) > 1 else ""
    made = Rehearsal(files[0].name + more, bool(saved), "\n".join(read.lines), shift=shift)
    machine = plan.machine if planned and plan is not None else None
    return _run(made, read, replace(bench_for(wanted, machine), drawing=read.drawing), work)


def rehearsed_file(
    file: File,
    units: Units | None = None,
    against: tuple[Job, Plan | None] | None = None,
    work: Work | None = None,
) -> Rehearsal:
    """Return the rehearsal of a file of whatever origin, held against a job or against nothing.

    Raises
    ------
    FileError
        If it cannot be read, in words.

    """
    work = work or Work()
    job, plan = against or (None, None)
    read = Reading()
    with work.stage("read"):
        read.add(file, None if plan is None else plan.machine, units)
    wanted = Wanted(())
    if job is not None:
        parts = Wanted(parts_of(job, (0.0, 0.0)))
        wanted = parts if plan is None else wanted_of_plan(job, plan, (0.0, 0.0))
        if read.drawing:
            wanted = wanted._replace(width=None)
    if not wanted.tables:
        wanted = wanted._replace(tables=tables_of(read.steps, wanted.process))
    bench = replace(bench_for(wanted, None if plan is None else plan.machine), drawing=read.drawing)
    # a file that is held against nothing lies where it says
    made = Rehearsal(file.name, True, "\n".join(read.lines))
    return _run(made, read, bench, work)


def _run(made: Rehearsal, read: Reading, bench: Bench, work: Work) -> Rehearsal:
    if read.refused is not None or read.unit_missing:
        return replace(made, refused=read.refused, unit_missing=bool(read.unit_missing))
    with work.stage("rehearse"):
        course = course_of(read.steps, bench, work)
    shift = (np.array(made.shift) + course.done.moved).tolist()
    return replace(made, course=course, held=bool(bench.wanted), shift=(shift[0], shift[1]))


def _written(
    job: Job, plan: Plan | None, frame: tuple[float, float] | None, folder: File
) -> list[File]:
    """Write what would be saved, and return its files in their order."""
    form = format_named(job.cut_file.format)
    if form in SHOWN:  # on paper and in pictures nothing is cut
        form = FORMATS[0] if plan is None else NC
    target = folder / (stem_of(job.name) + form.suffix)
    if plan is not None and form is NC:
        outputs = programs(job, plan, target, frame)
        for one in outputs:
            one.write()
        return [one.target for one in outputs]
    if form is NC:
        raise FileError("a program needs the process; choose it at Plan")
    if plan is not None and job.cut_file.holds == "plan":
        export_plan(job, plan, frame, target)
    else:
        export_job(job, frame, target)
    assert format_of(target) is form
    return [target]

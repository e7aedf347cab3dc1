"""Everything that a job leads to, written into one folder, each file proven by itself."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path as File
from typing import NamedTuple

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.timing import Times
from silhueta.core.errors import SilhuetaError
from silhueta.core.files.cut_job import export_job
from silhueta.core.files.formats import FORMATS, format_named
from silhueta.core.files.nc import NC
from silhueta.core.files.plan_job import by_tool, export_plan
from silhueta.core.files.setup_list import write_setup
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture
from silhueta.core.wording import counted
from silhueta.core.work import Work

_LONGEST = 60  # letters of a file's name: folders of some systems end at 255 bytes


class Output(NamedTuple):
    """A file: its name, what it is, and what writes it and says how it was proven."""

    target: File
    what: str
    write: Callable[[], str]


class Kept(NamedTuple):
    """What became of one file, in words; `fault`: it was not written, and why."""

    name: str
    text: str
    fault: bool


def stem_of(name: str) -> str:
    """Return a name that every system takes for a file."""
    bare = re.sub(r"[^\w-]+", "_", name.strip().lower()).strip("_")[:_LONGEST]
    return bare or "part"


def outputs(
    job: Job,
    made: tuple[Plan, Times] | None,
    folder: File,
    frame: tuple[float, float] | None = None,
    picture: Picture | None = None,
    mm_per_px: float = 0.0,
) -> list[Output]:
    """Return what a job leads to: outline, plan, program, set-up list, paper proof, picture.

    Parameters
    ----------
    job : Job
    made : (Plan, Times) or None
        Its cut plan, where it has one.
    folder : Path
    frame : (width, height), mm, or None
        Of the picture or page that it came with.
    picture : Picture or None
        That the outline lies on.
    mm_per_px : float
        Of the picture.

    """
    stem = stem_of(job.name)
    form = format_named(job.cut_file.format)
    suffix = (form if form in FORMATS else FORMATS[0]).suffix

    def outline(target: File) -> Callable[[], str]:
        def write() -> str:
            got = export_job(job, frame, target, picture, mm_per_px).figures
            return (
                f"read back: {counted(got.outer_loops + got.holes, 'loop')} closed, "
                f"{got.size_mm[0]:.2f} x {got.size_mm[1]:.2f} mm"
            )

        return write

    def shown(target: File, how: str) -> Callable[[], str]:
        def write() -> str:
            export_job(job, frame, target, picture, mm_per_px)
            return how

        return write

    found = [Output(folder / f"{stem}{suffix}", "the outline", outline(folder / f"{stem}{suffix}"))]
    if made is not None:
        found += _planned(job, made, folder, frame, suffix)
    proof, image = folder / f"{stem}-proof.pdf", folder / f"{stem}.png"
    bars = "its bars were measured, and ink was found along the outline"
    found.append(Output(proof, "the paper proof", shown(proof, bars)))
    size = "opened again: its size and its dpi are right"
    found.append(Output(image, "the picture", shown(image, size)))
    return found


def _planned(
    job: Job,
    made: tuple[Plan, Times],
    folder: File,
    frame: tuple[float, float] | None,
    suffix: str,
) -> list[Output]:
    """Return what a cut plan leads to; a program for each tool where the machine changes none."""
    plan, times = made
    stem = stem_of(job.name)
    drawn = folder / f"{stem}-plan{suffix}"

    def write_drawing() -> str:
        export_plan(job, plan, frame, drawn)
        return "read back: the same"

    found = [Output(drawn, "the cut plan", write_drawing)]
    found += programs(job, plan, folder / f"{stem}.nc", frame)
    listed = folder / f"{stem}-setup.pdf"

    def write_list() -> str:
        write_setup(job, plan, times, listed)
        return "written"

    return [*found, Output(listed, "the set-up list", write_list)]


def programs(job: Job, plan: Plan, target: File, frame: tuple[float, float] | None) -> list[Output]:
    """Return the programs of a plan: one, or one for each tool.

    One for each where that was chosen, or the machine changes no tools; what tells them apart
    stands behind the name: OUT-1-pocket.nc.
    """
    each = len(plan.tools) > 1 and (
        bool(NC.value(job.cut_file, "split")) or not plan.machine.tool_change
    )
    every = [(target, plan)]
    if each:
        every = [
            (target.with_name(f"{target.stem}-{name}{target.suffix}"), own)
            for name, own in by_tool(plan)
        ]

    def exported(file: File, own: Plan) -> Callable[[], str]:
        def write() -> str:
            export_plan(job, own, frame, file)
            return "read again line by line: it does what the plan says"

        return write

    return [Output(file, "the program", exported(file, own)) for file, own in every]


def save_all(files: list[Output], work: Work | None = None) -> list[Kept]:
    """Write files one after the other; one that cannot be written harms no other."""
    work = work or Work()
    kept = []
    for k, one in enumerate(files):
        work.step(k / len(files))
        try:
            kept.append(Kept(one.target.name, f"{one.what}; {one.write()}", False))
        except SilhuetaError as error:
            kept.append(Kept(one.target.name, f"{one.what} was not written: {error}", True))
    return kept

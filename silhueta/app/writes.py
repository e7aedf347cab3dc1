"""What is written beside the interface: cut files, jobs, lists, and all of it into a folder."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from silhueta.app.planning import planned_of
from silhueta.core.job import Job
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.files.proof import Proof
    from silhueta.core.files.save_all import Kept, Output
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.picture.decode import Picture


class LiesOn(NamedTuple):
    """What an outline lies on: its size in mm, and the picture, where there is one."""

    frame: tuple[float, float]
    picture: Picture | None = None
    mm_per_px: float = 0.0


class SavedAll(NamedTuple):
    """Files that were saved into a folder, and what became of each."""

    folder: File
    kept: list[Kept]


Apart = Sequence[tuple[str, "Outline"]]


def exported_apart(job: Job, found: Apart, target: File, own: set[File]) -> list[Proof]:
    """Write outlines to a file each, all or none, and return their proofs.

    Nobody was asked about these names: what is there already and was not written so before
    (`own`, which is added to) stays.
    """
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.errors import FileError
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export

    plan = job.cut_file
    targets = [target.with_name(f"{target.stem}-{name}{target.suffix}") for name, _ in found]
    for file in targets:
        if file.exists() and file.resolve() not in own:
            raise FileError(f"{file.name} exists already and would be lost; give another name")
    with all_or_none():
        proofs = [
            export(draw(outline, plan.units, "corner"), file, plan)
            for (_, outline), file in zip(found, targets, strict=True)
        ]
    own.update(file.resolve() for file in targets)
    return proofs


def saved(job: Job, target: File, marks: dict[str, Job]) -> None:
    """Write a job file."""
    from silhueta.core.files.job_file import save_job

    save_job(job, target, marks)


def wrote_gauge(name: str, target: File) -> None:
    """Write a gauge sheet."""
    from silhueta.core.datum.gauge import gauge_pdf
    from silhueta.core.files.atomic import write_whole

    write_whole(target, gauge_pdf(name))


def wrote_setup(job: Job, target: File) -> File:
    """Write the set-up list of a job's plan, and return its file."""
    from silhueta.core.files.setup_list import write_setup

    write_setup(job, *planned_of(job), target)
    return target


def exported(job: Job, on: LiesOn, target: File) -> Proof:
    """Write a job's outline or its plan, as the job and the name say, and return the proof."""
    from silhueta.core.files.formats import SHOWN, format_of

    if job.cut_file.holds == "plan" and format_of(target) not in SHOWN:
        from silhueta.core.files.plan_job import export_plan

        return export_plan(job, planned_of(job).plan, on.frame, target)[1]
    from silhueta.core.files.cut_job import export_job

    return export_job(job, on.frame, target, on.picture, on.mm_per_px)


def saved_all(files: list[Output], folder: File, work: Work) -> SavedAll:
    """Write several files, and return what became of each."""
    from silhueta.core.files.save_all import save_all

    return SavedAll(folder, save_all(files, work))

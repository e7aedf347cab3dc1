"""Writing what `tidy` and `true` made of a drawing or a job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING

import click

from silhueta.cli.plan import plan_told
from silhueta.core.errors import FileError

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.files.proof import Proof
    from silhueta.core.files.svg_read import ReadDrawing
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.job import Job
    from silhueta.core.trace_settings import Keep
    from silhueta.core.work import Work


job_option = click.option(
    "--job",
    "job_file",
    type=click.Path(path_type=File),
    metavar="OUT.silhueta",
    help="Keep the job.",
)


def check_page(found: ReadDrawing, file: File) -> None:
    """Raise FileError for a drawing that has no page where its own corner is asked for."""
    if click.get_current_context().params["origin"] == "picture" and found.frame is None:
        raise FileError(f"{file.name} has no page; leave --origin at corner")


def worked_job(job: Job, outline: Outline, keep: Keep = "all") -> Job:
    """Return the job with another outline, what points at its edges pointing at them again."""
    from silhueta.core.tidy.choose import keep_only
    from silhueta.core.truing.refs import followed

    made = replace(job, outline=outline)
    made = made if keep == "all" else keep_only(made, keep)
    return followed(job, made)


def write_job(
    job: Job, page: tuple[float, float] | None, output: Sequence[File], file: File, work: Work
) -> tuple[Drawing, list[Proof]]:
    """Write the outline to every output, as its job says and a person typed; return the proofs.

    Raises
    ------
    FileError
        Also where its zero point is the corner of a picture or page that is not known.

    """
    from silhueta.core.files.cut_job import drawing_of
    from silhueta.core.files.export import export

    job = replace(job, cut_file=plan_told(job.cut_file))
    if job.cut_file.origin == "picture" and page is None:
        raise FileError(
            f"{file.name} has its zero point at the picture's corner, which is known in the "
            "window alone; give --origin corner"
        )
    drawings, proofs = [], []
    kept: File | None = click.get_current_context().params["job_file"]
    with work.stage("write"):
        if kept is not None:
            from silhueta.core.files.job_file import save_job

            save_job(job, kept)
        for target in output:
            drawings.append(drawing_of(job, page, target))
            proofs.append(export(drawings[-1], target, job.cut_file, work))
    return drawings[-1], proofs

"""The command ``silhueta true``: outlines made exact."""

from __future__ import annotations

from pathlib import Path as File
from typing import Any

import click

from silhueta.cli.exact import check_table, made_true, true_options, true_report
from silhueta.cli.plan import cut_file_options, output_option
from silhueta.cli.progress import Progress
from silhueta.cli.report import check_outputs, told_written, write_report
from silhueta.cli.source import layers_option, noise_of_source, source
from silhueta.cli.writing import check_page, job_option, worked_job, write_job
from silhueta.core.work import Work

_FILE = click.Path(path_type=File)


@click.command("true")
@click.argument("file", type=_FILE)
@output_option
@click.option(
    "--file-units",
    type=click.Choice(["mm", "in", "px"]),
    help="What the file's numbers are, where it does not say. [SVG: px, DXF: mm]",
)
@layers_option
@true_options("safe")
@cut_file_options
@job_option
def true(file: File, output: tuple[File, ...], **given: Any) -> None:
    """Make the outlines in FILE (SVG, DXF, .silhueta) exact, and write cut files, each proven."""
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.files.atomic import all_or_none

    check_table(given["true_"])
    beside = {"--report": (given["report"], ".json"), "--job": (given["job_file"], ".silhueta")}
    check_outputs(output, file, beside)
    work = Work(Progress())
    with work.stage("read"):
        came = source(file, given, check=lambda found: check_page(found, file))
    start = worked_job(came.job, came.job.outline, given["keep"])
    noise = noise_of_source(start)
    asked = (given["true_"], given["hole_sizes"], given["level"])
    done = made_true(start.outline, noise, asked, work)
    with all_or_none():
        drawing, proofs = write_job(worked_job(start, done.outline), came.page, output, file, work)
        if given["report"] is not None:
            from silhueta.core.inspection.figures import report as figures_report

            content = figures_report(drawing.paths(), drawing.units, drawing.groups())
            write_report(given["report"], content | true_report(done, noise, drawing), work)
    told_written(proofs, given["quiet"])

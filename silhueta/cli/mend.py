"""What ``silhueta inspect --mend`` does: findings mended, the result written."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING

import click

from silhueta.cli.progress import say
from silhueta.cli.report import check_outputs
from silhueta.core.files.formats import FORMATS
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.files.inspect_file import ToInspect
    from silhueta.core.inspect_settings import Limits
    from silhueta.core.inspection.mending import Mended
    from silhueta.core.job import Job
    from silhueta.core.units import Unit
    from silhueta.core.work import Work


def codes_told(text: str) -> tuple[str, ...]:
    """Return the codes that were typed, apart.

    Raises
    ------
    click.UsageError
        For one that there is not.

    """
    from silhueta.core.inspection.registry import TITLES

    codes = tuple(dict.fromkeys(code.strip() for code in text.split(",") if code.strip()))
    unknown = [code for code in codes if code not in TITLES]
    if unknown or not codes:
        raise click.UsageError(
            f"--mend: {unknown[0] if unknown else text!r} is no code; there are "
            f"{', '.join(sorted(TITLES))}"
        )
    return codes


def check_mend(text: str | None, output: File | None, file: File) -> None:
    """Raise UsageError where --mend and -o do not go together, or -o has a wrong ending."""
    if (text is None) != (output is None):
        raise click.UsageError("--mend and -o go together: what is mended, and where it is written")
    if output is None:
        return
    if output.suffix.lower() == ".silhueta":
        if file.suffix.lower() != ".silhueta":
            raise click.UsageError(
                f"-o {output}: only a job is written as a job; name a DXF or SVG"
            )
        if output.resolve() == file.resolve():
            raise click.UsageError(f"-o {output} is the job itself; give another name")
    else:
        check_outputs((output,), file, {}, FORMATS)


def mend(came: ToInspect, codes: Sequence[str], limits: Limits, output: File, work: Work) -> Mended:
    """Mend what can be mended, write it, say what was done, and return what came of it."""
    from silhueta.core.inspection.mending import mended

    done = mended(came.job, codes, limits, work)
    with work.stage("write"):
        _write(done.job, came, limits, output, work)
    for code in codes:
        click.echo(f"mended: {code} {counted(done.counts.get(code, 0), 'time')}")
    for words in done.refused:
        say(f"not mended: {words}")
    return done


def _write(job: Job, came: ToInspect, limits: Limits, output: File, work: Work) -> None:
    """Write a job as it says itself, and a drawing where it lay and in its own unit."""
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.export import export
    from silhueta.core.files.formats import format_of
    from silhueta.core.files.job_file import save_job

    if output.suffix.lower() == ".silhueta":
        save_job(job, output)
        return
    if came.is_job:
        from silhueta.core.files.cut_job import export_job

        page = None if job.page is None else (job.page[2] - job.page[0], job.page[3] - job.page[1])
        export_job(job, page, output)
        return
    units: Unit = "in" if came.units == "in" else "mm"
    frame = limits.sheet
    if frame is None and job.page is not None and job.page[:2] == (0.0, 0.0):
        frame = job.page[2:]
    if not format_of(output).paged:
        drawing = draw(job.outline, units, "chosen", None, (0.0, 0.0))
    else:
        drawing = draw(job.outline, units, "corner" if frame is None else "picture", frame)
    export(drawing, output, job.cut_file, work)

"""The command ``silhueta recover``: jobs that a stopped window left, brought back."""

from __future__ import annotations

import time
from pathlib import Path as File

import click

from silhueta.cli.progress import say
from silhueta.cli.report import check_ending, write_report
from silhueta.core.work import Work

_FILE = click.Path(path_type=File)
_FAILED = 3  # exit code where something could not be brought back


@click.command()
@click.option("--list", "listed", is_flag=True, help="Only say what there is.")
@click.option("--to", "folder", type=_FILE, metavar="FOLDER", help="Write the jobs there.")
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write what there is.")
def recover(listed: bool, folder: File | None, report: File | None) -> int:
    """Bring back jobs that were open when a window was stopped: after a crash or a power cut.

    Without --to they are only listed. Their journals stay until they are thrown away in the window.
    """
    from silhueta.core.keep.places import usual
    from silhueta.core.keep.recover import left_behind, save_all_left

    if listed and folder is not None:
        raise click.UsageError("--list writes nothing; leave it out, or --to")
    check_ending({"--report": (report, ".json")})
    left = left_behind(usual().journals)
    written = (
        {} if folder is None else {one[0].file: one[1:] for one in save_all_left(left, folder)}
    )
    rows, wrong = [], False
    for one in left:
        target, why = written.get(one.file, (None, one.wrong))
        wrong = wrong or bool(why)
        if one.back is None:
            say(why)
        else:
            back = one.back
            when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(back.at))
            torn = ", its last moment is torn" if back.torn else ""
            to = f" -> {target}" if target is not None else ""
            last = f"last step {back.last}" if back.last else "no step"
            click.echo(f"{back.history.job.name}, {when}, {last}, {back.steps} steps{torn}{to}")
            if why:
                say(f"{back.history.job.name}: {why}")
        rows.append(
            {
                "journal": one.file.name,
                "name": None if one.back is None else one.back.history.job.name,
                "at": None if one.back is None else one.back.at,
                "last_step": None if one.back is None else one.back.last,
                "steps": None if one.back is None else one.back.steps,
                "file": None if target is None else str(target),
                "wrong": why,
            }
        )
    if not left:
        click.echo("nothing was left: every job was saved, or given up")
    if report is not None:
        write_report(report, {"jobs": rows}, Work())
    return _FAILED if wrong else 0

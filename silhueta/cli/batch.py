"""The command ``silhueta batch``: many pictures through one recipe."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING, Any

import click

from silhueta.cli.progress import say
from silhueta.cli.report import check_ending
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.keep.batch import Limits, Row
    from silhueta.core.keep.recipe import Recipe

_FILE = click.Path(path_type=File)
_FAILED = 3  # exit code where one failed
_ENDINGS = [
    ".png",
    ".jpg",
    ".jpeg",
    ".webp",
    ".bmp",
    ".tif",
    ".tiff",
    ".gif",
    ".heic",
    ".heif",
    ".avif",
    ".pdf",
    ".svg",
    ".dxf",
    ".silhueta",
]


@click.command()
@click.argument("sources", nargs=-1, required=True, type=_FILE, metavar="FOLDER|FILES...")
@click.option("--recipe", type=_FILE, required=True, metavar="RECIPE.toml", help="What is done.")
@click.option("-o", "folder", type=_FILE, required=True, metavar="FOLDER", help="For what is made.")
@click.option("-j", "count", type=click.IntRange(1, 256), help="Processes. [one a processor]")
@click.option("--resume", is_flag=True, help="Leave out what is done by this very recipe.")
@click.option("--report", type=_FILE, metavar="OUT.csv", help="Write a line a picture.")
@click.option("--page", type=_FILE, metavar="OUT.html", help="Write a page to look through.")
@click.option(
    "--seconds",
    type=click.FloatRange(1),
    default=300,
    show_default=True,
    help="That one picture may take.",
)
@click.option(
    "--memory",
    type=click.FloatRange(1, 1000),
    default=6,
    show_default=True,
    help="Gigabytes that one picture may take.",
)
@click.option("--scheduler", metavar="tcp://...", help="Share the work by dask.distributed.")
def batch(
    sources: tuple[File, ...],
    recipe: File,
    folder: File,
    report: File | None,
    page: File | None,
    **given: Any,
) -> int:
    """Take many pictures through one recipe, and go on when one fails.

    Ends with 3 when one failed.
    """
    from silhueta.core.errors import FileError, reason_of
    from silhueta.core.keep.batch import Limits, Log, named_apart, write_csv
    from silhueta.core.keep.hold import stamp_of
    from silhueta.core.keep.recipe import read_recipe

    check_ending({"--report": (report, ".csv"), "--page": (page, ".html")})
    read = read_recipe(recipe)
    _check(read, recipe)
    files = _files(sources)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"cannot make {folder}: {reason_of(error)}; choose another") from error
    stems = dict(zip(files, named_apart(files), strict=True))
    log = Log(folder, read.mark)
    rows: dict[File, Row] = {}
    if given["resume"]:
        known = log.done()
        for file in files:
            row = known.get(str(file.absolute()))
            if row is not None and row.state == "done" and row.stamp == list(stamp_of(file) or ()):
                rows[file] = row
        if rows:
            say(f"{counted(len(rows), 'picture')} done already")
    else:
        log.begin()
    todo = [(file, stems[file]) for file in files if file not in rows]
    limits = Limits(given["seconds"], int(given["memory"] * 1e9))
    before = signal.signal(
        signal.SIGTERM, _stopped
    )  # as a window ends it: what is done is told first
    try:
        for file, row in _done(todo, read, folder, limits, given):
            log.add(file, row)
            rows[file] = row
            state = row.state if row.state == "done" else f"failed: {row.error}"
            click.echo(f"{len(rows)}/{len(files)} {file.name} {state}")
    finally:  # also where somebody stops it: what is done is told
        signal.signal(signal.SIGTERM, before)
        ordered = [rows[file] for file in files if file in rows]
        if report is not None:
            write_csv(ordered, report)
        if page is not None:
            from silhueta.core.keep.batch_page import write_page

            write_page(ordered, {file.name: file for file in files}, folder, recipe.name, page)
    failed = [row for row in ordered if row.state != "done"]
    if failed:
        say(f"{counted(len(failed), 'picture')} of {len(files)} failed")
    return _FAILED if failed else 0


def _stopped(*_: object) -> None:
    raise KeyboardInterrupt


def _files(sources: Sequence[File]) -> list[File]:
    """Return the files that are named, and those in the folders that are.

    Raises
    ------
    click.UsageError
        If there is none.

    """
    found: list[File] = []
    for source in sources:
        if source.is_dir():
            inner = (one for one in source.iterdir() if one.suffix.lower() in _ENDINGS)
            found += sorted(one for one in inner if one.is_file() and one.name[0] != ".")
        else:
            found.append(source)
    if not found:
        raise click.UsageError("there is no picture in what was named")
    return list(dict.fromkeys(found))


def _check(read: Recipe, file: File) -> None:
    """Raise FileError for options and endings that there are none of, before anything is done."""
    from silhueta.cli.chain import COMMANDS
    from silhueta.core.errors import FileError
    from silhueta.core.files.formats import FORMATS, SHOWN

    endings = {one.suffix.lstrip(".") for one in (*FORMATS, *SHOWN)} | {"nc"}
    for ending in read.formats:
        if ending not in endings:
            raise FileError(f"{file.name}: there is no format {ending}; {', '.join(endings)} are")
    if "nc" in read.formats and "cut" not in read.steps:
        raise FileError(f"{file.name}: a program needs a plan; add [cut] with its process")
    own = ("--report", "--job", "-o")
    for step in read.steps:
        options = {
            name
            for one in COMMANDS[step].params
            for name in (*one.opts, *one.secondary_opts)
            if name.startswith("--") and name not in own
        }
        for word in read.words(step):
            if word.startswith("--") and word not in options:
                raise FileError(
                    f"{file.name}: `silhueta {step}` has no option {word.lstrip('-')} for a recipe"
                )


def _done(
    todo: Sequence[tuple[File, str]],
    read: Recipe,
    folder: File,
    limits: Limits,
    given: dict[str, Any],
) -> Iterator[tuple[File, Row]]:
    """Yield what comes of each file, on this machine or by a scheduler."""
    from silhueta.cli.chain import task_of
    from silhueta.core.keep.batch import run

    tasks = [task_of(file.absolute(), read, folder.absolute(), stem) for file, stem in todo]
    by_path = {str(file.absolute()): file for file, _ in todo}
    if given["scheduler"] is not None:
        from silhueta.cli.cluster import spread

        for task, row in spread(tasks, given["scheduler"], limits):
            yield by_path[task["file"]], row
        return
    count = given["count"] or os.cpu_count() or 1
    worker = [sys.executable, "-m", "silhueta.cli.chain"]
    for task, row in run(tasks, worker, count, limits):
        yield by_path[task["file"]], row

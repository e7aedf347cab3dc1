"""The commands ``silhueta shelf``: jobs that are kept, and found again."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING

import click

from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_ending, write_report
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.keep.entry import Entry
    from silhueta.core.keep.shelf import Shelf

_FILE = click.Path(path_type=File)
_MOST = 10_000  # jobs that are listed
_folder = click.option("--shelf", "folder", type=_FILE, metavar="FOLDER", help="Another shelf.")
_report = click.option("--report", type=_FILE, metavar="OUT.json", help="Write what was found.")
_order = click.option(
    "--sort",
    "order",
    type=click.Choice(["used", "name", "size", "saved"]),
    default="name",
    help="In this order. [name]",
)


@click.group()
def shelf() -> None:
    """Keep jobs in a plain folder, and find them again by words or by size."""


@shelf.command("list")
@_folder
@_order
@_report
def list_jobs(folder: File | None, order: str, report: File | None) -> int:
    """List the jobs on the shelf, one a line, its name first."""
    return _found("", folder, order, report)


@shelf.command()
@click.argument("words", nargs=-1, required=True)
@_folder
@_order
@_report
def find(words: tuple[str, ...], folder: File | None, order: str, report: File | None) -> int:
    """Find jobs that have all WORDS, or are of a size ("120 x 80")."""
    return _found(" ".join(words), folder, order, report)


@shelf.command()
@click.argument("files", nargs=-1, required=True, type=_FILE, metavar="FILE...")
@_folder
@_report
def add(files: tuple[File, ...], folder: File | None, report: File | None) -> int:
    """Copy job files onto the shelf; a ZIP that `export` wrote is taken in whole."""
    from silhueta.core.errors import FileError

    check_ending({"--report": (report, ".json")})
    kept = _shelf(folder)
    rows, failed = [], False
    for file in files:
        try:
            added = kept.take_in(file) if file.suffix.lower() == ".zip" else [kept.add(file)]
        except FileError as error:
            say(str(error))
            failed = True
            rows.append({"source": str(file), "files": [], "wrong": str(error)})
            continue
        for one in added:
            click.echo(one.name)
        rows.append({"source": str(file), "files": [one.name for one in added], "wrong": ""})
    kept.look()
    if report is not None:
        write_report(report, {"added": rows}, Work())
    return 1 if failed else 0


@shelf.command()
@click.argument("name")
@_folder
@_report
def show(name: str, folder: File | None, report: File | None) -> None:
    """Say all that is known of one job, by its file's name or its own."""
    check_ending({"--report": (report, ".json")})
    kept = _shelf(folder)
    kept.look()
    one = kept.named(name)
    for key, value in _told(one, kept).items():
        if value not in ("", None, [], 0.0):
            click.echo(f"{key.removesuffix('_mm').replace('_', ' ')}: {value}")
    if report is not None:
        write_report(report, _told(one, kept), Work())


@shelf.command()
@click.argument("target", type=_FILE, metavar="OUT.zip")
@_folder
def export(target: File, folder: File | None) -> None:
    """Pack the whole shelf into a ZIP, which `add` takes in again."""
    if target.suffix.lower() != ".zip":
        raise click.UsageError(f"{target}: the name must end in .zip")
    count = _shelf(folder).export(target)
    click.echo(f"{count} jobs in {target}")


@shelf.command()
@_folder
@_report
def rebuild(folder: File | None, report: File | None) -> None:
    """Work the index out anew from the files on the shelf."""
    check_ending({"--report": (report, ".json")})
    kept = _shelf(folder)
    work = Work(Progress())
    with work.stage("read"):
        looked = kept.rebuild(work)
    click.echo(f"{looked.new - looked.wrong} jobs")
    _say_wrong(kept)
    if report is not None:
        wrong = [{"file": one.file, "wrong": one.wrong} for one in kept.unreadable()]
        write_report(report, {"jobs": looked.new - looked.wrong, "unreadable": wrong}, work)


def _shelf(folder: File | None) -> Shelf:
    from silhueta.core.keep.places import usual
    from silhueta.core.keep.shelf import Shelf

    return Shelf(folder or usual().shelf)


def _found(text: str, folder: File | None, order: str, report: File | None) -> int:
    """List what is found, and return the exit code: 3 where nothing is."""
    check_ending({"--report": (report, ".json")})
    kept = _shelf(folder)
    work = Work(Progress())
    with work.stage("read"):
        kept.look(work)
    found = kept.find(text, order, _MOST)  # type: ignore[arg-type]
    for one in found:
        rest = [one.name if one.name != one.file.removesuffix(".silhueta") else "", one.size]
        rest += [one.material, one.process, one.customer, one.words]
        click.echo("  ".join([one.file.removesuffix(".silhueta"), *filter(None, rest)]))
    _say_wrong(kept)
    if report is not None:
        rows = [_told(one, kept) for one in found]
        wrong = [{"file": one.file, "wrong": one.wrong} for one in kept.unreadable()]
        write_report(report, {"jobs": rows, "unreadable": wrong}, work)
    return 0


def _say_wrong(kept: Shelf) -> None:
    for one in kept.unreadable()[:5]:
        say(one.wrong)


def _told(one: Entry, kept: Shelf) -> dict[str, object]:
    """Return what a report says of a job."""
    return {
        "name": one.name,
        "file": one.file,
        "path": str(kept.folder / one.file),
        "description": one.description,
        "words": [word for word in one.words.split(", ") if word],
        "maker": one.maker,
        "customer": one.customer,
        "material": one.material,
        "process": one.process,
        "width_mm": round(one.width, 3),
        "height_mm": round(one.height, 3),
    }

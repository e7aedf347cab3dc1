"""The command ``silhueta rehearse``: a cut file itself, run before steel is cut."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING, Any

import click

from silhueta.cli.plan import typed_options
from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_outputs, write_report
from silhueta.cli.values import Length, Size
from silhueta.core.inspect_settings import PROCESSES
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.rehearsal.bench_of import Wanted
    from silhueta.core.rehearsal.event import Rehearsed
    from silhueta.core.rehearsal.rehearse import Bench
    from silhueta.core.rehearsal.steps import Step
    from silhueta.core.shop.machines import Machine

_FILE = click.Path(path_type=File)
_STOPS = 3  # exit code where something stops the cut
_TOLD = 200  # events that are told one by one
_PROGRAMS = (".nc", ".ngc", ".gcode", ".tap", ".txt")


@click.command()
@click.argument("file", type=_FILE)
@click.option("--against", type=_FILE, metavar="FILE", help="What should come of it.")
@click.option("--process", type=click.Choice(PROCESSES), help="How it is cut.")
@click.option("--kerf", type=Length(zero=True), help="What torch, beam or jet takes away.")
@click.option("--bit", type=Length(), help="Diameter of the bit.")
@click.option("--thickness", type=Length(), help="Of the sheet.")
@click.option("--sheet", type=Size(), help="The sheet, its lower left at the file's (0, 0).")
@click.option("--machine", metavar="NAME|FILE", help="A machine record. [the process's own]")
@click.option("--units", type=click.Choice(["mm", "in"]), help="Of a file that does not say.")
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write what happened.")
@click.option("--picture", type=_FILE, metavar="OUT.png", help="Draw what is cut.")
def rehearse(file: File, report: File | None, picture: File | None, **given: Any) -> int:
    """Run FILE (RS-274 program, DXF, SVG) as a machine would, and say what goes wrong.

    Ends with 3 where something stops the cut: one line an event.
    """
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.rehearsal.event import Event, Rehearsed
    from silhueta.core.rehearsal.picture import write_picture
    from silhueta.core.rehearsal.rehearse import rehearse as run
    from silhueta.core.rs274.interpret import NotUnderstoodError, UnitMissingError

    check_outputs((), file, {"--report": (report, ".json"), "--picture": (picture, ".png")})
    if given["kerf"] is not None and given["bit"] is not None:
        raise click.UsageError("--kerf and --bit are two words for one width; give one of them")
    work = Work(Progress())
    try:
        with work.stage("read"):
            machine = _machine(given)
            steps = _steps(file, given, machine)
    except UnitMissingError as error:
        raise click.UsageError(f"{file.name}, {error}; give --units mm or --units in") from error
    except NotUnderstoodError as error:
        text = f"{error}; nothing of it was run"
        done = Rehearsed((Event("not-understood", 0.0, (0.0, 0.0), error.line, text),))
        return _tell(done, report, work)
    with work.stage("rehearse"):
        bench = _bench(file, steps, given, machine)
        done = run(steps, bench, work)
    if done.moved != (0.0, 0.0):
        x, y = done.moved
        say(f"{given['against'].name} was moved by {x:.2f}, {y:.2f} mm onto the cut")
    if picture is not None:
        write_picture(done, bench.sheet, picture)
    return _tell(done, report, work)


def _tell(done: Rehearsed, report: File | None, work: Work) -> int:
    """Say what happened, write it, and return the exit code."""
    for one in done.events[:_TOLD]:
        x, y = one.at
        click.echo(
            f"{one.code} at {one.at_s:.1f} s, {x:.2f}, {y:.2f} mm, line {one.line}: {one.text}"
        )
    if len(done.events) > _TOLD:
        click.echo(f"and {len(done.events) - _TOLD:,} events more; --report has them all")
    if not done.stops:
        minutes, seconds = divmod(round(done.seconds), 60)
        told = f"{done.pieces} pieces, {minutes}:{seconds:02d}"
        if done.deviation is not None:
            told += f", {done.deviation:.3f} mm off what was wanted at most"
        click.echo(f"runs through: {told}")
    if report is not None:
        write_report(
            report,
            {
                "events": [
                    {
                        "code": one.code,
                        "severity": one.severity,
                        "at_s": round(one.at_s, 3),
                        "at_mm": [round(v, 6) for v in one.at],
                        "line": one.line,
                        "text": one.text,
                    }
                    for one in done.events
                ],
                "pieces": done.pieces,
                "deviation_mm": None if done.deviation is None else round(done.deviation, 6),
                "seconds": round(done.seconds, 2),
                "cut_mm": round(done.cut_mm, 3),
                "rapid_mm": round(done.rapid_mm, 3),
                "pierces": done.pierces,
            },
            work,
            "stage_seconds",
        )
    return _STOPS if done.stops else 0


def _machine(given: dict[str, Any]) -> Machine | None:
    """Return the machine that was named, or the process's own; None where neither was told."""
    from silhueta.core.shop.machines import is_file, known_machines, load_machines, machine_of

    named = given["machine"]
    if named is None:
        return None if given["process"] is None else machine_of(given["process"], None)
    if is_file(named):
        read = load_machines(File(named))
        for fault in read.wrong:
            say(fault)
        first: Machine = read.records[0]
        return first
    return machine_of(given["process"], named, known_machines()[0])


def _steps(file: File, given: dict[str, Any], machine: Machine | None) -> list[Step]:
    """Return the steps of a file."""
    from silhueta.core.errors import FileError
    from silhueta.core.files.atomic import read_bytes
    from silhueta.core.files.inspect_file import read_drawing
    from silhueta.core.files.program_proof import machine_words
    from silhueta.core.rehearsal.steps import of_drawing, of_program

    if file.suffix.lower() in _PROGRAMS:
        text = read_bytes(file).decode("latin-1")
        words = None if machine is None else machine_words(machine)
        return of_program(text, given["units"], words)
    drawing = read_drawing(file)
    if not drawing.says_units:
        if given["units"] is None:
            raise click.UsageError(
                f"{file.name} does not say its unit; give --units mm or --units in"
            )
        drawing = drawing.taken_as(given["units"])
    steps = of_drawing(drawing)
    if not steps:
        raise FileError(f"{file.name} holds nothing that goes through the sheet")
    return steps


def _bench(file: File, steps: list[Step], given: dict[str, Any], machine: Machine | None) -> Bench:
    """Return what the file is run on, and what it is held against."""
    from silhueta.core.inspection.limits import Limits, tool_of
    from silhueta.core.rehearsal.bench_of import Wanted, tables_of, wanted_of
    from silhueta.core.rehearsal.rehearse import Bench

    typed = typed_options()
    wanted: Wanted = Wanted(()) if given["against"] is None else wanted_of(given["against"])
    process = given["process"] or wanted.process
    width = given["kerf"] if given["bit"] is None else given["bit"]
    widths = {} if width is not None else wanted.widths or {}
    if width is None:
        width = wanted.width
    if width is None:
        program = file.suffix.lower() in _PROGRAMS
        # a drawing's lines are the part itself, unless somebody says how wide the tool is
        width = tool_of(Limits(process)) if process is not None and program else 0.0
    sheet = given["sheet"]
    thickness = given["thickness"] or wanted.thickness
    return Bench(
        process,
        width,
        widths,
        thickness,
        None if sheet is None else (0.0, 0.0, *sheet),
        machine,
        wanted.parts,
        wanted.held and "bit" not in typed,
        wanted.tables or tables_of(steps, process),
    )

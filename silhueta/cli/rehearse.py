"""The command ``silhueta rehearse``: a cut file itself, run before steel is cut."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING, Any

import click

from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_outputs, write_report
from silhueta.cli.values import Length, Size
from silhueta.core.inspect_settings import PROCESSES
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.rehearsal.bench import Bench
    from silhueta.core.rehearsal.bench_of import Wanted
    from silhueta.core.rehearsal.event import Rehearsed
    from silhueta.core.rehearsal.reading import Reading
    from silhueta.core.shop.machines import Machine

_FILE = click.Path(path_type=File)
_STOPS = 3  # exit code where something stops the cut
_TOLD = 200  # events that are told one by one


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
    from silhueta.core.rehearsal.event import Rehearsed
    from silhueta.core.rehearsal.picture import write_picture
    from silhueta.core.rehearsal.reading import Reading
    from silhueta.core.rehearsal.rehearse import course_of

    check_outputs((), file, {"--report": (report, ".json"), "--picture": (picture, ".png")})
    if given["kerf"] is not None and given["bit"] is not None:
        raise click.UsageError("--kerf and --bit are two words for one width; give one of them")
    work = Work(Progress())
    read = Reading()
    with work.stage("read"):
        machine = _machine(given)
        read.add(file, machine, given["units"])
    if read.unit_missing:
        raise click.UsageError(f"{read.unit_missing}; give --units mm or --units in")
    if read.refused is not None:
        text = f"line {read.refused.line}: {read.refused.text}; nothing of it was run"
        return _tell(Rehearsed((read.refused._replace(text=text),)), report, work)
    with work.stage("rehearse"):
        bench = _bench(read, given, machine)
        course = course_of(read.steps, bench, work)
    done = course.done
    if done.moved != (0.0, 0.0):
        x, y = done.moved
        say(f"{given['against'].name} was moved by {x:.2f}, {y:.2f} mm onto the cut")
    if picture is not None:
        write_picture(course, picture)
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
                "deviation_mm": _rounded(done.deviation),
                "deviation_beyond_radius_mm": _rounded(done.beyond_radius),
                "depth_off_mm": _rounded(done.depth_off),
                "seconds": round(done.seconds, 2),
                "cut_mm": round(done.cut_mm, 3),
                "rapid_mm": round(done.rapid_mm, 3),
                "pierces": done.pierces,
            },
            work,
            "stage_seconds",
        )
    return _STOPS if done.stops else 0


def _rounded(mm: float | None) -> float | None:
    return None if mm is None else round(mm, 6)


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


def _bench(read: Reading, given: dict[str, Any], machine: Machine | None) -> Bench:
    """Return what the file is run on, and what it is held against."""
    from silhueta.core.inspection.limits import Limits, tool_of
    from silhueta.core.rehearsal.bench_of import Wanted, bench_for, tables_of, wanted_of

    wanted: Wanted = Wanted(()) if given["against"] is None else wanted_of(given["against"])
    process = given["process"] or wanted.process
    width = given["kerf"] if given["bit"] is None else given["bit"]
    if width is not None:  # somebody knows better which tool is in, and what is left by it
        wanted = wanted._replace(tools={}, width=width, held=wanted.held and given["bit"] is None)
    elif wanted.width is None:
        # a drawing's lines are the part itself, unless somebody says how wide the tool is
        known = process is not None and not read.drawing
        width = tool_of(Limits(process)) if known else 0.0
    if given["sheet"] is not None:
        wanted = wanted._replace(sheet=(0.0, 0.0, *given["sheet"]))
    wanted = wanted._replace(
        process=process,
        thickness=given["thickness"] or wanted.thickness,
        tables=wanted.tables or tables_of(read.steps, process),
    )
    return replace(bench_for(wanted, machine, width or 0.0), drawing=read.drawing)

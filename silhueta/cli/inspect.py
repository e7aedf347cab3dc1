"""The command ``silhueta inspect``: what is in a cut file or a job."""

from __future__ import annotations

from pathlib import Path as File
from typing import Any, cast

import click

from silhueta.cli.mend import check_mend, codes_told
from silhueta.cli.mend import mend as mend_all
from silhueta.cli.plan import typed_options
from silhueta.cli.progress import Progress
from silhueta.cli.report import check_outputs, write_report
from silhueta.cli.source import say_left_out
from silhueta.cli.values import Length, Size
from silhueta.core.inspection.limits import PROCESSES, Limits
from silhueta.core.wording import counted
from silhueta.core.work import Work

_FILE = click.Path(path_type=File)
_STOPS = 3  # exit code where something stops the cut
_TOLD = 200  # findings that are told one by one
_SAID = {"stop": "STOPS THE CUT:", "hurt": "will hurt:", "look": "worth a look:"}


@click.command()
@click.argument("file", type=_FILE)
@click.option("--process", type=click.Choice(PROCESSES), help="How it is cut.")
@click.option("--thickness", type=Length(), help="Of the sheet.")
@click.option("--kerf", type=Length(zero=True), help="What torch, beam or jet takes away.")
@click.option("--bit", type=Length(), help="Diameter of the bit.")
@click.option("--sheet", type=Size(), help="The sheet, its lower left at the file's (0, 0).")
@click.option("--margin", type=Length(zero=True), help="To the sheet's edge.")
@click.option("--min-web", type=Length(), help="The least width of what stays.")
@click.option("--mend", metavar="CODE[,CODE…]", help="Mend the findings of these codes.")
@click.option("-o", "--output", type=_FILE, metavar="OUT", help="What is mended is written here.")
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write the figures.")
def inspect(
    file: File, report: File | None, mend: str | None, output: File | None, **given: Any
) -> int:
    """Say what is in a DXF, an SVG or a job, and what would go wrong when it is cut.

    Ends with 3 where something stops the cut. With --mend, the first remedy of each finding of
    those codes is taken, and what is told is what is left.
    """
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.files.inspect_file import report_of, to_inspect
    from silhueta.core.inspection.registry import findings

    check_outputs((), file, {"--report": (report, ".json")})
    check_mend(mend, output, file)
    codes = () if mend is None else codes_told(mend)
    limits = _limits(given)
    work = Work(Progress())
    with work.stage("read"):
        came = to_inspect(file)
    if output is None:
        every = findings(came.job, limits, work, came.left_out)
    else:
        done = mend_all(came, codes, limits, output, work)
        came, every = came._replace(job=done.job), list(done.left)
    found = report_of(came, every)
    say_left_out(file, cast("dict[str, int]", found["left_out"]))
    width, height = cast("list[float]", found["size_mm"])
    segments = cast("dict[str, int]", found["segments"])
    doubles = "not compared" if found["doubles"] is None else found["doubles"]
    lines = {
        "units": found["file_units"],
        "size": f"{width:,.3f} x {height:,.3f} mm  ({width / 25.4:,.4f} x {height / 25.4:,.4f} in)",
        "closed paths": (
            f"{found['closed_paths']}  ({found['outer_loops']} outer, {found['holes']} holes)"
        ),
        "open paths": found["open_paths"],
        "nodes": found["nodes"],
        "segments": ", ".join(f"{count} {kind}s" for kind, count in segments.items()),
        "crossings": found["self_crossings"],
        "doubles": doubles,
        "area": f"{found['area_mm2']:,.2f} mm²",
        "cut length": f"{found['cut_length_mm']:,.2f} mm",
    }
    for name, value in lines.items():
        click.echo(f"{name:13} {value}")
    told = cast("list[dict[str, Any]]", found["findings"])
    for one in told[:_TOLD]:
        x, y = one["at_mm"]
        click.echo(f"{_SAID[one['severity']]} {one['code']} at {x:.2f}, {y:.2f} mm: {one['text']}")
    if len(told) > _TOLD:
        click.echo(f"and {counted(len(told) - _TOLD, 'finding')} more; --report has them all")
    if report is not None:
        write_report(report, found, work)
    return _STOPS if any(one["severity"] == "stop" for one in told) else 0


def _limits(given: dict[str, Any]) -> Limits:
    """Return what the part is held against, as it was typed.

    Raises
    ------
    click.UsageError
        For options that can do nothing, or not both be true.

    """
    typed = typed_options()
    for name in ("thickness", "kerf", "bit"):
        if name in typed and given["process"] is None:
            raise click.UsageError(f"--{name} does nothing without --process")
    if "margin" in typed and given["sheet"] is None:
        raise click.UsageError("--margin does nothing without --sheet")
    if "kerf" in typed and "bit" in typed:
        raise click.UsageError("--kerf and --bit are two words for one width; give one of them")
    width = given["kerf"] if given["bit"] is None else given["bit"]
    return Limits(
        given["process"],
        given["thickness"],
        width,
        given["sheet"],
        given["margin"],
        given["min_web"],
    )

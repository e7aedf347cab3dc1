"""The command line: thin, strict, quiet unless something is wrong."""

from __future__ import annotations

import os
import sys
from contextlib import suppress
from pathlib import Path as File
from typing import cast

import click

from silhueta import __version__
from silhueta.cli_build import build
from silhueta.cli_report import (
    Progress,
    check_ending,
    check_outputs,
    say,
    say_left_out,
    write_report,
)
from silhueta.cli_tidy import tidy
from silhueta.cli_trace import trace
from silhueta.cli_true import true
from silhueta.core.errors import SilhuetaError
from silhueta.core.work import Work


@click.group(invoke_without_command=True, context_settings={"help_option_names": ["--help"]})
@click.option("--version", is_flag=True, help="Say the version, and end.")
@click.pass_context
def app(context: click.Context, version: bool) -> None:
    """From a photo or scan of a part to a true-size, closed outline for cutting."""
    if version:
        click.echo(f"Silhueta {__version__}")
    elif context.invoked_subcommand is None:
        click.echo(context.get_help())


_FILE = click.Path(path_type=File)


@app.command()
@click.option("-o", "output", type=_FILE, required=True, help="A .pdf.")
@click.option(
    "--size",
    type=click.Choice(["a4", "a3", "letter"]),
    default="a4",
    show_default=True,
    help="Of the paper.",
)
def gauge(output: File, size: str) -> None:
    """Make the gauge sheet, to be printed at 100 % and laid under the part."""
    from silhueta.core.datum.gauge import gauge_pdf
    from silhueta.core.files.atomic import write_whole

    check_ending({"-o": (output, ".pdf")})
    write_whole(output, gauge_pdf(size))


@app.command()
@click.argument("file", type=_FILE)
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write the figures.")
def inspect(file: File, report: File | None) -> None:
    """Say what is in a DXF, an SVG or a job: units, size, paths, crossings, doubles."""
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.files.inspect_file import inspect_file

    check_outputs((), file, {"--report": (report, ".json")})
    work = Work(Progress())
    with work.stage("read"):
        found = inspect_file(file)
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
    if report is not None:
        write_report(report, found, work)


@app.command("open")
@click.argument("file", type=_FILE, required=False)
def open_window(file: File | None) -> int:
    """Open the window, with FILE (a job or a picture) when it is given."""
    from silhueta.app.main import run

    return run(file)


@app.command()
@click.option(
    "--screenshot", type=_FILE, metavar="OUT.png", help="Save a picture of the window, and end."
)
def demo(screenshot: File | None) -> int:
    """Open the window with the demo job, the capstan gasket plate of Oficina Maré Alta."""
    from silhueta.app.main import run_demo

    return run_demo(screenshot)


app.add_command(trace)
app.add_command(tidy)
app.add_command(true)
app.add_command(build)


def main() -> None:
    """Run the command line; exit 0 when done, 2 for bad usage, 1 for anything else."""
    code = 1
    try:
        result = app(standalone_mode=False)
        code = result if isinstance(result, int) else 0
    except click.UsageError as error:
        code = 2
        say(error.format_message())
    except click.exceptions.Exit as error:
        code = error.exit_code
    except click.Abort:
        say("stopped; nothing more was written")
    except SilhuetaError as error:
        say(str(error))
    except (BrokenPipeError, SystemExit):  # who read what was said has heard enough
        _mute()
        code = 0
    except MemoryError:
        say("the memory ran out; save the picture smaller and try again")
    except KeyboardInterrupt:
        say("stopped; nothing more was written")
    except Exception as error:
        say(
            f"a fault in Silhueta ({type(error).__name__}: {error}); please report it with the file"
        )
    with suppress(BrokenPipeError, ValueError):
        sys.stdout.flush()
        sys.exit(code)
    _mute()
    sys.exit(code)


def _mute() -> None:
    """Have nothing more said on stdout, not even by the interpreter as it ends."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())

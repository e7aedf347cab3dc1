"""The command line: thin, strict, quiet unless something is wrong."""

from __future__ import annotations

import os
import sys
from contextlib import suppress

import click

from silhueta import __version__
from silhueta.cli.batch import batch
from silhueta.cli.build import build
from silhueta.cli.cut import cut
from silhueta.cli.demo import demo
from silhueta.cli.doctor import doctor
from silhueta.cli.gauge import gauge
from silhueta.cli.inspect import inspect
from silhueta.cli.machines import machines
from silhueta.cli.open import open_window
from silhueta.cli.practise import practise
from silhueta.cli.progress import say
from silhueta.cli.recover import recover
from silhueta.cli.rehearse import rehearse
from silhueta.cli.shelf import shelf
from silhueta.cli.tidy import tidy
from silhueta.cli.trace import trace
from silhueta.cli.true import true
from silhueta.core.errors import SilhuetaError


@click.group(invoke_without_command=True, context_settings={"help_option_names": ["--help"]})
@click.option("--version", is_flag=True, help="Say the version, and end.")
@click.pass_context
def app(context: click.Context, version: bool) -> None:
    """From a photo or scan of a part to a true-size, closed outline for cutting."""
    if version:
        click.echo(f"Silhueta {__version__}")
    elif context.invoked_subcommand is None:
        click.echo(context.get_help())


for command in (
    trace,
    tidy,
    true,
    build,
    inspect,
    cut,
    rehearse,
    batch,
    machines,
    gauge,
    practise,
    recover,
    shelf,
    doctor,
    open_window,
    demo,
):
    app.add_command(command)


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

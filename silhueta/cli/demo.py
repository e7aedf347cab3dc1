"""The command ``silhueta demo``: the window with the demo job."""

from __future__ import annotations

from pathlib import Path as File

import click

_FILE = click.Path(path_type=File)


@click.command()
@click.option(
    "--screenshot", type=_FILE, metavar="OUT.png", help="Save a picture of the window, and end."
)
def demo(screenshot: File | None) -> int:
    """Open the window with the demo job, the capstan gasket plate of Oficina Maré Alta."""
    from silhueta.app.main import run_demo

    return run_demo(screenshot)

"""The command ``silhueta open``: the window."""

from __future__ import annotations

from pathlib import Path as File

import click

_FILE = click.Path(path_type=File)


@click.command("open")
@click.argument("file", type=_FILE, required=False)
def open_window(file: File | None) -> int:
    """Open the window, with FILE (a job or a picture) when it is given."""
    from silhueta.app.main import run

    return run(file)

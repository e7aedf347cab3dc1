"""The command ``silhueta gauge``: the printed gauge sheet."""

from __future__ import annotations

from pathlib import Path as File

import click

from silhueta.cli.report import check_ending

_FILE = click.Path(path_type=File)


@click.command()
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

"""The command ``silhueta machines``: what is known of machines."""

from __future__ import annotations

import click

from silhueta.cli.progress import say


@click.command()
@click.argument("name", required=False)
def machines(name: str | None) -> None:
    """List the machines that are known, or print the record of one as TOML."""
    from silhueta.core.shop.machines import known_machines, machine_of, machine_text

    known, wrong = known_machines()
    for fault in wrong:
        say(fault)
    if name is not None:
        click.echo(machine_text(machine_of(None, name, known)), nl=False)
        return
    seen: set[str] = set()
    for one in known:
        if one.name.casefold() in seen:
            continue  # a person's own goes before a shipped one of that name
        seen.add(one.name.casefold())
        x, y = one.bed_mm
        click.echo(f"{one.name}  bed {x:g} x {y:g} mm  {one.note}".rstrip())

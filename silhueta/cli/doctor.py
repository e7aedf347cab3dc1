"""The command ``silhueta doctor``: whether this machine has what is needed."""

from __future__ import annotations

from pathlib import Path as File

import click

from silhueta.cli.report import check_ending, write_report
from silhueta.core.work import Work

_FILE = click.Path(path_type=File)


@click.command()
@click.option("--quick", is_flag=True, help="Without the speed, which takes ten seconds.")
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write what was found.")
def doctor(quick: bool, report: File | None) -> int:
    """Say what this machine has, where things are kept, and whether they can be.

    Ends with 3 where something is wrong.
    """
    from silhueta.core.keep.doctor import checks, speed
    from silhueta.core.keep.places import usual

    check_ending({"--report": (report, ".json")})
    found = checks(usual(), None if quick else speed)
    wide = max(len(one.name) for one in found)
    for one in found:
        mark = {True: "ok ", False: "NO ", None: "   "}[one.good]
        click.echo(f"{mark} {one.name:{wide}}  {one.told}")
    wrong = [one for one in found if one.good is False]
    click.echo(f"{len(wrong)} to see to" if wrong else "nothing is wrong")
    if report is not None:
        rows = [{"name": one.name, "told": one.told, "good": one.good} for one in found]
        write_report(report, {"checks": rows}, Work())
    return 3 if wrong else 0

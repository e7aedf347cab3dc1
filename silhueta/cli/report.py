"""What the commands have in common: names of files, what was written, reports."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path as File
from typing import TYPE_CHECKING, cast

import click

from silhueta.cli.plan import OUTLINED, check_formats
from silhueta.core.files.formats import endings
from silhueta.core.units import format_length
from silhueta.core.whole_file import readable
from silhueta.core.wording import counted
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.files.format import Format
    from silhueta.core.files.proof import Proof
    from silhueta.core.units import Unit


def check_outputs(
    output: tuple[File, ...],
    source: File,
    others: Mapping[str, tuple[File | None, str]],
    formats: tuple[Format, ...] = OUTLINED,
) -> None:
    """Raise UsageError for a wrong ending, or a file that is named twice, before any is written.

    `formats` are those that can be written; `others` are further files to be written, by their
    options, with the ending that each has.
    """
    check_formats(output)
    written = [(f"-o {target}", target) for target in output]
    for name, target in written:
        if target.suffix.lower() not in {form.suffix for form in formats}:
            raise click.UsageError(f"{name}: the name must end in {endings(formats=formats)}")
    written += check_ending(others)
    known = [(str(source), source)]
    for name, target in written:
        for before, file in known:
            if _same_file(target, file):
                raise click.UsageError(
                    f"{name} is the same file as {before}, which would be lost; give another name"
                )
        known.append((name, target))


def check_needs(typed: Sequence[str], needs: Mapping[str, Sequence[str]]) -> None:
    """Raise UsageError for an option, by its name in the code, that does nothing without others.

    One of the others that `needs` names for it has to stand beside it.
    """
    for name, others in needs.items():
        if name in typed and not any(other in typed for other in others):
            named = " or ".join(f"--{other.strip('_').replace('_', '-')}" for other in others)
            raise click.UsageError(f"--{name.replace('_', '-')} does nothing without {named}")


def check_written(targets: Sequence[File], known: Mapping[str, File | None]) -> None:
    """Raise UsageError where a file that would be written is another one, before any is.

    `targets` are all final names, also those that get a number or a colour; `known` are what is
    read, and what else is written, by what people call it.
    """
    before = [(name, file) for name, file in known.items() if file is not None]
    for target in targets:
        for name, file in before:
            if _same_file(target, file):
                raise click.UsageError(
                    f"{target.name} would be written over {name}, which would be lost; give "
                    "another name with -o"
                )
        before.append((target.name, target))


def numbered_before(target: File, count: int) -> list[File]:
    """Return files OUT-3, OUT-4 ... that an earlier run with more pieces left beside these."""
    found: list[File] = []
    while len(found) < 999:
        name = target.with_name(f"{target.stem}-{count + len(found) + 1}{target.suffix}")
        if not name.exists():
            break
        found.append(name)
    return found


def told_written(proofs: Sequence[Proof], quiet: bool, sigma: tuple[float, float] = (0, 0)) -> None:
    """Say on stdout what was written, a line a file: size with its ± (95 %), parts and nodes."""
    for proof in () if quiet else proofs:
        unit = cast("Unit", proof.units)
        sides = [
            format_length(side, unit) + (f" ± {format_length(2 * off, unit)}" if off else "")
            for side, off in zip(proof.figures.size_mm, sigma, strict=True)
        ]
        kinds = ((proof.parts, "part"), (proof.holes, "hole"), (proof.marked, "marked line"))
        counts = [counted(count, kind) for count, kind in kinds if count]
        counts.append(counted(proof.figures.nodes, "node"))
        text = f"{proof.file.name}: {' x '.join(sides)}; {', '.join(counts)}; read back, the same"
        click.echo(readable(text))


def check_ending(others: Mapping[str, tuple[File | None, str]]) -> list[tuple[str, File]]:
    """Return options and their files, those that are given; UsageError for a wrong ending."""
    found = []
    for option, (target, ending) in others.items():
        if target is not None:
            if target.suffix.lower() != ending:
                raise click.UsageError(f"{option} {target}: the name must end in {ending}")
            found.append((f"{option} {target}", target))
    return found


def _same_file(one: File, two: File) -> bool:
    try:
        if one.exists() and two.exists():
            return one.samefile(two)
        return one.expanduser().resolve() == two.expanduser().resolve()
    except (OSError, RuntimeError, ValueError):
        return False  # which cannot be read or written, as will be said


def write_report(
    target: File, content: dict[str, object], work: Work, times: str = "seconds"
) -> None:
    """Write a report, with the time each stage took, under `times`, and the most memory held."""
    from silhueta.core.files.atomic import write_whole

    content[times] = {stage: round(spent, 4) for stage, spent in work.seconds.items()}
    with suppress(ImportError):  # not every system tells
        import resource

        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        content["peak_memory_mb"] = round(peak / 1024, 1)
    write_whole(target, (json.dumps(content, indent=2) + "\n").encode())

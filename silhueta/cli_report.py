"""What the commands have in common: names of files, progress on the terminal, reports."""

from __future__ import annotations

import json
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, TypeVar, cast

import click

from silhueta.core.files.formats import FORMATS, endings
from silhueta.core.units import format_length
from silhueta.core.whole_file import readable
from silhueta.core.wording import counted, stage_words
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.files.layer_names import OnLayer
    from silhueta.core.files.proof import Proof
    from silhueta.core.files.svg_read import FileUnit, ReadDrawing
    from silhueta.core.units import Unit

F = TypeVar("F", bound=Callable[..., Any])


def cut_file_options(command: F) -> F:
    """Give a command the options of what is cut and how its files are written."""
    options = (
        click.option(
            "--keep",
            type=click.Choice(["all", "outer", "outer+holes"]),
            default="all",
            show_default=True,
            help="Which loops are written.",
        ),
        click.option(
            "--units",
            type=click.Choice(["mm", "in"]),
            default="mm",
            show_default=True,
            help="Unit of the numbers in the cut file.",
        ),
        click.option(
            "--dxf-version",
            type=click.Choice(["R12", "R2000"]),
            default="R2000",
            show_default=True,
            help="R12 is for old programs.",
        ),
        click.option(
            "--origin",
            type=click.Choice(["corner", "picture"]),
            default="corner",
            show_default=True,
            help="Where (0, 0) lies: the outline's lower left corner, or the picture's.",
        ),
        click.option("--quiet", is_flag=True, help="Say nothing where all went well."),
        click.option(
            "--report",
            type=click.Path(path_type=File),
            metavar="OUT.json",
            help="Write the figures.",
        ),
    )
    for option in reversed(options):
        command = option(command)
    return command


def layers_option(command: F) -> F:
    """Give a command the option that says how a file's layers are worked."""
    return click.option(
        "--layers",
        multiple=True,
        metavar="NAME=cut|engrave|mark|skip",
        help="How a layer of the file is worked; may be repeated. [as Silhueta names them; others "
        "are cut]",
    )(command)


def layers_told(
    texts: tuple[str, ...], found: ReadDrawing, file: File, alone: bool = True
) -> dict[str, OnLayer]:
    """Return what was told of layers, by their names in small letters.

    Raises
    ------
    click.UsageError
        For a layer that the file does not have, where it is `alone`, or a text of another form.

    """
    from silhueta.core.errors import UnitsError
    from silhueta.core.files.layer_names import told_layers

    try:
        told = told_layers(texts)
    except UnitsError as error:
        raise click.UsageError(f"--layers: {error}") from error
    there = {layer.casefold(): layer for layer in found.layers if layer}
    if alone and (missing := [name for name in told if name not in there]):
        names = ", ".join(there.values()) or "none"
        raise click.UsageError(
            f"--layers: {file.name} has no outline on a layer “{missing[0]}”; it has {names[:200]}"
        )
    return told


def check_outputs(
    output: tuple[File, ...], source: File, others: Mapping[str, tuple[File | None, str]]
) -> None:
    """Raise UsageError for a wrong ending, or a file that is named twice, before any is written.

    `others` are further files to be written, by their options, with the ending that each has.
    """
    if "dxf_version" in typed_options() and all(o.suffix.lower() != ".dxf" for o in output):
        raise click.UsageError("--dxf-version does nothing without a .dxf file to be written")
    written = [(f"-o {target}", target) for target in output]
    for name, target in written:
        if target.suffix.lower() not in {form.suffix for form in FORMATS}:
            raise click.UsageError(f"{name}: the name must end in {endings()}")
    written += check_ending(others)
    known = [(str(source), source)]
    for name, target in written:
        for before, file in known:
            if _same_file(target, file):
                raise click.UsageError(
                    f"{name} is the same file as {before}, which would be lost; give another name"
                )
        known.append((name, target))


def typed_options() -> list[str]:
    """Return the options that a person typed, by their names in the code."""
    context = click.get_current_context()
    source = click.core.ParameterSource.COMMANDLINE
    options = [p.name for p in context.command.params if isinstance(p, click.Option) and p.name]
    return [n for n in options if n != "output" and context.get_parameter_source(n) is source]


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


def read_told(file: File, units: FileUnit | None, force: bool = False) -> ReadDrawing:
    """Return the outlines in a file, in the unit that it says, or that a person does.

    Raises
    ------
    FileError
        If there is none.

    """
    from silhueta.core.errors import FileError
    from silhueta.core.files.inspect_file import read_drawing

    found = read_drawing(file)
    if units is not None and found.says_units and not force:
        say(
            f"{file.name} says its unit itself, {found.units}; --file-units is for files that "
            "do not (`silhueta tidy --file-units-force` takes it all the same)"
        )
    elif units is not None:
        found = found.taken_as(units)
    if not found.paths:
        say_left_out(file, found.left_out)
        raise FileError(
            f"{file.name} holds no outline; convert texts and pictures to outlines first"
        )
    return found


def say_left_out(file: File, left_out: dict[str, int]) -> None:
    """Say what of a drawing's file is not in the outline: texts, pictures, hidden things."""
    from silhueta.core.files.drawing_open import told_of

    if left_out:
        say(told_of(file.name, left_out))


def write_report(target: File, content: dict[str, object], work: Work) -> None:
    """Write a report, with the time each stage took and the most memory held."""
    from silhueta.core.files.atomic import write_whole

    content["seconds"] = {stage: round(spent, 4) for stage, spent in work.seconds.items()}
    with suppress(ImportError):  # not every system tells
        import resource

        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        content["peak_memory_mb"] = round(peak / 1024, 1)
    write_whole(target, (json.dumps(content, indent=2) + "\n").encode())


_EVERY = 10.0  # s between lines into a pipe


class Progress:
    """One line on a terminal's stderr, from the first second on; into a pipe, one every 10 s.

    Also while one long call says nothing: then what was heard last is said again.
    """

    def __init__(self) -> None:
        self._began = time.monotonic()
        self._shown = ""
        self._last = ("", 0)
        self._live = sys.stderr.isatty()
        self._end = threading.Event()
        if not self._live:
            threading.Thread(target=self._repeat, name="progress", daemon=True).start()
        command = click.get_current_context(silent=True)
        if command is not None:
            command.call_on_close(self.end)

    def __call__(self, stage: str, fraction: float) -> None:
        """Show the share of a stage that is done."""
        self._last = (stage, int(100 * fraction))
        text = self._text()
        if not self._live or time.monotonic() - self._began < 1.0 or text == self._shown:
            return
        self._shown = text
        sys.stderr.write(f"\r\x1b[K{text}")
        sys.stderr.flush()

    def end(self) -> None:
        """Say no more."""
        self._end.set()

    def _text(self) -> str:
        stage, percent = self._last
        return f"{stage_words(stage)} {percent} %" if stage else ""

    def _repeat(self) -> None:
        while not self._end.wait(_EVERY):
            if text := self._text():
                say(text)


def say(text: str) -> None:
    """Tell a person something, beside what was asked for."""
    line = readable(" ".join(text.split()))
    start = "\r\x1b[K" if sys.stderr.isatty() else ""
    sys.stderr.write(f"{start}silhueta: {line}\n")

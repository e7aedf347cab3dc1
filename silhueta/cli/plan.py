"""How cut files are written, as a person typed it over what a job says."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path as File
from typing import Any, TypeVar

import click

from silhueta.cli.values import Length
from silhueta.core.cut_file_settings import CutFileSettings
from silhueta.core.files.format import Format, Number, Option, YesNo
from silhueta.core.files.formats import EVERY, FORMATS, SHOWN, endings

F = TypeVar("F", bound=Callable[..., Any])


OUTLINED = (*FORMATS, *SHOWN)  # files of an outline


output_option = click.option(
    "-o",
    "output",
    type=click.Path(path_type=File),
    multiple=True,
    required=True,
    help=f"{endings(formats=OUTLINED)}; may be repeated.",
)


def format_options(formats: Sequence[Format], taken: Sequence[str] = ()) -> Callable[[F], F]:
    """Return what gives a command the options of formats; short names that are `taken` are not."""

    def give(command: F) -> F:
        for form in reversed(formats):
            for option in reversed(form.options):
                command = _option(form, option, taken)(command)
        return command

    return give


def cut_file_options(command: F, taken: Sequence[str] = ()) -> F:
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
        format_options(OUTLINED, taken),
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


def typed_options() -> list[str]:
    """Return the options that a person typed, by their names in the code."""
    context = click.get_current_context()
    source = click.core.ParameterSource.COMMANDLINE
    options = [p.name for p in context.command.params if isinstance(p, click.Option) and p.name]
    return [n for n in options if n != "output" and context.get_parameter_source(n) is source]


def plan_told(kept: CutFileSettings | None = None) -> CutFileSettings:
    """Return how cut files are written: as a job keeps it, and over that what was typed."""
    plan = kept or CutFileSettings()
    given, typed = click.get_current_context().params, typed_options()
    plain = {name: given[name] for name in ("units", "origin") if name in typed}
    plan = replace(plan, **plain)
    for form in EVERY:
        for option in form.options:
            name = _name(form, option)
            if name in typed:
                plan = plan.choosing(form.named(option), given[name])
    return plan


def check_formats(output: Sequence[File]) -> None:
    """Raise UsageError for a format's option that was typed where no such file is written."""
    typed = typed_options()
    for form in EVERY:
        for option in form.options:
            name = _name(form, option)
            if name == "pdf_paper" and "setup" in typed:
                continue  # the set-up list is on paper, too
            if name in typed and all(target.suffix.lower() != form.suffix for target in output):
                flag = option.flag or f"--{name.replace('_', '-')}"
                raise click.UsageError(f"{flag} does nothing without a {form.suffix} file to write")


class _Between(Length):
    """A length within an option's limits."""

    def __init__(self, option: Number) -> None:
        super().__init__(zero=True)
        self._option = option

    def convert(
        self, value: object, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """Return mm."""
        length = super().convert(value, param, ctx)
        if not self._option.fits(length):
            low, high = self._option.low, self._option.high
            self.fail(f"{value} is not {low:g} to {high:g} mm", param, ctx)
        return length


def _name(form: Format, option: Option) -> str:
    """Return what the code calls a format's option."""
    return f"{form.key}_{option.name.replace('-', '_')}"


FORMAT_OPTIONS = tuple(_name(form, option) for form in EVERY for option in form.options)


def _option(form: Format, option: Option, taken: Sequence[str] = ()) -> Callable[[F], F]:
    """Return a format's option as one of the command line."""
    flag, about = f"--{form.key}-{option.name}", option.about or f"{option.title}."
    if option.flag and option.flag not in taken:
        flag = option.flag
    name = _name(form, option)
    if isinstance(option, YesNo):
        names = f"{flag}/--no-{form.key}-{option.name}"
        return click.option(names, name, default=option.usual, show_default=True, help=about)
    if isinstance(option, Number):
        if option.unit != "mm":
            limits = click.FloatRange(option.low, option.high)
            said = f"{about} [{option.usual:g} {option.unit}]"
            return click.option(flag, name, type=limits, default=option.usual, help=said)
        usual = f"{option.usual:g}mm"
        return click.option(
            flag, name, type=_Between(option), default=usual, show_default=True, help=about
        )
    several = click.Choice(list(option.choices))
    return click.option(
        flag, name, type=several, default=option.usual, show_default=True, help=about
    )

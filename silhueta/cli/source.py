"""Outlines that a command works on, read from a drawing or a job."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from silhueta.cli.plan import typed_options
from silhueta.cli.progress import say
from silhueta.core.errors import FileError

if TYPE_CHECKING:
    from silhueta.core.files.drawing_open import Overlaps
    from silhueta.core.files.layer_names import OnLayer
    from silhueta.core.files.svg_read import FileUnit, ReadDrawing
    from silhueta.core.job import Frame, Job
    from silhueta.core.truing.features import Noise

F = TypeVar("F", bound=Callable[..., Any])
# what is asked of a drawing, and has been answered in a job
_OF_DRAWINGS = ("layers", "file_units", "file_units_force", "strokes", "overlaps")


class Source(NamedTuple):
    """What a file holds.

    job : Job
        A drawing's has its outline alone, and how cut files are usually written.
    frame : (left, bottom, right, top) in mm, or None
        Of the page or picture that the outline came with.
    left_out : dict
        What was left out of a drawing, by kind.
    """

    job: Job
    frame: Frame | None
    left_out: dict[str, int]

    @property
    def page(self) -> tuple[float, float] | None:
        """Width and height of the frame, mm."""
        frame = self.frame
        return None if frame is None else (frame[2] - frame[0], frame[3] - frame[1])


def source(
    file: File,
    given: dict[str, Any],
    *,
    alone: bool = True,
    broader: float = math.inf,
    check: Callable[[ReadDrawing], None] = lambda _: None,
) -> Source:
    """Return the outline in a drawing or a job, and say what is left out.

    Parameters
    ----------
    file : Path
    given : dict
        Options by their names: layers, file_units, file_units_force, overlaps.
    alone : bool
        Whether it is the only file of the call: then all layers that are named must be there.
    broader : float, mm
        Strokes wider than this become the outline of what they cover.
    check : callable
        Raises for a drawing that is not to be worked on.

    Raises
    ------
    FileError, click.UsageError
        If there is no outline, or an option means nothing for a job.

    """
    from silhueta.core.job import Job

    if file.suffix.lower() == ".silhueta":
        return _of_job(file, alone)
    from silhueta.core.files.drawing_open import on_page

    found = read_told(file, given["file_units"], given.get("file_units_force", False))
    check(found)
    told = layers_told(given["layers"], found, file, alone)
    overlaps: Overlaps = given.get("overlaps", "auto")
    outline, frame, hidden = on_page(found, overlaps, broader, told)
    left_out = found.left_out | ({"covered shapes": hidden} if hidden else {})
    say_left_out(file, left_out)
    return Source(Job(outline=outline, page=frame), frame, left_out)


def _of_job(file: File, alone: bool) -> Source:
    from silhueta.core.files.job_file import load_job

    idle = [name for name in typed_options() if name in _OF_DRAWINGS] if alone else []
    if idle:
        flag = f"--{idle[0].replace('_', '-')}"
        raise click.UsageError(f"{flag}: {file.name} is a job, which has that settled already")
    job = load_job(file)
    if not job.outline.taken:
        raise FileError(f"{file.name} has no outline yet; trace it first")
    return Source(job, job.page, {})


def noise_of_source(job: Job) -> Noise:
    """Return how far a job's edges may be off, as its trace, or the drawing itself, tells."""
    from silhueta.core.truing.apply import noise_of

    if job.traced is None or job.picture is None:
        return noise_of(job)
    from silhueta.core.datum.rectify import rectify
    from silhueta.core.picture.decode import decode

    return noise_of(job, rectify(job, decode(job.picture)))


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

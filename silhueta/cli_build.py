"""The command ``silhueta build``: outlines welded, cut away, grown, set beside each other."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING

import click

from silhueta.cli_report import Progress, check_outputs, cut_file_options, write_report
from silhueta.cli_values import Grid, Length, SignedLength, Turn
from silhueta.core.errors import EditError, FileError
from silhueta.core.files.formats import endings
from silhueta.core.job import CutFileSettings, DxfVersion, FrameOrigin
from silhueta.core.trace_settings import Keep
from silhueta.core.units import Unit
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.build.offset import Corners
    from silhueta.core.files.svg_read import FileUnit
    from silhueta.core.geometry.path import Path

_FILE = click.Path(path_type=File)
_SETS = ("union", "subtract", "intersect", "exclude")


@click.command()
@click.argument("files", type=_FILE, nargs=-1, required=True)
@click.option(
    "-o", "output", type=_FILE, multiple=True, required=True, help=f"{endings()}; may be repeated."
)
@click.option("--union", "how", flag_value="union", help="Weld all files to one outline.")
@click.option("--subtract", "how", flag_value="subtract", help="Cut the others out of the first.")
@click.option("--intersect", "how", flag_value="intersect", help="Keep what all of them cover.")
@click.option("--exclude", "how", flag_value="exclude", help="Keep what an odd number covers.")
@click.option("--offset", type=SignedLength(), help="Grow by this, or shrink.")
@click.option(
    "--corners",
    type=click.Choice(["round", "sharp", "flat"]),
    default="round",
    show_default=True,
    help="Of what is grown.",
)
@click.option("--outer-only", is_flag=True, help="Keep only what nothing lies around.")
@click.option("--turn", type=Turn(), help="Turn the first file, anticlockwise.")
@click.option("--mirror", type=click.Choice(["x", "y"]), help="x: left and right exchanged.")
@click.option("--copies", type=Grid(), help="So many across and up.")
@click.option(
    "--gap", type=Length(zero=True), default="5mm", show_default=True, help="Between copies."
)
@click.option(
    "--file-units",
    type=click.Choice(["mm", "in", "px"]),
    help="What the files' numbers are, where they do not say. [SVG: px, DXF: mm]",
)
@cut_file_options
def build(
    files: tuple[File, ...],
    output: tuple[File, ...],
    how: str | None,
    offset: float | None,
    corners: Corners,
    outer_only: bool,
    turn: float | None,
    mirror: str | None,
    copies: tuple[int, int] | None,
    gap: float,
    file_units: FileUnit | None,
    keep: Keep,
    units: Unit,
    dxf_version: DxfVersion,
    origin: FrameOrigin,
    report: File | None,
) -> None:
    """Put outlines in FILES (SVG or DXF) together, and write cut files, each proven.

    The first file is the base. Done in this order: turn and mirror, sets, offset, copies.
    """
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.build import place
    from silhueta.core.build.offset import offset as grown
    from silhueta.core.build.offset import outer_only as outermost
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.geometry.outline import Contour, Outline
    from silhueta.core.geometry.path import Loop
    from silhueta.core.inspection.figures import report as figures_report
    from silhueta.core.job import Job
    from silhueta.core.tidy.choose import keep_only

    for file in files:
        check_outputs(output, file, {"--report": (report, ".json")})
    if how is None and len(files) > 1:
        raise click.UsageError(f"tell what becomes of {len(files)} files: --{', --'.join(_SETS)}")
    if origin == "picture" and (turn or mirror):
        raise click.UsageError("turned or mirrored, the files' own coordinates mean nothing")
    work = Work(Progress())
    with work.stage("read"):
        parts = [_read(file, file_units) for file in files]
    if turn:
        parts[0] = place.turned(parts[0], turn)
    if mirror:
        parts[0] = place.mirrored(parts[0], mirror)
    with work.stage("build"):
        paths: list[Path] = parts[0] if how is None else list(_set(how, parts))
        loops = [path for path in paths if isinstance(path, Loop)]
        if offset:
            paths = list(grown(loops, offset, corners))
            loops = [path for path in paths if isinstance(path, Loop)]
        if outer_only:
            paths = list(outermost(loops))
        if not paths:
            raise EditError("nothing is left: the result is empty")
        if copies:
            paths = place.copied(paths, *copies, gap)
    made = Outline(tuple(Contour(path, origin="imported") for path in paths))
    outline = keep_only(Job(outline=made), keep).outline
    frame = None
    if origin == "picture":
        _, _, right, top = outline.bounds
        frame = (max(right, 1.0), max(top, 1.0))
    with all_or_none():
        with work.stage("write"):
            drawing = draw(outline, units, origin, frame)
            for target in output:
                export(drawing, target, CutFileSettings(dxf_version=dxf_version))
        if report is not None:
            with work.stage("report"):
                content = figures_report(drawing.paths(), units, drawing.groups())
            write_report(report, content, work)


def _read(file: File, units: FileUnit | None) -> list[Path]:
    from silhueta.core.files.drawing_open import on_page
    from silhueta.core.files.inspect_file import read_drawing

    found = read_drawing(file)
    if units is not None and not found.says_units:
        found = found.taken_as(units)
    if not found.paths:
        raise FileError(f"{file.name} holds no outline; convert texts and pictures to outlines")
    outline, _, _ = on_page(found, "auto")
    return list(outline.taken)


def _set(how: str, parts: Sequence[Sequence[Path]]) -> Sequence[Path]:
    """Return what a set operation makes of files; only closed outlines cover anything."""
    from silhueta.core.geometry.path import Loop
    from silhueta.core.geometry.region.region import combined

    groups = [[path for path in part if isinstance(path, Loop)] for part in parts]
    if not all(groups):
        raise EditError("one of the files has no closed outline; close its gaps at Tidy first")
    keep = {
        "union": lambda inside: inside.any(axis=0),
        "subtract": lambda inside: inside[0] & ~inside[1:].any(axis=0),
        "intersect": lambda inside: inside.all(axis=0),
        "exclude": lambda inside: inside.sum(axis=0) % 2 == 1,
    }[how]
    return combined(groups, keep, "evenodd")

"""The command ``silhueta build``: outlines welded, cut away, lettered, bridged, divided, placed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, TypeVar

import click

from silhueta.cli_report import Progress, check_outputs, cut_file_options, write_report
from silhueta.cli_values import Grid, Length, SignedLength, Size, Turn
from silhueta.core.errors import FileError
from silhueta.core.files.formats import endings
from silhueta.core.job import CutFileSettings
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.build.recipe import Built, Recipe
    from silhueta.core.files.svg_read import FileUnit
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.geometry.path import Path

_NO_LAYERS = ("text", "how", "offset", "plate", "bridge", "sections", "copies", "sheet", "turn")
_FILE = click.Path(path_type=File)
F = TypeVar("F", bound=Callable[..., Any])
_SETS = (
    ("union", "Weld all files to one outline."),
    ("subtract", "Cut the others out of the first."),
    ("intersect", "Keep what all of them cover."),
    ("exclude", "Keep what an odd number covers."),
)


def _options(command: F) -> F:
    """Give the command its options, in the order in which things are done."""
    length, zero = Length(), Length(zero=True)
    corners = click.Choice(["round", "sharp", "flat"])
    joints = click.Choice(["straight", "step", "tongue"])
    units = click.Choice(["mm", "in", "px"])
    flag: dict[str, Any] = {"is_flag": True}
    shown: dict[str, Any] = {"show_default": True}
    options = [
        click.option("--turn", type=Turn(), help="Turn the first file, anticlockwise."),
        click.option(
            "--mirror", type=click.Choice(["x", "y"]), help="x: left and right exchanged."
        ),
        click.option("--text", help="Words as outlines; lines parted by \\n."),
        click.option("--cap-height", type=length, help="Of a capital letter."),
        click.option("--font", help="Plain, Narrow, Slab, Stencil; an installed one; a file."),
        click.option("--spacing", type=SignedLength(), default=0.0, help="More between letters."),
        click.option("--stencil", **flag, help="Letters that nothing falls out of."),
        click.option(
            "--arc", type=SignedLength(), help="Diameter the words stand on; below zero: hang."
        ),
        *(click.option(f"--{how}", "how", flag_value=how, help=text) for how, text in _SETS),
        click.option("--offset", type=SignedLength(), help="Grow by this, or shrink."),
        click.option("--corners", type=corners, default="round", **shown, help="Of what is grown."),
        click.option("--outer-only", **flag, help="Keep only what nothing lies around."),
        click.option("--thicken", type=length, help="Grow webs that are thinner."),
        click.option("--plate", type=Size(), help="A rectangle behind all."),
        click.option("--radius", type=zero, default="0mm", help="Of the plate's corners."),
        click.option("--margin", type=zero, help="Of plate [10 mm] and sheet [5 mm]."),
        click.option("--negative", **flag, help="Cut what is there out of the plate."),
        click.option("--bridge", type=length, help="Tie islands with ties so wide."),
        click.option("--bridges", type=int, default=2, **shown, help="Ties an island."),
        click.option("--sections", type=Size(), help="Cut into sections for a bed of this size."),
        click.option("--joint", type=joints, default="straight", **shown, help="Of sections."),
        click.option("--clearance", type=zero, default="0mm", help="Of tongues in their grooves."),
        click.option("--copies", type=Grid(), help="So many across and up."),
        click.option("--gap", type=zero, default="5mm", **shown, help="Between copies, on sheets."),
        click.option("--sheet", type=Size(), help="Place parts and copies on sheets."),
        click.option("--trap", type=zero, help="One file a colour, each reaching under the next."),
        click.option("--base", **flag, help="A solid piece below all colours."),
        click.option(
            "--file-units", type=units, help="Of files that do not say. [SVG: px, DXF: mm]"
        ),
    ]
    for option in reversed(options):
        command = option(command)
    return command


@click.command()
@click.argument("files", type=_FILE, nargs=-1)
@click.option(
    "-o", "output", type=_FILE, multiple=True, required=True, help=f"{endings()}; may be repeated."
)
@_options
@cut_file_options
def build(files: tuple[File, ...], output: tuple[File, ...], **given: Any) -> None:
    """Put outlines in FILES (SVG, DXF, .silhueta) together, and write cut files, each proven.

    The first file is the base; none is needed with --text. Done in this order: turn and mirror,
    text, sets, offset, plate, bridges, sections, copies, sheet. Of several sections or sheets each
    gets a file: OUT-1, OUT-2 ...; with --trap each colour of the one file: OUT-14344d ...
    """
    from silhueta.core.apart.ask import ready

    if given["trap"] is not None:
        _write_layers(files, output, given)
        return
    if given["base"]:
        raise click.UsageError("--base does nothing without --trap")
    recipe = _recipe(files, given)
    for file in files or (File(),):
        check_outputs(output, file, {"--report": (given["report"], ".json")})
    ready()
    from silhueta.core.build.recipe import built

    work = Work(Progress())
    with work.stage("read"):
        parts = [_read(file, given["file_units"]) for file in files]
    with work.stage("build"):
        done = built(parts, recipe, work)
    _write(done, output, given, work)
    for doubt in done.doubts:
        click.echo(f"silhueta: look at this: {doubt}", err=True)


def _recipe(files: tuple[File, ...], given: dict[str, Any]) -> Recipe:
    from silhueta.core.build.recipe import Recipe
    from silhueta.core.words import Lettering

    many = len(files) + (given["text"] is not None)
    if many == 0:
        raise click.UsageError("name a file, or type words with --text")
    if given["how"] is None and many > 1 and given["sheet"] is None:
        sets = ", ".join(f"--{how}" for how, _ in _SETS)
        raise click.UsageError(f"tell what becomes of {many} outlines: {sets}, or --sheet")
    if given["how"] is not None and many == 1:
        given["how"] = "union"  # of one file: what overlaps in it is welded
    if given["origin"] == "picture" and (given["turn"] or given["mirror"] or not files):
        raise click.UsageError("turned, mirrored or typed, the files' own coordinates mean nothing")
    for option, needs in (
        *((name, "text") for name in ("cap_height", "font", "arc", "stencil")),
        ("negative", "plate"),
    ):
        if given[option] and given[needs] is None:
            raise click.UsageError(f"--{option.replace('_', '-')} does nothing without --{needs}")
    known = {field.name for field in fields(Recipe)}
    told = {key: value for key, value in given.items() if key in known and value is not None}
    if given["text"] is not None:
        if given["cap_height"] is None:
            raise click.UsageError("--text needs --cap-height, such as 60mm")
        told["text"] = Lettering(
            given["text"].replace("\\n", "\n"),
            given["cap_height"],
            given["font"] or ("Stencil" if given["stencil"] else "Plain"),
            given["spacing"],
            given["arc"] or 0.0,
        )
    return Recipe(**told)


def _write_layers(files: tuple[File, ...], output: tuple[File, ...], given: dict[str, Any]) -> None:
    """Write a file for each colour, with registration marks at the same places."""
    if len(files) != 1 or any(given[name] for name in _NO_LAYERS):
        raise click.UsageError("--trap goes with one file, --base and --mirror x alone")
    check_outputs(output, files[0], {"--report": (given["report"], ".json")})
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.build.layers import layers
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.geometry.path import Loop

    work = Work(Progress())
    with work.stage("read"):
        groups = [
            (colour, [path for path in paths if isinstance(path, Loop)])
            for colour, paths in _outline(files[0], given["file_units"]).groups
            if colour is not None
        ]
    with work.stage("build"):
        made = layers(groups, given["trap"], given["base"], True, given["mirror"] == "x")
    content: dict[str, Any] = {"layers": []}
    with all_or_none(), work.stage("write"):
        for layer in made:
            drawing = draw(layer.outline, given["units"], "corner")
            for target in output:
                name = target.with_name(f"{target.stem}-{layer.name}{target.suffix}")
                proof = export(drawing, name, CutFileSettings(dxf_version=given["dxf_version"]))
                size = [round(v, 6) for v in proof.figures.size_mm]
                content["layers"].append({"file": name.name, "size_mm": size})
    if given["report"] is not None:
        write_report(given["report"], content, work)


def _write(done: Built, output: tuple[File, ...], given: dict[str, Any], work: Work) -> None:
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.geometry.measure import bounding_box
    from silhueta.core.geometry.outline import Contour, Outline
    from silhueta.core.inspection.figures import report as figures_report
    from silhueta.core.job import Job
    from silhueta.core.tidy.choose import keep_only

    every: list[Path] = [path for paths in done.files for path in paths]
    frame = None
    if given["origin"] == "picture":
        _, _, right, top = bounding_box(every)
        frame = (max(right, 1.0), max(top, 1.0))
    written: list[str] = []
    with all_or_none():
        with work.stage("write"):
            for number, (paths, marks) in enumerate(zip(done.files, done.marks, strict=True), 1):
                contours = [Contour(path, origin="imported") for path in paths]
                contours += [Contour(path, operation="mark", origin="imported") for path in marks]
                outline = keep_only(Job(outline=Outline(tuple(contours))), given["keep"]).outline
                drawing = draw(outline, given["units"], given["origin"], frame)
                for target in output:
                    name = target
                    if len(done.files) > 1:
                        name = target.with_name(f"{target.stem}-{number}{target.suffix}")
                    written.append(name.name)
                    export(drawing, name, CutFileSettings(dxf_version=given["dxf_version"]))
        if given["report"] is not None:
            with work.stage("report"):
                content = figures_report(every, given["units"], done.files)
            content |= {"islands": done.islands, "bridges": done.bridges}
            content["sections"] = [
                {"file": written[k * len(output)], "size_mm": [round(v, 6) for v in size]}
                for k, size in enumerate(done.sections)
                if done.placed is None
            ]
            content |= {"placed": done.placed, "fill": [round(f, 4) for f in done.fill]}
            write_report(given["report"], content, work)


def _read(file: File, units: FileUnit | None) -> list[Path]:
    return list(_outline(file, units).taken)


def _outline(file: File, units: FileUnit | None) -> Outline:
    if file.suffix.lower() == ".silhueta":
        from silhueta.core.files.job_file import load_job

        kept = load_job(file).outline
        if not kept.taken:
            raise FileError(f"{file.name} has no outline yet; trace it first")
        return kept
    from silhueta.core.files.drawing_open import on_page
    from silhueta.core.files.inspect_file import read_drawing

    found = read_drawing(file)
    if units is not None and not found.says_units:
        found = found.taken_as(units)
    if not found.paths:
        raise FileError(f"{file.name} holds no outline; convert texts and pictures to outlines")
    outline, _, _ = on_page(found, "auto")
    return outline

"""The command ``silhueta build``: outlines welded, cut away, lettered, bridged, divided, placed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import fields
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, TypeVar

import click

from silhueta.cli.plan import (
    FORMAT_OPTIONS,
    cut_file_options,
    output_option,
    plan_told,
    typed_options,
)
from silhueta.cli.progress import Progress, say
from silhueta.cli.report import (
    check_needs,
    check_outputs,
    check_written,
    numbered_before,
    told_written,
    write_report,
)
from silhueta.cli.source import layers_option, source
from silhueta.cli.values import Grid, Length, SignedLength, Size, Turn
from silhueta.core.errors import FileError
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.build.recipe import Built, Recipe
    from silhueta.core.geometry.outline import Contour, Outline

# options that do nothing without one of these others
_NEEDS: dict[str, tuple[str, ...]] = {
    "cap_height": ("text",),
    "font": ("text",),
    "spacing": ("text",),
    "stencil": ("text",),
    "arc": ("text",),
    "corners": ("offset",),
    "radius": ("plate",),
    "margin": ("plate", "sheet"),
    "negative": ("plate",),
    "bridges": ("bridge", "stencil"),
    "joint": ("sections",),
    "clearance": ("sections",),
    "gap": ("copies", "sheet"),
    "base": ("trap",),
}
# options that go with --trap
_LAYERED = (
    "trap",
    "base",
    "mirror",
    "layers",
    "file_units",
    "units",
    *FORMAT_OPTIONS,
    "quiet",
    "report",
)
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
@output_option
@_options
@layers_option
@cut_file_options
def build(files: tuple[File, ...], output: tuple[File, ...], **given: Any) -> None:
    """Put outlines in FILES (SVG, DXF, .silhueta) together, and write cut files, each proven.

    The first file is the base; none is needed with --text. Done in this order: text, turn and
    mirror (of the base and the words), sets, offset, plate, bridges, sections, copies, sheet. Of
    several sections or sheets each gets a file: OUT-1, OUT-2 ...; with --trap each colour of the
    one file: OUT-14344d ...
    """
    from silhueta.core.apart.ask import ready

    given["alone"] = len(files) == 1  # then all layers that are named must be there
    typed = typed_options()
    _check_partners(typed, given)
    if given["trap"] is not None:
        named = {"how": given["how"]}
        idle = [named.get(n, n).replace("_", "-") for n in typed if n not in _LAYERED]
        idle = [f"--{name}" for name in idle]
        if len(files) != 1 or idle:
            more = f"; {', '.join(idle)} can do nothing beside it" if idle else ""
            raise click.UsageError(f"--trap goes with one file, --base and --mirror alone{more}")
        _write_layers(files[0], output, given)
        return
    recipe = _recipe(files, given)
    for file in files or (File(),):
        check_outputs(output, file, {"--report": (given["report"], ".json")})
    ready()
    from silhueta.core.build.recipe import built

    work = Work(Progress())
    with work.stage("read"):
        parts = [_read(file, given) for file in files]
    with work.stage("build"):
        done = built(parts, recipe, work)
    _write(done, (files, output), given, work)
    for doubt in done.doubts:
        click.echo(f"silhueta: look at this: {doubt}", err=True)


def _check_partners(typed: list[str], given: dict[str, Any]) -> None:
    """Raise UsageError for an option that would do nothing."""
    check_needs(typed, _NEEDS)
    if "clearance" in typed and given["joint"] == "straight":
        raise click.UsageError("--clearance does nothing with straight joints; add --joint tongue")
    if "arc" in typed and not given["arc"]:
        raise click.UsageError("--arc 0 bends nothing; give the diameter that words stand on")
    for name in ("turn", "offset", "copies"):
        if name in typed and given[name] in (0.0, (1, 1)):
            raise click.UsageError(f"--{name} of that does nothing; leave it out")


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
        beside = [f"--{name}" for name in ("turn", "mirror") if given[name]] or ["--text alone"]
        raise click.UsageError(
            f"--origin picture can do nothing beside {' and '.join(beside)}: turned, mirrored or "
            "typed, the files' own coordinates mean nothing"
        )
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


def _write_layers(file: File, output: tuple[File, ...], given: dict[str, Any]) -> None:
    """Write a file for each colour, with registration marks at the same places."""
    check_outputs(output, file, {"--report": (given["report"], ".json")})
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.build.layers import layered
    from silhueta.core.cutting.about import About
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export

    work = Work(Progress())
    with work.stage("read"):
        outline = _outline(file, given)
    with work.stage("build"):
        made = layered(outline, given["trap"], given["base"], given["mirror"] or "")
    content: dict[str, Any] = {"layers": []}
    proofs = []
    plan = plan_told(given.get("plan"))
    names = [
        [target.with_name(f"{target.stem}-{layer.name}{target.suffix}") for target in output]
        for layer in made
    ]
    check_written([name for own in names for name in own], {file.name: file})
    with all_or_none():
        with work.stage("write"):
            for layer, own in zip(made, names, strict=True):
                drawing = draw(layer.outline, plan.units, "corner", about=About(own[0].stem))
                for name in own:
                    proofs.append(export(drawing, name, plan))
                    size = [round(v, 6) for v in proofs[-1].figures.size_mm]
                    content["layers"].append({"file": name.name, "size_mm": size})
        if given["report"] is not None:
            write_report(given["report"], content, work)
    told_written(proofs, given["quiet"])


def _write(
    done: Built, ends: tuple[Sequence[File], Sequence[File]], given: dict[str, Any], work: Work
) -> None:
    """Write what was built; `ends` are the files that were read and the outputs named."""
    from silhueta.core.cutting.about import About
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.inspection.figures import report as figures_report
    from silhueta.core.job import Job
    from silhueta.core.tidy.choose import keep_only

    files, output = ends
    outlines = []
    for contours in done.files:
        kept = keep_only(Job(outline=Outline(tuple(contours))), given["keep"]).outline
        outlines.append(kept)
    frame = _frame(outlines, output) if given["origin"] == "picture" else None
    names = [_names(output, number, len(outlines)) for number in range(1, len(outlines) + 1)]
    known: dict[str, File | None] = {file.name: file for file in files}
    check_written([n for own in names for n in own], known | {"the report": given["report"]})
    plan = plan_told(given.get("plan"))
    proofs = []
    with all_or_none():
        with work.stage("write"):
            for k, (outline, own) in enumerate(zip(outlines, names, strict=True)):
                if len(outlines) > 1:
                    work.step(k / len(outlines))
                about = About(own[0].stem)
                drawing = draw(outline, plan.units, given["origin"], frame, about=about)
                own_work = None if len(outlines) > 1 else work
                proofs += [export(drawing, name, plan, own_work) for name in own]
        if given["report"] is not None:
            with work.stage("report"):
                groups = [list(outline.taken) for outline in outlines]
                every = [path for group in groups for path in group]
                content = figures_report(every, plan.units, groups)
            content |= {"islands": done.islands, "bridges": done.bridges}
            content["sections"] = [
                {"file": names[k][0].name, "size_mm": [round(v, 6) for v in size]}
                for k, size in enumerate(done.sections)
                if done.placed is None
            ]
            content |= {"placed": done.placed, "fill": [round(f, 4) for f in done.fill]}
            write_report(given["report"], content, work)
    told_written(proofs, given["quiet"])
    for target in output:
        left = numbered_before(target, len(outlines)) if len(outlines) > 1 else []
        if left:
            say(
                f"note: {', '.join(file.name for file in left)} of an earlier run, with more "
                "pieces, stayed"
            )


def _names(output: Sequence[File], number: int, many: int) -> list[File]:
    if many == 1:
        return list(output)
    return [target.with_name(f"{target.stem}-{number}{target.suffix}") for target in output]


def _frame(outlines: Sequence[Outline], output: Sequence[File]) -> tuple[float, float]:
    """Return the page that holds outlines in the coordinates that they came with."""
    boxes = [outline.bounds for outline in outlines if outline.taken]
    left, bottom = (min((box[k] for box in boxes), default=0.0) for k in range(2))
    right, top = (max((box[k] for box in boxes), default=0.0) for k in range(2, 4))
    pages = [target for target in output if target.suffix.lower() == ".svg"]
    if pages and min(left, bottom) < -1e-6:
        raise FileError(
            f"the outline reaches to {left:.3f}, {bottom:.3f} mm, off the page of {pages[0].name}, "
            "which begins at zero; leave --origin at corner, or write a DXF"
        )
    return max(right, 1.0), max(top, 1.0)


def _read(file: File, given: dict[str, Any]) -> list[Contour]:
    return [contour for contour in _outline(file, given).contours if contour.taken]


def _outline(file: File, given: dict[str, Any]) -> Outline:
    """Return the outline of a file; the first job says how cut files are written."""
    came = source(file, given, alone=given["alone"])
    if file.suffix.lower() == ".silhueta":
        given.setdefault("plan", came.job.cut_file)
    return came.job.outline

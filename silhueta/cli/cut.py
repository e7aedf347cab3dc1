"""The command ``silhueta cut``: which side, which order, which tool."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, cast

import click

from silhueta.cli.plan import format_options, plan_told, typed_options
from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_outputs, check_written, write_report
from silhueta.cli.source import say_left_out
from silhueta.cli.values import Angle, Length
from silhueta.core.errors import FileError
from silhueta.core.files.formats import EVERY, SHOWN, endings, format_of
from silhueta.core.inspect_settings import PROCESSES
from silhueta.core.plan_settings import LEADS, OPERATIONS
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan import Plan
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.files.proof import Proof
    from silhueta.core.geometry.outline import Contour
    from silhueta.core.job import Job
    from silhueta.core.plan_settings import Operation, Tool

_FILE = click.Path(path_type=File)
_LIST, _PROGRAM = ".txt", ".nc"
_NOT_ALL = 3  # exit code where not everything could be planned
_TOLD = 50  # findings that are told one by one


@click.command()
@click.argument("file", type=_FILE)
@click.option(
    "-o",
    "output",
    type=_FILE,
    multiple=True,
    required=True,
    help=f"{endings(formats=EVERY)}, or .txt for the set-up list; may be repeated.",
)
@click.option("--process", type=click.Choice(PROCESSES), help="How it is cut.")
@click.option("--material", help="Of the sheet, by name.")
@click.option("--thickness", type=Length(), help="Of the sheet.")
@click.option("--kerf", type=Length(zero=True), help="What torch, beam or jet takes away.")
@click.option("--bit", type=Length(), help="Diameter of the bit.")
@click.option(
    "--compensate",
    type=click.Choice(["file", "machine"]),
    default="file",
    show_default=True,
    help="Whether the file's ways are the tool's middle, or the machine moves it aside.",
)
@click.option("--lead", type=click.Choice(LEADS), help="How a cut is led in. [as the process has]")
@click.option("--lead-length", type=Length(zero=True), help="Along the lead.")
@click.option("--tabs", type=click.IntRange(0, 500), help="On each piece. [router: one in 140 mm]")
@click.option("--tab-width", type=Length(), help="What remains standing.")
@click.option("--tab-height", type=Length(), help="Above the sheet's underside.")
@click.option("--passes", type=click.IntRange(1, 1000), help="To the full depth.")
@click.option("--depth-per-pass", type=Length(), help="Instead of a number of passes.")
@click.option("--depth", type=Length(), help="Of pockets and engraving, and the most of V-grooves.")
@click.option("--over-depth", type=Length(zero=True), help="How far a through cut goes below.")
@click.option("--feed", type=click.FloatRange(0, min_open=True), help="In mm/min.")
@click.option("--v-angle", type=Angle(), help="Of the V-bit, from flank to flank.")
@click.option(
    "--zero",
    type=click.Choice(["top", "table"]),
    default="top",
    show_default=True,
    help="What Z 0 is: the sheet's top, or the table under it.",
)
@click.option("--machine", metavar="NAME|FILE", help="A machine record. [the process's own]")
@click.option(
    "--operations",
    multiple=True,
    metavar="LAYER=" + "|".join(OPERATIONS),
    help="What is done on a layer of the file; may be repeated.",
)
@click.option("--tools", type=_FILE, metavar="FILE", help="Tools, as TOML.")
@click.option("--materials", type=_FILE, metavar="FILE", help="Materials, as TOML.")
@click.option(
    "--origin",
    type=click.Choice(["corner", "picture"]),
    default="picture",
    show_default=True,
    help="Where (0, 0) lies: as in FILE, or at the outline's lower left corner.",
)
@click.option(
    "--units",
    type=click.Choice(["mm", "in"]),
    default="mm",
    show_default=True,
    help="Unit of the numbers in the files.",
)
@click.option("--setup", type=_FILE, metavar="OUT.txt|.pdf", help="Write the set-up list.")
@format_options(SHOWN)
@click.option("--split-tools", is_flag=True, help="A program for each tool: OUT-1-pocket.nc ...")
@click.option("--quiet", is_flag=True, help="Say nothing where all went well.")
@click.option("--report", type=_FILE, metavar="OUT.json", help="Write the figures.")
def cut(file: File, output: tuple[File, ...], report: File | None, **given: Any) -> int:
    """Plan how FILE (DXF, SVG, .silhueta) is cut, and write where the tools go, each file proven.

    Ends with 3 where something of it could not be planned; all the rest is written.
    """
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.cutting.planned import planned
    from silhueta.core.cutting.program import motions
    from silhueta.core.cutting.timing import times
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.cut_job import drawing_of
    from silhueta.core.files.export import export
    from silhueta.core.files.plan_job import export_plan, plan_report, told_plan
    from silhueta.core.files.setup_list import write_setup
    from silhueta.core.inspection.registry import finding_report, findings
    from silhueta.core.shop.materials import material_of

    written = tuple(one for one in output if one.suffix.lower() != _LIST)
    lists = [one for one in output if one not in written]
    lists += [] if given["setup"] is None else [given["setup"]]
    _check(given, output)
    check_outputs(written, file, {"--report": (report, ".json")}, EVERY)
    check_written([*written, *lists], {file.name: file, "the report": report})
    work = Work(Progress())
    with work.stage("read"):
        job, page, left_out = _read(file, given)
    job = _settled(job, given)
    known = _known(given)
    if given["material"] is not None:
        assert job.inspect.process is not None
        material_of(job.inspect.process, given["material"], job.inspect.thickness, known.materials)
    with work.stage("plan"):
        plan = planned(job, work, known)
        spent = times(motions(plan), plan.machine)
    with all_or_none():
        proofs: list[tuple[Drawing | PlanDrawing, Proof]] = [
            export_plan(job, own, page, target, work)
            for target, own in _targets(written, plan, given["split_tools"], file)
            if format_of(target) not in SHOWN
        ]
        for target in written:
            if format_of(target) in SHOWN:  # of the part itself, not of where tools go
                origin = job.cut_file.origin if page is not None else "corner"
                own = replace(job, cut_file=replace(job.cut_file, origin=origin))
                shown = drawing_of(own, page, target)
                proofs.append((shown, export(shown, target, job.cut_file, work)))
        for target in lists:
            write_setup(job, plan, spent, target, given["pdf_paper"])
        if report is not None:
            with work.stage("inspect"):
                seen = findings(job, plan.limits, work, left_out)
            told = plan_report(plan, spent)
            told["findings"] = [
                *cast("list[object]", told["findings"]),
                *(finding_report(one) for one in seen),
            ]
            shift = proofs[0][0].shift if proofs else (0.0, 0.0)
            told["shift_mm"] = [round(v, 6) for v in shift]
            write_report(report, told, work, "stage_seconds")
    if not given["quiet"]:
        for line in told_plan(plan, spent):
            click.echo(line)
        for drawing, proof in proofs:
            wide, high = proof.figures.size_mm
            words = f"{proof.file.name}: {wide:,.2f} x {high:,.2f} mm"
            words += " with leads" if isinstance(drawing, PlanDrawing) else ""
            if max(map(abs, drawing.shift)) >= 0.005:  # what two decimals show
                words += f", moved by {drawing.shift[0]:.2f}, {drawing.shift[1]:.2f} mm"
            click.echo(f"{words}; read back, the same")
    for note in plan.notes:
        say(note)
    for one in plan.findings[:_TOLD]:
        say(f"{one.code} at {one.place[0]:.2f}, {one.place[1]:.2f} mm: {one.text}")
    if len(plan.findings) > _TOLD:
        say(f"and {len(plan.findings) - _TOLD:,} more; --report has them all")
    return _NOT_ALL if plan.left_out else 0


def _targets(
    output: Sequence[File], plan: Plan, split: bool, source: File
) -> list[tuple[File, Plan]]:
    """Return the files that are written, each with its plan: programs for each tool, if asked."""
    from silhueta.core.files.plan_job import by_tool

    found: list[tuple[File, Plan]] = []
    for target in output:
        if not split or target.suffix.lower() != _PROGRAM:
            found.append((target, plan))
            continue
        for name, own in by_tool(plan):
            found.append((target.with_name(f"{target.stem}-{name}{target.suffix}"), own))
    check_written([target for target, _ in found], {source.name: source})
    return found


def _check(given: dict[str, Any], output: Sequence[File]) -> None:
    """Raise UsageError for options that can do nothing, or not both be true."""
    typed = typed_options()
    if "kerf" in typed and "bit" in typed:
        raise click.UsageError("--kerf and --bit are two words for one width; give one of them")
    if "passes" in typed and "depth_per_pass" in typed:
        raise click.UsageError("--passes and --depth-per-pass say the same; give one of them")
    for name in ("tab_width", "tab_height"):
        if name in typed and given["tabs"] == 0:
            raise click.UsageError(f"--{name.replace('_', '-')} does nothing with --tabs 0")
    if given["split_tools"] and all(one.suffix.lower() != _PROGRAM for one in output):
        raise click.UsageError("--split-tools does nothing without a .nc file to write")
    setup = given["setup"]
    if setup is not None and setup.suffix.lower() not in (".txt", ".pdf"):
        raise click.UsageError(f"--setup {setup}: the name must end in .txt or .pdf")
    endings_ = [one.suffix.lower() for one in (*output, *([] if setup is None else [setup]))]
    if "pdf_paper" in typed and ".pdf" not in endings_:
        raise click.UsageError("--paper does nothing without a .pdf to write")
    if "lead_length" in typed and given["lead"] == "none":
        raise click.UsageError("--lead-length does nothing with --lead none")


def _read(
    file: File, given: dict[str, Any]
) -> tuple[Job, tuple[float, float] | None, dict[str, int]]:
    """Return the job in a file, with its page, worked as was told of its layers."""
    from silhueta.core.cutting.edits import set_operation
    from silhueta.core.files.inspect_file import as_job, is_job, read_drawing, to_inspect

    told = _told(given["operations"])
    if is_job(file):
        job = to_inspect(file).job
        page = None if job.page is None else (job.page[2] - job.page[0], job.page[3] - job.page[1])
        layers = _own_layers(job)
        left_out: dict[str, int] = {}
    else:
        drawing = read_drawing(file)
        if not drawing.paths:
            say_left_out(file, drawing.left_out)
            raise FileError(
                f"{file.name} holds no outline; convert texts and pictures to outlines first"
            )
        job, left_out = replace(as_job(drawing), name=file.stem), drawing.left_out
        frame = drawing.frame
        page = None if frame is None else (frame[2] - frame[0], frame[3] - frame[1])
        layers = list(drawing.layers or ("",) * len(drawing.paths))
    say_left_out(file, left_out)
    there = {layer.casefold(): layer for layer in layers if layer}
    for name in told:
        if name not in there:
            names = ", ".join(there.values()) or "none"
            raise click.UsageError(
                f"--operations: {file.name} has no outline on a layer “{name}”; it has "
                f"{names[:200]}"
            )
    for name, operation in told.items():
        keys = [
            contour.key
            for contour, layer in zip(job.outline.contours, layers, strict=True)
            if layer.casefold() == name and contour.taken
        ]
        job = set_operation(job, tuple(keys), operation)
    return job, page, left_out


def _own_layers(job: Job) -> list[str]:
    """Return the layer that each contour of a job has in its cut files."""
    from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, MARK, OUTSIDE
    from silhueta.core.tidy.choose import depths

    def named(contour: Contour, depth: int) -> str:
        if contour.operation == "cut":
            return INSIDE if depth % 2 else OUTSIDE
        return MARK if contour.operation == "mark" else ENGRAVE

    every = zip(job.outline.contours, depths(job.outline).tolist(), strict=True)
    return [named(contour, depth) for contour, depth in every]


def _told(texts: Sequence[str]) -> dict[str, Operation]:
    """Return what was told of layers, by their names in small letters."""
    found: dict[str, Operation] = {}
    for text in texts:
        name, mark, how = text.rpartition("=")
        name, how = name.strip(), how.strip().lower()
        if not mark or not name or how not in OPERATIONS:
            raise click.UsageError(
                f"--operations: “{text[:60]}” tells no layer; say LAYER={'|'.join(OPERATIONS)}"
            )
        found[name.casefold()] = how
    return found


def _settled(job: Job, given: dict[str, Any]) -> Job:
    """Return a job with what was typed over what it says."""
    from silhueta.core.cutting.edits import with_tools
    from silhueta.core.shop.tools import load_tools

    typed = typed_options()
    limits, plan = job.inspect, job.plan
    width = given["kerf"] if given["bit"] is None else given["bit"]
    told = {name: given[name] for name in ("process", "thickness", "material")} | {"width": width}
    limits = replace(limits, **{k: v for k, v in told.items() if v is not None})
    if limits.process is None:
        raise click.UsageError("--process is missing: plasma, laser, router, knife, water or saw")
    names = (
        "compensate", "lead", "lead_length", "tabs", "tab_width", "tab_height", "passes",
        "depth_per_pass", "depth", "over_depth", "feed", "v_angle", "zero",
    )  # fmt: skip
    changes = {name: given[name] for name in names if name in typed}
    plan = replace(plan, **changes)
    if given["tools"] is not None:
        found = load_tools(given["tools"])
        for fault in found.wrong:
            say(fault)
        plan = with_tools(plan, cast("list[Tool]", found.records))
    elif "zero" in typed:
        plan = replace(plan, tools=tuple(replace(one, zero=plan.zero) for one in plan.tools))
    how = replace(plan_told(job.cut_file), origin=given["origin"], units=given["units"])
    return replace(job, inspect=limits, plan=plan, cut_file=how)


def _known(given: dict[str, Any]) -> Any:
    """Return the records that are named in place of those that the program has."""
    from silhueta.core.cutting.tooling import Known
    from silhueta.core.shop.machines import is_file, known_machines, load_machines
    from silhueta.core.shop.materials import known_materials, load_materials

    materials, wrong = known_materials()
    if given["materials"] is not None:
        found = load_materials(given["materials"])
        materials, wrong = (*found.records, *materials), (*wrong, *found.wrong)
    machines, faults = known_machines()
    named = given["machine"]
    if named is not None and is_file(named):
        read = load_machines(File(named))
        machines, faults = tuple(read.records), (*faults, *read.wrong)
        named = read.records[0].name
    for fault in (*wrong, *faults):
        say(fault)
    return Known(tuple(materials), tuple(machines), named)

"""The command `tidy`: clean-up offers on somebody's SVG or DXF."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING, Any

import click

from silhueta.cli.exact import check_table, made_true, true_options, true_report
from silhueta.cli.plan import cut_file_options, output_option, typed_options
from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_needs, check_outputs, told_written, write_report
from silhueta.cli.source import layers_option, noise_of_source, source
from silhueta.cli.values import Area, Length
from silhueta.cli.writing import check_page, job_option, worked_job, write_job
from silhueta.core.errors import FileError
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.files.svg_read import ReadDrawing
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.tidy.offers.offer import Frame, Kind, Limits
    from silhueta.core.truing.apply import Mode

_FILE = click.Path(path_type=File)
_DOUBTS: dict[Kind, str] = {
    "specks": "small shapes that may be meant ({}; --speck 1mm2 takes all under 1 mm²)",
    "gaps": "gaps that could be joined in two ways ({})",
    "doubles": "sides that two outlines share ({})",
    "crossings": "places where a line crosses itself ({})",
}


@click.command()
@click.argument("file", type=_FILE)
@output_option
@click.option(
    "--gap",
    type=Length(zero=True),
    help="Join ends no farther apart. [0.5mm]",
)
@click.option(
    "--double",
    type=Length(zero=True),
    help="Keep one of paths that follow each other within this. [0.2mm]",
)
@click.option(
    "--speck",
    type=Area(),
    help="Delete loops that enclose less. [1mm2]",
)
@click.option(
    "--tolerance",
    type=Length(zero=True),
    help="Spare nodes where the outline moves by no more. [0.05mm]",
)
@click.option("--drop-frame", is_flag=True, help="Delete the rectangle round everything.")
@click.option(
    "--file-units",
    type=click.Choice(["mm", "in", "px"]),
    help="What the file's numbers are, where it does not say. [SVG: px, DXF: mm]",
)
@click.option(
    "--file-units-force", is_flag=True, help="Take --file-units even where the file says its unit."
)
@click.option(
    "--strokes",
    type=click.Choice(["centre", "outline"]),
    default="centre",
    show_default=True,
    help="Of strokes over half a millimetre wide take this.",
)
@click.option(
    "--overlaps",
    type=click.Choice(["auto", "weld", "lines"]),
    default="auto",
    show_default=True,
    help="auto: filled shapes as they look, lines as they are; weld: lines that cross are one, "
    "too; lines: each shape with all its lines.",
)
@click.option("--many", is_flag=True, help="Go on where a drawing is so large that it takes long.")
@layers_option
@true_options("none")
@cut_file_options
@job_option
def tidy(file: File, output: tuple[File, ...], **given: Any) -> None:
    """Clean up the outlines in FILE (SVG, DXF, .silhueta) and write cut files, each proven.

    A limit of 0 leaves its offer out. Limits that are not given are less for drawings of under
    50 mm across, in proportion; a job's are as they were set in it.
    """
    from silhueta.core.apart.ask import ready

    ready()
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.tidy.offers.kinds import KINDS, take_all
    from silhueta.core.tidy.offers.offer import limits_of, with_speck
    from silhueta.core.tidy.widen import BROAD

    _check(output, file, given["report"], given["true_"])
    work = Work(Progress())
    broader = BROAD if given["strokes"] == "outline" else math.inf
    with work.stage("read"):
        came = source(
            file,
            given,
            broader=broader,
            check=lambda found: _check_read(found, file, given["many"]),
        )
    outline, frame = came.job.outline, came.frame
    typed = {name: given[name] for name in ("speck", "double", "gap", "tolerance")}
    told = {name: value for name, value in typed.items() if value is not None}
    limits = replace(limits_of(came.job), **with_speck(told))
    counts: dict[str, int] = {}
    if given["drop_frame"]:
        outline, dropped = _without_frame(outline, limits, frame)
        counts |= {"frame": dropped} if dropped else {}
    outline, others, asked = take_all(
        outline, limits, frame, work, [kind for kind in KINDS if kind != "frame"]
    )
    doubts = [_DOUBTS[kind].format(asked[kind]) for kind in _DOUBTS if kind in asked]
    if doubts:
        say(f"left as they are: {', '.join(doubts)}; look at them at Tidy in the window")
    counts |= {str(kind): count for kind, count in others.items()}
    _something_left(outline, file, counts)
    start = worked_job(came.job, outline, given["keep"])
    noise = noise_of_source(start)
    exact = made_true(
        start.outline, noise, (given["true_"], given["hole_sizes"], given["level"]), work
    )
    with all_or_none():
        done = worked_job(start, exact.outline)
        drawing, proofs = write_job(done, came.page, output, file, work)
        if given["report"] is not None:
            content: dict[str, object] = {
                "offers": counts,
                "left_out": came.left_out,
                "asked": asked,
            }
            if given["true_"] != "none":
                content |= true_report(exact, noise, drawing)
            _report(given["report"], drawing, content, work)
    told_written(proofs, given["quiet"])


def _check(output: tuple[File, ...], file: File, report: File | None, mode: Mode) -> None:
    """Raise UsageError for names and options that make no sense together."""
    kept: File | None = click.get_current_context().params["job_file"]
    beside = {"--report": (report, ".json"), "--job": (kept, ".silhueta")}
    check_outputs(output, file, beside)
    check_needs(typed_options(), {"file_units_force": ["file_units"]})
    check_table(mode)


def _check_read(found: ReadDrawing, file: File, many: bool) -> None:
    """Raise FileError for a drawing that takes long, or that has no page where one is needed."""
    from silhueta.core.files.drawing_open import large

    if not many and (much := large(found)):
        raise FileError(
            f"{file.name} holds {much}; give --many to go on all the same, or save it in parts"
        )
    check_page(found, file)


def _something_left(outline: Outline, file: File, counts: dict[str, int]) -> None:
    """Raise FileError where all of a drawing was taken away."""
    if not outline.contours:
        gone = ", ".join(f"{count:,} {kind}" for kind, count in counts.items())
        raise FileError(
            f"nothing is left of {file.name} ({gone} taken away); give --speck 0mm2 to keep small "
            "loops, or --file-units if its numbers are meant larger"
        )


def _report(target: File, drawing: Drawing, told: dict[str, object], work: Work) -> None:
    from silhueta.core.inspection.figures import report as figures_report

    with work.stage("report"):
        content = figures_report(drawing.paths(), drawing.units, drawing.groups())
    write_report(target, content | told, work)


def _without_frame(outline: Outline, limits: Limits, frame: Frame | None) -> tuple[Outline, int]:
    """Return the outline without the rectangle that a person asked to drop, and how many."""
    from silhueta.core.tidy.offers.kinds import find_offer, take

    offer = find_offer(outline, "frame", limits, frame)
    return take(offer, offer.items), offer.count

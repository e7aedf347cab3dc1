"""The trace command: from a picture to cut files, without a window."""

from __future__ import annotations

from dataclasses import replace
from functools import cache, partial
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, cast

import click

from silhueta.cli.exact import check_table, hole_sizes, made_true, true_options, true_report
from silhueta.cli.given import Given, check, datums_of
from silhueta.cli.plan import FORMAT_OPTIONS, cut_file_options, output_option, plan_told
from silhueta.cli.progress import Progress, say
from silhueta.cli.report import check_outputs, told_written, write_report
from silhueta.cli.values import (
    Angle,
    Area,
    Band,
    Box,
    Colour,
    Corners,
    KnownLength,
    Length,
    Threshold,
)
from silhueta.core.datums import OPEN_MM
from silhueta.core.errors import TraceError
from silhueta.core.trace_settings import Read
from silhueta.core.units import format_length
from silhueta.core.wording import coarse, counted, leaned, open_blend, open_wall
from silhueta.core.work import Work

if TYPE_CHECKING:
    from collections.abc import Callable

    import numpy as np
    from numpy.typing import NDArray

    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.datum.scale import Scale
    from silhueta.core.job import Job, TraceStamp
    from silhueta.core.picture.decode import Picture
    from silhueta.core.trace.job_trace import TracedJob
    from silhueta.core.truing.apply import Mode, Trued
    from silhueta.core.truing.features import Noise
    from silhueta.core.truing.sizes import Table

_FILE = click.Path(path_type=File)


@click.command()
@click.argument("picture", type=_FILE)
@output_option
@click.option("--pixel-size", type=Length(), help="The side of one pixel.")
@click.option("--dpi", type=float, help="Pixels an inch.")
@click.option("--overall-width", type=Length(), help="Width of the whole outline.")
@click.option("--overall-height", type=Length(), help="Height of the whole outline.")
@click.option(
    "--known-length", type=KnownLength(), help="Two points in px (y down) and their distance."
)
@click.option("--sheet", metavar="a4|letter|a3|card|WxHmm", help="A sheet of this size is in it.")
@click.option(
    "--sheet-corners",
    type=Corners(),
    help="Its corners in px, clockwise from its own top left. [found]",
)
@click.option("--gauge", is_flag=True, help="The printed gauge sheet is in it.")
@click.option("--page", metavar="a4|letter|…", help="The picture is a scan of this whole page.")
@click.option(
    "--thickness",
    type=Length(zero=True),
    help="Of the part itself; 0mm for paper.",
)
@click.option(
    "--datum-height",
    type=Length(zero=True),
    help="How high the datum stands. [0.76 mm for a card, 0 for paper]",
)
@click.option("--focal35", type=float, help="The lens, as a 35-mm equivalent in mm.")
@click.option("--crop", type=Box(), help="The part of the picture that counts, px.")
@click.option(
    "--read",
    "reading",
    type=click.Choice(["auto", "part", "solid", "line", "colours"]),
    default="auto",
    show_default=True,
    help="What the picture is taken for, where no other option says how to trace it.",
)
@click.option(
    "--light",
    type=click.Choice(["auto", "linear", "stored"]),
    default="auto",
    show_default=True,
    help="Whether the picture was blended as light (photo, scan) or in stored values (graphic).",
)
@click.option("--threshold", type=Threshold(), help="Darker than this is dark.")
@click.option("--band", type=Band(), help="The part lies between these two greys.")
@click.option("--local", type=Length(), help="Hold greys against those around, in this window.")
@click.option("--colour", type=Colour(), multiple=True, help="The part's colour; may be repeated.")
@click.option(
    "--colour-distance",
    type=click.FloatRange(0, 100, min_open=True),
    default=20.0,
    show_default=True,
    help="CIE DE2000 difference that still counts as picked.",
)
@click.option("--part", is_flag=True, help="Part against ground, for photos of real objects.")
@click.option("--invert", is_flag=True, help="The part is light.")
@click.option(
    "--speck",
    type=Area(),
    default="1mm2",
    show_default=True,
    help="Leave out loops under this.",
)
@click.option(
    "--tolerance", type=Length(), help="How far the outline may leave the edge. [half a pixel]"
)
@click.option("--pen", type=click.Choice(["outer", "inner", "centre"]), help="Trace a pen line.")
@click.option("--close-gaps", type=Length(), help="Close breaks of the pen line up to this.")
@click.option("--colours", type=click.IntRange(2, 16), help="Split into this many main colours.")
@click.option(
    "--fit", type=click.Choice(["arcs", "curves"]), default="arcs", help="Curves too? [arcs]"
)
@click.option("--smooth", type=Length(), help="Calm the edge over this length.")
@click.option(
    "--corner",
    type=Angle(),
    default="35deg",
    show_default=True,
    help="Joints that turn by less are smooth where the edge allows it.",
)
@click.option("--doubtful", is_flag=True, help="Write the outline even where it is not sure.")
@click.option("--many", is_flag=True, help="Trace more than a million edge points.")
@true_options("none")
@partial(cut_file_options, taken=("--dpi",))  # that is the picture's own here
@click.option("--job", "job_file", type=_FILE, metavar="OUT.silhueta", help="Keep the job.")
def trace(**options: Any) -> None:
    """Trace PICTURE at true size and write cut files, each proven by reading it back."""
    plain = {name: value for name, value in options.items() if name not in FORMAT_OPTIONS}
    given = Given(**plain, plan=plan_told())
    beside = {"--report": (given.report, ".json"), "--job": (given.job_file, ".silhueta")}
    check_outputs(given.output, given.picture, beside)
    check(given)
    check_table(cast("Mode", given.true_))
    from silhueta.core.apart.ask import ready

    ready("silhueta.core.picture.raster")  # while all the rest is brought in
    from silhueta.core.files.job_file import save_job
    from silhueta.core.picture.decode import decode, decode_colour, read_picture_file
    from silhueta.core.trace.job_trace import thickness_asked, trace_job
    from silhueta.core.trace.stages import Stages

    work = Work(Progress())
    with work.stage("read"):
        source = read_picture_file(given.picture)
        decoded = decode(source)
    colours_of = cache(lambda: decode_colour(source))
    if decoded.pages > 1:
        say(
            f"note: {given.picture.name} holds {decoded.pages} pages; the first is traced (the "
            "window opens the others)"
        )
    with work.stage("scale"):
        datums = datums_of(given, decoded, colours_of)
    start = given.job(source, datums)
    with work.stage("read"):
        start = _as_read(given, start, decoded, colours_of)
    if given.thickness is None:
        start = thickness_asked(start)
    stages = Stages()
    if colours_of.cache_info().currsize:
        stages.take_colours(start, colours_of())
        colours_of.cache_clear()
    done = trace_job(start, decoded, work, stages)
    height = done.rectified.solution.camera_height
    if start.optics.thickness_open and height is not None:
        say(
            f"note: the part's thickness is not told: {OPEN_MM:g} mm would make it "
            f"{100 * OPEN_MM / height:.1f} % smaller; give --thickness (0mm for paper)"
        )
    if (why := done.job.trace.lines_only) and (given.fit != "arcs" or given.smooth):
        idle = "--smooth" if given.smooth else "--fit curves"
        say(f"note: {idle} changes nothing: {why}")
    if given.thickness and height is None and done.job.trace.mode != "part":
        say("note: --thickness changes nothing here: without a camera the scale is one everywhere")
    stamp = done.job.traced
    assert stamp is not None
    if stamp.lean is not None:
        lean = stamp.lean
        say(f"note: the camera {leaned(lean.angle, lean.sure, lean.holes)}; the size allows for it")
    if stamp.wall_mm:
        say(f"note: {open_wall(format_length(stamp.wall_mm, given.units, 1))}")
    if stamp.blend_mm:
        apart = open_blend(format_length(stamp.blend_mm, given.units, 3))
        say(f"note: {apart}; give --light linear or --light stored")
    if stamp.coarse:
        say(f"note: {coarse(format_length(stamp.mm_per_px, given.units, 2))}")
    if stamp.doubts and not given.doubtful:
        if given.job_file is not None:
            save_job(done.job, given.job_file)
        raise TraceError(_doubts_told(stamp, given.job_file))
    _write(given, done, work)


def _trued(given: Given, done: TracedJob, work: Work) -> tuple[TracedJob, Trued | None, Noise]:
    """Return the traced job made exact, as far as that was asked for."""
    from silhueta.core.truing.apply import noise_of
    from silhueta.core.truing.edits import with_truth

    noise = noise_of(done.job, done.rectified)
    if given.true_ == "none" and given.level == "none":
        return done, None, noise
    asked = (cast("Mode", given.true_), cast("Table", given.hole_sizes), given.level)
    exact = made_true(done.job.outline, noise, asked, work)
    job = with_truth(done.job, exact.outline, exact.relations)
    return done._replace(job=job), exact, noise


def _as_read(
    given: Given, job: Job, picture: Picture, colours_of: Callable[[], NDArray[np.uint8]]
) -> Job:
    """Return the job set for what the picture is taken for, or for what was told."""
    from silhueta.core.picture.dots import raster_of
    from silhueta.core.trace.job_trace import read_job

    if given.told_how and given.reading == "auto":
        kind: Read = "solid"
        if given.part or given.pen or given.colours:
            kind = "part" if given.part else "line" if given.pen else "colours"
        return replace(job, trace=replace(job.trace, read=kind))
    raster = raster_of(picture.eight())
    if raster is not None:
        say(
            f"note: {given.picture.name} shows a raster, dots {raster:.1f} px apart, as a photo of "
            "a screen or of a printed picture does; edges are no finer than its dots, so open the "
            "picture file itself if there is one"
        )
    said: Read | None = None if given.reading == "auto" else cast("Read", given.reading)
    read = read_job(job, picture, said, colours_of())[0]
    return replace(read, trace=given.over(read.trace)) if given.told_how else read


def _write(given: Given, done: TracedJob, work: Work) -> None:
    """Write the cut files, the job and the report: all or none."""
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.about_job import about_of
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.files.job_file import save_job
    from silhueta.core.inspection.figures import report as figures_report
    from silhueta.core.trace.job_trace import size_sigma

    done, exact, noise = _trued(given, done, work)
    flat, scale = done.rectified.picture, done.traced.scale
    size = (flat.width * scale.mm_per_px, flat.height * scale.mm_per_px)
    stamp = done.job.traced
    assert stamp is not None
    with all_or_none():
        with work.stage("write"):
            about = about_of(done.job, flat, scale.mm_per_px)
            drawing = draw(done.job.outline, given.units, given.origin, size, about=about)
            proofs = [export(drawing, target, done.job.cut_file, work) for target in given.output]
            if given.job_file is not None:
                save_job(done.job, given.job_file)
        if given.report is not None:
            with work.stage("report"):
                content = figures_report(drawing.paths(), given.units, drawing.groups())
            content["scale"] = _scale_report(scale, done.rectified, done.job)
            off = done.traced.deviation
            content["light"] = {"taken": stamp.light, "open": bool(stamp.blend_mm)}
            wide, high = size_sigma(done.job, done.rectified)
            content["size_sigma_mm"] = [round(wide, 6), round(high, 6)]
            content["hole_sizes"] = hole_sizes(done.job.outline, noise, drawing)
            content["specks_left_out"] = stamp.dropped
            content["deviation_mm"] = {"mean": off.mean, "p95": off.p95, "max": off.worst}
            if exact is not None:
                content |= true_report(exact, noise, drawing)
            write_report(given.report, content, work)
    if stamp.dropped and not given.quiet:
        limit = f"{done.job.trace.speck:.3g} mm²"
        say(
            f"note: {counted(stamp.dropped, 'loop')} under the speck limit of {limit} "
            f"{'was' if stamp.dropped == 1 else 'were'} left out; if holes are among them, give a "
            "smaller --speck"
        )
    told_written(proofs, given.quiet, size_sigma(done.job, done.rectified))


def _scale_report(scale: Scale, rectified: Rectified, job: Job) -> dict[str, object]:
    """Return the report's part on the scale; what is not known is left out."""
    import numpy as np

    content: dict[str, object] = {"mm_per_px": scale.mm_per_px, "kind": scale.kind}
    solution = rectified.solution
    if scale.kind not in ("overall-width", "overall-height"):
        left, bottom, right, top = job.outline.bounds
        ends = rectified.plane.to_px(np.array([[left, bottom], [right, top]])).tolist()
        across, sigma = solution.length(ends[0], ends[1])
        content["relative_uncertainty"] = sigma / across
    if solution.residual_px is not None:
        content["residual_px"] = solution.residual_px
    if solution.camera_height is not None:
        content["camera_height_mm"] = solution.camera_height
    if solution.lean is not None:
        content["lean_deg"] = {"angle": solution.lean.angle, "sure": solution.lean.sure}
    return content


def _doubts_told(stamp: TraceStamp, job: File | None) -> str:
    """Return why nothing was written, where, and what to do."""
    x, y, text = stamp.doubts[0]
    more = len(stamp.doubts) - 1
    others = f" ({more} more {'place' if more == 1 else 'places'} in doubt)" if more else ""
    kept = f" in {job.name}, which was kept," if job else ""
    return (
        f"not sure at {x:.1f}, {y:.1f} mm: {text}{others}; no cut file was written: look at it in "
        f"the window{kept} or give --doubtful to have it as it is"
    )

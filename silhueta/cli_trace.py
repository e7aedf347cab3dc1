"""The trace command: from a picture to cut files, without a window."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, cast

import click

from silhueta.cli_report import Progress, check_outputs, cut_file_options, say, write_report
from silhueta.cli_values import (
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
from silhueta.core.errors import SilhuetaError, TraceError, UnitsError
from silhueta.core.job import OPEN_MM, Datum, DxfVersion, FrameOrigin, LengthDatum
from silhueta.core.trace_settings import Blend, Keep, Kind, Mode, Pen, Read
from silhueta.core.units import Unit
from silhueta.core.whole_file import readable
from silhueta.core.work import Work

if TYPE_CHECKING:
    from collections.abc import Callable

    import numpy as np
    from numpy.typing import NDArray

    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.datum.scale import Scale
    from silhueta.core.job import Job, TraceStamp
    from silhueta.core.picture.decode import Picture

_FILE = click.Path(path_type=File)


@click.command()
@click.argument("picture", type=_FILE)
@click.option(
    "-o", "output", type=_FILE, multiple=True, required=True, help=".dxf or .svg; may be repeated."
)
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
@cut_file_options
@click.option("--job", type=_FILE, metavar="OUT.silhueta", help="Keep the job.")
def trace(
    picture: File,
    output: tuple[File, ...],
    pixel_size: float | None,
    dpi: float | None,
    overall_width: float | None,
    overall_height: float | None,
    known_length: LengthDatum | None,
    sheet: str | None,
    sheet_corners: Any,
    gauge: bool,
    page: str | None,
    thickness: float | None,
    datum_height: float | None,
    focal35: float | None,
    crop: Any,
    reading: str,
    light: Blend,
    threshold: float | None,
    band: tuple[float, float] | None,
    local: float | None,
    colour: tuple[Any, ...],
    colour_distance: float,
    part: bool,
    invert: bool,
    speck: float,
    tolerance: float | None,
    pen: Pen | None,
    close_gaps: float | None,
    colours: int | None,
    fit: Kind,
    smooth: float | None,
    corner: float,
    doubtful: bool,
    many: bool,
    keep: Keep,
    units: Unit,
    dxf_version: DxfVersion,
    origin: FrameOrigin,
    report: File | None,
    job: File | None,
) -> None:
    """Trace PICTURE at true size and write cut files, each proven by reading it back."""
    check_outputs(output, picture, {"--report": (report, ".json"), "--job": (job, ".silhueta")})
    datum = _datum(pixel_size, dpi, overall_width, overall_height, known_length)
    seen = [
        name for name, given in (("--sheet", sheet), ("--page", page), ("--gauge", gauge)) if given
    ]
    if len(seen) > 1 or (seen and datum is not None and not isinstance(datum, LengthDatum)):
        raise click.UsageError(
            f"give one of {' and '.join(seen)}, alone or with --known-length: each fixes the scale"
        )
    mode = _mode(threshold, band, local, colour, part, colours)
    told_how = reading == "auto" and (
        threshold is not None
        or mode != "threshold"
        or invert
        or pen is not None
        or colours is not None
    )
    if colours is not None:
        idle = [
            name
            for name, given in (
                ("--pen", pen is not None),
                ("--invert", invert),
                ("--smooth", bool(smooth)),
            )
            if given
        ]
        if idle:
            raise click.UsageError(
                f"{' and '.join(idle)} can do nothing beside --colours, which follows every border "
                "between two colours as it is; leave one of them out"
            )
    if close_gaps is not None and pen is None:
        raise click.UsageError("--close-gaps needs --pen outer, inner or centre")
    if sheet_corners is not None and not sheet:
        raise click.UsageError("--sheet-corners needs --sheet with the sheet's size")

    from silhueta.core.apart.ask import ready

    ready("silhueta.core.picture.raster")  # while all the rest is brought in
    from silhueta.core.cutting.drawing import draw
    from silhueta.core.files.atomic import all_or_none
    from silhueta.core.files.export import export
    from silhueta.core.files.job_file import save_job
    from silhueta.core.inspection.figures import report as figures_report
    from silhueta.core.job import CutFileSettings, DpiDatum, Job, Optics, TraceSettings
    from silhueta.core.picture.decode import decode, decode_colour, read_picture_file
    from silhueta.core.picture.verdict import raster_of
    from silhueta.core.trace.job_trace import Stages, read_job, thickness_asked, trace_job

    work = Work(Progress())
    with work.stage("read"):
        source = read_picture_file(picture)
        decoded = decode(source)
    colours_of = cache(lambda: decode_colour(source))
    if decoded.pages > 1:
        say(
            f"note: {picture.name} holds {decoded.pages} pages; the first is traced (the window "
            "opens the others)"
        )
    try:
        optics = Optics(thickness or 0.0, focal35, datum_height)
    except SilhuetaError as error:
        raise click.UsageError(str(error)) from error
    with work.stage("scale"):
        shown = _seen_datum(colours_of, decoded, sheet, sheet_corners, gauge, page, focal35)
        if datum is None and shown is None and (decoded.dpi is None or decoded.focal35):
            from silhueta.core.datum.look_for import look_for_any

            shown = look_for_any(decoded, focal35, colours_of())
    if datum is None and shown is None:
        if decoded.dpi is None:
            told = (
                f"says {decoded.told_dpi:g} dpi, which means unknown"
                if decoded.told_dpi
                else "says no dpi"
            )
            raise click.UsageError(
                f"{picture.name} {told}, and it shows no sheet, card or gauge sheet that can be "
                "told for sure; give one of --pixel-size, --dpi, --overall-width, "
                "--overall-height, --known-length, --sheet, --gauge, --page"
            )
        datum = DpiDatum(decoded.dpi, "file")
    try:
        settings = TraceSettings(
            threshold=None if threshold is None or threshold < 0 else threshold,
            invert=invert,
            speck=speck,
            tolerance=tolerance,
            keep=keep,
            mode=mode,
            band=band or TraceSettings().band,
            window=local or TraceSettings().window,
            colours=colour,
            colour_distance=colour_distance,
            pen=pen,
            close_gaps=close_gaps or 0.0,
            split=colours or 0,
            fit=fit,
            smooth=smooth or 0.0,
            corner=corner,
            many=many,
            light=light,
        )
    except SilhuetaError as error:
        raise click.UsageError(str(error)) from error
    cut_file = CutFileSettings(units, dxf_version, origin)
    start = Job(
        name=readable(picture.stem),
        picture=source,
        datums=tuple(d for d in (shown, datum) if d is not None),
        optics=optics,
        clean=() if crop is None else (crop,),
        trace=settings,
        cut_file=cut_file,
    )
    if told_how:
        kind: Read = "part" if part else "line" if pen else "colours" if colours else "solid"
        start = replace(start, trace=replace(settings, read=kind))
    else:
        raster = raster_of(decoded.eight()) if reading == "auto" else None
        if raster is not None:
            raise TraceError(
                f"{picture.name} shows a raster, dots {raster:.1f} px apart, as a photo of a "
                "screen or of a printed picture does; open the picture file itself, or give --read "
                "to trace this one all the same"
            )
        with work.stage("read"):
            said: Read | None = None if reading == "auto" else cast("Read", reading)
            start, _ = read_job(start, decoded, said, colours_of())
    if thickness is None:
        start = thickness_asked(start)
    stages = Stages()
    if colours_of.cache_info().currsize:
        stages.take_colours(start, colours_of())
        colours_of.cache_clear()
    done, traced, rectified = trace_job(start, decoded, work, stages)
    if start.optics.thickness_open and rectified.solution.camera_height is not None:
        most = OPEN_MM / rectified.solution.camera_height
        say(
            f"note: the part's thickness is not told: {OPEN_MM:g} mm would make it "
            f"{100 * most:.1f} % smaller; give --thickness (0mm for paper)"
        )
    if done.traced is not None and done.traced.doubts and not doubtful:
        if job is not None:
            save_job(done, job)
        raise TraceError(_doubts_told(done.traced, job))
    flat, step = rectified.picture, traced.scale.mm_per_px
    size = (flat.width * step, flat.height * step)
    with all_or_none():
        with work.stage("write"):
            drawing = draw(done.outline, units, origin, size)
            for target in output:
                export(drawing, target, dxf_version)
            if job is not None:
                save_job(done, job)
        if report is not None:
            with work.stage("report"):
                content = figures_report(drawing.paths(), units, drawing.groups())
            content["scale"] = _scale_report(traced.scale, rectified, done)
            off = traced.deviation
            content["deviation_mm"] = {"mean": off.mean, "p95": off.p95, "max": off.worst}
            write_report(report, content, work)


def _mode(
    threshold: float | None,
    band: tuple[float, float] | None,
    local: float | None,
    colour: tuple[Any, ...],
    part: bool,
    colours: int | None,
) -> Mode:
    """Return the mode that was asked for."""
    given: dict[str, tuple[bool, Mode]] = {
        "--threshold": (threshold is not None, "threshold"),
        "--band": (band is not None, "band"),
        "--local": (local is not None, "local"),
        "--colour": (bool(colour), "colour"),
        "--part": (part, "part"),
        "--colours": (colours is not None, "threshold"),
    }
    named = [name for name, (is_given, _) in given.items() if is_given]
    if len(named) > 1:
        raise click.UsageError(
            f"give one of {' and '.join(named)}: each tells the part from the ground its own way"
        )
    return given[named[0]][1] if named else "threshold"


def _seen_datum(
    colours_of: Callable[[], NDArray[np.uint8]],
    picture: Picture,
    sheet: str | None,
    corners: Any,
    gauge: bool,
    page: str | None,
    focal35: float | None,
) -> Datum | None:
    """Return the datum that the picture shows: sheet, gauge sheet or page."""
    from silhueta.core.datum.look_for import look_for_gauge, look_for_sheet, sheet_at
    from silhueta.core.datum.sheets import sheet_size
    from silhueta.core.job import PageDatum

    try:
        if page:
            name, size = sheet_size(page)
            return PageDatum(name, size, (picture.width, picture.height))
        named = sheet_size(sheet) if sheet else None
    except UnitsError as error:
        raise click.UsageError(str(error)) from error
    if gauge:
        return look_for_gauge(picture, focal35)
    if named is None:
        return None
    name, size = named
    if corners is None:
        colours = colours_of() if name == "card" else None
        return look_for_sheet(picture, name, size, focal35, colours)
    try:
        return sheet_at(picture, name, size, corners)
    except SilhuetaError as error:
        raise click.UsageError(str(error)) from error


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
    return content


def _datum(
    pixel_size: float | None,
    dpi: float | None,
    overall_width: float | None,
    overall_height: float | None,
    known_length: LengthDatum | None,
) -> Datum | None:
    from silhueta.core.job import DpiDatum, OverallDatum, PixelDatum

    given: dict[str, Datum] = {}
    try:
        if pixel_size is not None:
            given["--pixel-size"] = PixelDatum(pixel_size)
        if dpi is not None:
            given["--dpi"] = DpiDatum(dpi)
        if overall_width is not None:
            given["--overall-width"] = OverallDatum("width", overall_width)
        if overall_height is not None:
            given["--overall-height"] = OverallDatum("height", overall_height)
        if known_length is not None:
            given["--known-length"] = known_length
    except SilhuetaError as error:
        raise click.UsageError(str(error)) from error
    if len(given) > 1:
        raise click.UsageError(
            f"give one of {' and '.join(given)}, not several: each fixes the scale"
        )
    return next(iter(given.values()), None)


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

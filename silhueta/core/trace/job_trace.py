"""Edit: trace a job's picture anew, with its own datums and settings."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.datum.fixing import fixing_datum, mm_per_px
from silhueta.core.datum.rectify import Rectified, rectify
from silhueta.core.datum.scale import Scale
from silhueta.core.datums import (
    GaugeDatum,
    LengthDatum,
    OverallDatum,
    PixelDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.errors import TraceError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import CUBIC, Floats, Path
from silhueta.core.job import Job, TraceStamp, set_outline, touched
from silhueta.core.picture.decode import Picture, decode, decode_colour
from silhueta.core.trace.again import ALIKE_CHORD, beside, known_again
from silhueta.core.trace.reading import (
    Reading,
    as_read,
    reading_of,
    settings_of,
)
from silhueta.core.trace.stages import Stages, known, said_caught, walls_of
from silhueta.core.trace.trace import Traced, trace, trace_colours
from silhueta.core.trace_settings import Read, TraceSettings
from silhueta.core.work import Work

_REACHED = 1.5  # standard uncertainties, by which an unknown wall is off at most
_OUTERMOST = 4 / 3  # of a whole edge's uncertainty: a box reaches to what lies farthest out


class TracedJob(NamedTuple):
    """A job with its new outline, how it was come by, and the picture at true size."""

    job: Job
    traced: Traced
    rectified: Rectified


def trace_job(
    job: Job,
    picture: Picture | None = None,
    work: Work | None = None,
    stages: Stages | None = None,
) -> TracedJob:
    """Return `job` with the outline of its picture.

    Parameters
    ----------
    job : Job
    picture : Picture, optional
        The job's picture where it is decoded already.
    work : Work, optional
    stages : Stages, optional
        Where what was worked out before is remembered.

    Raises
    ------
    TraceError, ScaleError, PictureError, StoppedError
        As decode, rectify and trace do; TraceError also when there is no picture.

    """
    if job.picture is None:
        raise TraceError("there is no picture to trace; open one first")
    work = work or Work()
    source = picture or decode(job.picture)
    stages = stages or Stages()
    with work.stage("clean"):
        stages.cleaned(job, source)
    with work.stage("ground"):
        lean = stages.lean(job, source, work)
    seen = known(job, lean)
    with work.stage("rectify"):
        rectified = stages.rectified(seen, source, work)
    settings = job.trace
    blend = stages.blend(job, source)
    if settings.light == "auto":
        settings = replace(settings, light=blend.light)
    if job.trace.split:
        with work.stage("rectify"):
            colours = stages.split_colours(seen, source, work)
        base = fixing_datum(job)
        overall = base if isinstance(base, OverallDatum) else None
        scale = _present_scale(job, rectified)
        traced = trace_colours(colours, scale, job.trace, work, overall)
        return _stamped(_carried(job, source, traced, rectified, work), traced, rectified)
    base = fixing_datum(job)
    size = rectified.scale.mm_per_px
    with work.stage("ground"):
        prepared = stages.prepared(seen, source, work)

    def traced_as(settings: TraceSettings) -> Traced:
        return trace(
            prepared.picture,
            base if isinstance(base, OverallDatum) else PixelDatum(size),
            settings,
            work,
            kind=rectified.scale.kind,
            mask=prepared.mask,
            walls=walls_of(job, rectified),
            patches=[
                (patch, rectified.from_source(np.array(patch.points, np.float64)))
                for patch in job.trace.patches
            ],
            face=prepared.picture.eight(),
            ready=prepared.contours,
        )

    traced = traced_as(settings)
    apart = 0.0
    if job.trace.light == "auto" and blend.open and job.trace.mode != "part":
        other = traced_as(replace(settings, light=blend.other))
        apart = _between(traced.outline, other.outline)
    done = _stamped(_carried(job, source, traced, rectified, work), traced, rectified)
    stamp = done.job.traced
    if stamp is not None:
        stamp = replace(stamp, blend_mm=apart, light=settings.light)
        done = done._replace(job=replace(done.job, traced=stamp))
    if stamp is None or not (prepared.doubts or prepared.wall or prepared.alike):
        return done
    places = traced.scale.to_mm(np.array([d.place for d in prepared.doubts]).reshape(-1, 2))
    pairs = zip(places.tolist(), prepared.doubts, strict=True)
    doubts = tuple((x, y, doubt.text) for (x, y), doubt in pairs)
    told = replace(
        stamp,
        doubts=doubts,
        wall_mm=prepared.wall * size,
        alike=prepared.alike,
        lost_mm=prepared.lost,
    )
    return done._replace(job=replace(done.job, traced=told))


def _between(one: Outline, other: Outline) -> float:
    """Return how far apart two outlines of the same edges lie all along, mm."""

    def covered(outline: Outline) -> float:
        return sum(signed_area(loop) for loop in outline.loops)

    round_ = sum(length(path) for path in one.taken)
    return abs(covered(one) - covered(other)) / round_ if round_ else 0.0


def edges_in_picture(job: Job, picture: Picture) -> list[Floats]:
    """Return the outline's closed loops as they lie in the job's picture, (N, 2) raw px each.

    Raises
    ------
    ScaleError
        As :func:`rectify` does.

    """
    if job.traced is None:
        return []
    flat = rectify(job, picture)
    step = 2 * job.traced.mm_per_px
    scale = Scale(job.traced.mm_per_px, flat.picture.height, "")
    loops = [c.path for c in job.outline.contours if c.taken and c.path.closed]
    evenly = (shapely.segmentize(shapely.LinearRing(flatten(p, step / 4)), step) for p in loops)
    return [flat.to_source(scale.to_px(shapely.get_coordinates(ring)[:-1])) for ring in evenly]


def read_job(
    job: Job,
    picture: Picture,
    kind: Read | None = None,
    colours: NDArray[np.uint8] | None = None,
) -> tuple[Job, Reading]:
    """Return `job` with the trace settings that suit what its picture is taken for, and that.

    Parameters
    ----------
    job : Job
        With the datums that were found.
    picture : Picture
    kind : {"part", "solid", "line", "colours"}, optional
        What a person says it is.
    colours : (H, W, 3) of uint8, optional
        The picture's, where they are decoded already.

    """
    if colours is None:
        assert job.picture is not None
        colours = decode_colour(job.picture)
    sheet = None
    other = any(isinstance(d, GaugeDatum | LengthDatum | RoundDatum) for d in job.datums)
    for datum in job.datums:
        if isinstance(datum, SheetDatum) and datum.name != "card":
            sheet = np.array(datum.corners, np.float64)
        elif isinstance(datum, SheetDatum):
            other = True
    reading = reading_of(picture, colours, sheet, other, said_caught(job))
    if kind is not None and kind != reading.kind:
        reading = as_read(kind, reading)
    return replace(job, trace=settings_of(reading, job.trace)), reading


def size_sigma(job: Job, rectified: Rectified) -> tuple[float, float]:
    """Return the standard uncertainty of the outline's width and height, mm.

    What the datums leave open (`Solution.spread`), and how far two opposite edges may be off:
    their noise, what goes along whole sides (`TraceStamp.whole_mm`), and what is hardly seen.
    While the thickness is open, also the walls that may have been taken for face.
    """
    wide, high = map(
        math.hypot, rectified.size_sigma(job.outline.bounds), _open_walls(job, rectified)
    )
    if job.traced is None:
        return wide, high
    edge = math.sqrt(2) * math.hypot(job.traced.noise_mm, _OUTERMOST * job.traced.whole_mm)
    across, up = job.traced.lost_mm
    return math.hypot(wide, edge, across), math.hypot(high, edge, up)


def _open_walls(job: Job, rectified: Rectified) -> tuple[float, float]:
    """Return the standard uncertainty of width and height by walls of unknown height, mm.

    Where nothing is known of walls, an outline goes from their foot on the side of the point under
    the camera to the top on the far side: the far side alone is seen too far out.
    """
    share = rectified.open_wall(job.optics)
    if not share:
        return 0.0, 0.0
    x, y, _ = rectified.plane.eye
    left, bottom, right, top = job.outline.bounds
    # the thickest lies well within two standard uncertainties
    grown = share / _REACHED
    wide = max(right - x, 0.0) + max(x - left, 0.0)
    high = max(top - y, 0.0) + max(y - bottom, 0.0)
    return float(wide * grown), float(high * grown)


def thickness_asked(job: Job) -> Job:
    """Return `job` with its thickness open, where it is a photo of a part and none was told."""
    if job.trace.read != "part" or job.optics.thickness > 0:
        return job
    return replace(job, optics=replace(job.optics, thickness_open=True))


def _present_scale(job: Job, rectified: Rectified) -> Scale:
    """Return the scale; an overall datum, which measures an outline, measures the whole picture."""
    base, flat = fixing_datum(job), rectified.scale
    if not isinstance(base, OverallDatum):
        return flat
    size = mm_per_px(base, (rectified.picture.width, rectified.picture.height))
    return Scale(size, rectified.picture.height, flat.kind)


def _carried(job: Job, source: Picture, traced: Traced, rectified: Rectified, work: Work) -> Job:
    """Return `job` with what a person did to its outline where it lies at the present scale."""
    stamp, outline = job.traced, job.outline
    if stamp is None or (not any(c.chosen for c in outline.contours) and not touched(outline)):
        return job
    then = stamp.inputs
    same_size = stamp.mm_per_px == traced.scale.mm_per_px
    if same_size and replace(then, settings=job.trace) == job.inputs:
        return job
    with work.stage("rectify"):
        old = replace(job, datums=then.datums, optics=then.optics, clean=then.clean)
        before = rectify(old, source, work)
    now, mm = traced.scale, Scale(stamp.mm_per_px, before.picture.height, "")

    def moved(points: NDArray[np.float64]) -> NDArray[np.float64]:
        return now.to_mm(rectified.from_source(before.to_source(mm.to_px(points))))

    (ax, ay), (bx, by), (cx, cy) = moved(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])).tolist()
    sense = np.sign((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))

    def carried(path: Path) -> Path:
        curved = (path.kinds == CUBIC)[:, None, None]
        handles = moved(path.controls.reshape(-1, 2)).reshape(path.controls.shape)
        return type(path)(
            moved(path.nodes), path.kinds, path.bulges * sense, np.where(curved, handles, 0.0)
        )

    contours = tuple(
        replace(c, path=carried(c.path)) if c.chosen or c in touched(Outline((c,))) else c
        for c in outline.contours
    )
    return replace(job, outline=Outline(contours))


def _stamped(job: Job, traced: Traced, rectified: Rectified) -> TracedJob:
    """Return the job with what was traced, and what from."""
    stamp = TraceStamp(
        inputs=job.inputs,
        mm_per_px=traced.scale.mm_per_px,
        level=traced.level,
        dropped=traced.dropped,
        deviation_mm=traced.deviation.worst,
        deviation_mean=traced.deviation.mean,
        deviation_p95=traced.deviation.p95,
        noise_mm=traced.noise_px * traced.scale.mm_per_px,
        tolerance_mm=traced.tolerance,
        along_mm=traced.along_px * traced.scale.mm_per_px,
        rims=traced.rims,
        lean=rectified.solution.lean,
    )
    fresh = known_again(job.outline, traced.outline)
    kept = touched(job.outline)
    if kept:
        outline = beside(fresh, kept)
        stamp = replace(stamp, kept=len(kept), replaced=len(outline.contours) - len(kept))
        return TracedJob(set_outline(job, outline, stamp), traced, rectified)
    return TracedJob(set_outline(job, fresh, stamp), traced, rectified)


def retrace_patch(
    job: Job,
    number: int,
    picture: Picture | None = None,
    work: Work | None = None,
    stages: Stages | None = None,
) -> TracedJob:
    """Return `job` with every loop that passes through one patch traced anew.

    Also those that a person has changed; only locked ones stay. All others stay the very same.

    Parameters
    ----------
    job : Job
    number : int
        Of the patch, from 0.
    picture, work, stages
        As for :func:`trace_job`.

    Raises
    ------
    TraceError
        As :func:`trace_job` does; also when the job has no such patch.

    """
    if not 0 <= number < len(job.trace.patches):
        raise TraceError(f"there is no patch {number + 1}; draw it first")
    done = trace_job(replace(job, outline=Outline()), picture, work, stages)
    flat, stamp = done.rectified, done.job.traced
    assert stamp is not None
    corners = flat.from_source(np.array(job.trace.patches[number].points, np.float64))
    patch = shapely.make_valid(shapely.Polygon(done.traced.scale.to_mm(corners)))
    shapely.prepare(patch)

    def passes(contour: Contour) -> bool:
        points = flatten(contour.path, ALIKE_CHORD)
        line = shapely.LinearRing(points) if contour.path.closed else shapely.LineString(points)
        return bool(shapely.intersects(patch, line))

    kept = tuple(c for c in job.outline.contours if c.locked or not passes(c))
    fresh = Outline(tuple(c for c in done.job.outline.contours if passes(c)))
    outline = beside(fresh, tuple(c for c in kept if c.locked))
    loops = tuple(c for c in outline.contours if not c.locked)
    stamp = replace(stamp, kept=len(kept), replaced=len(loops))
    return done._replace(job=set_outline(job, Outline((*kept, *loops)), stamp))

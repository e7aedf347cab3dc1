"""From a picture to a true-size outline: threshold, contours, lines and arcs, nesting.

Words used here
    level     grey value of the edge
    extent    width and height in px of the outer contours, what an overall datum measures
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.fixing import kind_of, mm_per_px
from silhueta.core.datum.scale import Scale
from silhueta.core.errors import TraceError
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.job import DEFAULT_TOLERANCE_PX, Datum, Keep, OverallDatum, TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.contours import Contours, contours
from silhueta.core.trace.edge import Edge, true_edge
from silhueta.core.trace.fit import Fit, fit_contour, polygon
from silhueta.core.trace.threshold import level_of
from silhueta.core.trace.walls import Walls, at_the_top
from silhueta.core.work import Work

_SMALLEST = 4.0  # px²: less is no loop
_MOST_POINTS = 4_000_000
_MOST_LOOPS = 50_000
_DEEPEST = {"all": 1_000_000, "outer": 0, "outer+holes": 1}
_CHORD = 0.02  # px, for the search for crossings
_RETRIES = (0.5, 0.25, 0.0)  # of the tolerance, for loops that cross


class Traced(NamedTuple):
    """What a trace gives: the outline in mm and how it was come by."""

    outline: Outline
    scale: Scale
    level: float  # grey value of the edge, 0 to 255
    dropped: int  # loops under the speck limit
    tolerance_px: float
    deviation_px: float  # the largest, of the contours from the outline


def trace(
    picture: Picture,
    datum: Datum,
    settings: TraceSettings,
    work: Work | None = None,
    *,
    kind: str | None = None,
    mask: NDArray[np.bool_] | None = None,
    walls: Walls | None = None,
    face: NDArray[np.uint8] | None = None,
) -> Traced:
    """Return the outline of the part in `picture`, true to size.

    Parameters
    ----------
    picture : Picture
    datum : Datum
        What fixes the scale.
    settings : TraceSettings
    work : Work, optional
        Told of progress, asked for a stop.
    kind : str, optional
        What fixed the scale, where `datum` is only what came of it.
    mask : (H, W) array of bool, optional
        Where ground and part are; the threshold is found there.
    walls : Walls, optional
        Of a thick part, seen in `face`, the picture before anything was painted out.

    Returns
    -------
    Traced
        Loops counter-clockwise round what is solid, clockwise round holes; none crosses itself
        or another.

    Raises
    ------
    TraceError
        If there is no edge, nothing larger than the speck limit, or far too much of it.
    ScaleError
        If the datum cannot fix the scale.
    StoppedError
        If a stop was asked for.

    """
    work = work or Work()
    with work.stage("threshold"):
        level = level_of(picture, settings, mask, thick=walls is not None)
    with work.stage("contours"):
        found, size = _sized_contours(picture, level, datum, settings)
        if walls is not None and face is not None:
            found = _at_the_top(found, face, walls)
        edge = Edge(found, 0.0, 1)
        if settings.threshold is None and walls is None:
            edge = true_edge(picture.grey, found)
    tolerance = (settings.tolerance / size) if settings.tolerance else DEFAULT_TOLERANCE_PX
    with work.stage("fit"):
        fits = _fit_all(edge, tolerance, work)
    with work.stage("check"):
        loops, deviation = _uncrossed(found, edge, fits, tolerance, work)
        if isinstance(datum, OverallDatum):
            left, bottom, right, top = bounding_box(_solid(loops, found))
            size = mm_per_px(datum, (right - left, top - bottom))
        scale = Scale(size, picture.height, kind or kind_of(datum))
        outline = _outline([_to_mm(scale, loop) for loop in loops], settings.keep)
    return Traced(outline, scale, level, found.dropped, tolerance, deviation)


def _at_the_top(found: Contours, face: NDArray[np.uint8], walls: Walls) -> Contours:
    moved = at_the_top([found.contour(i) for i in range(len(found))], face, walls)
    first = np.concatenate([[0], np.cumsum([len(points) for points in moved])])
    return Contours(np.vstack(moved), first, found.areas, found.dropped)


def _sized_contours(
    picture: Picture, level: float, datum: Datum, settings: TraceSettings
) -> tuple[Contours, float]:
    """Return contours over the speck limit, and mm per px.

    An overall datum measures what the speck limit leaves, and the limit in mm² needs the scale:
    the two are settled in turn.
    """
    grey_level = level if picture.top == 255 else (level + 0.5) * 257.0 - 0.5
    dark = not settings.invert

    def at(least: float) -> Contours:
        return contours(picture.grey, grey_level, dark=dark, least_area=max(least, _SMALLEST))

    if not isinstance(datum, OverallDatum):
        size = Scale(mm_per_px(datum, (0.0, 0.0)), picture.height, kind_of(datum)).mm_per_px
        found = _checked(at(settings.speck / size**2), settings)
        return found, size
    found = _checked(at(0.0), settings)
    size = mm_per_px(datum, _extent(found))
    for _ in range(8):
        found = _checked(at(settings.speck / size**2), settings)
        settled = mm_per_px(datum, _extent(found))
        if settled == size:
            break
        size = settled
    return found, size


def _checked(found: Contours, settings: TraceSettings) -> Contours:
    if len(found) == 0:
        side = "lighter" if settings.invert else "darker"
        if found.dropped:
            raise TraceError(
                f"all {found.dropped} loops found are under the speck limit of "
                f"{settings.speck:g} mm²; lower the limit, or check the scale"
            )
        raise TraceError(
            f"nothing in the picture is {side} than the threshold; move the threshold or invert"
        )
    if len(found) > _MOST_LOOPS or len(found.points) > _MOST_POINTS:
        raise TraceError(
            f"the picture falls into {len(found):,} loops with {len(found.points):,} edge points, "
            "which is noise; raise the speck limit, move the threshold, or take a sharper picture"
        )
    return found


def _extent(found: Contours) -> tuple[float, float]:
    outer = np.repeat(found.areas > 0, np.diff(found.first))
    points = found.points[outer] if outer.any() else found.points
    width, height = np.ptp(points, axis=0)
    return float(width), float(height)


def _fit_all(edge: Edge, tolerance: float, work: Work) -> list[Fit]:
    found = edge.contours
    order = np.argsort(-np.diff(found.first))  # the longest first, so that the threads end together
    done: dict[int, Fit] = {}
    total = max(int(found.first[-1]), 1)
    finished = 0

    def one(i: int) -> tuple[int, Fit]:
        work.step(finished / total)
        return i, fit_contour(found.contour(i), tolerance, edge.noise, edge.reach)

    with ThreadPoolExecutor(2) as pool:
        for i, fit in pool.map(one, order.tolist()):
            done[i] = fit
            finished += int(found.first[i + 1] - found.first[i])
            work.step(finished / total)
    return [done[i] for i in range(len(found))]


def _uncrossed(
    found: Contours, edge: Edge, fits: Sequence[Fit], tolerance: float, work: Work
) -> tuple[list[Loop], float]:
    """Return loops that do not cross, and the largest deviation: fitted anew where they do.

    The contours themselves never cross, so a tight enough fit cannot either.
    """
    loops = [fit.loop for fit in fits]
    deviations = [fit.deviation for fit in fits]
    tries = [0] * len(loops)
    while True:
        work.step(0.5)
        crossing = np.unique(crossings(loops, _CHORD).paths)
        anew = [int(i) for i in crossing if tries[i] < len(_RETRIES)]
        if not anew:
            break
        for i in anew:
            share = _RETRIES[tries[i]]
            tries[i] += 1
            if share > 0:
                points = edge.contours.contour(i)
                loops[i], deviations[i] = fit_contour(
                    points, share * tolerance, edge.noise, edge.reach
                )
            else:
                loops[i], deviations[i] = polygon(found.contour(i), 0.0), 0.0
    return loops, max(deviations, default=0.0)


def _solid(loops: Sequence[Loop], found: Contours) -> list[Loop]:
    return [loop for loop, area in zip(loops, found.areas, strict=True) if area > 0] or list(loops)


def _to_mm(scale: Scale, loop: Loop) -> Loop:
    moved = scale.path_to_mm(loop)
    assert isinstance(moved, Loop)
    return moved


def _outline(loops: list[Loop], keep: Keep) -> Outline:
    nesting = nest(loops)
    loops = orient(loops, nesting)
    order = np.lexsort((np.arange(len(loops)), nesting.depth))
    return Outline(
        tuple(Contour(loops[i], taken=bool(nesting.depth[i] <= _DEEPEST[keep])) for i in order)
    )

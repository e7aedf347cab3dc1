"""A drawing's pen lines as outlines: their middles, or their outer or inner edges, gaps closed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TraceError
from silhueta.core.fitting.fit import fit_contour, fit_open
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.trace.edge.contours import PixelContours, gathered
from silhueta.core.trace.edge.field import Field
from silhueta.core.trace.edge.find import Found
from silhueta.core.trace.edge.wobble import ROOM, Wobble, wobble_of
from silhueta.core.trace.pen.lines import Line, PenLines, drawing
from silhueta.core.trace_settings import TraceSettings
from silhueta.core.work import Work

_SAMPLE = 1_000_000  # pixels that tell how dark ink is, and how light the ground
_NOISE = 0.03  # line widths that a pen's own wobble moves its middle by
_TOGETHER = 1.5  # points that err together, from which that counts
_LEAST_NOISE = 0.1  # px
_FLANK = 4  # px beside ink over which blur fades: cut off on one side it would move the middle


def darkness(field: Field) -> NDArray[np.float32]:
    """Return how far each pixel is from ground (0) to ink (1), the field's level at a half."""
    values = field.values
    step = max(1, int(np.sqrt(values.size / _SAMPLE)))
    shown = values[::step, ::step].astype(np.float64)
    part = shown < field.level if field.dark else shown > field.level
    if not part.any() or part.all():
        return np.zeros(values.shape, np.float32)
    ink, ground = float(np.median(shown[part])), float(np.median(shown[~part]))
    scale = np.array([ground, field.level, ink])
    order = np.argsort(scale)
    top = np.iinfo(values.dtype).max
    table = np.interp(np.arange(top + 1), scale[order], np.array([0.0, 0.5, 1.0])[order])
    return np.asarray(table.astype(np.float32)[values])


def lines_of(got: Found, settings: TraceSettings) -> PenLines:
    """Return the drawing's lines, specks left out.

    Raises
    ------
    TraceError
        If no line is long enough to be one.

    """
    import cv2

    dark = darkness(got.field)
    # what the speck limit took away is no ink
    kept = np.zeros(dark.shape, np.uint8)
    found = got.contours
    rings = [np.round((found.contour(i) - 0.5) * 16).astype(np.int32) for i in range(len(found))]
    for ring, area in zip(rings, found.areas, strict=True):
        if area > 0:
            cv2.fillPoly(kept, [ring], 1, shift=4)
    beside = np.ones((3, 3), np.uint8)
    specks = ((dark > 0.5) & (cv2.dilate(kept, beside) == 0)).astype(np.uint8)
    dark[(cv2.dilate(specks, beside) > 0) & (kept == 0)] = 0
    around = np.ones((2 * _FLANK + 1, 2 * _FLANK + 1), np.uint8)
    dark[cv2.dilate(kept, around) == 0] = 0
    drawn = drawing(dark, settings.close_gaps / got.size)
    if not drawn.lines:
        raise TraceError(
            "no pen line was found: all ink is shorter than a few line widths; lower the speck "
            "limit, or trace the edge instead of a pen line"
        )
    return drawn


def middles(
    drawn: PenLines, settings: TraceSettings, tolerance: float, work: Work
) -> tuple[list[Path], list[Floats]]:
    """Return the lines' middles as paths, and the points that they follow, px."""
    paths: list[Path] = []
    corner = np.radians(settings.corner)
    least = max(_LEAST_NOISE, _NOISE * drawn.width)
    closed = [line.points for line in drawn.lines if line.closed and not line.corners]
    wobble = _wobble(closed) if closed else None
    seen = settings.light == "linear" and wobble is not None
    if wobble is not None and seen and settings.tolerance is None:
        tolerance = max(tolerance, ROOM * wobble.error)
    for i, line in enumerate(drawn.lines):
        work.step(i / len(drawn.lines))
        noise, along = least, 1.0
        if wobble is not None and wobble.along > _TOGETHER:
            noise, along = wobble.at(tolerance) if seen else (wobble.noise, wobble.along)
            noise = max(noise, least)
        fit = (tolerance, noise, 1, corner)
        if line.closed and line.corners:
            paths.append(_cornered(line, fit))
        else:
            made = fit_contour(line.points, *fit, along, seen).loop if line.closed else None
            paths.append(made or fit_open(line.points, *fit))
    return paths, [line.points for line in drawn.lines]


def _wobble(lines: list[Floats]) -> Wobble:
    """Return how far the middles of closed lines (N, 2), px, are off."""
    return wobble_of(gathered(lines, np.ones(len(lines)), 0))


def _cornered(line: Line, fit: tuple[float, float, int, float]) -> Loop:
    """Return a closed line fitted from tip to tip of its sharp corners."""
    points, corners = line.points, line.corners
    around = np.vstack([points[corners[0] :], points[: corners[0] + 1]])
    stops = [*(c - corners[0] for c in corners), len(points)]
    pieces = [fit_open(around[a : b + 1], *fit) for a, b in zip(stops, stops[1:], strict=False)]
    return Loop(
        np.vstack([piece.nodes[:-1] for piece in pieces]),
        np.concatenate([piece.kinds for piece in pieces]),
        np.concatenate([piece.bulges for piece in pieces]),
    )


def bridged(field: Field, drawn: PenLines) -> Field:
    """Return the field with the gaps inked."""
    import cv2

    if not drawn.bridges:
        return field
    cover = np.zeros(field.values.shape, np.uint8)
    width = max(1, round(drawn.width))
    for bridge in drawn.bridges:
        fixed = np.round((bridge - 0.5) * 16).astype(np.int32)
        cv2.polylines(cover, [fixed], False, 255, width, cv2.LINE_AA, 4)
    values = field.values.copy()
    inked = cover > 0
    top = float(np.iinfo(values.dtype).max)
    share = cover[inked] / 255.0
    goal = 0.0 if field.dark else top
    values[inked] = np.round(values[inked] + share * (goal - values[inked].astype(np.float64)))
    return field._replace(values=values)


def one_edge(found: PixelContours, inner: bool) -> PixelContours:
    """Return the outer edges of the strokes, or their inner ones turned round to be solid.

    Raises
    ------
    TraceError
        If no stroke encloses anything, when inner edges are wanted.

    """
    keep = found.areas < 0 if inner else found.areas > 0
    if not keep.any():
        raise TraceError(
            "no pen line encloses anything, so there is no inner edge; close its gaps first, or "
            "take the outer edge"
        )
    pieces = [found.contour(int(i)) for i in np.flatnonzero(keep)]
    if inner:
        pieces = [points[::-1] for points in pieces]
    return gathered(pieces, np.abs(found.areas[keep]), found.dropped)

"""What is wanted, laid where a file cuts it: files may count from elsewhere than the outline does.

A move is guessed from boxes that are alike, of the pieces that come free and of everything that is
cut. The guess by which most of what is wanted lies beside a cut is then brought to where the sides
are as far from the cuts as the tool is wide, by least squares over places along them
(Gauss-Newton, as in point-to-line registration: Chen and Medioni, "Object modelling by
registration of multiple range images", 1992).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import shapely

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.kerfs import Piece, Run

Parts = tuple[shapely.Polygon, ...]

_PLACED = 0.9  # of what is wanted, that lies beside a cut where the file has it: it is left there
_BESIDE = 0.3  # mm off a kerf's side, within which an outline counts as cut there
_LAID = 0.8  # of what is wanted, that has to lie beside a cut once it was moved: one loop may fail
_BETTER = 0.1  # more of it than before, without which it stays where it is
_ALIKE = 1.0  # mm, and two widths of the tool, that boxes of the same thing are apart at most
_PLACES = 600  # along all that is wanted, at which that is looked at; the shift is 0.001 mm true
_GUESSES = 200  # at most; each costs about a millisecond
_STEPS = 8  # of least squares; they end after three or four


def laid_on(
    parts: Parts, pieces: Sequence[Piece], runs: Sequence[Run]
) -> tuple[Parts, tuple[float, float]]:
    """Return what is wanted where the file cuts it, and by how much it was moved, mm.

    Where nothing fits, it stays where it is.

    Parameters
    ----------
    parts : tuple of Polygon, mm
    pieces, runs
        Of the file.

    """
    if not parts or not runs:
        return parts, (0.0, 0.0)
    places = _places(parts)
    lines: Any = shapely.union_all([shapely.LineString(run.points) for run in runs])
    shapely.prepare(lines)
    radius = max(run.width for run in runs) / 2
    before = _beside(places, lines, radius)
    best, most = np.zeros(2), before
    if before < _PLACED:
        for guess in _guesses(parts, pieces, lines, 2 * radius):
            share = _beside(places + guess, lines, radius)
            if share > most:
                best, most = guess, share
    rim = _places((shapely.Polygon(max(parts, key=lambda one: one.area).exterior),))
    rim_cut = _beside(rim + best, lines, radius) > _PLACED  # then holes may be missing
    if (most < _LAID and not rim_cut) or most < before + _BETTER:
        return parts, (0.0, 0.0)
    x, y = _settled(places, best, lines, radius).tolist()
    moved = tuple(shapely.transform(one, lambda points: points + [x, y]) for one in parts)
    return moved, (x, y)


def _places(parts: Parts) -> Floats:
    """Return places along all sides of what is wanted, (N, 2) mm."""
    rings = [ring for part in parts for ring in (part.exterior, *part.interiors)]
    every = max(sum(ring.length for ring in rings) / _PLACES, 1e-6)
    found = []
    for ring in rings:
        count = max(8, int(ring.length / every))
        share = (np.arange(count) + 0.5) / count
        along = shapely.line_interpolate_point(ring, share, normalized=True)
        found.append(shapely.get_coordinates(along))
    return np.concatenate(found)


def _beside(places: Floats, lines: shapely.Geometry, radius: float) -> float:
    """Return how many of the places lie beside a cut, as a part of all."""
    far = shapely.distance(shapely.points(places), lines)
    return float((np.abs(far - radius) < _BESIDE).mean())


def _guesses(
    parts: Parts, pieces: Sequence[Piece], lines: shapely.Geometry, width: float
) -> Iterator[Floats]:
    """Yield moves by which a box of what is wanted comes to lie on one of what is cut."""
    left, bottom, right, top = shapely.total_bounds(list(parts))
    low, high = np.array([left, bottom]), np.array([right, top])
    begin, end = np.array(shapely.bounds(lines)).reshape(2, 2)
    # leads reach out to one side or the other
    for u in (begin[0] + width / 2 - low[0], end[0] - width / 2 - high[0]):
        for v in (begin[1] + width / 2 - low[1], end[1] - width / 2 - high[1]):
            yield np.array([u, v])
    rings = [(ring, k > 0) for part in parts for k, ring in enumerate(_rings(part))]
    rings.sort(key=lambda one: -shapely.Polygon(one[0]).area)
    found = 0
    for piece in sorted(pieces, key=lambda one: -one.shape.area):
        middle, size = _box(piece.shape)
        for ring, hole in rings:
            # a slug is smaller than its hole by the tool's width on either side
            own, wanted = _box(ring)
            wide = wanted - (2 * width if hole else 0.0)
            if np.abs(wide - size).max() < _ALIKE + 2 * width and found < _GUESSES:
                found += 1
                yield middle - own


def _rings(part: shapely.Polygon) -> list[Any]:
    return [part.exterior, *part.interiors]


def _box(shape: shapely.Geometry) -> tuple[Floats, Floats]:
    """Return the middle and the size of a box."""
    low, high = np.array(shapely.bounds(shape)).reshape(2, 2)
    return (low + high) / 2, high - low


def _settled(places: Floats, guess: Floats, lines: shapely.Geometry, radius: float) -> Floats:
    """Return the move by which sides lie the tool's radius off its ways, on the whole."""
    for _ in range(_STEPS):
        now = places + guess
        ways = shapely.shortest_line(shapely.points(now), lines)
        ends = shapely.get_coordinates(ways).reshape(-1, 2, 2)
        aside = ends[:, 0] - ends[:, 1]
        far = np.hypot(*aside.T)
        near = (np.abs(far - radius) < _BESIDE) & (far > 1e-9)
        normal = aside[near] / far[near, None]
        if not near.any():
            break
        step = np.linalg.lstsq(normal, radius - far[near], rcond=None)[0]
        guess = guess + step
        if np.abs(step).max() < 1e-6:
            break
    return guess

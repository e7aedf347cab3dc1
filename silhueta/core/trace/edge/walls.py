"""The edge of a thick part's top face, where the camera also sees the wall below it.

Words used here
    wall      the side of a thick part, upright from the top face down to the datum's plane
    foot      the wall's lower edge; seen in the plane of the top face it lies nearer to the point
              under the camera than the edge above it
    face, ground  what lies above the edge, and what the wall stands on

The contour of a threshold runs along the wall's foot when the wall is as dark as the face, along
the top when it is light, and anywhere between when it is neither. How wide the wall must look is
known from the camera's place, so face, wall and ground are fitted across it, each of one grey.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import Grey, profiles, sample, steepest
from silhueta.core.geometry.path import Floats

_SHOWN = 3.5  # px, width from which a wall's grey can be told
_WIDEST = 60.0  # px of wall that are looked at
_OBLIQUE = 0.3  # of the shift that must cross the edge for its wall to be looked at
_ZONE = 4.5  # px of face and of ground that are looked at
_TOLD = 0.12  # of the contrast, between wall and face
_CLEAR = 1.4  # px that blur takes on each side of an edge
_NOISE = 60.0  # squared grey values that noise alone may add to a cost
_SHADED = 0.2  # share of the contrast by which ground may be darker than is typical
_GLARE = 0.08  # share of it by which a face may be lighter
_STRICT = 4.0
_CORNERED = 3.0  # px of shift from which foot and top meet in a corner
_ROUNDED = 4  # points on each side of that corner that are left out
_SMOOTH = 9  # points that judge together
_TANGENT = 3
_GAP = 1.8  # px
_APART = 0.05  # px between two points
_STEP = 0.5  # px between samples

Zone = Callable[[Floats, Floats], tuple[Floats, Floats]]


class Walls(NamedTuple):
    """Where the camera stands, as the rectified picture sees it.

    under : (x, y), px
        The point under the camera.
    ratio : float
        Thickness over the camera's height above the top face.
    """

    under: tuple[float, float]
    ratio: float


class _Seen(NamedTuple):
    """Where walls show along a contour.

    outward : (N, 2) unit normals from the part into what lies round it.
    shift : (N, 2) px from the wall's foot to the edge above it.
    wide : (N,) px of wall seen along the normal; below zero where it faces away.
    """

    outward: Floats
    tangent: Floats
    shift: Floats
    wide: Floats


class _Edges(NamedTuple):
    """Top edges found beside a contour, where the wall is wide enough to be told.

    which : (K,) indices of points; move : (K, 2) px from the point to the top edge; bright : (K,)
    where the wall's grey lies between that of the face (0) and of the ground (1).
    """

    which: NDArray[np.intp]
    move: Floats
    bright: Floats


def at_the_top(contours: list[Floats], grey: Grey, walls: Walls) -> list[Floats]:
    """Return contours moved from the walls to the edge of the top face.

    Parameters
    ----------
    contours : list of (N, 2)
        Closed, px, the part on the left seen with y up.
    grey : (H, W) array of uint8 or float32
        The rectified picture, part dark; 255 for white.
    walls : Walls

    """
    seen = [_seen(points, walls) for points in contours]
    greys = _greys(contours, seen, grey)
    found = [
        None if s is None else _edges(points, s, grey, greys)
        for points, s in zip(contours, seen, strict=True)
    ]
    told = [f.bright for f in found if f is not None]
    lit = bool(told) and float(np.median(np.concatenate(told))) > 0.5
    return [
        points if s is None else _moved(_centred(points, s, grey), s, f, lit)
        for points, s, f in zip(contours, seen, found, strict=True)
    ]


def _seen(points: Floats, walls: Walls) -> _Seen | None:
    if len(points) < 4 * _TANGENT:
        return None
    tangent = np.roll(points, -_TANGENT, 0) - np.roll(points, _TANGENT, 0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    outward = np.column_stack([-tangent[:, 1], tangent[:, 0]])
    shift = (points - walls.under) * walls.ratio
    wide = -(shift * outward).sum(1)
    return _Seen(outward, tangent, shift, wide)


class _Greys(NamedTuple):
    """Typical grey of the face and of the ground."""

    face: float
    ground: float


def _greys(contours: list[Floats], seen: list[_Seen | None], grey: Grey) -> _Greys:
    """Return the greys 4 px inside and, where no wall shows, outside of the contours."""
    inside, outside = [np.zeros(0)], [np.zeros(0)]
    for points, s in zip(contours, seen, strict=True):
        if s is not None:
            plain = s.wide <= 0
            inside.append(sample(grey, points - 4.0 * s.outward))
            if plain.any():
                outside.append(sample(grey, points[plain] + 4.0 * s.outward[plain]))
    dark, light = np.concatenate(inside), np.concatenate(outside)
    if len(light) == 0 or len(dark) == 0:
        return _Greys(0.0, 255.0)
    return _Greys(float(np.median(dark)), float(np.median(light)))


def _edges(points: Floats, seen: _Seen, grey: Grey, greys: _Greys) -> _Edges | None:
    """Fit face, wall and ground, each of one grey, across every point where the wall is wide."""
    # from a foot its top lies just along the shift, however the edge bends
    far = np.hypot(*seen.shift.T)
    which = np.flatnonzero((seen.wide > _SHOWN) & (seen.wide > _OBLIQUE * far) & (far < _WIDEST))
    if len(which) == 0:
        return None
    at, wide, tangent = points[which], far[which], seen.tangent[which]
    outward = -seen.shift[which] / wide[:, None]
    reach = float(np.ceil(wide.max())) + _ZONE + 2.0
    zone = _zones(profiles(grey, at, outward, reach, _STEP, tangent), reach)
    # in px from the contour, towards the part: where the top edge may be
    trials = np.linspace(-1.0, 0.0, 25)[:, None] * wide
    trials = np.vstack([-wide - 1.0, -wide - 0.5, trials, np.full_like(wide, 0.5)])
    costs = np.array([_cost(zone, top, wide, greys) for top in trials])
    window = np.ones(_SMOOTH) / _SMOOTH
    for number, cost in enumerate(costs):  # neighbours judge together
        padded = np.pad(cost, _SMOOTH, mode="edge")
        costs[number] = np.convolve(padded, window, mode="same")[_SMOOTH:-_SMOOTH]
    # a wall as dark as the face fits at its foot too: of equals the innermost is the top
    first = (costs <= 1.3 * costs.min(0) + _NOISE).argmax(0)
    top = trials[_valley(costs, first), np.arange(len(which))]
    face = zone(top - _ZONE, top - _CLEAR)[0]
    wall = zone(top + _CLEAR, top + wide - _CLEAR)[0]
    ground = zone(top + wide + _CLEAR, top + wide + _ZONE)[0]
    bright = np.clip((wall - face) / np.maximum(ground - face, 8.0), -0.5, 1.5)
    # by its own step, or by the foot's where face and wall are alike
    step = top + np.where(np.abs(bright) < _TOLD, wide, 0.0)
    sign = np.where(bright < -_TOLD, -1, 1)
    fine = np.zeros(len(which))
    for way in (1, -1):
        some = sign == way
        if some.any():
            places = at[some] + step[some, None] * outward[some]
            fine[some] = steepest(grey, places, outward[some], 2.0, way, tangent[some])[0]
    top = top + np.where(np.isfinite(fine), fine, 0.0)
    return _Edges(which, top[:, None] * outward, bright)


def _zones(rows: Floats, reach: float) -> Zone:
    """Return what tells mean grey and squared error between two offsets on each profile."""
    zero = np.zeros((len(rows), 1))
    sums = np.concatenate([zero, np.cumsum(rows, 1)], axis=1)
    squares = np.concatenate([zero, np.cumsum(rows**2, 1)], axis=1)
    line, most = np.arange(len(rows)), rows.shape[1]

    def zone(start: Floats, end: Floats) -> tuple[Floats, Floats]:
        first = np.clip(np.ceil((start + reach) / _STEP), 0, most).astype(int)
        last = np.clip(np.floor((end + reach) / _STEP) + 1, 0, most).astype(int)
        last = np.maximum(last, first)
        count = np.maximum(last - first, 1)
        total = sums[line, last] - sums[line, first]
        square = squares[line, last] - squares[line, first]
        return total / count, np.maximum(square - total**2 / count, 0)

    return zone


def _cost(zone: Zone, top: Floats, wide: Floats, greys: _Greys) -> Floats:
    face, total = zone(top - _ZONE, top - _CLEAR)
    total = total + zone(top + _CLEAR, top + wide - _CLEAR)[1]
    ground, error = zone(top + wide + _CLEAR, top + wide + _ZONE)
    # else face, face and wall would pass for face, wall and ground
    shade = np.maximum(greys.ground - _SHADED * (greys.ground - greys.face) - ground, 0)
    glare = np.maximum(face - greys.face - _GLARE * (greys.ground - greys.face), 0)
    return np.asarray(total + error + _STRICT * (shade**2 + glare**2))


def _valley(costs: Floats, first: NDArray[np.intp]) -> NDArray[np.intp]:
    """Return the lowest trial of the valley that begins at `first`."""
    columns = np.arange(costs.shape[1])
    best, going = first.copy(), np.ones(len(first), bool)
    at = first.copy()
    for _ in range(len(costs)):
        at = np.minimum(at + 1, len(costs) - 1)
        going &= costs[at, columns] < costs[best, columns]
        best = np.where(going, at, best)
    return best


def _centred(points: Floats, seen: _Seen, grey: Grey) -> Floats:
    """Return points without a wall moved to where grey changes most steeply.

    The level may lie nearer to one side, to keep clear of the walls' grey.
    """
    plain = seen.wide <= 0
    if not plain.any():
        return points
    offsets, _ = steepest(grey, points[plain], seen.outward[plain], 2.5, 1)
    moved = points.copy()
    moved[plain] += np.where(np.isfinite(offsets), offsets, 0.0)[:, None] * seen.outward[plain]
    return moved


def _moved(points: Floats, seen: _Seen, edges: _Edges | None, lit: bool) -> Floats:
    moved = points.copy()
    shown = seen.wide > 0
    narrow = shown.copy()
    if edges is not None:
        narrow[edges.which] = False
        moved[edges.which] += edges.move
    if not lit:
        moved[narrow] += seen.shift[narrow]
    return _without_folds(moved, seen.tangent, shown, np.hypot(*seen.shift.T))


def _without_folds(
    moved: Floats, tangent: Floats, shown: NDArray[np.bool_], slid: Floats
) -> Floats:
    """Drop points that run back over others where moved and unmoved stretches meet; fill gaps."""
    change = np.flatnonzero(shown != np.roll(shown, 1))
    if len(change) == 0:
        return moved
    gaps = np.diff(np.append(change, change[0] + len(moved)))
    start = int(change[gaps.argmax()] + gaps.max() // 2) % len(moved)
    moved, tangent = np.roll(moved, -start, 0), np.roll(tangent, -start, 0)
    shown, slid = np.roll(shown, -start), np.roll(slid, -start)
    steps = (np.diff(moved, axis=0) * (tangent[:-1] + tangent[1:]) / 2).sum(1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    highest = np.concatenate([[-np.inf], np.maximum.accumulate(along)[:-1]])
    keep = along > highest
    # where foot and top meet they make a corner that blur has rounded
    for place in np.flatnonzero(np.diff(shown.astype(int))).tolist():
        if slid[place] > _CORNERED:
            keep[max(0, place - _ROUNDED) : place + _ROUNDED + 2] = False
    keep &= np.hypot(*(moved - np.roll(moved, 1, 0)).T) > _APART
    return _bridged(moved[keep], tangent[keep])


def _bridged(points: Floats, tangent: Floats) -> Floats:
    """Fill the gaps between stretches with points a px apart, on a curve that runs on smoothly."""
    following, after = np.roll(points, -1, 0), np.roll(tangent, -1, 0)
    gaps = np.hypot(*(following - points).T)
    pieces = []
    start = 0
    for i in np.flatnonzero(gaps > _GAP).tolist():
        pieces.append(points[start : i + 1])
        t = np.linspace(0, 1, int(np.ceil(gaps[i])) + 1)[1:-1, None]
        one, two = tangent[i] * gaps[i], after[i] * gaps[i]
        pieces.append(  # the cubic Hermite curve
            (2 * t**3 - 3 * t**2 + 1) * points[i]
            + (t**3 - 2 * t**2 + t) * one
            + (3 * t**2 - 2 * t**3) * following[i]
            + (t**3 - t**2) * two
        )
        start = i + 1
    pieces.append(points[start:])
    return np.vstack(pieces)

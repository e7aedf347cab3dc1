"""The edge of a thick part's top face, where the camera also sees the wall below it.

Words used here
    wall      the side of a thick part, upright from the top face down to the datum's plane
    foot      the wall's lower edge; seen in the plane of the top face it lies nearer to the point
              under the camera than the edge above it
    lit       a wall that is told apart from the ground it stands on by being darker than it, and
              from the face by being lighter than the threshold: the contour runs along the top

Where a wall shows, the contour runs along its foot when the wall is as dark as the face, and along
the top when it is light. Which of the two it is, the picture itself tells: past a top edge comes
the wall's own grey, as wide as the geometry says, before the ground begins.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import sample, steepest
from silhueta.core.geometry.path import Floats

_SHOWN = 2.0  # px, width from which a wall's grey can be told
_TOLD = 0.08  # of the contrast, between wall and ground
_CLEAR = 1.5  # px that blur takes on each side of an edge
_SMOOTH = 15  # points over which the wall's grey is judged
_TANGENT = 3
_GAP = 1.8  # px
_APART = 0.05  # px between two points


class Walls(NamedTuple):
    """Where the camera stands, as the rectified picture sees it.

    under : (x, y), px
        The point under the camera.
    ratio : float
        Thickness over the camera's height above the top face.
    """

    under: tuple[float, float]
    ratio: float


def top_edge(points: Floats, grey: NDArray[np.uint8], walls: Walls) -> Floats:
    """Return a contour moved from the foot of the walls to the edge of the top face.

    Parameters
    ----------
    points : (N, 2)
        A closed contour, px, the part on its left seen with y up.
    grey : (H, W) array of uint8
        The rectified picture, part dark.
    walls : Walls

    Returns
    -------
    (M, 2) array, M <= N.

    """
    if len(points) < 4 * _TANGENT or walls.ratio <= 0:
        return points
    tangent = np.roll(points, -_TANGENT, 0) - np.roll(points, _TANGENT, 0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    outward = np.column_stack([-tangent[:, 1], tangent[:, 0]])
    shift = (points - walls.under) * walls.ratio
    wide = -(shift * outward).sum(1)
    shown = wide > _SHOWN
    if not shown.any():
        return points
    at_top = _at_top(points, outward, wide, grey)
    near = _nearest(shown, len(points))
    on_top = at_top[near]
    moved = points.copy()
    foot = (wide > 0) & ~on_top
    moved[foot] += shift[foot]
    top = shown & on_top
    if top.any():
        moved[top] += _sharpened(points[top], outward[top], wide[top], grey)
    return _without_folds(moved, tangent, foot)


def _at_top(points: Floats, outward: Floats, wide: Floats, grey: NDArray[np.uint8]) -> np.ndarray:
    far = np.maximum(wide, _SHOWN)
    beyond = sample(grey, points + (far + 3.0)[:, None] * outward)
    within = sample(grey, points + np.maximum(0.6 * far, _CLEAR)[:, None] * outward)
    inside = sample(grey, points - 3.0 * outward)
    share = (beyond - within) / np.maximum(np.abs(beyond - inside), 8.0)
    window = np.ones(_SMOOTH) / _SMOOTH
    padded = np.concatenate([share[-_SMOOTH:], share, share[:_SMOOTH]])
    smooth = np.convolve(padded, window, mode="same")[_SMOOTH:-_SMOOTH]
    return np.asarray(smooth > _TOLD)


def _nearest(known: np.ndarray, count: int) -> np.ndarray:
    """Return for each of `count` points round a contour the nearest that is known."""
    places = np.flatnonzero(known)
    around = np.concatenate([places - count, places, places + count])
    right = np.searchsorted(around, np.arange(count))
    left = np.clip(right - 1, 0, len(around) - 1)
    right = np.clip(right, 0, len(around) - 1)
    here = np.arange(count)
    pick = np.where(np.abs(around[left] - here) <= np.abs(around[right] - here), left, right)
    return np.asarray(around[pick] % count)


def _sharpened(points: Floats, outward: Floats, wide: Floats, grey: NDArray[np.uint8]) -> Floats:
    """Return how to move points of a lit wall's top edge to where grey rises most steeply."""
    reach = 2.5
    offsets, _ = steepest(grey, points - 0.75 * outward, outward, reach, 1)
    offsets = np.where(np.isfinite(offsets), offsets - 0.75, 0.0)
    offsets = np.clip(offsets, -3.0, np.minimum(1.0, wide / 2))
    return offsets[:, None] * outward


def _without_folds(moved: Floats, tangent: Floats, foot: np.ndarray) -> Floats:
    """Drop points that run back over others where moved and unmoved stretches meet; fill gaps."""
    change = np.flatnonzero(foot != np.roll(foot, 1))
    if len(change) == 0:
        return moved
    gaps = np.diff(np.append(change, change[0] + len(moved)))
    start = int(change[gaps.argmax()] + gaps.max() // 2) % len(moved)
    moved, tangent = np.roll(moved, -start, 0), np.roll(tangent, -start, 0)
    steps = (np.diff(moved, axis=0) * (tangent[:-1] + tangent[1:]) / 2).sum(1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    highest = np.concatenate([[-np.inf], np.maximum.accumulate(along)[:-1]])
    keep = along > highest
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

"""Marks that run one way over a face, as brushing, rolling and grinding leave them.

Words used here
    way    the direction in which light hardly changes along the marks
    along  the light that the marks of the face have at a place, told from the same marks beside it

A brushed face is light and dark by turns, in as wide a range as its own shadow, but along a mark
it stays the same for many mm. What a place differs by from its own marks tells far more than its
light. The way is that of the structure tensor (J. Bigun and G. H. Granlund, "Optimal orientation
detection of linear symmetry", Proc. First International Conference on Computer Vision, 1987,
433-438).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import Light, Mask

_COHERENT = 0.5  # from which marks run one way: 0 for grain that has none, 1 for lines
_STEEPEST = 0.9  # share of the face whose changes count: edges on it are steeper
_REACHES_MM = (15.0, 15.0, 6.0, 6.0)  # along a mark; a long way first, so that no hole is learned
_NEAR_MM = (6.0, 3.0, 2.0, 2.0)  # the same where holes are known
_FADES_MM = 3.0  # over which marks grow lighter or darker together
_ACROSS_PX = 0.5
_ODD, _ODDER = 3.0, 6.0  # spreads, from which a place is not of the face; where holes are known
_KNOWN = 1e-3  # share of a reach that must be face
# reach, and share of it that is face, under which nothing is known; spreads that are allowed there
_ALONE_MM, _ALONE, _ODD_ALONE = 3.0, 0.02, 4.5
_WHOLLY = 0.99  # of a turned pixel
_LEAST = 500  # px of face


class Marks(NamedTuple):
    """Light (H, W) along the marks of a face, the spread of what differs from it, and their way.

    way : float, degrees
        Clockwise as seen, from the picture's rows.
    """

    light: Light
    spread: float
    way: float


def across(way: float, wide: int) -> NDArray[np.uint8]:
    """Return a line of that many px across the way of marks, for morphology."""
    import cv2

    side = wide | 1
    line = np.zeros((side, side), np.uint8)
    half, turn = 0.5 * (side - 1), np.radians(way + 90.0)
    off = half * np.array([np.cos(turn), np.sin(turn)])
    ends = [np.round(half + sign * off).astype(int).tolist() for sign in (-1, 1)]
    cv2.line(line, ends[0], ends[1], 1)
    return line


def marks(
    level: Light, slow: Light, core: Mask, mm: float, perhaps: Mask | None = None
) -> Marks | None:
    """Return what the marks of a face make of each place, or None where no marks run one way.

    Parameters
    ----------
    level : (H, W)
        Logarithm of the light.
    slow : (H, W)
        How that changes slowly over the face.
    core : (H, W) of bool
        Where face may be.
    mm : float
        Side of a pixel.
    perhaps : (H, W) of bool, optional
        The core has no holes in it any more, so that marks may be told from near; this is taken
        for face, too, where none is near along the marks, as between a hole and the edge.

    """
    import cv2

    way = _way(level, core) if core.sum() >= _LEAST else None
    if way is None:
        return None
    off = np.abs(level - slow)
    usual = 1.4826 * float(np.median(off[core]))
    height, width = level.shape
    side = int(np.hypot(height, width)) + 4
    turn = np.asarray(cv2.getRotationMatrix2D((0.5 * width, 0.5 * height), way, 1.0), np.float64)
    turn[:, 2] += 0.5 * (side - np.array([width, height]))
    turned = np.asarray(cv2.warpAffine(level, turn, (side, side)), np.float32)

    def like(mask: Mask, odd: float) -> Mask:
        mask = mask & (off < odd * usual)
        shown = cv2.warpAffine(mask.astype(np.float32), turn, (side, side))
        return np.asarray(shown > _WHOLLY)

    face = like(core, _ODD)
    if perhaps is not None:
        _, share = _mean_along(turned, face, _ALONE_MM / mm)
        face |= like(perhaps, _ODD_ALONE) & (share < _ALONE)
    found = _along(turned, face, perhaps is not None, mm)
    if found is None:
        return None
    back = cv2.WARP_INVERSE_MAP | cv2.INTER_LINEAR
    edge, nothing = cv2.BORDER_CONSTANT, float("nan")
    light = cv2.warpAffine(
        found.light, turn, (width, height), flags=back, borderMode=edge, borderValue=nothing
    )
    return Marks(np.asarray(light, np.float32), found.spread, way)


def _along(level: Light, face: Mask, near: bool, mm: float) -> Marks | None:
    """Return what marks that run level make of each place, NaN where no face is near.

    `near`: marks are told from near.
    """
    import cv2

    mean, known, spread = level, face, 0.0
    core = face
    for reach in _NEAR_MM if near else _REACHES_MM:
        mean, share = _mean_along(level, core, reach / mm)
        known = share > _KNOWN
        off = np.abs(level - mean)
        spread = 1.4826 * float(np.median(off[core & known]))
        core = core & known & (off < (_ODDER if near else _ODD) * max(spread, 1e-6))
        if core.sum() < _LEAST:
            return None
    weight = core.astype(np.float32)
    planes = ((level - mean) * weight, weight)
    fade, some = (cv2.GaussianBlur(plane, (0, 0), _FADES_MM / mm) for plane in planes)
    light = mean + np.where(some > _KNOWN, fade / np.maximum(some, np.float32(_KNOWN)), 0)
    return Marks(np.where(known, light, np.nan).astype(np.float32), spread, 0.0)


def _way(level: Light, core: Mask) -> float | None:
    """Return the angle of the marks, degrees, or None."""
    import cv2

    calm = cv2.GaussianBlur(level, (0, 0), 0.8)
    right, down = (cv2.Sobel(calm, cv2.CV_32F, *way) for way in ((1, 0), (0, 1)))
    within = cv2.erode(core.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    if within.sum() < _LEAST:
        return None
    change = cv2.magnitude(right, down)
    within &= change < np.quantile(change[within], _STEEPEST)
    x, y = right[within].astype(np.float64), down[within].astype(np.float64)
    xx, yy, xy = float(x @ x), float(y @ y), float(x @ y)
    if np.hypot(xx - yy, 2 * xy) <= _COHERENT * (xx + yy):
        return None
    return float(np.degrees(0.5 * np.arctan2(2 * xy, xx - yy))) + 90.0


def _mean_along(level: Light, face: Mask, reach: float) -> tuple[Light, Light]:
    """Return the mean of a face along its marks, and what share of the reach, px, it is."""
    import cv2

    weight = face.astype(np.float32)
    total, share = (
        cv2.GaussianBlur(plane, (0, 0), sigmaX=reach, sigmaY=_ACROSS_PX)
        for plane in (level * weight, weight)
    )
    mean = np.asarray(total / np.maximum(share, np.float32(_KNOWN)), np.float32)
    return mean, np.asarray(share, np.float32)

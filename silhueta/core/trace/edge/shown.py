"""How a scanner or camera shows an edge: sharpened, and white where there is too much light.

Sharpening works on stored values, and bends the two sides of an edge unlike; light beyond white is
cut off, so that half-way between dark and what is shown as white is not half of the light. Both
move an edge into the dark, by up to a third of a pixel. The mean profile across all plain edges
tells both: how far the dark side dips before it rises, and how abruptly the light side ends.

Words used here
    profile    stored values, 0 to 1, across an edge from dark to light, over offsets in px
    amount     of sharpening: what is added of a value's difference from those around it
    light      the ground's light; over 1 where it is whiter than white can be
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import linear_of, stored_of
from silhueta.core.trace.edge.beside import normals_of
from silhueta.core.trace.edge.contours import PixelContours, gathered

_REACH = 7.0  # px to either side: sharpening reaches 3, and both sides must be even beyond
_STEP = 0.25  # px between places: an edge is 1 to 2 px wide
_OFFSETS = np.arange(-_REACH, _REACH + _STEP / 2, _STEP)
_BESIDE = 24  # places more to either side, where filters reach
_WIDER = _STEP * np.arange(-_BESIDE, len(_OFFSETS) + _BESIDE) - _REACH
_TRIANGLE = np.array([1, 2, 3, 4, 3, 2, 1]) / 16.0  # a pixel to either side, by _STEP
_END = 6  # places at either end that stand for the side
_LONG = 60  # points of a contour that can have a plain stretch
_AROUND = 8  # points on, to which a plain stretch turns by less than _TURN
_TURN = 0.35  # sine; a circle of 24 px across has that
_MOST = 3000  # profiles: the mean of so many is known to 0.002 of white at usual noise
_LEAST = 150  # fewer tell too little
_EVEN = 0.12  # of white, that a profile's ends may differ from what most have
_CONTRAST = 0.2  # of white, stored: fainter edges tell too little
_WHITE = 0.97  # as light as that, and there may have been more
_ROUGH = 0.006  # root mean square, of white, that may be left: scans leave 0.001 to 0.003
_BETTER = 2.0  # times less must be left than with nothing sharpened or cut off
# what scanners and phones usually do, and how far that goes (one standard deviation): where the
# light side is cut off, blur, sharpening and too much light look much the same. Shift and dark
# side are not guessed. (Shift, blur in px, amount, reach in px, dark, light.)
_USUAL = ((0.0, 0.8, 0.3, 1.1, 0.0, 1.0), (np.inf, 0.25, 0.4, 0.3, np.inf, 0.1))
_TRUSTED = 0.008  # of white, that a real edge may leave the model by
_FARTHEST = 0.5  # px; nothing that is meant here moves an edge farther


class Shown(NamedTuple):
    """What the mean profile tells.

    shift : float, px
        How far the edge lies from the contour, towards the light.
    sense : {1, -1}
        Whether that is along the contours' normals, or against them.
    amount : float
        Of sharpening.
    light : float
        The ground's, 1 for white.
    """

    shift: float
    sense: float
    amount: float
    light: float


def past_sharpening(face: NDArray[np.uint8] | None, found: PixelContours) -> PixelContours:
    """Return contours moved to where the edge is, as `shown_edge` tells it.

    Parameters
    ----------
    face : (H, W) of uint8, or None
        Stored values, where they are known.
    found : PixelContours
        Where the light is half-way between both sides.

    """
    shown = None if face is None else shown_edge(face, found)
    if shown is None:
        return found
    rings = [found.contour(i) for i in range(len(found))]
    moved = [ring + shown.shift * shown.sense * normals_of(ring) for ring in rings]
    return gathered(moved, found.areas, found.dropped)


def shown_edge(face: NDArray[np.uint8], found: PixelContours) -> Shown | None:
    """Return how edges are shown, or None where they are shown as they are, or it is not told."""
    points, across = _plain(found)
    if len(points) < _LEAST:
        return None
    sense, profile = _mean_profile(face, points, across)
    if profile is None:
        return None
    dark, light = float(profile[:_END].mean()), float(profile[-_END:].mean())
    ground = linear_of(255 * light)
    _, plain = _fitted(profile, 0.0, ground, free=False)
    best, left = _fitted(profile, 0.3, ground if light < _WHITE else 1.05, free=True)
    shift, _, amount, _, _, bright = best.tolist()
    if left > _ROUGH or plain < _BETTER * left or light - dark < _CONTRAST:
        return None
    return Shown(shift, sense, amount, bright) if abs(shift) <= _FARTHEST else None


def _plain(found: PixelContours) -> tuple[Floats, Floats]:
    """Return points on plain stretches and the unit vectors across them, (N, 2) each."""
    kept: list[tuple[Floats, Floats]] = []
    for i in range(len(found)):
        ring = found.contour(i)
        if len(ring) < _LONG:
            continue
        before, after = ring - np.roll(ring, _AROUND, 0), np.roll(ring, -_AROUND, 0) - ring
        turned = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
        size = np.hypot(*before.T) * np.hypot(*after.T)
        plain = np.abs(turned) < _TURN * np.maximum(size, 1e-9)
        kept.append((ring[plain], normals_of(ring)[plain]))
    if not kept:
        return np.zeros((0, 2)), np.zeros((0, 2))
    points, across = (np.vstack(some) for some in zip(*kept, strict=True))
    some = slice(None, None, max(1, len(points) // _MOST))
    return points[some], across[some]


def _mean_profile(
    face: NDArray[np.uint8], points: Floats, across: Floats
) -> tuple[float, Floats | None]:
    """Return which way along `across` is light, 1 or -1, and the mean profile across plain edges.

    None where the sides of most edges are not even.
    """
    from scipy.ndimage import map_coordinates

    at = points[:, None] + _OFFSETS[None, :, None] * across[:, None] - 0.5
    seen = map_coordinates(face, [at[..., 1], at[..., 0]], np.float64, order=1, mode="nearest")
    seen /= 255.0
    ends = np.column_stack([seen[:, :_END].mean(1), seen[:, -_END:].mean(1)])
    usual = np.median(ends, axis=0)
    even = (np.abs(ends - usual) < _EVEN).all(axis=1)
    if even.sum() < max(_LEAST, 0.5 * len(seen)):
        return 1.0, None
    profile = np.asarray(seen[even].mean(axis=0))
    return (1.0, profile) if usual[1] > usual[0] else (-1.0, profile[::-1])


def _fitted(profile: Floats, amount: float, light: float, *, free: bool) -> tuple[Floats, float]:
    """Return what fits a profile best, and the root mean square of what is left.

    Shift, blur, amount and reach of sharpening, the light of both sides; it begins with the
    amount and light that are given. Not `free`: without sharpening, and with no light beyond white.
    """
    from scipy.optimize import least_squares

    low = np.array([-2.0, 0.3, 0.0, 0.6, 0.0, 0.2])
    high = np.array([2.0, 3.0, 2.0, 2.5, 0.8, 1.6])
    usual = np.array(_USUAL)
    if profile[-_END:].mean() < _WHITE:
        usual[1, 5] = np.inf  # seen as it is
    if not free:
        high[[2, 5]], usual[1] = [1e-9, 1.0], np.inf
    dark = linear_of(255 * float(profile[:_END].mean()))
    start = np.clip([0.0, 0.8, amount, 1.1, dark, light], low + 1e-10, high - 1e-10)
    made = least_squares(_off, start, bounds=(low, high), args=(profile, usual))
    return made.x, float(np.sqrt(np.mean((_modelled(made.x) - profile) ** 2)))


def _off(given: Floats, profile: Floats, usual: Floats) -> Floats:
    """Return how far the model is off, over what it is trusted to, and what is unusual in it."""
    return np.concatenate([(_modelled(given) - profile) / _TRUSTED, (given - usual[0]) / usual[1]])


def _modelled(given: Floats) -> Floats:
    """Return the profile of a step: blurred, cut off at white, stored, sharpened, stored again."""
    from scipy.ndimage import convolve1d, gaussian_filter1d
    from scipy.special import ndtr

    shift, blur, amount, reach, dark, light = given
    seen = dark + (light - dark) * ndtr((_WIDER - shift) / blur)
    stored = stored_of(np.minimum(seen, 1.0))
    soft = gaussian_filter1d(stored, reach / _STEP, mode="nearest")
    shown = np.clip(stored + amount * (stored - soft), 0.0, 1.0)
    # between pixels, values are interpolated: over all places a pixel may have, that is a triangle
    shown = convolve1d(shown, _TRIANGLE, mode="nearest")
    return np.asarray(shown[_BESIDE:-_BESIDE])

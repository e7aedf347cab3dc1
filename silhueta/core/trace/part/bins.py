"""How much more often each look is seen on the face than on what is beside it.

Words used here
    bin      a small range of light, of the colour that parts most from the ground, and of grain
    leaning  the logarithm of how much more often such a look is seen on the face
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import Light, Looks, Mask, Seen

MOST = 4.0  # that one pixel leans
_PER_LOG, _PER_COLOUR, _PER_GRAIN = 15.0, 18.0, 2.2  # bins
_BINS = (64, 64, 16)
_LEAST_LOG, _LIT = -3.4, 0.4  # light of the first bin, for faces up to that light
_SPREAD = (1.5, 1.5, 1.0)  # bins over which a look counts for its neighbours
_RARE = 2e-5
_LINES_MM, _LINES_PX = 1.3, 6  # mm that the grain of a line is narrower than; px it must be seen in
_LEAST = 30  # px of what is beside the face, from which it counts


def leaning_of(
    own: NDArray[np.int32], face: Mask, bins: NDArray[np.int32], others: tuple[Mask, ...]
) -> Light:
    """Return the logarithm of how much more often each look is the face's than the others'.

    `own`: looks by the light on the face, for how often they are the face's.
    """
    size = int(np.prod(_BINS))
    share = _often(own[face], size)
    against = [_often(bins[other], size) for other in others if other.sum() > _LEAST]
    if not against:
        return np.full(bins.shape, MOST, np.float32)
    table = np.log(share + _RARE)
    against_table = np.log(np.max(against, axis=0) + _RARE)
    return np.asarray(table[own] - against_table[bins], np.float32)


def _often(bins: NDArray[np.int32], size: int) -> NDArray[np.float64]:
    from scipy.ndimage import gaussian_filter

    counts = np.bincount(bins, minlength=size).astype(np.float64).reshape(_BINS)
    smooth = np.asarray(gaussian_filter(counts, _SPREAD, mode="nearest"))
    return smooth.ravel() / max(float(smooth.sum()), 1.0)


def bins_of(looks: Looks, seen: Seen, part: Mask) -> NDArray[np.int32]:
    """Return which bin of light, of the colour that parts most from the ground, and of grain.

    Of the grain of surfaces: lines between them, such as the part's edge, would seem strange.
    """
    import cv2

    look = looks.look
    way = look[..., 1:][part].mean(0) if part.any() else np.zeros(2)
    length = float(np.hypot(*way))
    if length < 0.15:
        way, length = np.array([1.0, -1.0]), float(np.sqrt(2.0))
    colour = look[..., 1:] @ (way / length).astype(np.float32)
    grain = seen.grain
    side = int(_LINES_MM / seen.mm)
    if side >= _LINES_PX:  # else webs are no wider
        square = np.ones((side | 1, side | 1), np.uint8)
        grain = np.asarray(cv2.morphologyEx(grain, cv2.MORPH_OPEN, square), np.float32)
    rough = np.log2(np.maximum(grain, 1e-6) / max(float(np.median(grain)), 1e-6))
    # a face far lighter than the ground is not to fall into the last bin with all that is lighter
    face = float(np.median(look[..., 0][part])) if part.any() else 0.0
    least = _LEAST_LOG + max(0.0, face - _LIT)
    planes = (_PER_LOG * (look[..., 0] - least), 32 + _PER_COLOUR * colour, 6 + _PER_GRAIN * rough)
    at = [np.clip(p, 0, n - 1).astype(np.int32) for p, n in zip(planes, _BINS, strict=True)]
    return np.asarray((at[0] * _BINS[1] + at[1]) * _BINS[2] + at[2], np.int32)

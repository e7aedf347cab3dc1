"""Pictures whose greys or colours are only dots of a few: smoothed before an edge is sought."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.picture.tally import tally

FEW = 64  # grey values; a picture with more needs no dots
_STEP = 24  # grey values that a dot differs from all four beside it
_OFTEN = 0.04  # of the pixels; dust on a scan is a hundredth of that
_WIDE = 2.0  # px, standard deviation of the smoothing


def dithered(grey: NDArray[np.uint8]) -> bool:
    """Return whether a picture's (H, W) shades are made of single dots of a few values."""
    if min(grey.shape) < 3:
        return False
    if np.count_nonzero(tally(grey)) > FEW:
        return False
    middle = grey[1:-1, 1:-1].astype(np.int16)
    beside = (grey[1:-1, :-2], grey[1:-1, 2:], grey[:-2, 1:-1], grey[2:, 1:-1])
    lighter = np.ones(middle.shape, np.bool_)
    darker = lighter.copy()
    for other in beside:
        apart = middle - other
        lighter &= apart > _STEP
        darker &= apart < -_STEP
    return float((lighter | darker).mean()) > _OFTEN


def undithered(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a picture (H, W) or (H, W, 3) with its dots run into shades."""
    import cv2

    return np.asarray(cv2.GaussianBlur(picture, (0, 0), _WIDE), np.uint8)

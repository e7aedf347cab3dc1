"""How often each grey value occurs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_ROWS = 1024


def tally(grey: NDArray[np.uint8]) -> NDArray[np.intp]:
    """Return how often each of 256 values occurs in an array of any shape, (256,).

    A few rows at a time: counting needs eight bytes a pixel.
    """
    counts = np.zeros(256, np.intp)
    for top in range(0, len(grey), _ROWS):
        counts += np.bincount(grey[top : top + _ROWS].ravel(), minlength=256)
    return counts

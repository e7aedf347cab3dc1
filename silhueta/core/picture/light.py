"""Stored greys and the light they stand for.

Words used here
    stored   what a file holds: bent by the sRGB curve, 0 to 255
    linear   proportional to the light that came in, 0 to 1 (float) or 0 to 65535 (16 bit)

Light adds up before a camera or scanner bends it, so half-way between two stored greys is not
half-way between two amounts of light. Graphics made by a program are blended in stored values.

References
----------
IEC 61966-2-1:1999, "Default RGB colour space - sRGB", clause 5.2: the curve.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_KNEE, _SLOPE, _SHIFT, _POWER = 0.04045, 12.92, 0.055, 2.4
TOP = 65535.0


def linear_of(stored: float) -> float:
    """Return the light, 0 to 1, that a stored value of 0 to 255 stands for."""
    share = stored / 255.0
    if share <= _KNEE:
        return share / _SLOPE
    return float(((share + _SHIFT) / (1 + _SHIFT)) ** _POWER)


def stored_of(light: Floats) -> Floats:
    """Return the stored values, 0 to 1, of light of any shape, 0 to 1; undoes `linear_of`."""
    light = np.maximum(light, 0.0)
    bent = (1 + _SHIFT) * light ** (1 / _POWER) - _SHIFT
    return np.asarray(np.where(light <= _KNEE / _SLOPE, _SLOPE * light, bent))


@lru_cache(maxsize=1)
def _table() -> NDArray[np.uint16]:
    return np.array([round(TOP * linear_of(k)) for k in range(256)], np.uint16)


@lru_cache(maxsize=1)
def light_table() -> NDArray[np.float32]:
    """Return the light that each stored value stands for, (256,), 255 for white."""
    table = np.array([255.0 * linear_of(k) for k in range(256)], np.float32)
    table.setflags(write=False)
    return table


def in_light(stored: NDArray[np.uint8]) -> NDArray[np.uint16]:
    """Return stored values of any shape as linear ones, 16 bits, 65535 for white."""
    import cv2

    return np.asarray(cv2.LUT(stored, _table()), np.uint16).reshape(stored.shape)

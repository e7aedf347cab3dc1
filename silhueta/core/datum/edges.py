"""Edges of the picture to a fraction of a pixel, sampled across where they are expected."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats

Grey = NDArray[Any]  # (H, W) of uint8, uint16 or float32
_ALONG = (-1.5, -0.5, 0.5, 1.5)  # px along the edge over which a profile is averaged


def sample(grey: Grey, points: Floats) -> Floats:
    """Return the grey, or colour, at raw px `points` (..., 2), linearly between pixel centres.

    Of shape (...) for greys (H, W), and (..., C) for colours (H, W, C).
    """
    import cv2

    if points.size == 0:
        return np.zeros((*points.shape[:-1], *grey.shape[2:]))
    flat = points.reshape(-1, 2)
    wide = max(1, min(len(flat), 8192))
    tall = -(-len(flat) // wide)
    padded = np.zeros((tall * wide, 2), np.float32)
    padded[: len(flat)] = flat - 0.5
    maps = padded.reshape(tall, wide, 2)
    got = cv2.remap(
        grey, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    values = np.asarray(got, np.float64).reshape(tall * wide, *grey.shape[2:])[: len(flat)]
    return values.reshape(*points.shape[:-1], *grey.shape[2:])


def profiles(
    grey: Grey,
    at: Floats,
    normals: Floats,
    reach: float,
    step: float,
    tangents: Floats | None = None,
) -> Floats:
    """Return grey across the places `at` (N, 2), along `normals` (N, 2), from -reach to reach px.

    Returns
    -------
    (N, M) array, one row a place, `step` px from column to column; each averaged over 4 px along
    the edge, which runs along `tangents` where they are given, else square to the normals.

    """
    offsets = np.arange(-reach, reach + step / 2, step)
    if tangents is None:
        tangents = np.column_stack([-normals[:, 1], normals[:, 0]])
    total = np.zeros((len(at), len(offsets)))
    for along in _ALONG:
        places = (at + along * tangents)[:, None] + offsets[None, :, None] * normals[:, None]
        total += sample(grey, places)
    return total / len(_ALONG)


def steepest(
    grey: Grey,
    at: Floats,
    normals: Floats,
    reach: float,
    sign: int = 0,
    tangents: Floats | None = None,
) -> tuple[Floats, Floats]:
    """Return where grey changes most steeply across each place, and how steeply.

    Parameters
    ----------
    at, normals : (N, 2)
        Places in raw px, and the unit direction looked along.
    reach : float, px
    sign : {1, -1, 0}
        1: grey rises along the normal; -1: it falls; 0: either.

    Returns
    -------
    offsets : (N,)
        From the place along its normal, px; NaN where the change is at the end of the reach.
    slopes : (N,)
        Grey values a px there.

    """
    if len(at) == 0:  # a side of which nothing lies in the picture
        return np.zeros(0), np.zeros(0)
    step = 0.5
    rows = profiles(grey, at, normals, reach + 2, step, tangents)
    kernel = np.exp(-0.5 * (np.arange(-4, 5) * step / 0.8) ** 2)
    kernel = np.gradient(kernel)
    kernel /= -(kernel * np.arange(-4, 5) * step).sum()  # a ramp of one a px gives one
    slope = np.stack([np.convolve(row, kernel, mode="same") for row in rows])
    slope = slope[:, 4:-4]
    strength = np.abs(slope) if sign == 0 else sign * slope
    best = strength.argmax(1)
    inside = (best > 0) & (best < strength.shape[1] - 1)
    best = np.clip(best, 1, strength.shape[1] - 2)
    rows_ = np.arange(len(best))
    left, middle, right = (strength[rows_, best + d] for d in (-1, 0, 1))
    bend = left - 2 * middle + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.where(bend < 0, bend, 1), 0)
    offsets = (best + np.clip(shift, -1, 1)) * step - reach
    offsets[~inside | (middle <= 0)] = np.nan
    return offsets, slope[rows_, best]

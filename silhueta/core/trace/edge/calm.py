"""An edge calmer than the picture has it: small waves taken out, the shape left where it is.

Words used here
    length    waves shorter than this along the edge are gone, longer ones stay
"""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.path import Floats

_STEP = 0.5  # px between points along the edge
_WIDTH = 0.2  # of the length: standard deviation of the bell that averages


def calm(points: Floats, length: float) -> Floats:
    """Return a closed contour averaged along itself.

    Parameters
    ----------
    points : (n, 2), px, closed
    length : float, px

    Returns
    -------
    (m, 2), px
        Evenly spaced. Averaged by a bell whose own error is taken off again ("twicing": J. W.
        Tukey, "Exploratory Data Analysis", 1977, chapter 16), so that circles keep their size. The
        contour itself where it is shorter than twice the length.

    """
    ring = np.vstack([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    whole = along[-1]
    if length <= 0 or whole < 2 * length:
        return points
    count = max(16, round(whole / _STEP))
    at = np.arange(count) * whole / count
    even = np.interp(at, along, ring[:, 0]) + 1j * np.interp(at, along, ring[:, 1])
    waves = np.fft.fftfreq(count, whole / count)  # a px
    bell = np.exp(-2 * (np.pi * waves * _WIDTH * length) ** 2)
    made = np.fft.ifft(np.fft.fft(even) * (2 * bell - bell**2))
    return np.column_stack([made.real, made.imag])

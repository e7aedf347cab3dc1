"""The edge of a photo or scan, past what lies beside it: a soft shadow, light that leaks, a glow.

What gets darker towards a part over some pixels is no part of it, yet the sum of the pixels across
(`edge.true_edge`) counts it in, and the edge comes out as much too far outside. Across each point a
step blurred as the picture is, with a slope on each side, tells step and slopes apart. What shifts
the edge goes along it, so neighbours are averaged.

References
----------
G. H. Golub and V. Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
problems whose variables separate", SIAM Journal on Numerical Analysis 10(2), 1973, 413-432: the
blur is sought alone; light, slopes and (linearly, since it is small) the shift are solved for.
"""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.contours import Grey, PixelContours, gathered

_REACH, _STEP = 5.0, 0.5  # px across: wide enough for the blur of a scan, and no neighbour is in it
_BLURS = np.arange(0.5, 2.51, 0.1)  # px; more, and what lies beside cannot be told from the blur
_SAMPLE = 4000  # profiles that tell the blur
_TOGETHER = (
    65  # points, 5 mm at 300 dpi, that are averaged: their noise is then a tenth of a pixel's
)
_EXPLAINED = 0.1  # of the contrast, that a profile may be off and still be one edge
_FEWEST = 60  # points of a contour
_FARTHEST = 1.0  # px that a point is moved at most
_AT_ONCE = 50_000


def past_slopes(grey: Grey, found: PixelContours) -> PixelContours:
    """Return contours moved to where the step is that slopes on both sides run up to.

    Parameters
    ----------
    grey : (H, W) array of uint8 or uint16
        In proportion to light.
    found : PixelContours
        Within a pixel of the edge.

    """
    rings = [found.contour(i) for i in range(len(found))]
    long = [ring for ring in rings if len(ring) >= _FEWEST]
    if not long:
        return found
    normals = [normals_of(ring) for ring in long]
    every, across = np.vstack(long), np.vstack(normals)
    some = slice(None, None, max(1, len(every) // _SAMPLE))
    blur = _blur(_profiles(grey, every[some], across[some]))
    moved = iter(
        ring + _shift(grey, ring, normal, blur)[:, None] * normal
        for ring, normal in zip(long, normals, strict=True)
    )
    points = [next(moved) if len(ring) >= _FEWEST else ring for ring in rings]
    return gathered(points, found.areas, found.dropped)


def normals_of(ring: Floats) -> Floats:
    """Return unit vectors across a closed ring, (N, 2)."""
    chord = np.roll(ring, -2, 0) - np.roll(ring, 2, 0)
    chord /= np.maximum(np.hypot(*chord.T), 1e-9)[:, None]
    return np.column_stack([chord[:, 1], -chord[:, 0]])


def _offsets() -> Floats:
    return np.arange(-_REACH, _REACH + _STEP / 2, _STEP)


def _profiles(grey: Grey, points: Floats, normals: Floats) -> Floats:
    """Return the greys across each point, (N, M)."""
    from scipy.ndimage import map_coordinates

    at = points[:, None] + _offsets()[None, :, None] * normals[:, None] - 0.5
    places = [at[..., 1], at[..., 0]]
    return np.asarray(map_coordinates(grey, places, np.float64, order=1, mode="nearest"))


def _terms(blur: float) -> Floats:
    """Return what a profile is made of, (M, 5): both sides, their slopes, and a step's shift."""
    from scipy.special import ndtr

    at = _offsets()
    share = ndtr(at / blur)
    bell = np.exp(-0.5 * (at / blur) ** 2) / np.sqrt(2 * np.pi)
    rising = at * share + blur * bell
    return np.column_stack([1 - share, share, at - rising, rising, bell / blur])


def _blur(profiles: Floats) -> float:
    """Return the blur that explains the typical profile best, px."""
    typical = np.median(profiles, axis=0)

    def left(blur: float) -> float:
        terms = _terms(blur)
        return float(np.linalg.norm(typical - terms @ (np.linalg.pinv(terms) @ typical)))

    return float(min(_BLURS.tolist(), key=left))


def _shift(grey: Grey, ring: Floats, normals: Floats, blur: float) -> Floats:
    """Return how far along its normal each point of a closed ring is moved, px."""
    from scipy.ndimage import uniform_filter1d

    terms = _terms(blur)
    solve = np.linalg.pinv(terms)
    made = np.empty((len(ring), 5))
    off = np.empty(len(ring))
    for first in range(0, len(ring), _AT_ONCE):
        part = slice(first, first + _AT_ONCE)
        seen = _profiles(grey, ring[part], normals[part])
        made[part] = seen @ solve.T
        off[part] = np.sqrt(np.mean((seen - made[part] @ terms.T) ** 2, axis=1))
    contrast = float(np.median(made[:, 1] - made[:, 0]))
    one_edge = off < _EXPLAINED * abs(contrast)
    if contrast == 0.0 or not one_edge.any():
        return np.zeros(len(ring))
    made[~one_edge] = 0.0
    together = min(_TOGETHER, len(ring))
    mean = uniform_filter1d(made, together, axis=0, mode="wrap")
    rise = mean[:, 1] - mean[:, 0]
    known = np.sign(contrast) * rise > 0
    shift = np.where(known, -mean[:, 4] / np.where(known, rise, 1.0), 0.0)
    return np.asarray(np.clip(shift, -_FARTHEST, _FARTHEST))

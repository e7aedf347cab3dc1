"""Whether a picture shows the raster of a screen or of print, as a photo of either does.

Words used here
    raster   the same fine wave in two directions across each other, over flat ground too
    square   one of 25 places of the picture that are looked at
    wave     its frequency (down, across), in waves a px, and how many grey values it swings
"""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats

_SQUARE = 256  # px of a square's side: enough waves to tell their pitch to one percent
_FINEST, _COARSEST = 2.4, 9.0  # px from dot to dot; coarser dots are traced as what they are
_SWING = 2.0  # grey values of the stronger wave; noise of 30 grey values comes to 1
_WEAKER = 0.2  # of the stronger wave, that the one across it has at least
_PITCH = 0.15  # by which the two pitches may differ: a photo is rarely taken straight from above
_ACROSS = 0.5  # cosine between the two directions at most: 60 to 120 degrees
_FILLED = 0.35  # of a wave's strength over the square, that is found at the typical place in it
_NEAR = 8.0  # px round a place, over which the wave is looked for there
_COARSE = 33.0  # px from dot to dot, up to which something woven or checkered is looked for
_SAME = 2.5 / _SQUARE  # waves a px by which squares may differ
_ALIKE = 4  # squares that must show the same wave
_EVENED = 31  # px over which a square's light is taken for even
_DARK, _BRIGHT = 20.0, 250.0  # mean grey beyond which a square has no room for a wave


class _Wave(NamedTuple):
    down: float
    across: float
    swing: float


def raster_of(grey: NDArray[np.uint8]) -> float | None:
    """Return the px from dot to dot of a screen's or a print's raster in a picture, or None.

    A raster fills flat ground, at one pitch in two directions, in most squares that have any
    light. Edges, letters and hatching have fine waves too, but only where they run, or only
    across themselves.

    Parameters
    ----------
    grey : (H, W) of uint8
        Pictures of under 512 px a side are not judged.

    """
    height, width = grey.shape
    if min(height, width) < 2 * _SQUARE:
        return None
    waves: list[_Wave] = []
    squares = 0
    for share in np.ndindex(5, 5):
        top, left = ((np.array(share) + 0.5) / 5 * [height - _SQUARE, width - _SQUARE]).astype(int)
        part = grey[top : top + _SQUARE, left : left + _SQUARE].astype(np.float32)
        if not _DARK < part.mean() < _BRIGHT:
            continue
        squares += 1
        wave = _wave_in(part)
        if wave is not None:
            waves.append(wave)
    if len(waves) < max(_ALIKE, squares / 2):
        return None
    found = np.array([wave[:2] for wave in waves])
    for wave in found:
        alike = np.abs(found - wave).max(1) < _SAME
        if alike.sum() >= _ALIKE:
            return float(1 / np.hypot(*wave))
    return None


def _wave_in(part: NDArray[np.float32]) -> _Wave | None:
    """Return the stronger of the two waves of a raster in a square, or None where there is none."""
    import cv2
    import scipy.fft

    # shapes and light are taken out: what is left swings about nought
    level = part - cv2.blur(part, (_EVENED, _EVENED))
    down, across, often, window = _grids()
    seen = np.abs(scipy.fft.rfft2(level * window)) * (2 / window.sum())
    fine = (often > 1 / _COARSEST) & (often < 1 / _FINEST)
    first = _strongest(seen, down, across, fine)
    if first.swing < _SWING:
        return None
    own = float(np.hypot(first.down, first.across))
    turn = np.abs(down * first.down + across * first.across) / np.maximum(own * often, 1e-9)
    other = fine & (turn < _ACROSS) & (np.abs(often - own) < _PITCH * own)
    second = _strongest(seen, down, across, other)
    if second.swing < _WEAKER * first.swing:
        return None
    # what has a stronger wave that is coarser, over all of the square, is checkered or woven
    coarse = _strongest(seen, down, across, (often > 1 / _COARSE) & (often <= 1 / _COARSEST))
    if coarse.swing > first.swing and _filled(level, coarse, 3 * _NEAR):
        return None
    return first if _filled(level, first) and _filled(level, second) else None


@cache
def _grids() -> tuple[Floats, Floats, Floats, NDArray[np.float32]]:
    """Return for each place of a spectrum its frequency down, across and in all; the window."""
    down, across = np.meshgrid(np.fft.fftfreq(_SQUARE), np.fft.rfftfreq(_SQUARE), indexing="ij")
    window = np.hanning(_SQUARE).astype(np.float32)
    return down, across, np.hypot(down, across), np.outer(window, window)


def _strongest(seen: Floats, down: Floats, across: Floats, where: NDArray[np.bool_]) -> _Wave:
    at = int(np.where(where, seen, 0.0).argmax())
    return _Wave(float(down.flat[at]), float(across.flat[at]), float(seen.flat[at]))


def _filled(level: NDArray[np.float32], wave: _Wave, near: float = _NEAR) -> bool:
    """Return whether a wave is there at the typical place of a square, and not only at edges."""
    import cv2

    rows, columns = np.arange(_SQUARE)[:, None], np.arange(_SQUARE)[None]
    phase = 2 * np.pi * (wave.down * rows + wave.across * columns)
    there = [
        cv2.GaussianBlur((level * turned(phase)).astype(np.float32), (0, 0), near)
        for turned in (np.cos, np.sin)
    ]
    return 2 * float(np.median(np.hypot(*there))) > _FILLED * wave.swing

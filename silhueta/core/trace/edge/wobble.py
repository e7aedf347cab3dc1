"""How far an edge's points are off, and over how many neighbours they are off together.

Words used here
    noise    standard deviation, px, of one point across the edge
    along    points over which neighbours err together: so many of them tell as much as one that
             stands alone (the sum of the autocorrelations at all lags)
    block    so many neighbouring points, averaged

Brush marks, grain, JPEG and a sensor's mosaic push neighbouring points the same way. Third
differences along an edge have nothing left of lines and circles. Those of single points, many
steps apart, tell the noise; those of neighbouring blocks tell how much of it averaging leaves: of
points that err alone a block of m has the variance noise² / m, of others noise² along / m, once
blocks are longer than the errors.

References
----------
G. E. P. Box and G. M. Jenkins, "Time Series Analysis", 1970, section 3.2, for the autocorrelations
of first-order processes, which the tests hold this against. J. von Neumann, "Distribution of the
ratio of the mean square successive difference to the variance", Annals of Mathematical Statistics
12(4), 1941, for noise by differences.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.contours import PixelContours
from silhueta.core.trace.edge.true import THIRD, third_differences

_LAGS = (3, 6, 10, 16, 24)  # px
_BLOCKS = (2, 4, 8, 14, 22, 32, 46, 64)  # px
_FEWEST = 60  # differences, from which they count
_STRAIGHT = 30  # times the lag or block that a ring is long at least
SHARE, BELL = 0.35, 1 / 0.45376  # quantile of absolute values, corners above; deviation over it
_MOST_ALONG = 25.0
_EVENLY = (0.6, 1.5)  # px from point to point, that need not be made even
_ROUND, _ROUNDEST = 0.08, 3.0  # of its radius, and px, that a round ring is off at most
_SLOW = 1.3  # times the noise, from which an error is one of whole sides
ROOM = 5.0  # times the error, that an outline may leave an edge by
ROOM_OF_PART = 8.0  # the same of a part in a photo, whose sides err by more than its holes tell


class Wobble(NamedTuple):
    """How far points are off.

    noise : float, px
    along : float
    error : float, px
        With what goes along a whole side of the part, as a wall does that is taken for face:
        how far round holes are from being round tells. At least the noise.
    """

    noise: float
    along: float
    error: float

    def at(self, tolerance: float, room: float = ROOM) -> tuple[float, float]:
        """Return noise and reach that suit a tolerance, px; looser ones leave out slow errors."""
        error = float(np.clip(tolerance / room, self.noise, self.error))
        return error, (_MOST_ALONG if error > _SLOW * self.noise else self.along)


def wobble_of(found: PixelContours, most: float = np.inf) -> Wobble:
    """Return how far edge points are off, from contours with points a pixel apart.

    `most`, px, is what `error` says at most: some larger deviation is a shape's own.
    """
    rings = [_even(found.contour(i)) for i in range(len(found))]
    single = max(_spread(rings, lag, 1) for lag in _LAGS)
    if single == 0.0:
        return Wobble(0.0, 1.0, 0.0)
    blocks = sorted(block * _spread(rings, block, block) for block in _BLOCKS)
    lasting = float(np.mean(blocks[-3:]))
    along, noise = max(lasting / single, 1.0), float(np.sqrt(single))
    round_ones = [off for off in map(_off_round, rings) if off is not None]
    slow = np.median(round_ones) if round_ones else noise * np.sqrt(along / _MOST_ALONG)
    return Wobble(noise, min(along, _MOST_ALONG), max(noise, min(float(slow), most)))


def _off_round(ring: Floats) -> float | None:
    """Return how far a ring is from a circle, px; None if it is meant to be none."""
    if len(ring) < _FEWEST:
        return None
    centre = ring.mean(axis=0)
    _, _, radius, square, _ = fit_circle(np.ascontiguousarray(ring - centre))
    off = float(np.sqrt(square / len(ring)))
    return off if radius > 0 and off < min(_ROUND * radius, _ROUNDEST) else None


def _even(ring: Floats) -> Floats:
    closed = np.vstack([ring, ring[:1]])
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    steps = np.diff(length)
    if len(ring) > 3 and steps.min() > _EVENLY[0] and steps.max() < _EVENLY[1]:
        return ring
    count = max(int(length[-1]), 1)
    at = np.arange(count) * (length[-1] / count)
    return np.column_stack([np.interp(at, length, closed[:, k]) for k in range(2)])


def _spread(rings: list[Floats], lag: int, block: int) -> float:
    """Return the variance, px², of means of `block` points `lag` apart, from third differences."""
    seen = []
    for ring in rings:
        if len(ring) < _STRAIGHT * lag:
            continue
        total = np.cumsum(np.vstack([ring, ring[:block]]), axis=0)
        means = (total[block:] - total[:-block]) / block
        seen.append(third_differences(means, lag))
    if sum(map(len, seen)) < _FEWEST:
        return 0.0
    return (BELL * float(np.quantile(np.concatenate(seen), SHARE))) ** 2 / THIRD

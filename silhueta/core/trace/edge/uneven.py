"""An edge that is much noisier along some stretches than elsewhere, as beside a shadow.

One tolerance for a whole loop either buys dozens of segments along its worst side, or gives away
detail along its good ones. So the loop is fitted loosely first, as its worst stretches need it, and
there the points are drawn towards that fit, until they are off by no more than the others.

Words used here
    share   what is left of a point's distance from the loose fit
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.trace.edge.true import THIRD
from silhueta.core.trace.edge.wobble import BELL, SHARE

_LAGS = (3, 6, 10, 16)  # points
_WINDOW, _EVERY = 150, 25  # points in which noise is measured; from one window to the next
_SHORTEST = 4 * _WINDOW  # points of a loop that has sides
_MUCH = 1.5  # times the loop's noise, from which a stretch is noisier
_LEAST = 0.03  # share of a loop that is, for it to matter
_WORST = 0.9  # quantile of the noise of such stretches, that the loose fit allows for
_LOOSEST = 3.0  # times the loop's noise: more would leave out what is there


def local_noise(ring: Floats) -> Floats:
    """Return the standard deviation, px, of the points round each place of a closed ring, (N,).

    By third differences within a window, as in `wobble`; corners are left out by the quantile.
    """
    count = len(ring)
    seen = []
    for lag in _LAGS:
        steps = [np.roll(ring, -j * lag, 0) for j in range(4)]
        third = steps[3] - 3 * steps[2] + 3 * steps[1] - steps[0]
        chord = steps[3] - steps[0]
        chord /= np.maximum(np.hypot(*chord.T), 1e-9)[:, None]
        across = np.abs(third[:, 1] * chord[:, 0] - third[:, 0] * chord[:, 1])
        seen.append(np.roll(across, lag + lag // 2))
    starts = np.arange(0, count, _EVERY)
    within = (starts[:, None] + np.arange(_WINDOW) - _WINDOW // 2) % count
    found = [BELL * np.quantile(across[within], SHARE, axis=1) / np.sqrt(THIRD) for across in seen]
    return np.asarray(np.interp(np.arange(count), starts, np.max(found, axis=0), period=count))


def evened(points: Floats, noise: float, loosely: Callable[[float], Loop]) -> Floats:
    """Return a loop's points (N, 2), px, with those of its noisy stretches nearer to a loose fit.

    Parameters
    ----------
    points : (N, 2), px
        About a pixel apart.
    noise : float, px
        Of the loop on the whole.
    loosely : callable
        Fits the points for so many times that noise.

    """
    if noise <= 0 or len(points) < _SHORTEST:
        return points
    local = local_noise(points)
    worse = local > _MUCH * noise
    if worse.mean() < _LEAST:
        return points
    worst = float(np.quantile(local[worse], _WORST))
    nearest = _nearest(points, loosely(min(worst / noise, _LOOSEST)))
    share = np.where(worse, noise / np.maximum(local, noise), 1.0)
    return np.asarray(nearest + share[:, None] * (points - nearest), np.float64)


def _nearest(points: Floats, loop: Loop) -> Floats:
    import shapely

    from silhueta.core.geometry.flatten import flatten

    line = shapely.LinearRing(flatten(loop, 0.02))
    places = shapely.line_interpolate_point(
        line, shapely.line_locate_point(line, shapely.points(points))
    )
    return np.asarray(shapely.get_coordinates(places), np.float64)

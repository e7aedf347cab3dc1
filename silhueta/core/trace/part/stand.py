"""Over which point the camera stood, from the walls that are seen in round holes.

A camera that was held level by eye leans by a degree or so, and one length does not tell. Round
holes do (rounds.py): seen from straight above one is a circle, and from elsewhere the lens that its
rim and foot have in common. A camera that leans also sees circles in perspective, and a lens bends
them: both count. What moves all feet alike, shadow or blur, is sought along, and so is how thick
the part is for its distance from the camera.

References
----------
P. J. Huber and E. M. Ronchetti, "Robust Statistics", 2nd edition, Wiley 2009, chapter 7: the
regression, with the weight of an error after Cauchy, as shadows in holes have edges of their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.datum.solve import LEAN
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.part.rounds import (
    APART,
    NOISE,
    TOGETHER,
    Edges,
    LightAt,
    View,
    circle_of,
    edges_of,
    expected,
    noise_of,
)

_ROUND = 0.7  # px, root mean square, that a hole's edge may be off its circle, seen from above
_MOST = 24  # holes that are looked at, the largest
_SEEN = 1.5  # px that rim and foot of some hole must be apart
_REACH = 3.0, 1.8  # px beside the expected place, where an edge is sought first, and then
_DARK = 0.3  # of what edges of openings say in all, where the face is the dark side
_STRAY = 2.0  # px that a hole's circle may be off what was traced
_MOVED = 0.2  # px by which all feet may be off together
_BEND = 0.03  # of a phone lens's k1, standard deviation, common practice, no source
_LITTLE = 0.8  # of what is usual, that one direction must be known better than
_FARTHEST = 4.0  # of what is usual, that the point under the camera may be away
_NUDGE = 1e-4


class Camera(NamedTuple):
    """What is known of the camera before anything is looked at.

    centre : (2,), px
        The point straight under it, if it did not lean: where its axis meets the picture.
    away : float, px
        How far away the part's face is, which is the focal length as well.
    ratio : float
        The part's thickness over that.
    unsure : float
        Relative standard uncertainty of `ratio`.
    """

    centre: Floats
    away: float
    ratio: float
    unsure: float


class Stand(NamedTuple):
    """Where the camera stood.

    under : (2,), px
    covariance : (2, 2), px²
    holes : int
        How many tell.
    """

    under: Floats
    covariance: Floats
    holes: int


def stand_of(rings: Sequence[Floats], light_at: LightAt, camera: Camera) -> Stand | None:
    """Return where the camera stood as the round holes show it; None where they do not.

    Parameters
    ----------
    rings : sequence of (N, 2), px
        The holes' edges, closed.
    light_at : callable
        Of a picture as a camera straight above would show it.
    camera : Camera

    """
    usual = camera.away * LEAN
    most = _ROUND + camera.ratio * usual
    circles = [circle for ring in rings if (circle := circle_of(ring, most)) is not None]
    found = sorted(circles, key=lambda hole: -float(hole[2]))[:_MOST]
    away = [float(np.hypot(*(hole[:2] - camera.centre))) + 2 * usual for hole in found]
    if not found or camera.ratio * max(away) < _SEEN:
        return None
    view = View(camera.centre, camera.ratio, camera.centre, camera.away)
    fit = _Fit(view, np.eye(2), np.array(found), np.full(len(found), NOISE))
    for reach in (_REACH[0], *[_REACH[1]] * 2):
        seen = edges_of(light_at, fit.circles, fit.view, reach, _DARK)
        fit = _fit(seen, fit, camera)
    under, told = fit.view.under, float(np.linalg.eigvalsh(fit.covariance)[0])
    if told > _LITTLE**2 or np.hypot(*(under - camera.centre)) > _FARTHEST * usual:
        return None
    return Stand(under, usual**2 * fit.covariance, len(np.unique(seen.hole)))


class _Fit(NamedTuple):
    """How edges are seen, and the circles (K, 3), px.

    covariance : (2, 2)
        Of `under`, in what is usual of that.
    noise : (K,), px
        By how much the edges of each hole are off.
    """

    view: View
    covariance: Floats
    circles: Floats
    noise: Floats


class _Unknowns:
    """What is sought: five values of the view, and three of each hole, in what is usual of each."""

    def __init__(self, seen: Edges, fit: _Fit, camera: Camera) -> None:
        self.seen, self.circles, self.camera = seen, fit.circles, camera
        self._usual = camera.away * LEAN
        self._scale = np.sqrt(seen.weight * APART / TOGETHER)
        self._noise = fit.noise[seen.hole]
        self._rows = np.arange(len(seen.far))
        under = (fit.view.under - camera.centre) / self._usual
        ratio = (fit.view.ratio / camera.ratio - 1) / camera.unsure
        moved = fit.view.foot_moved / _MOVED
        self.start = np.zeros(5 + fit.circles.size)
        self.start[:5] = *under, fit.view.bend / _BEND, ratio, moved

    def view(self, values: Floats) -> View:
        """Return how edges are seen by these values."""
        ratio = self.camera.ratio * (1 + self.camera.unsure * float(values[3]))
        under = self.camera.centre + self._usual * values[:2]
        bend, moved = _BEND * float(values[2]), _MOVED * float(values[4])
        return View(under, ratio, self.camera.centre, self.camera.away, bend, moved)

    def moves(self, values: Floats) -> Floats:
        """Return by how much each circle is moved and grown, (K, 3) px."""
        return _STRAY * values[5:].reshape(-1, 3)

    def errors(self, values: Floats) -> Floats:
        """Return by how much each edge is off, (N,) px."""
        seen = self.seen
        move, circle = self.moves(values)[seen.hole], self.circles[seen.hole]
        at, radius = circle[:, :2], circle[:, 2] + move[:, 2]
        got = expected(seen.way, at, move[:, :2], radius, self.view(values))
        return np.asarray(seen.far - got[seen.kind, self._rows])

    def costs(self, values: Floats) -> Floats:
        """Return the same as squares count it, and the values, of which each is likely small."""
        error = self.errors(values) / self._noise
        return np.concatenate([self._scale * np.sign(error) * np.sqrt(np.log1p(error**2)), values])

    def slopes(self, values: Floats) -> Floats:
        """Return by how much `costs` change with each value: no edge knows of two holes."""
        before = self.costs(values)
        many = len(self._rows)
        slopes = np.zeros((len(before), len(values)))
        slopes[many:] = np.eye(len(values))
        for k in range(8):
            nudged = values.copy()
            nudged[[k] if k < 5 else slice(k, None, 3)] += _NUDGE
            column = k if k < 5 else k + 3 * self.seen.hole
            change = (self.costs(nudged) - before)[:many] / _NUDGE
            slopes[self._rows, column] = change
        return slopes


def _fit(seen: Edges, begun: _Fit, camera: Camera) -> _Fit:
    """Return what fits the edges and what is known beforehand best."""
    from scipy.optimize import least_squares

    sought = _Unknowns(seen, begun, camera)
    best = least_squares(sought.costs, sought.start, sought.slopes, xtol=1e-5, ftol=1e-6)
    values: Floats = np.asarray(best.x, np.float64)
    slopes = sought.slopes(values)
    told = np.asarray(np.linalg.inv(slopes.T @ slopes)[:2, :2], np.float64)
    left = sought.errors(values)
    holes = (seen.hole == k for k in range(len(begun.circles)))
    noise = np.array([noise_of(left[mine], seen.weight[mine]) for mine in holes])
    circles: Floats = begun.circles + sought.moves(values)
    return _Fit(sought.view(values), told, circles, noise)

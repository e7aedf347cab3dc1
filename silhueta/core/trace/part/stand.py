"""Over which point the camera stood, from the walls that are seen in round holes.

Words used here
    under    the point straight under the camera, in the plane of the part's face
    rim, foot  a hole's upper and lower edge: the same circle, seen through two known planes, so
             that the foot is shifted towards `under`, by more the farther away the hole is
    opening  what of a hole shows ground: what lies within both its rim and its foot

A camera that was held level by eye leans by a degree or so, and one length does not tell. Round
holes do: seen from straight above one is a circle, and from elsewhere the lens that rim and foot
have in common. On light ground the edges of that opening are clearest; where the face is lighter
than the ground, the rim is, all round, with the foot inside of it. A camera that leans also sees
circles in perspective, and a lens bends them: both count. What moves all feet alike, shadow or
blur, is sought along, and so is how thick the part is for its distance from the camera.

References
----------
P. J. Huber and E. M. Ronchetti, "Robust Statistics", 2nd edition, Wiley 2009, chapter 7: the
regression, with the weight of an error after Cauchy, as shadows in holes have edges of their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import sample
from silhueta.core.datum.solve import LEAN
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import TOP, in_light

Clearest = tuple[Floats, Floats]

_ROUND = 0.7  # px, root mean square, that a hole's edge may be off its circle, seen from above
_SQUARE = 0.05  # of its radius, that is less than a square is
_LEAST, _MOST = 8.0, 24  # px, radius of a hole that is looked at; and of how many, the largest
_SEEN = 1.5  # px that rim and foot of some hole must be apart
_REACH = 3.0, 1.8  # px beside the expected place, where an edge is sought first, and then
_STEP, _BESIDE = 0.25, 6.0  # px between places across the edge, and how far those go
_BLUR, _ALONG = 0.5, 4.0  # px over which light is averaged across the edge, and along it
_APART = 2.0  # px between two places along the edge
_CLEAR = 0.15, 1.0  # of a clear step of light, from which one says something, and all
_PARTED = 0.2, 0.5  # of the lighter side's light, that the darker lacks: nothing said, and all
_SIDE = np.arange(6, 13)  # places beside an edge that tell the light there
_OPENING, _RIM, _FOOT = range(3)
_SHOWN = 3.5  # px of wall from which rim and foot are two edges
_DARK, _FAINT = 0.3, 0.1  # of what edges say in all: a dark face; enough
_NOISE, _TOGETHER = 0.15, 15.0  # px that an edge is off at least, and over which it is off together
_DEVIATION = 1.4826  # a normal distribution's standard deviation over its median absolute one
_STRAY = 2.0  # px that a hole's circle may be off what was traced
_MOVED = 0.2  # px by which all feet may be off together
_BEND = 0.03  # of a phone lens's k1, standard deviation, common practice, no source
_MEET = 0.3  # px over which rim and foot run into each other
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


class _Edges(NamedTuple):
    """Edges as seen from the middle of each hole.

    hole : (N,) which; kind : (N,) of `_OPENING`, `_RIM`, `_FOOT`; way : (N, 2) unit; far : (N,) px;
    weight : (N,) 0 to 1.
    """

    hole: NDArray[np.intp]
    kind: NDArray[np.intp]
    way: Floats
    far: Floats
    weight: Floats


def stand_of(rings: Sequence[Floats], colours: NDArray[np.uint8], camera: Camera) -> Stand | None:
    """Return where the camera stood as the round holes show it; None where they do not.

    Parameters
    ----------
    rings : sequence of (N, 2), px
        The holes' edges, closed.
    colours : (H, W, 3) of uint8
        As a camera straight above would show them.
    camera : Camera

    """
    usual = camera.away * LEAN
    found = _circles(rings, _ROUND + camera.ratio * usual)
    away = [float(np.hypot(*(hole[:2] - camera.centre))) + 2 * usual for hole in found]
    if not found or camera.ratio * max(away) < _SEEN:
        return None
    view, noise = _View(camera.centre, camera.ratio), np.full(len(found), _NOISE)
    fit = _Fit(view, np.eye(2), np.array(found), noise)
    for reach in (_REACH[0], *[_REACH[1]] * 2):
        seen = _edges(colours, fit.circles, fit.view, camera, reach)
        fit = _fit(seen, fit, camera)
    under, told = fit.view.under, float(np.linalg.eigvalsh(fit.covariance)[0])
    if told > _LITTLE**2 or np.hypot(*(under - camera.centre)) > _FARTHEST * usual:
        return None
    return Stand(under, usual**2 * fit.covariance, len(np.unique(seen.hole)))


def _circles(rings: Sequence[Floats], most: float) -> list[Floats]:
    """Return centre and radius of what is a circle but for `most` px, the largest first."""
    found = []
    for ring in rings:
        rows = np.column_stack([2 * ring, np.ones(len(ring))])
        x, y, c = np.linalg.lstsq(rows, (ring**2).sum(1), rcond=None)[0].tolist()
        radius = float(np.sqrt(max(c + x * x + y * y, 0.0)))
        off = np.hypot(*(ring - (x, y)).T) - radius
        if radius > _LEAST and np.sqrt((off**2).mean()) < min(most, _SQUARE * radius):
            found.append(np.array([x, y, radius]))
    return sorted(found, key=lambda hole: -float(hole[2]))[:_MOST]


def _ahead(way: Floats, middle: Floats, radius: Floats) -> Floats:
    """Return how far away a circle's edge is along each way, from a place inside it, (N,)."""
    along = (way * middle).sum(1)
    across = (middle**2).sum(1) - along**2
    return np.asarray(along + np.sqrt(np.maximum(radius**2 - across, 0.0)))


class _View(NamedTuple):
    """How openings are seen.

    under : (2,), px; ratio : of the thickness to the camera's height; bend : k1 of the lens;
    foot_moved : px by which feet lie further out than they should.
    """

    under: Floats
    ratio: float
    bend: float = 0.0
    foot_moved: float = 0.0


def _expected(
    way: Floats, at: Floats, moved: Floats, radius: Floats, view: _View, camera: Camera
) -> Floats:
    """Return how far away opening, rim and foot are, px, along each way (N, 2); (3, N).

    at : (N, 2) px, where that begins; moved : (N, 2) px from there to the middle of the rim.
    """
    drawn = view.ratio / (1 + view.ratio)  # of the way to `under`
    rim = _ahead(way, moved, radius)
    shift = drawn * (at + moved - view.under)
    foot = _ahead(way, moved - shift, radius * (1 - drawn)) + view.foot_moved
    opening = -_MEET * np.logaddexp(-rim / _MEET, -foot / _MEET)
    begun = _bent(at, view, camera)
    return np.array(
        [
            far + ((_bent(at + far[:, None] * way, view, camera) - begun) * way).sum(1)
            for far in (opening, rim, foot)
        ]
    )


def _bent(places: Floats, view: _View, camera: Camera) -> Floats:
    """Return by how much places (N, 2) are moved by the lean's perspective and by the lens, px."""
    lean = (view.under - camera.centre) / camera.away
    from_under, from_centre = places - view.under, (places - camera.centre) / camera.away
    perspective = from_under * (from_under @ lean / camera.away)[:, None]
    lens = view.bend * camera.away * from_centre * (from_centre**2).sum(1, keepdims=True)
    return np.asarray(perspective + lens)


def _edges(
    colours: NDArray[np.uint8], circles: Floats, view: _View, camera: Camera, reach: float
) -> _Edges:
    """Return the clearest edges within `reach` of where they should be."""
    none = np.zeros(0, np.intp), np.zeros(0, np.intp), np.zeros((0, 2)), np.zeros(0), np.zeros(0)
    made: list[_Edges] = [_Edges(*none)]
    for number, circle in enumerate(circles):
        many = max(24, int(2 * np.pi * circle[2] / _APART))
        turn = np.arange(many) * (2 * np.pi / many)
        way = np.column_stack([np.cos(turn), np.sin(turn)])
        at, radius = np.broadcast_to(circle[:2], (many, 2)), np.full(many, circle[2])
        expected = _expected(way, at, np.zeros((many, 2)), radius, view, camera)
        for kind, far, weight in _of_hole(colours, at, way, expected, reach):
            if weight.mean() > _FAINT:
                numbers, kinds = np.full(many, number), np.full(many, kind)
                made.append(_Edges(numbers, kinds, way, far, weight))
    return _Edges(*(np.concatenate(some) for some in zip(*made, strict=True)))


def _of_hole(
    colours: NDArray[np.uint8], at: Floats, way: Floats, expected: Floats, reach: float
) -> list[tuple[int, Floats, Floats]]:
    """Return the kinds of edge that a hole shows, where they are, px, and how clear."""

    def clearest(kind: int, sign: int) -> Clearest:
        about = expected[kind]
        places = at[:, None] + (about[:, None] + _offsets())[..., None] * way[:, None]
        return _clearest(_light(colours, places), about, reach, sign)

    far, weight = clearest(_OPENING, -1)
    if weight.mean() > _DARK:
        return [(_OPENING, far, weight)]
    far, weight = clearest(_FOOT, 0)
    apart = expected[_RIM] - expected[_FOOT] > _SHOWN
    return [(_RIM, *clearest(_RIM, 1)), (_FOOT, far, np.where(apart, weight, 0.0))]


def _offsets() -> Floats:
    return np.arange(-_BESIDE, _BESIDE + _STEP / 2, _STEP)


def _clearest(light: Floats, about: Floats, reach: float, sign: int) -> Clearest:
    """Return where light changes most across each place, px, and how clearly, 0 to 1.

    Parameters
    ----------
    light : (N, M)
        Round a hole, at `_offsets` from `about` outwards.
    sign : {1, -1, 0}
        1: it rises outwards; -1: it falls; 0: either.

    """
    from scipy.ndimage import gaussian_filter1d

    offsets = _offsets()
    near = np.flatnonzero(np.abs(offsets) <= reach)
    light = gaussian_filter1d(light, _ALONG / _APART / 2, axis=0, mode="wrap")
    step = np.gradient(gaussian_filter1d(light, _BLUR / _STEP, axis=1), axis=1)
    step = sign * step if sign else np.abs(step)
    rows = np.arange(len(light))
    best = near[step[:, near].argmax(1)]
    left, middle, right = (step[rows, best + d] for d in (-1, 0, 1))
    bend = np.minimum(left - 2 * middle + right, -1e-12)
    far = about + offsets[best] + _STEP * np.clip(0.5 * (left - right) / bend, -1, 1)
    clear = middle / max(float(np.quantile(middle, 0.8)), 1e-12)
    inner, outer = (light[rows[:, None], best[:, None] + some].mean(1) for some in (-_SIDE, _SIDE))
    parted = np.abs(outer - inner) / np.maximum(np.maximum(inner, outer), 1e-9)
    weight = _between(clear, *_CLEAR) * _between(parted, *_PARTED)
    weight[(best == near[0]) | (best == near[-1]) | (middle <= 0)] = 0.0
    return far, weight


def _between(values: Floats, none: float, full: float) -> Floats:
    return np.clip((values - none) / (full - none), 0.0, 1.0)


def _light(colours: NDArray[np.uint8], places: Floats) -> Floats:
    """Return the light at places (..., 2), px, all colours together."""
    low = np.maximum(np.floor(places.min((0, 1))).astype(int) - 2, 0)
    high = np.maximum(np.ceil(places.max((0, 1))).astype(int) + 2, low + 1)
    some = np.ascontiguousarray(colours[low[1] : high[1], low[0] : high[0]])
    if some.size == 0:
        return np.zeros(places.shape[:-1])
    light = in_light(some).astype(np.float32) / np.float32(TOP)
    return np.asarray(sample(light, places - low).sum(-1))


class _Fit(NamedTuple):
    """How edges are seen, and the circles (K, 3), px.

    covariance : (2, 2)
        Of `under`, in what is usual of that.
    noise : (K,), px
        By how much the edges of each hole are off.
    """

    view: _View
    covariance: Floats
    circles: Floats
    noise: Floats


class _Unknowns:
    """What is sought: five values of the view, and three of each hole, in what is usual of each."""

    def __init__(self, seen: _Edges, fit: _Fit, camera: Camera) -> None:
        self.seen, self.circles, self.camera = seen, fit.circles, camera
        self._usual = camera.away * LEAN
        self._scale = np.sqrt(seen.weight * _APART / _TOGETHER)
        self._noise = fit.noise[seen.hole]
        self._rows = np.arange(len(seen.far))
        under = (fit.view.under - camera.centre) / self._usual
        ratio = (fit.view.ratio / camera.ratio - 1) / camera.unsure
        moved = fit.view.foot_moved / _MOVED
        self.start = np.zeros(5 + fit.circles.size)
        self.start[:5] = *under, fit.view.bend / _BEND, ratio, moved

    def view(self, values: Floats) -> _View:
        """Return how edges are seen by these values."""
        ratio = self.camera.ratio * (1 + self.camera.unsure * float(values[3]))
        under = self.camera.centre + self._usual * values[:2]
        return _View(under, ratio, _BEND * float(values[2]), _MOVED * float(values[4]))

    def moves(self, values: Floats) -> Floats:
        """Return by how much each circle is moved and grown, (K, 3) px."""
        return _STRAY * values[5:].reshape(-1, 3)

    def errors(self, values: Floats) -> Floats:
        """Return by how much each edge is off, (N,) px."""
        seen = self.seen
        move, circle = self.moves(values)[seen.hole], self.circles[seen.hole]
        at, radius = circle[:, :2], circle[:, 2] + move[:, 2]
        got = _expected(seen.way, at, move[:, :2], radius, self.view(values), self.camera)
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


def _fit(seen: _Edges, begun: _Fit, camera: Camera) -> _Fit:
    """Return what fits the edges and what is known beforehand best."""
    from scipy.optimize import least_squares

    sought = _Unknowns(seen, begun, camera)
    best = least_squares(sought.costs, sought.start, sought.slopes, xtol=1e-5, ftol=1e-6)
    values: Floats = np.asarray(best.x, np.float64)
    slopes = sought.slopes(values)
    told = np.asarray(np.linalg.inv(slopes.T @ slopes)[:2, :2], np.float64)
    left = np.abs(sought.errors(values))
    noise = begun.noise.copy()
    for k in range(len(noise)):
        mine = (seen.hole == k) & (seen.weight > 0)
        if mine.any():
            noise[k] = max(_NOISE, _DEVIATION * _middle(left[mine], seen.weight[mine]))
    circles: Floats = begun.circles + sought.moves(values)
    return _Fit(sought.view(values), told, circles, noise)


def _middle(values: Floats, weights: Floats) -> float:
    """Return the median of weighted values."""
    order = np.argsort(values)
    share = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(share, share[-1] / 2)])

"""Round holes of a thick part: where their edges should be seen, and where they are.

Words used here
    under    the point straight under the camera, in the plane of the part's face
    rim, foot  a hole's upper and lower edge: the same circle, seen through two known planes, so
             that the foot is shifted towards `under`, by more the farther away the hole is
    opening  what of a hole shows ground: what lies within both its rim and its foot

On light ground the edges of the opening are the clearest in a photo, with ground on one side and
the part's dark inside, or its face, on the other; where the face is lighter than the ground, the
rim is, all round, with the foot inside of it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import sample
from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import TOP, in_light
from silhueta.core.trace.part.looks import Light

LightAt = Callable[[Floats], Floats]  # of places (..., 2), px: their light, all colours together
Clearest = tuple[Floats, Floats]

APART, TOGETHER = 2.0, 15.0  # px between two places along the edge; over which it is off together
OPENING, RIM, FOOT = range(3)
NOISE = 0.15  # px that an edge is off, at least
_DEVIATION = 1.4826  # a normal distribution's standard deviation over its median absolute one
_SQUARE = 0.05  # of its radius, that is less than a square is
_ROUNDS, _APART, _MOSTLY = 4, 3.0, 0.7  # fits; deviations, beyond which points do not count; share
_LEAST = 8.0  # px, radius of a hole that is looked at
_STEP, _BESIDE = 0.25, 6.0  # px between places across the edge, and how far those go
_BLUR, _ALONG = 0.5, 4.0  # px over which light is averaged across the edge, and along it
_CLEAR = 0.15, 1.0  # of a clear step of light, from which one says something, and all
_PARTED = 0.2, 0.5  # of the lighter side's light, that the darker lacks: nothing said, and all
_SIDE = np.arange(6, 13)  # places beside an edge that tell the light there
_SHOWN = 3.5  # px of wall from which rim and foot are two edges
_FAINT = 0.1  # of what edges say in all: enough
_MEET = 0.3  # px over which rim and foot run into each other


class View(NamedTuple):
    """How round holes are seen.

    under : (2,), px
    ratio : float
        The part's thickness over the distance of its face from the camera.
    centre : (2,), px
        Where the camera's axis meets the picture.
    away : float, px
        That distance, and the focal length; infinite in a picture that is straight already.
    bend : float
        k1 of the lens.
    foot_moved : float, px
        By which feet lie further out than they should.
    """

    under: Floats
    ratio: float
    centre: Floats
    away: float = np.inf
    bend: float = 0.0
    foot_moved: float = 0.0


class Edges(NamedTuple):
    """Edges as seen from the middle of each hole.

    hole : (N,) which; kind : (N,) of `OPENING`, `RIM`, `FOOT`; way : (N, 2) unit; far : (N,) px;
    weight : (N,) 0 to 1.
    """

    hole: NDArray[np.intp]
    kind: NDArray[np.intp]
    way: Floats
    far: Floats
    weight: Floats


def circle_of(ring: Floats, most: float) -> Floats | None:
    """Return centre and radius (3,), px, of what is a circle but for `most` px, root mean square.

    Hooks and nicks do not count. None where it is not.
    """
    kept = ring
    for _ in range(_ROUNDS):
        x, y, radius, *_ = fit_circle(kept)
        off = np.abs(np.hypot(*(ring - (x, y)).T) - radius)
        near = off <= _APART * max(_DEVIATION * float(np.median(off)), NOISE)
        kept = ring[near]
    limit = min(most, _SQUARE * radius)
    if radius < _LEAST or near.mean() < _MOSTLY or np.sqrt((off[near] ** 2).mean()) > limit:
        return None
    return np.array([x, y, radius])


def _ahead(way: Floats, middle: Floats, radius: Floats) -> Floats:
    """Return how far away a circle's edge is along each way, from a place inside it, (N,)."""
    along = (way * middle).sum(1)
    across = (middle**2).sum(1) - along**2
    return np.asarray(along + np.sqrt(np.maximum(radius**2 - across, 0.0)))


def expected(way: Floats, at: Floats, moved: Floats, radius: Floats, view: View) -> Floats:
    """Return how far away opening, rim and foot are, px, along each way (N, 2); (3, N).

    at : (N, 2) px, where that begins; moved : (N, 2) px from there to the middle of the rim.
    """
    drawn = view.ratio / (1 + view.ratio)  # of the way to `under`
    rim = _ahead(way, moved, radius)
    shift = drawn * (at + moved - view.under)
    foot = _ahead(way, moved - shift, radius * (1 - drawn)) + view.foot_moved
    opening = -_MEET * np.logaddexp(-rim / _MEET, -foot / _MEET)
    begun = _bent(at, view)
    return np.array(
        [
            far + ((_bent(at + far[:, None] * way, view) - begun) * way).sum(1)
            for far in (opening, rim, foot)
        ]
    )


def _bent(places: Floats, view: View) -> Floats:
    """Return by how much places (N, 2) are moved by the lean's perspective and by the lens, px."""
    if not np.isfinite(view.away):
        return np.zeros_like(places)
    lean = (view.under - view.centre) / view.away
    from_under, from_centre = places - view.under, (places - view.centre) / view.away
    perspective = from_under * (from_under @ lean / view.away)[:, None]
    lens = view.bend * view.away * from_centre * (from_centre**2).sum(1, keepdims=True)
    return np.asarray(perspective + lens)


def edges_of(
    light_at: LightAt, circles: Sequence[Floats] | Floats, view: View, reach: float, dark: float
) -> Edges:
    """Return the clearest edges within `reach` of where they should be, px.

    Parameters
    ----------
    light_at : callable
    circles : (K, 3), px
        Centre and radius of each rim.
    view : View
    reach : float, px
    dark : float
        What edges of openings must say in all, 0 to 1; else rim and foot are looked at.

    """
    none = np.zeros(0, np.intp), np.zeros(0, np.intp), np.zeros((0, 2)), np.zeros(0), np.zeros(0)
    made: list[Edges] = [Edges(*none)]
    for number, circle in enumerate(circles):
        many = max(24, int(2 * np.pi * circle[2] / APART))
        turn = np.arange(many) * (2 * np.pi / many)
        way = np.column_stack([np.cos(turn), np.sin(turn)])
        at, radius = np.broadcast_to(circle[:2], (many, 2)), np.full(many, circle[2])
        should = expected(way, at, np.zeros((many, 2)), radius, view)
        for kind, far, weight in _of_hole(light_at, at, way, should, (reach, dark)):
            if weight.mean() > _FAINT:
                numbers, kinds = np.full(many, number), np.full(many, kind)
                made.append(Edges(numbers, kinds, way, far, weight))
    return Edges(*(np.concatenate(some) for some in zip(*made, strict=True)))


def _of_hole(
    light_at: LightAt, at: Floats, way: Floats, should: Floats, told: tuple[float, float]
) -> list[tuple[int, Floats, Floats]]:
    """Return the kinds of edge that a hole shows, where they are, px, and how clear."""

    def clearest(kind: int, sign: int) -> Clearest:
        about = should[kind]
        places = at[:, None] + (about[:, None] + _offsets())[..., None] * way[:, None]
        return _clearest(light_at(places), about, told[0], sign)

    far, weight = clearest(OPENING, -1)
    if weight.mean() > told[1]:
        return [(OPENING, far, weight)]
    far, weight = clearest(FOOT, 0)
    apart = should[RIM] - should[FOOT] > _SHOWN
    return [(RIM, *clearest(RIM, 1)), (FOOT, far, np.where(apart, weight, 0.0))]


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
    light = gaussian_filter1d(light, _ALONG / APART / 2, axis=0, mode="wrap")
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


def light_in(light: Light, places: Floats) -> Floats:
    """Return the light of a picture (H, W, 3) at places (..., 2), px, all colours together."""
    return np.asarray(sample(light, places).sum(-1))


def light_of_stored(colours: NDArray[np.uint8], places: Floats) -> Floats:
    """Return the same of stored colours (H, W, 3), of which only those beside are looked at."""
    low = np.maximum(np.floor(places.min((0, 1))).astype(int) - 2, 0)
    high = np.maximum(np.ceil(places.max((0, 1))).astype(int) + 2, low + 1)
    some = np.ascontiguousarray(colours[low[1] : high[1], low[0] : high[0]])
    if some.size == 0:
        return np.zeros(places.shape[:-1])
    light = in_light(some).astype(np.float32) / np.float32(TOP)
    return light_in(light, places - low)


def noise_of(left: Floats, weight: Floats) -> float:
    """Return the standard deviation, px, of edges that are off by `left` px, both (N,)."""
    some = weight > 0
    left, weight = np.abs(left[some]), weight[some]
    if len(left) == 0:
        return NOISE
    order = np.argsort(left)
    share = np.cumsum(weight[order])
    middle = float(left[order][np.searchsorted(share, share[-1] / 2)])
    return max(NOISE, _DEVIATION * middle)

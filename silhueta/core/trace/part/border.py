"""Where the part's edge runs: one decision round each whole loop, then a fraction of a pixel.

Words used here
    ring      points a pixel apart along a rough outline, closed
    profile   what is seen across the ring at one of its points, from inside to outside
    wall      the part's side where the camera sees it, between the edge of the face and the foot;
              how wide it must look there is known from the camera's place
    path      for each point of the ring the place on its profile where the face ends; the
              smoothest cheap one, all round

What lies inside the path should look like the face, what lies past the wall should not, and where
the path runs there should be a step. The path is found by dynamic programming over the closed
ring, so that it does not jump from one edge to another. Last, in linear light, the sum of what is
seen between the two sides of the step tells where it is: exactly so for a straight edge under any
even blur, and overshoot beside it, which sharpening makes alike on both sides, cancels.

References
----------
A. A. Amini, T. E. Weymouth and R. C. Jain, "Using dynamic programming for solving variational
problems in vision", IEEE Transactions on Pattern Analysis and Machine Intelligence 12(9), 1990,
855-867, for closed contours by dynamic programming.
A. Trujillo-Pino et al., "Accurate subpixel edge location based on partial area effect", Image and
Vision Computing 31(1), 2013, 72-90.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.datum.edges import sample
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.calm import calm
from silhueta.core.trace.part.looks import Light, largest
from silhueta.core.trace.walls import Walls

_STEP = 0.5  # px between places on a profile
_FIRST, _SECOND = 1.3, 0.45  # mm on each side in which the edge is sought, first and again
_CLOSE = 0.7  # mm, the first where edges told the part already
_CALM = 0.9, 0.35  # mm over which the ring is smoothed before that
_NEAREST = 2.2  # px within which the measured edge must be
_LAST_CALM = 6.0  # px over which the ring is smoothed before the edge is measured
_BEND = 0.8  # cost of moving by one place from point to point
_CLEARER = 1.5  # weight of what looks like face past the wall against the other way round
_STEEP = 14.0  # worth of a step as high as is usual round the ring
_NEAR_PX = 3  # places on each side between which a step is seen
_WITHIN, _COVERED = ((0.6, 3.0), (1.2, 8.0)), 0.5  # (mm, px) inside, where another edge counts so
_DOUBTFUL = 0.7  # of leaning
_PER_MM, _PER_PX = 0.3, 3.0  # over which leaning counts once, the longer of the two
_ALONG = (-1.5, -0.5, 0.5, 1.5)  # px along the ring over which a profile is averaged
_NEAR, _FAR = 2.0, 4.5  # px from the edge in which its sides are seen
_SLOWLY = 20.0  # points over which foot and top take turns
_CALMED = 6  # points on each side over which a side is averaged
_LEAST = 0.006  # light between both sides from which the edge is measured
_NARROW = 2.5  # px of wall that blur hides
_SHORTEST = 24


class Sight(NamedTuple):
    """What the border is seen in.

    light : (H, W, 3) of float32
        Linear, at full resolution.
    leaning : (h, w) of float32
        By how much each place looks like face; smaller.
    factor : float
        px of `leaning` a px of `light`.
    mm : float
        Side of a px of `light`.
    walls : Walls or None
        In px of `light`.
    alike : bool
        Whether face and shadow look alike, so that only sharp edges tell them apart.
    """

    light: Light
    leaning: Light
    factor: float
    mm: float
    walls: Walls | None
    alike: bool = False


def border(rough: Floats, sight: Sight) -> Floats:
    """Return the edge of the face along a rough outline.

    Parameters
    ----------
    rough : (N, 2), px
        Closed, the part on the left seen with y up. Within 1 mm or so of the edge.
    sight : Sight

    Returns
    -------
    (M, 2), px
        A pixel or so apart.

    """
    ring = rough
    first = _CLOSE if sight.alike else _FIRST  # edges told the rough outline, all round
    for reach, smooth in zip((first, _SECOND), _CALM, strict=True):
        ring = calm(ring, smooth / sight.mm)
        if len(ring) < _SHORTEST:
            return ring
        outward = outward_of(ring)
        wide = _wall(ring, outward, sight.walls)
        offsets = np.arange(-reach / sight.mm, reach / sight.mm + _STEP / 2, _STEP)
        worth = _worth(ring, outward, offsets, wide, sight)
        path = _closed_path(np.ascontiguousarray(worth), _BEND)
        ring = ring + offsets[path][:, None] * outward
    ring = calm(ring, _LAST_CALM)
    outward = outward_of(ring)
    return _untangled(_measured(ring, outward, _wall(ring, outward, sight.walls), sight))


def _untangled(ring: Floats) -> Floats:
    """Return the ring without the small loops it may make where it turns sharply, even again."""
    from shapely.geometry import Polygon

    whole: Any = Polygon(ring).buffer(0)
    shapes = [shape for shape in getattr(whole, "geoms", [whole]) if shape.geom_type == "Polygon"]
    shape = max(shapes, key=lambda piece: piece.area, default=None)
    if shape is None or shape.is_empty:
        return ring
    again = np.asarray(shape.exterior.coords, np.float64)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(again, axis=0).T))])
    at = np.linspace(0.0, along[-1], max(_SHORTEST, round(along[-1])), endpoint=False)
    even = np.column_stack([np.interp(at, along, again[:, k]) for k in range(2)])
    x, y = ring.T
    i, j = even.T
    same = (x @ np.roll(y, -1) - np.roll(x, -1) @ y) * (i @ np.roll(j, -1) - np.roll(i, -1) @ j) > 0
    return even if same else even[::-1]


def outward_of(ring: Floats) -> Floats:
    """Return unit normals (N, 2) that point away from the part, which lies on the left."""
    tangent = np.roll(ring, -3, 0) - np.roll(ring, 3, 0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    return np.column_stack([-tangent[:, 1], tangent[:, 0]])


def _wall(ring: Floats, outward: Floats, walls: Walls | None) -> Floats:
    """Return how many px of wall are seen along each normal; 0 where it faces away."""
    if walls is None:
        return np.zeros(len(ring))
    shift = (ring - walls.under) * walls.ratio
    return np.asarray(np.maximum(-(shift * outward).sum(1), 0.0))


def _worth(ring: Floats, outward: Floats, offsets: Floats, wide: Floats, sight: Sight) -> Floats:
    """Return how well the face may end at each offset of each profile, (N, M)."""
    reach = float(wide.max(initial=0.0))
    spare = np.arange(_STEP, reach + _STEP, _STEP)
    longer = np.concatenate([offsets, offsets[-1] + spare])
    places = ring[:, None] + longer[None, :, None] * outward[:, None]
    leaning = sample(sight.leaning, places * sight.factor)
    leaning = np.sign(leaning) * np.maximum(np.abs(leaning) - _DOUBTFUL, 0)  # a little says nothing
    leaning *= _STEP / max(_PER_MM / sight.mm, _PER_PX)
    sums = np.cumsum(leaning, axis=1)
    many = len(offsets)
    rows = np.arange(len(ring))[:, None]
    foot = np.minimum(
        np.arange(many)[None] + np.round(wide / _STEP).astype(int)[:, None], len(longer) - 1
    )
    inside = sums[:, :many]
    past = sums[:, -1:] - sums[rows, foot]
    step = _steps(ring, outward, longer, sight)
    steep = step[:, :many]
    if not sight.alike:
        steep = np.maximum(steep, np.where(wide[:, None] > _NARROW, step[rows, foot], 0.0))
    return np.asarray(inside - _CLEARER * past + _STEEP * steep)


def _steps(ring: Floats, outward: Floats, offsets: Floats, sight: Sight) -> Floats:
    """Return how clear an edge is at each offset, (N, M).

    Where face and shadow look alike: a shadow's end is soft, and a wall's foot has the edge of the
    face close inside of it.
    """
    from scipy.ndimage import maximum_filter1d

    seen = np.log(_profiles(ring, outward, offsets, sight.light) + 0.01)

    def over(reach: int) -> Floats:
        change = largest(np.abs(np.roll(seen, -reach, axis=1) - np.roll(seen, reach, axis=1)))
        change[:, :reach], change[:, -reach:] = 0.0, 0.0
        return np.asarray(change)

    change = over(_NEAR_PX)
    if sight.alike:  # a shadow's end is soft
        change = np.maximum(change - over(3 * _NEAR_PX) / 3, 0.0)
    usual = max(float(np.median(change.max(1))), 0.05)
    clear = np.minimum(change / usual, 1.0)
    if not sight.alike:
        return np.asarray(clear)
    first, last = (max(mm / sight.mm, px) / _STEP for mm, px in _WITHIN)
    shift = round((first + last) / 2)
    within = maximum_filter1d(clear, max(1, round(last - first)), axis=1, mode="nearest")
    within = np.roll(within, shift, axis=1)
    within[:, :shift] = 0.0
    return np.asarray(clear - _COVERED * within)


def sharpness_at(ring: Floats, outward: Floats, sight: Sight) -> Floats:
    """Return the sharp step of the logarithm of light within a pixel of each point, (N,).

    Of the light averaged along the ring, so that brush marks across it do not count.
    """
    offsets = np.arange(-6.0, 6.5, 0.5)
    seen = np.log(_averaged(_profiles(ring, outward, offsets, sight.light)) + 0.01)
    middle = len(offsets) // 2
    at = np.arange(middle - 2, middle + 3)
    change = largest(np.abs(seen[:, at + 3] - seen[:, at - 3]))
    slope = largest(np.abs(seen[:, at + 9] - seen[:, at - 9])) / 3
    return np.asarray(np.maximum(change - slope, 0.0).max(1))


def edge_width(ring: Floats, sight: Sight) -> float:
    """Return over how many px the light rises from a tenth to nine tenths across a ring.

    From its steepest slope, as blur by a bell would give it: walls and shadows beside the edge
    take nothing away from that. The middle one of the ring's points.
    """
    outward = outward_of(ring)
    step = max(1, len(ring) // 600)
    offsets = np.arange(-24.0, 24.5, 0.5)
    seen = _profiles(ring[::step], outward[::step], offsets, sight.light).sum(-1)
    rise = np.ptp(seen, axis=1)
    slope = np.abs(seen[:, 4:] - seen[:, :-4]).max(1) / 2
    return float(np.median(1.02 * rise / np.maximum(slope, 1e-6)))


def _profiles(ring: Floats, outward: Floats, offsets: Floats, light: Light) -> Floats:
    """Return the light across the ring, (N, M, 3), averaged over 4 px along it."""
    tangents = np.column_stack([outward[:, 1], -outward[:, 0]])
    total = np.zeros((len(ring), len(offsets), 3))
    for along in _ALONG:
        places = (ring + along * tangents)[:, None] + offsets[None, :, None] * outward[:, None]
        total += sample(light, places)
    return total / len(_ALONG)


@compiled
def _closed_path(worth: Floats, bend: float) -> NDArray[np.int64]:
    """Return the column of each row that makes the sum of worth, less bends, largest; closed.

    The ring is walked twice, and the second half of each walk is taken: by then where it began
    no longer matters.
    """
    n, m = worth.shape
    total = 2 * n
    best = np.empty((total, m))
    came = np.zeros((total, m), np.int8)
    best[0] = worth[0]
    for i in range(1, total):
        for j in range(m):
            top, way = -1e300, 0
            for d in range(-2, 3):
                k = j + d
                if 0 <= k < m:
                    value = best[i - 1, k] - bend * abs(d) * abs(d)
                    if value > top:
                        top, way = value, d
            best[i, j] = top + worth[i % n, j]
            came[i, j] = way
    path = np.zeros(total, np.int64)
    path[total - 1] = np.argmax(best[total - 1])
    for i in range(total - 1, 0, -1):
        path[i - 1] = path[i] + came[i, path[i]]
    out = np.empty(n, np.int64)
    half = n // 2
    for i in range(n):
        out[(i + half) % n] = path[i + half]
    return out


def _measured(ring: Floats, outward: Floats, wide: Floats, sight: Sight) -> Floats:
    """Return the ring moved to where the light between both sides puts the edge."""
    from scipy.ndimage import gaussian_filter1d

    offsets = np.arange(-_FAR, _FAR + 0.25, 0.5)
    top = _step(ring, outward, offsets, sight)
    if not wide.any():
        return ring + _steady(top.place, top.clear)[:, None] * outward
    foot = _step(ring + wide[:, None] * outward, outward, offsets, sight)
    # a wall like the face shows no edge at its top: then the foot tells, a wall's width away;
    # one too narrow to be seen apart is darker than its face: on light ground it goes with it
    by_foot = np.where(wide <= _NARROW, top.rises, foot.height > 2.0 * top.height) & (wide > 0)
    share = gaussian_filter1d(by_foot.astype(float), _SLOWLY, mode="wrap")
    # the foot was sought a wall's width further out, so its place stands for the top's as it is
    place = (1 - share) * top.place + share * foot.place
    clear = (1 - share) * top.clear + share * foot.clear
    return ring + _steady(place, clear)[:, None] * outward


class _Step(NamedTuple):
    """Where the step lies beside each point, px outwards, and if that is clear.

    Also how high the step is, and whether it goes up outwards.
    """

    place: Floats
    clear: Floats
    height: Floats
    rises: NDArray[np.bool_]


def _step(ring: Floats, outward: Floats, offsets: Floats, sight: Sight) -> _Step:
    seen = _profiles(ring, outward, offsets, sight.light)
    inner = _averaged(seen[:, offsets <= -_NEAR].mean(1))
    outer = _averaged(seen[:, offsets >= _NEAR].mean(1))
    axis = outer - inner
    squared = (axis**2).sum(1)
    share = ((seen - inner[:, None]) * axis[:, None]).sum(2) / np.maximum(squared, 1e-9)[:, None]
    reach = _NEAR + 1.0
    within = np.abs(offsets) <= reach
    # share goes from 0 inside to 1 outside: its integral is how far the outer side reaches in
    weights = np.where(np.abs(np.abs(offsets) - reach) < 1e-9, 0.25, 0.5)[within]
    place = reach - (share[:, within] * weights).sum(1)
    clear = (squared > _LEAST**2) & (np.abs(place) < _NEAREST)
    return _Step(
        np.where(clear, place, 0.0), clear.astype(float), np.sqrt(squared), axis.sum(1) > 0
    )


def _steady(place: Floats, clear: Floats) -> Floats:
    """Return places along a ring, drawn on smoothly from their neighbours where none is clear."""
    from scipy.ndimage import gaussian_filter1d

    def bell(values: Floats, width: float) -> Floats:
        return np.asarray(gaussian_filter1d(values, width, mode="wrap"))

    weight = clear + 1e-3
    wide = bell(place * weight, 6.0) / bell(weight, 6.0)
    kept = np.where(np.abs(place - wide) < 0.6, weight, 1e-3)  # what jumps is no edge of its own
    return bell(place * kept, 2.0) / bell(kept, 2.0)


def _averaged(values: Floats) -> Floats:
    """Return values along a ring, each averaged with its neighbours."""
    from scipy.ndimage import uniform_filter1d

    return np.asarray(uniform_filter1d(values, 2 * _CALMED + 1, axis=0, mode="wrap"))

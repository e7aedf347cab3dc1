"""Where the part's edge runs: one decision round each whole loop, then a fraction of a pixel.

Words used here
    ring      points a pixel apart along a rough outline, closed
    profile   what is seen across the ring at one of its points, from inside to outside
    wall      the part's side where the camera sees it, between the edge of the face and the foot;
              how wide it must look there is known from the camera's place
    path      for each point of the ring the place on its profile where the face ends; the
              smoothest cheap one, all round

What lies inside the path should look like the face, what lies past the wall should not, and there
should be steps where the path runs and, a wall's width further out, at the foot: both are the same
outline, seen in two known planes. The path is found by dynamic programming over the closed ring,
so that it does not jump from one edge to another. Last, in linear light, face, wall and ground are
fitted to what is seen across it (step.py).

References
----------
A. A. Amini, T. E. Weymouth and R. C. Jain, "Using dynamic programming for solving variational
problems in vision", IEEE Transactions on Pattern Analysis and Machine Intelligence 12(9), 1990,
855-867, for closed contours by dynamic programming.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import sample
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import stored_of
from silhueta.core.trace.edge.calm import calm
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.looks import Light, largest
from silhueta.core.trace.part.ring import closed_path
from silhueta.core.trace.part.shear import shorn
from silhueta.core.trace.part.step import (
    FAR,
    NEAR,
    REACH,
    STEP,
    Beside,
    Fitted,
    blur_of,
    fitted,
    outermost,
)

_STEP = 0.5  # px between places on a profile
_FIRST, _SECOND = 1.3, 0.45  # mm on each side in which the edge is sought, first and again
_CLOSE = 0.7  # mm, the first where edges told the part already
_CALM = 0.9, 0.35  # mm over which the ring is smoothed before that
# times that, and cost as `_BEND`, where face and shadow look alike
_ALIKE_CALM, _ALIKE_BEND = 2.0, 5.0
_SHORT = 0.3  # px short of the farthest place that is looked at, that the measured edge must be
_LAST_CALM = 12.0  # px over which the ring is smoothed before the edge is measured
_BEND = 1.6  # cost of moving by one place from point to point
_UNLIKE = 2.5  # cost of what looks unlike face inside the path, or like it past the wall
_UNSURE_MM = 0.1  # beside the path, where that is not told so finely
_FOOT = 0.3  # by which a foot's step counts more where the ground is lighter, or less where darker
_STEEP = 14.0  # worth of a step as high as is usual round the ring
_NEAR_PX = 3  # places on each side between which a step is seen
_WITHIN, _COVERED = ((0.6, 3.0), (1.2, 8.0)), 0.5  # (mm, px) inside, where another edge counts so
_DIP = 0.5  # of what light falls by close inside, that a rise beside it counts less
_DOUBTFUL = 0.7  # of leaning
_PER_MM, _PER_PX = 0.3, 3.0  # over which leaning counts once, the longer of the two
_ALONG = (-1.5, -0.5, 0.5, 1.5)  # px along the ring over which a profile is averaged
_AT_ONCE = 4096  # points of a ring whose profiles are read at once
_TURNS = 2
_ENDS = 4  # places at each end of a profile that tell whether ground is lighter than face
_EVEN = 12.0  # points over which the way outwards is averaged, to see how wide a wall looks
_CALMED = 6  # points on each side over which a side is averaged
_LEAST = 0.012  # light that an edge explains, as a step across a profile, from which it counts
_NARROW = 2.5  # px of wall that blur hides
_SLID = 1.5  # times the way that a foot slides along, in which a normal meets it
_MOST_SLID, _CELLS = 600, 500_000  # points on each side; pairs that are held at once
_DEPTHS = 0.25, 0.5, 0.75, 1.0  # of the thickness, at which a ring is looked at
_SHORTEST = 24
_GREY, _BLUE, _RED = np.array([0.299, 0.587, 0.114]), 0.564, 0.713  # ITU-R BT.601: Y, Cb, Cr
_COLOUR = 0.35  # of the way from the edge in light to that in stored values, as blur parts them
_COLOURED = 0.5, 0.8  # share of colour in what parts face and ground, from which, and all the way


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
    lit : bool
        Whether walls are as light as the ground, and not dark like the face.
    high : float
        Height of the walls, px; 0: not told.
    closely : bool
        Whether the edge is measured in the end, and not only followed.
    marks : (h, w) of float32, or None
        Logarithm of the light that marks give the face and take from it; the size of `leaning`.
    """

    light: Light
    leaning: Light
    factor: float
    mm: float
    walls: Walls | None
    alike: bool = False
    lit: bool = False
    high: float = 0.0
    closely: bool = True
    marks: Light | None = None

    @property
    def beside(self) -> Beside:
        """What is known of walls where the edge is measured."""
        return Beside(self.lit, self.high, FAR if self.alike else NEAR)


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
    first, calmer, bend = _FIRST, 1.0, _BEND
    if sight.alike:  # edges told the rough outline, all round
        first, calmer, bend = _CLOSE, _ALIKE_CALM, _ALIKE_BEND
    for reach, smooth in zip((first, _SECOND), _CALM, strict=True):
        ring = calm(ring, calmer * smooth / sight.mm)
        if len(ring) < _SHORTEST:
            return ring
        outward = outward_of(ring)
        wide = _wall(ring, outward, sight.walls)
        inward = reach / sight.mm
        if reach == _FIRST:  # the rough outline may run along a wall's foot
            inward = max(inward, float(wide.max(initial=0.0)) + _SECOND / sight.mm)
        offsets = np.arange(-inward, reach / sight.mm + _STEP / 2, _STEP)
        worth = _worth(ring, outward, offsets, wide, sight)
        path = closed_path(np.ascontiguousarray(worth), bend)
        ring = ring + offsets[path][:, None] * outward
    if not sight.closely:
        return ring
    ring = calm(ring, _LAST_CALM)
    outward = outward_of(ring)
    for _ in range(_TURNS):
        ring = _measured(ring, outward, sight)
    ring = _untangled(ring)
    again = shorn(ring, sight.light, sight.mm, sight.walls)
    if again is ring:
        return ring
    ring = calm(again, _LAST_CALM)
    outward = outward_of(ring)
    return _untangled(_measured(ring, outward, sight))


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


def wall_beside(ring: Floats, sight: Sight) -> Floats:
    """Return how many px of wall are seen beside each point of a ring, (N,); 0: none."""
    return _wall(ring, outward_of(ring), sight.walls)


def _wall(ring: Floats, outward: Floats, walls: Walls | None) -> Floats:
    """Return how many px of wall are seen along each normal; 0 where it faces away."""
    return np.maximum(_seen_or_hidden(ring, outward, walls), 0.0)


def _seen_or_hidden(ring: Floats, outward: Floats, walls: Walls | None) -> Floats:
    """Return px of wall that are seen along each normal; less than 0: px of ground that are not.

    The wall is what the ring passes over as it is seen through planes from the face's down to the
    datum's: it ends where the normal leaves the last of them.
    """
    if walls is None:
        return np.zeros(len(ring))
    from scipy.ndimage import gaussian_filter1d

    # what wobbles sees no more wall
    even, calmed = (gaussian_filter1d(v, _EVEN, axis=0, mode="wrap") for v in (outward, ring))
    outward = even / np.maximum(np.hypot(*even.T), 1e-9)[:, None]
    tangent = np.column_stack([outward[:, 1], -outward[:, 0]])
    shift = (calmed - walls.under) * walls.ratio
    spacing = float(np.median(np.hypot(*(np.roll(calmed, -1, 0) - calmed).T)))
    slid = float(np.abs((shift * tangent).sum(1)).max())
    reach = min(int(_SLID * slid / max(spacing, 1e-6)) + 4, (len(ring) - 1) // 2, _MOST_SLID)
    wide = np.zeros(len(ring))
    for depth in _DEPTHS:
        slide = depth / (1 + depth * walls.ratio) * shift  # from the face down to that plane
        seen = calmed - slide
        many = max(_CELLS // (2 * reach + 1), 1)
        for first in range(0, len(ring), many):  # all at once would fill the memory
            some = np.arange(first, min(first + many, len(ring)))
            away = seen[(some[:, None] + np.arange(-reach, reach + 1)) % len(ring)]
            away -= calmed[some, None]
            along, out = (np.einsum("ijk,ik->ij", away, v[some]) for v in (tangent, outward))
            straight = -(slide[some] * outward[some]).sum(1)
            wide[some] = np.maximum(wide[some], _leaves(along, out, straight))
    hidden = (slide * outward).sum(1)  # down to the foot
    return np.where(wide > 0, wide, -np.maximum(hidden, 0.0))


def _leaves(along: Floats, out: Floats, about: Floats) -> Floats:
    """Return how far out each normal meets a ring near it, px, nearest to `about`; 0: nowhere.

    Parameters
    ----------
    along, out : (N, M), px
        The ring's points beside each of N places, along the edge there and outwards.
    about : (N,), px

    """
    before, after = along[:, :-1], along[:, 1:]
    meets = (before <= 0) != (after <= 0)
    share = before / np.where(meets, before - after, 1.0)
    leaves = out[:, :-1] + share * (out[:, 1:] - out[:, :-1])
    off = np.where(meets, np.abs(leaves - about[:, None]), np.inf)
    rows, nearest = np.arange(len(off)), off.argmin(1)
    return np.where(np.isfinite(off[rows, nearest]), leaves[rows, nearest], 0.0)


def _worth(ring: Floats, outward: Floats, offsets: Floats, wide: Floats, sight: Sight) -> Floats:
    """Return how well the face may end at each offset of each profile, (N, M)."""
    reach = float(wide.max(initial=0.0))
    spare = np.arange(_STEP, reach + _STEP, _STEP)
    longer = np.concatenate([offsets, offsets[-1] + spare])
    places = ring[:, None] + longer[None, :, None] * outward[:, None]
    leaning = sample(sight.leaning, places * sight.factor)
    leaning = np.sign(leaning) * np.maximum(np.abs(leaning) - _DOUBTFUL, 0)  # a little says nothing
    leaning *= _STEP / max(_PER_MM / sight.mm, _PER_PX)
    many = len(offsets)
    rows = np.arange(len(ring))[:, None]
    last = len(longer) - 1
    foot = np.minimum(np.arange(many) + np.round(wide / _STEP).astype(int)[:, None], last)
    unsure = round(_UNSURE_MM / sight.mm / _STEP)
    inside = np.cumsum(np.maximum(-leaning, 0), axis=1)[:, : many - unsure]
    unlike = np.concatenate([np.zeros((len(ring), unsure)), inside], axis=1)
    past = np.cumsum(np.maximum(leaning, 0), axis=1)
    unlike += past[:, -1:] - past[rows, np.minimum(foot + unsure, last)]
    step = _steps(ring, outward, longer, sight)
    steep = step[:, :many]
    if not sight.alike:
        # a wall is like a dark face, and on dark ground like that
        ends = _profiles(ring, outward, np.r_[longer[:_ENDS], longer[-_ENDS:]], sight.light).sum(-1)
        half = ends.shape[1] // 2  # fewer than _ENDS where a pixel is large
        rises = _averaged(ends[:, half:].mean(1) - ends[:, :half].mean(1)) > 0
        more = 0.0 if sight.lit else _FOOT
        worth = np.where(rises, 1 + more, 1 - more)
        worth = np.where(wide > _NARROW, worth, 0.0)
        steep = steep + worth[:, None] * step[rows, foot]
    return np.asarray(_STEEP * steep - _UNLIKE * unlike)


def _steps(ring: Floats, outward: Floats, offsets: Floats, sight: Sight) -> Floats:
    """Return how clear an edge is at each offset, (N, M).

    Where face and shadow look alike: a shadow's end is soft, and a wall's foot has the edge of the
    face close inside of it. So has the far side of what is dark beside the face.
    """
    seen = _levels(ring, outward, offsets, sight)

    def over(reach: int) -> Floats:
        change = np.zeros(seen.shape[:2])
        for k in range(3):
            apart = np.abs(seen[:, 2 * reach :, k] - seen[:, : -2 * reach, k])
            change[:, reach:-reach] = np.maximum(change[:, reach:-reach], apart)
        return change

    change = over(_NEAR_PX)
    if sight.alike:  # a shadow's end is soft
        change = np.maximum(change - over(3 * _NEAR_PX) / 3, 0.0)
    usual = max(float(np.median(change.max(1))), 0.05)
    clear = np.minimum(change / usual, 1.0)
    if not sight.alike:
        return np.asarray(clear)
    rise = np.zeros(clear.shape)
    rise[:, _NEAR_PX:-_NEAR_PX] = (seen[:, 2 * _NEAR_PX :] - seen[:, : -2 * _NEAR_PX]).mean(-1)
    first, last = (max(mm / sight.mm, px) / _STEP for mm, px in _WITHIN)
    within = _COVERED * _most_inside(clear, first, last)
    dip = _DIP * _most_inside(np.where(rise < 0, clear, 0.0), 1.0, first)
    return np.asarray(clear - within - np.where(rise > 0, dip, 0.0))


def _most_inside(clear: Floats, first: float, last: float) -> Floats:
    """Return the clearest edge so many places, from first to last, inside of each, (N, M)."""
    from scipy.ndimage import maximum_filter1d

    shift = round((first + last) / 2)
    within = maximum_filter1d(clear, max(1, round(last - first)), axis=1, mode="nearest")
    within = np.roll(within, shift, axis=1)
    within[:, :shift] = 0.0
    return np.asarray(within)


def _levels(ring: Floats, outward: Floats, offsets: Floats, sight: Sight) -> Light:
    """Return the logarithm of the light across the ring, (N, M, 3), without that of marks."""
    seen = _profiles(ring, outward, offsets, sight.light)
    np.log(seen + np.float32(0.01), out=seen)
    if sight.marks is not None:
        places = ring[:, None] + offsets[None, :, None] * outward[:, None]
        seen -= sample(sight.marks, places * sight.factor)[..., None].astype(np.float32)
    return seen


def sharpness_at(ring: Floats, outward: Floats, sight: Sight) -> Floats:
    """Return the sharp step of the logarithm of light within a pixel of each point, (N,).

    Of the logarithm of light averaged along the ring, so that brush marks across it do not count;
    known marks are taken out.
    """
    offsets = np.arange(-6.0, 6.5, 0.5)
    seen = _averaged(_levels(ring, outward, offsets, sight).astype(np.float64))
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


def _profiles(ring: Floats, outward: Floats, offsets: Floats, light: Light) -> Light:
    """Return the light across the ring, (N, M, 3), averaged over 4 px along it."""
    tangents = np.column_stack([outward[:, 1], -outward[:, 0]])
    total = np.zeros((len(ring), len(offsets), 3), np.float32)
    for first in range(0, len(ring), _AT_ONCE):  # places take six times as much
        some = slice(first, first + _AT_ONCE)
        away = offsets[None, :, None] * outward[some, None]
        for along in _ALONG:
            total[some] += sample(light, (ring[some] + along * tangents[some])[:, None] + away)
    total /= len(_ALONG)
    return total


def _measured(ring: Floats, outward: Floats, sight: Sight) -> Floats:
    """Return the ring moved to where face, wall and ground, fitted across it, put the edge."""
    wide = _seen_or_hidden(ring, outward, sight.walls)
    offsets = np.arange(-REACH, outermost(wide) + STEP / 2, STEP)
    seen = _profiles(ring, outward, offsets, sight.light).astype(np.float64)
    got = fitted(seen, wide, blur_of(seen, wide, sight.beside), sight.beside)
    place, clear = got.place, _is_clear(got, sight)
    share = _of_colour(seen)
    if share > 0:
        stored = stored_of(seen)
        other = fitted(stored, wide, blur_of(stored, wide, sight.beside), sight.beside)
        place = np.where(_is_clear(other, sight), place + share * (other.place - place), place)
    return ring + _steady(np.where(clear, place, 0.0), clear.astype(float))[:, None] * outward


def _is_clear(got: Fitted, sight: Sight) -> NDArray[np.bool_]:
    near = np.abs(got.place) < sight.beside.far - _SHORT
    return np.asarray((got.gain > _LEAST**2) & near)


def _of_colour(seen: Floats) -> float:
    """Return by how much an edge is to be sought in stored values instead of in light, 0 to 1.

    `seen` is the light across a ring, (N, M, 3), from inside to outside.

    Cameras and JPEG files blur colour, and they do so in stored values: where face and ground
    differ in colour and hardly in brightness, that moves the edge in linear light.
    """
    inner, outer = (stored_of(end).mean(1) for end in (seen[:, :_ENDS], seen[:, -_ENDS:]))
    apart = outer - inner
    grey = apart @ _GREY
    colour = (_BLUE * (apart[:, 2] - grey)) ** 2 + (_RED * (apart[:, 0] - grey)) ** 2
    share = float(np.median(colour / np.maximum(colour + grey**2, 1e-12)))
    least, most = _COLOURED
    return _COLOUR * min(max((share - least) / (most - least), 0.0), 1.0)


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

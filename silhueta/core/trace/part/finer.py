"""The part once more, closer: its small holes, thin webs and what looks decide between.

Words used here
    face      the part's upper side; what it looks like is learned from the rough mask
    leaning   by how much a pixel's look speaks for the face, and against ground and shadow: the
              logarithm of how much more often such a look is seen there

The first look was at a small picture. Here the looks of face, shadow and bare ground are known,
and each pixel near the part is given to what it is most like. Ground and shadow count alike,
however little of one there is.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.trace.part.bins import MOST, bins_of, leaning_of
from silhueta.core.trace.part.brushed import across
from silhueta.core.trace.part.convex import convex, round_spots, without_marks
from silhueta.core.trace.part.face import (
    LEAST_CORE,
    OTHER_COLOUR,
    Evened,
    evened,
    like_a_shadow,
    like_face,
    relit,
)
from silhueta.core.trace.part.holes import Faced, with_holes
from silhueta.core.trace.part.looks import (
    Light,
    Looks,
    Mask,
    Seen,
    disc,
    filled_in,
    largest_piece,
    mm_from,
    where_fits,
)
from silhueta.core.trace.part.tint import Tint, left_out, tint_of
from silhueta.core.work import Work

_TURNS = 2
_PRIOR, _FAR_MM = 1.0, 1.5  # leaning a mm inside the rough mask, and how far that grows
_DEEP_MM, _DEEP = 3.0, 1.0  # this far inside the rough mask, more
_TYPICAL, _RATHER = 3.0, 2.2  # spreads from the face's middle look
_SUNK = 0.7  # of the logarithm of light under the face's, from which deep shade is no face
_AGAINST = 0.0  # leaning against what is strange
_WEBS, _HALVES = (0.8, 1.6), 0.2  # leaning that webs may be given; share of a hole that then parts
_KNOWN = 0.03  # share of a hole that was opened, from which its bands are no webs
_WAIST = 0.7  # of a hole's half width, under which it may be two
_CORE_MM = 2.0
_LIGHT_MM = 1.5  # inside of the rough mask by this much: tells the face's light
_PERHAPS_MM = 0.4  # the same, where nothing else does
_AGAIN = 4  # times that marks are told from nearer
# then inside of what was told, and outside of the rough mask at most
_CLEAR_MM, _BESIDE_MM = 0.2, 0.3
_NEAR_MM = 8.0  # outside of the rough mask, that is looked at
_FRINGE_MM, _HANGS = 0.75, 0.5  # half width of a shadow's end; share of it that is beside the odd
_SPECK_PX = 5  # width of what is odd at least
_LINE_MM = 1.1  # width of a hole or bay along the marks that may be one
_OFF, _LEAST_OFF = 5.0, 0.15  # spreads, and of the logarithm of light, off the marks: no face
_OUT_MM = 0.4  # outside of the rough mask by this much: not part of it
_HANGS_MM = 2.0
_CALM_MM = 0.2
_LEAST_HOLE, _LARGE_HOLE = 1.2, 150.0  # mm²
_CORE_CALM_MM = 0.35
_CLEARLY = -1.5  # leaning in a hole
_THROWN = 1.0  # leaning against the part where a shadow is thrown
_OUTER_MM = 3.0  # into a part from outside, where the tint of an evenly coloured face counts
_BY_TINT = 1.5  # leaning against the face, up to which its tint alone speaks
_GIVEN_BACK = 2.0  # leaning of what has the face's tint


class Finer(NamedTuple):
    """The part in a closer picture.

    part, leaning : (H, W)
    thin : list of (x, y), px
        Where webs are too thin.
    clearer : float
        By how much marks on the face told light more finely; 1: there are none.
    left_out : list of (x, y, mm²)
        What only those say may be a hole.
    marks : (H, W), or None
        Logarithm of the light that they give the face and take from it.
    """

    part: Mask
    leaning: Light
    thin: list[tuple[float, float]]
    clearer: float
    left_out: list[tuple[float, float, float]]
    marks: Light | None = None


class _Rough(NamedTuple):
    """The part as the smaller picture had it, in the closer one.

    inside, outside : (H, W), mm
        From its border.
    prior : (H, W)
        Leaning before anything is seen closer.
    inked, scraped : (H, W) of bool, or None
        What a person said is part, and is not.
    """

    seen: Seen
    looks: Looks
    part: Mask
    inside: Light
    outside: Light
    prior: Light
    inked: Mask | None
    scraped: Mask | None

    @property
    def near(self) -> Mask:
        """What is looked at, (H, W)."""
        return np.asarray(self.outside < _NEAR_MM)

    @property
    def ground(self) -> Mask:
        """Bare ground near the part, (H, W)."""
        return ~self.looks.unlike & self.seen.domain & self.near


class _Leant(NamedTuple):
    """The part (H, W) as each place leans, that leaning, calmed, and how strange its look is.

    tint : Tint, or None
        What told it, too.
    """

    made: Mask
    leaning: Light
    calmed: Light
    strange: Light
    tint: Tint | None


def finer(
    seen: Seen,
    looks: Looks,
    part: Mask,
    shadow: Mask,
    inked: Mask | None = None,
    scraped: Mask | None = None,
    work: Work | None = None,
) -> Finer:
    """Return the part in a closer picture, given its rough mask there.

    Parameters
    ----------
    seen, looks
        Of the closer picture.
    part, shadow : (H, W) of bool
        As the smaller picture had them.
    inked, scraped : (H, W) of bool, optional
        What a person said is part, and is not.
    work : Work, optional

    """
    work = work or Work()
    rough = _Rough(seen, looks, part, *_from_border(part, seen.mm), inked, scraped)
    rough.prior[shadow & (looks.shade | looks.deep)] -= _THROWN
    got, own = _by_light(rough, work)
    made = with_holes(got.made, Faced(got.leaning, got.strange), seen.mm)
    made, opened, left_out = _whole_holes(made, got.leaning, own, seen.mm)
    thin = _thin_webs(got.calmed, made, opened, seen.mm)
    return Finer(made, got.leaning, thin, own.clearer, left_out, own.marks)


def _from_border(part: Mask, mm: float) -> tuple[Light, Light, Light]:
    """Return how far inside and outside of a part each place is, mm, and how it leans for that."""
    inside, outside = mm_from(~part, mm), mm_from(part, mm)
    prior = _PRIOR * np.clip(inside - outside, -_FAR_MM, _FAR_MM)
    prior[inside > _DEEP_MM] += _DEEP
    return inside, outside, prior


def _by_light(rough: _Rough, work: Work) -> tuple[_Leant, Evened]:
    """Return the part as it is by the face's own light, and that light.

    Marks beside a hole are first told from far, so that what may be a hole is not learned for
    face; once it is known, from nearer.
    """
    seen, looks, inside = rough.seen, rough.looks, rough.inside
    deepest = 0.5 * float(inside.max())
    likely, lit = ((inside > min(mm, deepest)) & looks.unlike for mm in (_CORE_MM, _LIGHT_MM))
    own = evened(looks, lit, seen.mm, like_a_shadow(looks, rough.part))
    own = relit(own, likely, rough.ground, seen.mm)
    got = _leant(rough, own, likely)
    if own.clearer <= 1.0:  # there are no marks
        return got, own
    perhaps = (mm_from(~_closed(rough.part, seen.mm), seen.mm) > _PERHAPS_MM) & looks.unlike
    for time in range(_AGAIN):
        work.step((time + 1) / (_AGAIN + 1))
        told = got.made & ~_odd(_level(own), got.made)
        core = (mm_from(~told, seen.mm) > _CLEAR_MM) & (rough.outside < _BESIDE_MM) & looks.unlike
        if core.sum() < LEAST_CORE:
            break
        own = evened(looks, core, seen.mm, perhaps=perhaps)
        got = _leant(rough, own, core)
        if got.tint is None:
            continue
        more = left_out(got.tint, got.made, looks, seen)
        if more.any():
            part = rough.part | more
            inside, outside, prior = _from_border(part, seen.mm)
            np.maximum(prior, _GIVEN_BACK, out=prior, where=more)
            rough = rough._replace(part=part, inside=inside, outside=outside, prior=prior)
            perhaps, core = perhaps | more, core | more
            own = evened(looks, core, seen.mm, perhaps=perhaps)
            got = _leant(rough, own, core)
    return got, own


def _leant(rough: _Rough, own: Evened, likely: Mask) -> _Leant:
    """Return the part as each place leans; where its face is `likely`, it is learned from."""
    import cv2

    seen, looks, part, inside, outside, prior, inked, scraped = rough
    prior = prior.copy()
    looks_face, clearer = own.looks, own.clearer
    strange_by = like_face(looks_face, likely)
    atypical = strange_by > _TYPICAL
    # walls and deep shade hang on the border, or fill a hole; a large dark place further in is
    # face in another thing's shadow
    face = looks.look[likely]
    light, *colour = np.median(face, axis=0).tolist() if len(face) else (0.0, 0.0, 0.0)
    off = looks.look[..., 1:] - np.array(colour, np.float32)
    other = (np.hypot(off[..., 0], off[..., 1]) > OTHER_COLOUR) | (
        looks.look[..., 0] < light - _SUNK
    )
    dim = (strange_by > _RATHER) & (looks.shade | ~looks.unlike | (looks.deep & other))
    strange = (atypical & (looks.shade | (inside < _HANGS_MM))) | _small(dim, seen.mm)
    looks_all, against = looks, np.zeros(part.shape, np.float32)
    tint = tint_of(looks, likely, seen.mm, own.clearer > 1.0)
    if tint is not None:
        told = looks.unlike if clearer > 1.0 else looks.unlike & _outermost(part, seen.mm)
        strange |= tint.other(seen.mm) & (inside > 0) & told
        against = np.where(told, tint.against(seen.mm), np.float32(0.0))
        looks_all, looks_face = looks.tinted(tint.colour), looks_face.tinted(tint.colour)
    prior[strange & (inside > 0)] = -_AGAINST
    made = part & ~strange & looks.unlike
    bare = calmed = np.zeros(part.shape, np.float32)
    bins = bins_of(looks_all, seen, made)
    face_bins = bins_of(looks_face, seen, made)
    near, ground = rough.near, rough.ground
    for _ in range(_TURNS):
        core = made & looks.unlike & ~strange
        rest = looks.unlike & ~core & near & ((outside > _OUT_MM) | strange)
        bare = leaning_of(face_bins, core, bins, (ground, rest)) + np.float32(np.log(clearer))
        bare[~looks.unlike & seen.domain] -= 1.0
        bare = np.minimum(bare, np.maximum(bare - against, -_BY_TINT))
        bare = np.clip(bare, -MOST, MOST)
        leaning = np.clip(bare + prior, -MOST, MOST)
        for hint, value in ((inked, MOST), (scraped, -MOST)):
            if hint is not None:
                bare[hint] = leaning[hint] = value
        leaning[~seen.domain | ~near] = -MOST
        wide = float(np.clip(_CALM_MM / seen.mm, 0.8, 2.0))
        calmed = np.asarray(cv2.GaussianBlur(leaning.astype(np.float32), (0, 0), wide), np.float32)
        made = _without_specks(calmed > 0, bare.astype(np.float32), seen.mm)
    bare = np.asarray(bare, np.float32)
    return _Leant(made, bare, calmed, strange_by, tint)


def _whole_holes(
    made: Mask, bare: Light, own: Evened, mm: float
) -> tuple[Mask, Mask, list[tuple[float, float, float]]]:
    """Return a part with what marks and convex holes tell, and what of its holes seemed face.

    Last, what is left out (see `without_marks`).
    """
    level, before = _level(own), made
    if own.clearer > 1.0:
        off = _off_marks(level, made)
        made = _without_specks(_without_fringe(made, _odd(level, made), mm), bare, mm)
        made = made & ~round_spots(off & made, bare, made, mm)
        made = ~where_fits(~made, across(own.way, round(_LINE_MM / mm)))
    whole = convex(made, level, mm)
    opened = made & ~whole
    left_out: list[tuple[float, float, float]] = []
    if own.clearer > 1.0:
        whole, left_out = without_marks(~where_fits(~whole, disc(_SPECK_PX)), before, mm)
    return whole, opened, left_out


def _level(own: Evened) -> Light:
    """Return the logarithm of the light without that of the face, as finely as it is."""
    import cv2

    light = own.looks.look[..., 0] / np.float32(own.clearer)
    return np.asarray(cv2.GaussianBlur(light, (0, 0), 0.8), np.float32)


def _closed(part: Mask, mm: float) -> Mask:
    """Return a part without cracks as narrow as a mark."""
    import cv2

    closed = cv2.morphologyEx(part.astype(np.uint8), cv2.MORPH_CLOSE, disc(_LINE_MM / mm))
    return np.asarray(closed > 0)


def _outermost(part: Mask, mm: float) -> Mask:
    """Return what is outside of a part and not in its holes, and what is near that."""
    return mm_from(filled_in(part) == 0, mm) < _OUTER_MM


def _odd(level: Light, made: Mask) -> Mask:
    """Return what differs from the marks of the face beside it, specks left out."""
    return where_fits(_off_marks(level, made), disc(_SPECK_PX))


def _without_fringe(made: Mask, odd: Mask, mm: float) -> Mask:
    """Return a part without what is odd, and what hangs on it beyond: the soft end of a shadow."""
    import cv2
    from scipy.ndimage import mean

    left = made & ~odd
    shape = disc(2 * round(_FRINGE_MM / mm))
    core = largest_piece(where_fits(left, shape))
    if not core.any():
        return left
    loose = left & (cv2.dilate(core.astype(np.uint8), shape) == 0)
    count, labels = cv2.connectedComponents(loose.astype(np.uint8))
    beyond = cv2.dilate(odd.astype(np.uint8), shape) > 0
    share = mean(beyond, np.asarray(labels, np.int32), np.arange(count))
    return np.asarray(left & ~(loose & (share > _HANGS)[labels]))


def _thin_webs(calmed: Light, made: Mask, opened: Mask, mm: float) -> list[tuple[float, float]]:
    """Return where holes fall apart into more when webs are given a little more, px (x, y).

    `opened`: what is of a hole though it looks like the face.
    """
    import cv2

    whole = cv2.morphologyEx(made.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    empty = ((filled_in(whole > 0) > 0) & ~made).astype(np.uint8)
    count, labels, stats, middles = cv2.connectedComponentsWithStats(empty, connectivity=4)
    found: dict[int, tuple[float, float]] = {}
    for more in _WEBS:
        left = (empty & (calmed <= -more)).astype(np.uint8)
        _, _, pieces, centres = cv2.connectedComponentsWithStats(left, connectivity=4)
        places = np.round(centres[1:]).astype(int)
        within = np.asarray(labels)[places[:, 1], places[:, 0]]
        for label in range(1, count):
            sizes = np.sort(pieces[1:, cv2.CC_STAT_AREA][within == label])[::-1]
            whole_size = float(stats[label, cv2.CC_STAT_AREA])
            known = opened[labels == label].mean() > _KNOWN
            if (
                not known
                and len(sizes) > 1
                and sizes[1] > _HALVES * whole_size > _LEAST_HOLE / mm**2
            ):
                found[label] = (float(middles[label, 0]), float(middles[label, 1]))
    for label in range(1, count):  # two holes that ran into one have a waist
        left, top, wide, high = stats[label, :4].tolist()
        if label in found or stats[label, cv2.CC_STAT_AREA] * mm * mm < _LEAST_HOLE:
            continue
        one = np.pad(np.asarray(labels)[top : top + high, left : left + wide] == label, 1)
        deep = cv2.distanceTransform(one.astype(np.uint8), cv2.DIST_L2, 5)
        if cv2.connectedComponents((deep > _WAIST * deep.max()).astype(np.uint8))[0] > 2:
            found[label] = (float(middles[label, 0]), float(middles[label, 1]))
    return list(found.values())


def _small(mask: Mask, mm: float) -> Mask:
    """Return the pieces of a mask that are no larger than a hole may be that nothing showed yet."""
    import cv2

    opened = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=4)
    areas = stats[:, cv2.CC_STAT_AREA] * mm * mm
    fits = (areas >= _LEAST_HOLE) & (areas < _LARGE_HOLE)
    fits[0] = False
    return np.asarray(fits[labels])


def _without_specks(made: Mask, leaning: Light, mm: float) -> Mask:
    """Return the largest piece, with the holes that are large enough and clearly not face."""
    import cv2
    from scipy.ndimage import minimum

    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        made.astype(np.uint8), connectivity=8
    )
    if count > 1:
        made = labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (~made).astype(np.uint8), connectivity=4
    )
    if count < 2:
        return np.asarray(made)
    height, width = made.shape
    calmed = cv2.GaussianBlur(leaning, (0, 0), max(_CORE_CALM_MM / mm, 0.6))
    deepest = minimum(calmed, np.asarray(labels, np.int32), np.arange(count))
    for label in range(1, count):
        left, top, wide, high, area = stats[label].tolist()
        if left == 0 or top == 0 or left + wide == width or top + high == height:
            continue
        if area * mm * mm < _LEAST_HOLE or deepest[label] > _CLEARLY:
            made = made | (labels == label)
    return np.asarray(made)


def _off_marks(level: Light, made: Mask) -> Mask:
    """Return what differs from the marks of the face beside it."""
    off = np.abs(level - np.median(level[made]))
    return np.asarray(off > max(_OFF * 1.4826 * float(np.median(off[made])), _LEAST_OFF))

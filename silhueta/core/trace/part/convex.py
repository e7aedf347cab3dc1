"""Small holes have no bays: what looks like the face between their shade and their light is filled.

Words used here
    bay      place between a hole and its hull
    passing  light that goes from that of one side to that of the other, as shade does into light

From the wall of a hole, through the shade that it throws, to lit ground, light passes through every
grey, the face's too: there a band of the hole looks like the face. It bends into the hole, or cuts
it in two. A web is unlike both of the holes that it parts; such a band lies between the two sides.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import Light, Mask, filled_in, where_fits

SMALL_MM2, LEAST_MM2 = 150.0, 1.2
_CRUMB_MM2, _BEFORE = 2.0, 0.5  # what is smaller is no hole; share that seemed face before
_LARGER_MM2 = 450.0  # up to which pieces are joined and bays that pass are filled
_TURNS = 3
_BAND_MM, _BAND_PX = 1.2, (4.0, 8.0)  # between two pieces of one hole; px, at least and at most
_FULL = 0.4  # share of a round spot that is odd
_SOLID = 0.86  # share of their hull that two pieces of one hole fill
# share of the circle round them that pieces of one round hole fill, and that its shade alone does
_ROUND, _ROUNDISH = 0.85, 0.6
_BAY, _LEAST_BAY = 0.04, 3  # share of the hull, and px, from which there is a bay to fill
_DOUBTED = 0.06  # the same, of a bay that is doubted where it is not filled
_NOT_FACE = 0.009  # that share times the logarithm of light by which it differs from the face
_ABOUT_ROUND = 0.5  # share of the circle round it that a hole fills, which may be round
_PIECE, _HARDLY_FACE = 0.1, 1.5  # share of that circle; leaning of what is clearly face is more
_AROUND_PX = 5
_UNLIKE, _MORE = 0.03, 1.7  # off the face's light, and times what the face is, and a bay is none
_PASSING = 0.6  # of a band that lies between the light of its two sides
_STEP = 0.2  # of light between the two sides
_PAD = 8


def convex(made: Mask, level: Light, mm: float) -> Mask:
    """Return a part with its small holes joined and filled as far as they are convex.

    Parameters
    ----------
    made : (H, W) of bool
    level : (H, W)
        Logarithm of the light, with that of the face taken out, so that the face is the same all
        over.
    mm : float
        Side of a pixel.

    """
    filled = filled_in(made) > 0
    for _ in range(_TURNS):
        before = made
        made = _with_bays(_joined(made, filled, level, mm), filled, level, mm)
        if (made == before).all():
            break
    return made


def round_spots(odd: Mask, leaning: Light, made: Mask, mm: float) -> Mask:
    """Return small round spots of a face that are odd and lean away from it: holes.

    Parameters
    ----------
    odd : (H, W) of bool
        What differs from the face; of a small hole only the shade may.
    leaning : (H, W)
        How much each place looks like the face (see `finer`).
    made : (H, W) of bool
    mm : float

    """
    import cv2

    whole = cv2.morphologyEx(odd.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(whole)
    found = np.zeros(odd.shape, bool)
    for label in range(1, count):
        area = stats[label, cv2.CC_STAT_AREA] * mm * mm
        if not LEAST_MM2 < area < SMALL_MM2:
            continue
        box = _box(stats[label][None], odd.shape)
        one = np.asarray(labels[box] == label)
        hull = _hull(one)
        x, y, radius = _circle(hull)
        share = hull.sum() / (np.pi * radius**2)
        full = one.sum() > _FULL * hull.sum() and share > _ROUNDISH
        if full and made[box][hull].all() and leaning[box][one].mean() < 0:
            rows, columns = np.indices(hull.shape)
            found[box] |= np.hypot(columns - x, rows - y) <= radius
    return found


def without_marks(
    made: Mask, before: Mask, mm: float
) -> tuple[Mask, list[tuple[float, float, float]]]:
    """Return a part without holes that only its marks tell, and where they are.

    Parameters
    ----------
    made : (H, W) of bool
    before : (H, W) of bool
        The part without the marks' word. A round hole is taken on theirs alone.
    mm : float

    Returns
    -------
    made : (H, W) of bool
    left_out : list of (x, y, area)
        Px and mm², of what is no speck.

    """
    import cv2

    count, labels, stats, centres = cv2.connectedComponentsWithStats(
        ((filled_in(made) > 0) & ~made).astype(np.uint8), connectivity=4
    )
    whole, left_out = made.copy(), []
    for label in range(1, count):
        box = _box(stats[label][None], made.shape)
        one = np.asarray(labels[box] == label)
        if before[box][one].mean() < _BEFORE:
            continue
        area = float(one.sum()) * mm * mm
        radius = _circle(one)[2]
        if area < _CRUMB_MM2:
            whole[box] |= one
        elif one.sum() < _ROUNDISH * np.pi * radius**2:
            whole[box] |= one
            left_out.append((float(centres[label, 0]), float(centres[label, 1]), area))
    return whole, left_out


def _joined(made: Mask, filled: Mask, level: Light, mm: float) -> Mask:
    import cv2
    from scipy.spatial import cKDTree

    count, found, rows, _ = cv2.connectedComponentsWithStats(
        (filled & ~made).astype(np.uint8), connectivity=4
    )
    labels, stats = np.asarray(found, np.int32), np.asarray(rows, np.int32)
    areas = stats[:, cv2.CC_STAT_AREA] * mm * mm
    small = [i for i in range(1, count) if LEAST_MM2 / 2 < areas[i] < _LARGER_MM2]
    rims = {i: cKDTree(_places_of(labels, stats, i)) for i in small}
    joined = made.copy()
    band = float(np.clip(_BAND_MM / mm, *_BAND_PX))
    for one, other in itertools.combinations(small, 2):
        if areas[one] + areas[other] > _LARGER_MM2 or not _beside(stats, one, other, band):
            continue
        near = rims[one].query(rims[other].data, distance_upper_bound=band + 1)[0]
        if not np.isfinite(near).any():
            continue
        box = _box(np.vstack([stats[one], stats[other]]), made.shape)
        pieces = [np.asarray(labels[box] == i) for i in (one, other)]
        hull = _hull(pieces[0] | pieces[1])
        solid = (pieces[0] | pieces[1]).sum() > _SOLID * hull.sum()
        solid |= hull.sum() > _ROUND * np.pi * _circle(hull)[2] ** 2
        if solid and _passes(_band(pieces, band) & made[box], pieces, level[box]):
            joined[box] &= ~(hull & filled[box])
    return joined


def _places_of(
    labels: NDArray[np.int32], stats: NDArray[np.int32], label: int
) -> NDArray[np.int64]:
    left, top, wide, high = stats[label, :4].tolist()
    box = (slice(top, top + high), slice(left, left + wide))
    rows, columns = np.nonzero(labels[box] == label)
    return np.column_stack([columns + left, rows + top])


def _beside(stats: NDArray[np.int32], one: int, other: int, band: float) -> bool:
    low = np.maximum(stats[one, :2], stats[other, :2])
    high = np.minimum(stats[one, :2] + stats[one, 2:4], stats[other, :2] + stats[other, 2:4])
    return bool((low - high <= band).all())


def _box(stats: NDArray[np.int32], shape: tuple[int, ...]) -> tuple[slice, slice]:
    left, top = (stats[:, :2].min(0) - _PAD).tolist()
    right, bottom = ((stats[:, :2] + stats[:, 2:4]).max(0) + _PAD).tolist()
    return slice(max(top, 0), min(bottom, shape[0])), slice(max(left, 0), min(right, shape[1]))


def _hull(mask: Mask) -> Mask:
    import cv2

    found = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0]
    hull = np.zeros(mask.shape, np.uint8)
    cv2.fillConvexPoly(hull, cv2.convexHull(np.vstack(list(found))), 1)
    return hull > 0


def _circle(hull: Mask) -> tuple[float, float, float]:
    """Return the middle and radius, px, of the smallest circle round a hull."""
    import cv2

    rows, columns = np.nonzero(hull)
    (x, y), radius = cv2.minEnclosingCircle(np.column_stack([columns, rows]).astype(np.float32))
    return float(x), float(y), float(radius) + 0.5


def _band(pieces: list[Mask], wide: float) -> Mask:
    """Return what lies between two pieces."""
    import cv2

    side = 2 * int(wide) + 1
    square = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    one, other = (cv2.dilate(piece.astype(np.uint8), square) > 0 for piece in pieces)
    return np.asarray(one & other & ~pieces[0] & ~pieces[1])


def _passes(band: Mask, pieces: list[Mask], level: Light) -> bool:
    """Return whether a band lies between the light of the two pieces at most of its places."""
    import cv2
    from scipy.ndimage import distance_transform_edt

    if not band.any():
        return False
    sides = []
    for piece in pieces:
        inner = cv2.erode(piece.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        core = inner if inner.any() else piece
        nearest = distance_transform_edt(~core, return_distances=False, return_indices=True)
        sides.append(level[tuple(nearest)][band])
    low, high = np.minimum(*sides), np.maximum(*sides)
    within = (level[band] > low) & (level[band] < high) & (high - low > _STEP)
    return float(within.mean()) > _PASSING


def _with_bays(made: Mask, filled: Mask, level: Light, mm: float) -> Mask:
    whole = made.copy()
    for bay in _bays(made, filled, _LARGER_MM2 / mm**2, LEAST_MM2 / mm**2):
        if bay.share < _BAY:
            continue
        # shade that turns into light
        off = np.abs(level[bay.box] - np.median(level[bay.box][bay.beside]))
        if float(off[bay.inner].mean()) > max(_UNLIKE, _MORE * float(off[bay.beside].mean())):
            whole[bay.box] &= ~(bay.hull & filled[bay.box])
    return whole


def crescents(made: Mask, light: Light, mm: float) -> list[tuple[float, float]]:
    """Return the middle of small holes of which only a crescent was found, px (x, y).

    Of a hole in a thick part the wall shows as a crescent, and what it bends round is ground that
    may be as light as the face: but hardly quite as light, and small holes have no bays.

    Parameters
    ----------
    made : (H, W) of bool
    light : (H, W)
        Its logarithm.
    mm : float

    """
    found = []
    filled = filled_in(made) > 0
    for bay in _bays(made, filled, SMALL_MM2 / mm**2, LEAST_MM2 / mm**2):
        own = light[bay.box]
        unlike = abs(float(np.median(own[bay.inner]) - np.median(own[bay.beside])))
        # the larger the bay, the less it need differ
        if bay.share >= _DOUBTED and bay.share * unlike > _NOT_FACE:
            found.append(bay.middle)
    return found


def cut_short(made: Mask, leaning: Light, mm: float) -> list[tuple[float, float]]:
    """Return the middle of small holes that may lack a piece of their circle, px (x, y).

    Where shade turns into ground as light as the face, what was found ends in a straight line or in
    a bay. Of a hole that is not round, what lies beside it within that circle looks like the face.

    Parameters
    ----------
    made : (H, W) of bool
    leaning : (H, W)
        How much each place looks like the face (see `finer`).
    mm : float

    """
    import cv2

    filled = filled_in(made) > 0
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (filled & ~made).astype(np.uint8), connectivity=4
    )
    found = []
    for label in range(1, count):
        left, top, across, high, area = stats[label].tolist()
        if not LEAST_MM2 < area * mm * mm < SMALL_MM2:
            continue
        box = _box(stats[label][None], made.shape)
        x, y, radius = _circle(np.asarray(labels[box] == label))
        whole = np.pi * radius**2
        if area < _ABOUT_ROUND * whole:
            continue
        rows, columns = np.indices(made[box].shape)
        rest = made[box] & (np.hypot(columns - x, rows - y) < radius - 0.5)
        rest = where_fits(rest, np.ones((3, 3), np.uint8))
        pieces, places = cv2.connectedComponents(rest.astype(np.uint8))
        for piece in range(1, pieces):
            one = np.asarray(places == piece)
            if one.sum() > _PIECE * whole and leaning[box][one].mean() < _HARDLY_FACE:
                found.append((left + 0.5 * across, top + 0.5 * high))
                break
    return found


class _Bay(NamedTuple):
    """All bays of one hole, in a box of the picture.

    share, middle : of the hull that they are, and the middle of the hole, px (x, y)
    hull, inner, beside : (h, w) of bool
        The hole's; what of the bays is clear of its rim; face round the hull.
    """

    box: tuple[slice, slice]
    share: float
    middle: tuple[float, float]
    hull: Mask
    inner: Mask
    beside: Mask


def _bays(made: Mask, filled: Mask, most: float, least: float) -> Iterator[_Bay]:
    """Yield the bays of each hole of between `least` and `most` px that has some to be seen."""
    import cv2

    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (filled & ~made).astype(np.uint8), connectivity=4
    )
    square = np.ones((3, 3), np.uint8)
    wide = np.ones((2 * _AROUND_PX + 1,) * 2, np.uint8)
    for label in range(1, count):
        left, top, across, high, area = stats[label].tolist()
        if not least < area < most:
            continue
        box = _box(stats[label][None], made.shape)
        one = (labels[box] == label).astype(np.uint8)
        hull = _hull(one > 0)
        bay = hull & made[box]
        inner = bay & (cv2.dilate(one, square) == 0)
        solid = hull.astype(np.uint8)
        beside = made[box] & (cv2.dilate(solid, wide) > cv2.dilate(solid, square, iterations=2))
        if inner.sum() < _LEAST_BAY or not beside.any():
            continue
        middle = left + 0.5 * across, top + 0.5 * high
        yield _Bay(box, float(bay.sum() / hull.sum()), middle, hull, inner, beside)

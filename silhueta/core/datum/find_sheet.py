"""Find a sheet of known size in a photo: four edges, bright inside, that a flat rectangle makes.

Words used here
    line      stretches of edge that lie in one line and are bright on the same side
    support   share of a rectangle's outline along which the picture does step from dark to bright
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import combinations
from typing import Any

import numpy as np

from silhueta.core.datum.camera import Lens, box_corners, homography
from silhueta.core.datum.edges import Grey, sample
from silhueta.core.datum.rectangle import Rectangle, measure_rectangle
from silhueta.core.datum.sheets import SIZES
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import eight
from silhueta.core.picture.light import in_light

_SMALL = 1000  # px of the long side at which a sheet is looked for
_MOST_LINES = 36
_SHORTEST = 0.03  # of the long side
_LEAST_AREA = 0.01  # of the picture
_SUPPORTED = 0.62
_ONE_SIDE = 0.25
_STEP = 0.06  # relative rise of grey that counts as an edge of the sheet
_HIGH, _STRONG = 0.4, 0.6  # step that is high in any case, and what it is worth
_SKEW = 0.10  # how far from a true rectangle a guess of the focal length may leave one
_ROUGH = 0.02  # relative spread of grey on paper
_SKEW_GUESSED, _SKEW_KNOWN = 0.075, 0.045  # A4 and Letter differ by 0.089
_TRIED = 3  # things of a card's shape, that are held against its corners
_FAR_PX = 20.0  # between two that are not the same
_TWO = (
    "there are two sheets of this size in the picture; mark the four corners of the one that counts"
)
_HELD = 0.3  # share of each edge that must lie on one straight line
_APART = 0.03  # of the long side between two that are not the same


@dataclass(frozen=True, eq=False)
class FoundSheet:
    """A sheet in a photo: its measured edges, and which way its size lies.

    Parameters
    ----------
    rectangle : Rectangle
    size : (width, height)
        mm, as it lies: wider than high, or not.
    support : float
        0 to 1.
    skew : float
        How far it is from a true rectangle of its size, before this camera.
    corners_seen : int
        Of a card: at how many corners the ground shows where a rounded one leaves it bare.

    """

    rectangle: Rectangle
    size: tuple[float, float]
    support: float
    skew: float = 0.0
    corners_seen: int = 0


@dataclass(frozen=True, eq=False)
class Sketch:
    """A small picture of a photo, and the straight stretches of edge in it."""

    small: Grey
    factor: float
    lines: Floats


def sketch_of(grey: Grey) -> Sketch:
    """Return the sketch in which sheets of any size are looked for."""
    import cv2

    factor = min(1.0, _SMALL / max(grey.shape))
    small = cv2.resize(grey, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    if small.dtype != np.uint8:
        small = (small / 257).astype(np.uint8)
    small = cv2.GaussianBlur(small, (0, 0), 1.0)
    return Sketch(small, factor, _lines(small))


def find_sheet(
    grey: Grey,
    size: tuple[float, float],
    lens: Lens,
    lens_known: bool = False,
    sketch: Sketch | None = None,
) -> FoundSheet:
    """Return the one sheet of `size` (mm, either way round) in a photo.

    `lens_known`: the focal length is no guess, so that the shape must agree the better. `sketch`:
    of the photo, where there is one already.

    Raises
    ------
    ScaleError
        If there is none to be seen, or more than one, or it is not flat.

    """
    sketch = sketch or sketch_of(grey)
    small, factor = sketch.small, sketch.factor
    guess = Lens(lens.focal * factor, (lens.centre[0] * factor, lens.centre[1] * factor))
    quads, scores = _quads(small, sketch.lines, size, guess)
    if len(quads) == 0:
        raise ScaleError(
            "no sheet of this size is to be seen in the picture; mark its four corners, or take "
            "the photo with the whole sheet in it"
        )
    alike = scores > 0.93 * scores[0]
    best = quads[0]
    apart = np.abs(quads - best).max((1, 2)) > 3 * _APART * max(small.shape)
    rivals = [i for i in np.flatnonzero(apart & alike)[:20] if not _overlap(best, quads[i])]
    if sorted(size) != sorted(SIZES["card"]):
        if rivals:
            raise ScaleError(_TWO)
        return _measured(grey, best / factor, size, lens, lens_known, sketch)
    others = [i for i in range(len(quads)) if not _overlap(best, quads[i])]
    return _the_card(grey, [best, *(quads[i] for i in others[:_TRIED])], lens, lens_known, sketch)


def _the_card(
    grey: Grey, rough: list[Floats], lens: Lens, lens_known: bool, sketch: Sketch
) -> FoundSheet:
    """Return the card among things of its shape: the one with the most rounded corners.

    Raises
    ------
    ScaleError
        If none has, or two have as many, or none is flat.

    """
    found: list[FoundSheet] = []
    fault: ScaleError | None = None
    for corners in rough:
        try:
            one = _measured(grey, corners / sketch.factor, SIZES["card"], lens, lens_known, sketch)
        except ScaleError as error:
            fault = fault or error
            continue
        seen = _rounded_corners(grey, one.rectangle.corners, one.size)
        if seen is not None:
            found.append(replace(one, corners_seen=seen))
        else:
            fault = ScaleError(
                "what looks like the card has no rounded corners, so it may be the part; mark the "
                "four corners of the card, or give another datum"
            )
    found.sort(key=lambda one: -one.corners_seen)
    if not found:
        raise fault or ScaleError(_TWO)
    same = [one for one in found[1:] if one.corners_seen == found[0].corners_seen]
    centre = found[0].rectangle.corners.mean(0)
    if any(np.hypot(*(one.rectangle.corners.mean(0) - centre)) > _FAR_PX for one in same):
        raise ScaleError(_TWO)
    return found[0]


def _measured(
    grey: Grey,
    rough: Floats,
    size: tuple[float, float],
    lens: Lens,
    lens_known: bool,
    sketch: Sketch,
) -> FoundSheet:
    """Return the sheet at rough corners, px, measured.

    Raises
    ------
    ScaleError
        If it is not flat, or not of that size.

    """
    spare = 0.08 if sorted(size) == sorted(SIZES["card"]) else 0.03
    found = _measure(in_light(eight(grey)), rough, lens, max(grey.shape), spare)
    size = _as_it_lies(found.corners, size, lens)
    again = Lens(lens.focal, lens.centre, found.k1)
    ideal = again.straighten(found.corners)
    support = float(_support(sketch.small, ideal[None] * sketch.factor)[0].mean())
    limit = _SKEW_KNOWN if lens_known else _SKEW_GUESSED
    straight = float(found.held.min()) >= _HELD
    askew = skew(ideal, size, again)
    if not straight or support < _SUPPORTED - 0.1 or askew > limit:
        raise ScaleError(
            "what looks like the sheet is not a flat rectangle of its size; lay it flat, choose "
            "the size it has, or mark its four corners"
        )
    return FoundSheet(found, size, support, askew)


def _rounded_corners(grey: Grey, corners: Floats, size: tuple[float, float]) -> int | None:
    """Return at how many corners the ground shows, as it does beside rounded ones.

    None where too few of those that can be told do.

    ISO/IEC 7810:2019, 5.1.1: the corners of an ID-1 card have radii of 3.18 mm. The ground then
    shows within 1.3 mm of where the edges meet, on the way to the middle.
    """
    middle = corners.mean(0)
    away = middle - corners
    mm = np.hypot(*away.T) / (np.hypot(*size) / 2)  # px a mm towards the middle
    inward = away / np.hypot(*away.T)[:, None]
    across = np.array([sample(grey, corners + d * mm[:, None] * inward) for d in (-2.0, 0.55, 4.0)])
    ground, corner, card = across
    clear = np.abs(card - ground) > 25  # a printed stripe may be as dark as the ground
    if clear.sum() == 3:  # a stripe runs along a whole side: one corner alone is cut off
        return None
    shown = (np.abs(corner - ground) < np.abs(corner - card)) & clear
    return int(shown.sum()) if shown.sum() >= max(2, 0.75 * clear.sum()) else None


def _measure(grey: Grey, corners: Floats, lens: Lens, long: int, spare: float) -> Rectangle:
    first = measure_rectangle(grey, corners, lens, reach=max(8.0, 0.014 * long), spare=spare)
    bent = Lens(lens.focal, lens.centre, first.k1)
    reach = max(5.0, 0.0025 * long)
    return measure_rectangle(grey, first.corners, bent, reach=reach, spare=spare)


def skew(ideal: Floats, size: tuple[float, float], lens: Lens) -> float:
    """Return how far four ideal corners are from a flat rectangle of `size` before this camera.

    The larger of the cosine between its axes and the relative difference of their scales.
    """
    matrix = homography(box_corners(*size), (ideal - lens.centre) / lens.focal)
    one, two = matrix[:, 0], matrix[:, 1]
    first, second = np.linalg.norm(one), np.linalg.norm(two)
    return float(max(abs(one @ two) / (first * second), abs(np.log(first / second))))


def _as_it_lies(corners: Floats, size: tuple[float, float], lens: Lens) -> tuple[float, float]:
    other = (size[1], size[0])
    return min(size, other, key=lambda way: skew(corners, way, lens))


def _lines(small: Grey) -> Floats:
    """Return lines as (N, 4): unit normal towards the bright side, distance, length; longest first.

    Stretches are found by R. Grompone von Gioi et al., "LSD: a Line Segment Detector", Image
    Processing On Line 2, 2012, 35-55, as OpenCV has it.
    """
    import cv2

    found: Any = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(small)[0]
    if found is None:
        return np.zeros((0, 4))
    ends = found.reshape(-1, 4).astype(np.float64)
    one, two = ends[:, :2] + 0.5, ends[:, 2:] + 0.5
    length = np.linalg.norm(two - one, axis=1)
    keep = length > _SHORTEST / 2 * max(small.shape)
    one, two, length = one[keep], two[keep], length[keep]
    normal = np.column_stack([one[:, 1] - two[:, 1], two[:, 0] - one[:, 0]]) / length[:, None]
    middle = (one + two) / 2
    rise = sample(small, middle + 2.5 * normal) - sample(small, middle - 2.5 * normal)
    normal[rise < 0] *= -1
    length = length * (0.1 + _evenness(small, one, two, normal))
    order = np.argsort(-length)
    taken = np.zeros(len(order), bool)
    lines = []
    near = 0.006 * max(small.shape)
    for i in order:
        if taken[i]:
            continue
        same = ~taken & (normal @ normal[i] > np.cos(np.radians(4)))
        same &= (np.abs((one - middle[i]) @ normal[i]) < near) & (
            np.abs((two - middle[i]) @ normal[i]) < near
        )
        taken |= same
        points = np.vstack([one[same], two[same]])
        weight = np.sqrt(np.tile(length[same], 2))
        centre = np.average(points, axis=0, weights=weight)
        spread = (points - centre) * weight[:, None]
        direction = np.linalg.svd(spread, full_matrices=False)[2][0]
        across = np.array([-direction[1], direction[0]])
        across *= np.sign(across @ normal[i]) or 1.0
        lines.append([*across, across @ centre, length[same].sum()])
    found_lines = np.array(lines).reshape(-1, 4)
    found_lines = found_lines[found_lines[:, 3] > _SHORTEST * max(small.shape)]
    return np.asarray(found_lines[np.argsort(-found_lines[:, 3])][:_MOST_LINES])


def _evenness(small: Grey, one: Floats, two: Floats, normal: Floats) -> Floats:
    """Return how much of each stretch has an even, paper-like bright side, 0 to 1."""
    share = np.linspace(0.05, 0.95, 9)
    along = one[:, None] + share[:, None] * (two - one)[:, None]
    deep = along[:, :, None] + np.array([4.0, 6, 8, 10, 13])[:, None] * normal[:, None, None]
    greys = sample(small, deep)
    return np.asarray((greys.std(2) < _ROUGH * greys.mean(2)).mean(1))


def _quads(
    small: Grey, lines: Floats, size: tuple[float, float], lens: Lens
) -> tuple[Floats, Floats]:
    """Return rectangles (N, 4, 2), clockwise from the one most to the top left, best first."""
    height, width = small.shape
    pairs = []
    for i, j in combinations(range(len(lines)), 2):
        one, two = lines[i], lines[j]
        facing = one[:2] @ two[:2]
        if facing < -0.6 and one[2] + two[2] < -0.05 * min(width, height):
            pairs.append((i, j))
    if not pairs:
        return np.zeros((0, 4, 2)), np.zeros(0)
    pairs_ = np.array(pairs)
    a, b = (side.ravel() for side in np.triu_indices(len(pairs_), 1))
    i, j, k, m = pairs_[a, 0], pairs_[a, 1], pairs_[b, 0], pairs_[b, 1]
    crossed = np.abs((lines[i, :2] * lines[k, :2]).sum(1)) < 0.75
    i, j, k, m = i[crossed], j[crossed], k[crossed], m[crossed]
    corners = np.stack([_meet(lines, *two) for two in ((i, k), (k, j), (j, m), (m, i))], axis=1)
    good = np.isfinite(corners).all((1, 2))
    spare = 0.15 * max(width, height)
    good &= ((corners > -spare) & (corners < [width + spare, height + spare])).all((1, 2))
    corners = corners[good]
    area = _area(corners)
    corners = corners[np.abs(area) > _LEAST_AREA * width * height]
    corners = np.where((_area(corners) < 0)[:, None, None], corners[:, ::-1], corners)
    corners = corners[_convex(corners)]
    if len(corners) == 0:
        return corners, np.zeros(0)
    support, strength = _support(small, corners)
    held = (support.mean(1) > _SUPPORTED) & (support.min(1) > _ONE_SIDE)
    corners, support, strength = corners[held], support[held], strength[held]
    corners = _from_top_left(corners)
    skews = np.array([min(skew(c, size, lens), skew(c, size[::-1], lens)) for c in corners])
    flat = skews < 1.6 * _SKEW
    corners, support, skews = corners[flat], support[flat], skews[flat]
    strength = strength[flat]
    share = np.sqrt(np.abs(_area(corners)) / (width * height))
    scores = support.mean(1) - 0.8 * skews + 0.15 * share + _STRONG * strength
    order = np.argsort(-scores)
    return corners[order], scores[order]


def _meet(lines: Floats, one: np.ndarray, two: np.ndarray) -> Floats:
    a, b = lines[one], lines[two]
    det = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        x = (a[:, 2] * b[:, 1] - a[:, 1] * b[:, 2]) / det
        y = (a[:, 0] * b[:, 2] - a[:, 2] * b[:, 0]) / det
    return np.column_stack([x, y])


def _area(corners: Floats) -> Floats:
    x, y = corners[..., 0], corners[..., 1]
    following = np.roll(x, -1, 1) * y - x * np.roll(y, -1, 1)
    return np.asarray(-0.5 * following.sum(1))  # positive when clockwise as seen


def _convex(corners: Floats) -> np.ndarray:
    edge = np.roll(corners, -1, 1) - corners
    after = np.roll(edge, -1, 1)
    return np.asarray((edge[..., 0] * after[..., 1] - edge[..., 1] * after[..., 0] > 0).all(1))


def _from_top_left(corners: Floats) -> Floats:
    first = corners.sum(2).argmin(1)
    turn = (first[:, None] + np.arange(4)) % 4
    return np.take_along_axis(corners, turn[:, :, None], axis=1)


def _support(small: Grey, corners: Floats) -> tuple[Floats, Floats]:
    """Return how rectangles (N, 4, 2) are held by steps from dark to bright.

    The share of each side, (N, 4), and how high the step of the weakest side is, (N,), relative:
    a printed grid makes rectangles of low steps, round the sheet and beside it.
    """
    following = np.roll(corners, -1, 1)
    share = np.linspace(0.03, 0.97, 48)
    places = corners[:, :, None] + share[:, None] * (following - corners)[:, :, None]
    along = (following - corners) / np.linalg.norm(following - corners, axis=2, keepdims=True)
    inward = np.stack([-along[..., 1], along[..., 0]], axis=2)[:, :, None]
    seen = ((places > 0) & (places < [small.shape[1], small.shape[0]])).all(3)
    rises = []
    for shift in (-3.0, -1.5, 0.0, 1.5, 3.0):
        inside = sample(small, places + (shift + 2.5) * inward)
        outside = sample(small, places + (shift - 2.5) * inward)
        rises.append((inside - outside) / np.maximum(inside, 20.0))
    highest = np.max(rises, axis=0)
    step = (highest > _STEP) & seen
    strength = np.minimum(np.median(highest, axis=2).min(1), _HIGH)
    return np.asarray(step.mean(2)), np.asarray(strength)


def _overlap(one: Floats, two: Floats) -> bool:
    from shapely.geometry import Polygon

    first, second = Polygon(one), Polygon(two)
    shared = first.intersection(second).area
    return bool(shared > 0.3 * min(first.area, second.area))

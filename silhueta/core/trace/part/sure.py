"""Whether what was found is one plausible part, edge by edge.

Words used here
    weak     a place of an edge beside which both sides look alike
    doubt    what may be wrong, where, and what to do about it

The looks that tell face from ground were learned from the rough part itself; where they tell
nothing on the two sides of an edge, the edge is guessed, however steep the picture is there.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import sample
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.part.border import Sight, outward_of, sharpness_at
from silhueta.core.trace.part.cast import clear
from silhueta.core.trace.part.convex import crescents, cut_short
from silhueta.core.trace.part.looks import Light, Mask, smaller

# mm from the edge, or px if that is more, at which its sides are held against each other
_BESIDE = ((0.5, 1.5), (0.8, 3.0), (1.1, 4.5))
_WEAK = 2.0  # leaning that the inside must have over the outside
_SHARP = 0.04  # sharp step of the logarithm of light that shows an edge between alike sides
_BLUNT = 0.06  # the same, of an edge whose sides are told by the marks on the face
# mm (root mean square) by which edges without one lie off, on rendered brushed parts; mm from the
# outermost place of a side, in which they count as that side
_LOST_MM, _SIDE_MM = 0.4, 0.5
_GUESSED = 0.5  # share of an edge that is weak, from which it is none
_SHAKY = 0.1  # share of the outer edge that is weak, from which nothing is said for sure
_BORDER_MM, _GROUND_MM = 0.8, 20.0  # of the edge that is not looked at; over which a face is even
_STANDS_OUT = 0.25  # of the logarithm of light
_LEAST_MM2, _MOST_MM2 = 3.0, 400.0
_LONG, _FULL = 5.0, 0.45  # length over width of a hole at most, and share of its box it fills
_CRESCENT = (
    "beside what was found of a hole lies a piece that does not look like the part's face, so the "
    "hole may be larger: paint scrape on all of it at Picture, or ink on the piece if it is face"
)
_ALL_ROUND = 0.5  # share of a mark's border with a clear edge
# points of the border of a small mark, the same for it, and by how much it must stand out more
_SMALL, _SMALL_ROUND, _SMALL_OUT = 16, 0.4, 0.7


class Doubt(NamedTuple):
    """What may be wrong: place in px of the photo at true size, and the words for a person."""

    place: tuple[float, float]
    text: str


def weak_share(ring: Floats, sight: Sight) -> tuple[float, Floats]:
    """Return the share of an edge that is weak, and the middle of its weak places, px."""
    outward = outward_of(ring)

    def leaning(sign: float) -> Floats:
        away = [max(mm / sight.mm, px) for mm, px in _BESIDE]
        places = [(ring + sign * d * outward) * sight.factor for d in away]
        return np.array([sample(sight.leaning, place) for place in places])

    # colour bleeds over an edge by some pixels: the clearest of three places counts
    weak = leaning(-1.0).max(0) - leaning(1.0).min(0) < _WEAK
    if sight.alike:  # then looks were not what told the part
        weak &= sharpness_at(ring, outward, sight) < _SHARP
    middle = ring[weak].mean(0) if weak.any() else ring.mean(0)
    return float(weak.mean()), middle


def blunt_run(ring: Floats, sight: Sight) -> tuple[float, tuple[float, float]]:
    """Return the longest stretch of an edge, mm, without a sharp step of light, and its middle."""
    blunt = sharpness_at(ring, outward_of(ring), sight) < _BLUNT
    x, y = ring.mean(0).tolist()
    if blunt.all() or not blunt.any():
        return (float("inf") if blunt.all() else 0.0), (x, y)
    start = int(np.argmin(blunt))
    ring, blunt = np.roll(ring, -start, 0), np.roll(blunt, -start)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    change = np.flatnonzero(np.diff(np.concatenate([[0], blunt, [0]]).astype(int)))
    firsts, lasts = change[::2], change[1::2] - 1
    longest = int(np.argmax(along[lasts] - along[firsts]))
    first, last = firsts[longest], lasts[longest]
    x, y = ring[(first + last) // 2].tolist()
    return float(along[last] - along[first]) * sight.mm, (x, y)


def lost_sides(ring: Floats, readings: tuple[Sight, ...]) -> tuple[float, float]:
    """Return the standard uncertainty of an edge's width and height, mm, by sides hardly seen.

    Where face and shadow are as light as each other, an edge is told by their marks and tint alone,
    and no closer than those go. `readings` are what the edge is seen in, one of which may show it.
    """
    outward = outward_of(ring)
    blunt = np.any([sharpness_at(ring, outward, one) < _BLUNT for one in readings], axis=0)
    reach = _SIDE_MM / readings[0].mm
    shares = [
        float(blunt[np.abs(places - end) < reach].mean())
        for places in ring.T
        for end in (places.min(), places.max())
    ]
    wide, high = (_LOST_MM * float(np.sqrt(sum(shares[k : k + 2]))) for k in (0, 2))
    return wide, high


def judged(
    rings: list[Floats], areas: list[float], sight: Sight
) -> tuple[list[int], tuple[Doubt, ...]]:
    """Return which rings are edges of the part, and what is doubtful.

    Parameters
    ----------
    rings : list of (N, 2), px
        The first is the outer edge.
    areas : list of float, px²
        Negative for holes.
    sight : Sight
        What they were seen in.

    """
    kept, doubts = [], []
    for number, (ring, area) in enumerate(zip(rings, areas, strict=True)):
        weak, middle = weak_share(ring, sight)
        place = (float(middle[0]), float(middle[1]))
        if area > 0 and weak > _SHAKY:
            text = (
                f"{100 * weak:.0f} % of the part's edge cannot be told from what lies beside it, "
                "so a shadow or a piece of the ground may have been taken for part: paint ink on "
                "the part and scrape on the shadow there at Picture, or take the photo in softer "
                "light on something of another colour"
            )
            doubts.append(Doubt(place, text))
        if area < 0 and weak > _GUESSED:
            doubts.append(Doubt(place, may_be_hole(abs(area) * sight.mm**2)))
            continue
        kept.append(number)
    seen = [rings[i] for i in kept]
    return kept, (*doubts, *_unnoticed(seen, sight), *_bent(seen, sight))


def may_be_hole(mm2: float) -> str:
    """Return the words on something of so many mm² that was left out."""
    return (
        f"something of {mm2:.0f} mm² may be a hole or a mark on the face, and was left out: paint "
        "scrape on it at Picture if it is a hole, ink if it is not"
    )


def _bent(rings: list[Floats], sight: Sight) -> list[Doubt]:
    """Return small holes with a bay that does not look like the face: part of the hole."""
    part = _mask_of(rings, sight) > 0
    level, mm = _level(smaller(sight.light, part.shape)), sight.mm / sight.factor
    # one and the same hole may be both
    places = dict.fromkeys((*crescents(part, level, mm), *cut_short(part, sight.leaning, mm)))
    return [Doubt((x / sight.factor, y / sight.factor), _CRESCENT) for x, y in places]


def _level(light: Light) -> Light:
    import cv2

    level = np.log(light.mean(-1) + np.float32(0.01))
    return np.asarray(cv2.GaussianBlur(level, (0, 0), 0.8), np.float32)


def _mask_of(rings: list[Floats], sight: Sight) -> NDArray[np.uint8]:
    """Return what the rings enclose, 1, without the holes, in the picture of looks."""
    import cv2

    part = np.zeros(sight.leaning.shape, np.uint8)
    for ring in rings:  # holes after what they are in
        places = np.round((ring * sight.factor - 0.5) * 16).astype(np.int32)
        hole = cv2.contourArea(ring.astype(np.float32), oriented=True) > 0
        cv2.fillPoly(part, [places], 0 if hole and part.any() else 1, cv2.LINE_8, 4)
    return part


def _stands_out(one: Mask, level: Light) -> float:
    """Return by how much the light of a spot differs from that some px beside it."""
    import cv2

    near, wide = (cv2.dilate(one.astype(np.uint8), np.ones((n, n), np.uint8)) for n in (5, 9))
    beside = level[(wide > 0) & (near == 0)]
    return abs(float(np.median(level[one]) - np.median(beside))) if len(beside) else 0.0


def _unnoticed(rings: list[Floats], sight: Sight) -> list[Doubt]:
    """Return what stands out on the face with a clear edge all round, as a hole in shade does."""
    import cv2

    part = _mask_of(rings, sight)
    mm = sight.mm / sight.factor
    clear_of = cv2.distanceTransform(part, cv2.DIST_L2, 3) * mm > _BORDER_MM
    if not clear_of.any():
        return []
    light = smaller(sight.light, part.shape)
    level = _level(light)
    shown = np.where(part > 0, level, np.median(level[clear_of]))
    eight = np.clip((shown + 5.0) * 50, 0, 255).astype(np.uint8)
    side = min(2 * int(_GROUND_MM / mm / 2) + 1, 255)
    around = cv2.medianBlur(eight, side).astype(np.float32) / 50 - 5.0
    off = level - around
    usual = 1.4826 * float(np.median(np.abs(off[clear_of])))
    strange = (np.abs(off) > max(_STANDS_OUT, 4.0 * usual)) & clear_of
    opened = cv2.morphologyEx(strange.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, labels, stats, centres = cv2.connectedComponentsWithStats(opened)
    doubts = []
    for label in range(1, count):
        area = float(stats[label, cv2.CC_STAT_AREA]) * mm * mm
        left, top, wide, high = stats[label, :4].tolist()
        if not _LEAST_MM2 < area < _MOST_MM2 or max(wide, high) > _LONG * min(wide, high):
            continue
        if stats[label, cv2.CC_STAT_AREA] < _FULL * wide * high:
            continue
        box = (slice(max(top - 14, 0), top + high + 14), slice(max(left - 14, 0), left + wide + 14))
        one = np.asarray(labels == label)[box]
        share, least = clear(one, light[box]), _ALL_ROUND
        if not share and _stands_out(one, level[box]) > _SMALL_OUT:
            share, least = clear(one, light[box], _SMALL), _SMALL_ROUND
        if share > least:
            x, y = (centres[label] / sight.factor).tolist()
            doubts.append(Doubt((float(x), float(y)), may_be_hole(area)))
    return doubts

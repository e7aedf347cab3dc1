"""Pen lines: what stands for a stroke that has two edges.

Words used here
    stroke     what a pen drew: ink, everywhere about as wide as the pen's line
    gap        a break in the line, from one free end to another that it points at
    line       chains joined through junctions and gaps: closed, or with two free ends
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.trace.pen.skeleton import chains_of, direction, ends_of, without_spurs

_SPUR = 1.2  # line widths, of a chain with a free end at a junction
_LOOK = 3.0  # line widths along a chain that tell its direction
_ASKEW = np.radians(50.0)  # that a gap may lie off the direction of its ends
_PASS = np.radians(70.0)  # that a line may turn as it passes through a junction
_STEM = 14.0  # line widths, that two lines which meet in a sharp corner may run as one
_SHARP = np.radians(65.0)  # between them
_MERGED = 2.0  # line widths from where they part, in which their middles are not their own
_EARLY = 1.5  # line widths, that two skeletons end before their ink does
_SHORTEST = 3.0  # line widths: shorter lines are dust


@dataclass(frozen=True, eq=False)
class Line:
    """The middle of a drawn line.

    Parameters
    ----------
    points : (N, 2) float, px
        Not repeated at the end of a closed one.
    closed : bool
    corners : tuple of int
        Which points are tips of sharp corners.

    """

    points: Floats
    closed: bool
    corners: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class PenLines:
    """All lines of a drawing, and what is known of the pen.

    Parameters
    ----------
    lines : tuple of Line
    width : float, px
        Of the pen's line, the median.
    bridges : tuple of (N, 2) float, px
        The gaps that were closed.

    """

    lines: tuple[Line, ...]
    width: float
    bridges: tuple[Floats, ...]


def drawing(darkness: NDArray[np.float32], longest_gap: float) -> PenLines:
    """Return the lines of a drawing.

    Parameters
    ----------
    darkness : (H, W) of float32
        0 on bare ground to 1 in full ink; the edge at a half.
    longest_gap : float, px
        Breaks up to this are closed, along the stroke's direction.

    References
    ----------
    The skeleton is scikit-image's: T. Y. Zhang and C. Y. Suen, "A fast parallel algorithm for
    thinning digital patterns", Communications of the ACM 27(3), 1984, 236-239.

    """
    import cv2
    from skimage import morphology

    ink = np.pad(darkness > 0.5, 1)
    thinned: Any = morphology.skeletonize
    skeleton = thinned(ink)
    radii = cv2.distanceTransform(ink.astype(np.uint8), cv2.DIST_L2, 5)[skeleton]
    width = float(2 * np.median(radii) - 1) if len(radii) else 0.0
    width = max(width, 1.0)
    chains = chains_of(skeleton)
    chains = without_spurs(chains, _SPUR * width)
    joined, bridges = _joined(chains, longest_gap, width)
    lines = []
    for places, closed, tips in joined:
        points = _middle(darkness, places - 0.5, width, closed)
        corners = sorted({int(np.argmin(np.hypot(*(places - tip).T))) for tip in tips})
        points[corners] = places[corners] - 0.5
        if _length(points) >= _SHORTEST * width or closed:
            lines.append(Line(points, closed, tuple(corners)))
    return PenLines(tuple(lines), width, tuple(b - 0.5 for b in bridges))


def _joined(
    chains: list[NDArray[np.int64]], longest_gap: float, width: float
) -> tuple[list[tuple[Floats, bool, list[Floats]]], list[Floats]]:
    """Return lines (points px, closed, tips): chains joined straightest first.

    Every chain has two ends; each end is joined to at most one other, within its junction or over
    a gap.
    """
    look = max(3, round(_LOOK * width))
    ends: list[tuple[tuple[int, int], Floats]] = []
    for chain in chains:
        a, b = ends_of(chain)
        ends += [(a, direction(chain, False, look)), (b, direction(chain, True, look))]
    tips = _tips(ends, chains, width)
    taken = np.zeros(len(chains), bool)
    taken[[tip // 2 for tip in tips.values()]] = True
    mates = _mates(ends, chains, longest_gap, width, tips)
    back = max(2, round(_MERGED * width))
    lines: list[tuple[Floats, bool, list[Floats]]] = []
    bridges: list[Floats] = []

    def xy(chain: NDArray[np.int64]) -> Floats:
        return chain[:, ::-1].astype(np.float64) + 0.5

    order = [e for e in range(len(ends)) if mates[e] < 0] + list(range(len(ends)))
    for begin in order:
        if taken[begin // 2]:
            continue
        pieces: list[Floats] = []
        met: list[Floats] = []
        end, closed = begin, False
        while True:
            number = end // 2
            taken[number] = True
            chain = chains[number]
            piece = xy(chain if end % 2 == 0 else chain[::-1])
            far = end ^ 1
            mate = mates[far]
            # both sides of a sharp corner run into one: they are cut back, and meet at its tip
            room = len(piece) // 3
            head = min(back, room) if end in tips else 0
            tail = min(back, room) if far in tips else 0
            pieces.append(piece[head : len(piece) - tail])
            if mate < 0:
                break
            if far in tips:
                place = xy(np.array([ends[tips[far]][0]]))[0]
                other = xy(chains[mate // 2] if mate % 2 == 0 else chains[mate // 2][::-1])
                met.append(place)
                onward = other[min(back, len(other) // 3)]
                pieces += [_stretch(pieces[-1][-1], place), _stretch(place, onward)]
            elif ends[far][0] != ends[mate][0]:
                bridge = _bridge(
                    pieces[-1][-1], ends[far][1], xy(np.array([ends[mate][0]]))[0], ends[mate][1]
                )
                bridges.append(bridge)
                pieces.append(bridge)
            if mate == begin:
                closed = True
                break
            end = mate
        points = np.vstack(pieces)
        keep = np.append(True, np.any(np.diff(points, axis=0) != 0, axis=1))
        points = points[keep]
        if closed and len(points) > 1 and np.array_equal(points[0], points[-1]):
            points = points[:-1]
        lines.append((points, closed, met))
    return lines, bridges


def _stretch(a: Floats, b: Floats) -> Floats:
    """Return points about a px apart from a, left out, to b."""
    share = np.linspace(0, 1, max(2, round(float(np.hypot(*(b - a)))) + 1))[1:, None]
    return np.asarray(a + share * (b - a))


def _bridge(a: Floats, leaves: Floats, b: Floats, comes: Floats) -> Floats:
    """Return points about a px apart on the cubic from a to b, along the ends' directions."""
    from silhueta.core.geometry.flatten import cubic_points

    far = float(np.hypot(*(b - a)))
    third = far / 3
    hull = np.array([[a, a + third * leaves, b + third * comes, b]])
    share = np.linspace(0, 1, max(3, round(far) + 1))
    return cubic_points(np.repeat(hull, len(share), axis=0), share)


def _tips(
    ends: list[tuple[tuple[int, int], Floats]], chains: list[NDArray[np.int64]], width: float
) -> dict[int, int]:
    """Return, for both ends that run together in a sharp corner, the free end that is its tip.

    Where two lines meet at a small angle their ink runs together before they do, so the skeleton
    has a stem from there to the tip.
    """
    at: dict[tuple[int, int], list[int]] = {}
    for e, (place, _) in enumerate(ends):
        at.setdefault(place, []).append(e)
    found: dict[int, int] = {}
    for users in at.values():
        if len(users) != 3:
            continue
        for k in range(3):
            stem, one, two = users[k], users[k - 1], users[k - 2]
            if one // 2 == two // 2 and len(chains[one // 2]) < 6 * width:
                continue
            free = len(at[ends[stem ^ 1][0]]) == 1
            shorter = min(len(chains[one // 2]), len(chains[two // 2]))
            short = len(chains[stem // 2]) < min(_STEM * width, shorter)
            # directions point out of a chain's end, so into the junction
            sharp = _between(ends[one][1], ends[two][1]) < _SHARP
            ahead = max(_between(ends[stem][1], -ends[e][1]) for e in (one, two)) < _SHARP
            if free and short and sharp and ahead and stem // 2 not in (one // 2, two // 2):
                found[one] = found[two] = stem ^ 1
                break
    return found


def _mates(
    ends: list[tuple[tuple[int, int], Floats]],
    chains: list[NDArray[np.int64]],
    longest_gap: float,
    width: float,
    tips: dict[int, int],
) -> list[int]:
    """Return what each end is joined to, or -1."""
    from scipy.spatial import cKDTree

    mates = [-1] * len(ends)
    if not ends:
        return mates
    stems = {tip // 2 for tip in tips.values()}
    of_tip: dict[int, list[int]] = {}
    for end, tip in tips.items():
        of_tip.setdefault(tip, []).append(end)
    for one, two in of_tip.values():
        mates[one], mates[two] = two, one
    at: dict[tuple[int, int], list[int]] = {}
    for e, (place, _) in enumerate(ends):
        if e // 2 not in stems:
            at.setdefault(place, []).append(e)
    pairs: list[tuple[float, int, int]] = []
    for users in at.values():
        for i, one in enumerate(users):
            for two in users[i + 1 :]:
                turn = _between(ends[one][1], -ends[two][1])
                if one // 2 == two // 2 or turn < _PASS or len(users) == 2:
                    pairs.append((turn - 10.0, one, two))
    free = [e for users in at.values() if len(users) == 1 for e in users]
    if longest_gap > 0 and len(free) > 1:
        places = np.array([ends[e][0] for e in free], np.float64)[:, ::-1]
        reach = longest_gap + _EARLY * width
        for i, j in cKDTree(places).query_pairs(reach):
            one, two = free[i], free[j]
            way = places[j] - places[i]
            far = float(np.hypot(*way)) or 1.0
            off = max(_between(ends[one][1], way / far), _between(ends[two][1], -way / far))
            long_enough = one // 2 != two // 2 or len(chains[one // 2]) > 2 * far
            if long_enough and (off < _ASKEW or far <= 1.5 * width):
                pairs.append((off + far / reach, one, two))
    for _, one, two in sorted(pairs):
        if mates[one] < 0 and mates[two] < 0:
            mates[one], mates[two] = two, one
    return mates


def _between(one: Floats, two: Floats) -> float:
    return float(np.arccos(np.clip(one @ two, -1.0, 1.0)))


def _length(points: Floats) -> float:
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def _middle(darkness: NDArray[np.float32], places: Floats, width: float, closed: bool) -> Floats:
    """Return skeleton places moved across the line to the middle of its ink.

    Where other ink lies beside (a junction), or none at all (a gap), they stay.
    """
    import cv2

    count = len(places)
    half = max(2, round(0.4 * width))
    if count < 2 * half + 3:
        return places
    smooth = _smoothed(places, half, closed)
    ahead = np.roll(smooth, -1, 0) - np.roll(smooth, 1, 0)
    if not closed:
        ahead[0], ahead[-1] = smooth[1] - smooth[0], smooth[-1] - smooth[-2]
    ahead /= np.maximum(np.hypot(*ahead.T), 1e-9)[:, None]
    across = np.column_stack([-ahead[:, 1], ahead[:, 0]])
    reach = 1.2 * width + 2.0
    steps = np.arange(-reach, reach + 0.25, 0.5)
    at = smooth[:, None] + steps[None, :, None] * across[:, None]
    shown = cv2.remap(
        darkness,
        (at[..., 0] - 0.5).astype(np.float32),
        (at[..., 1] - 0.5).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=0,
    )
    total = shown.sum(1) * 0.5
    clear = (np.abs(total - width) < 0.35 * width) & (shown[:, 0] < 0.3) & (shown[:, -1] < 0.3)
    off = np.where(clear, (shown * steps).sum(1) / np.maximum(shown.sum(1), 1e-6), 0.0)
    off = np.clip(off, -0.5 * width, 0.5 * width)
    known = np.flatnonzero(clear)
    if len(known) < 2:
        return smooth
    index = np.arange(count)
    period = count if closed else None
    off = np.interp(index, known, off[known], period=period)
    return smooth + off[:, None] * across


def _smoothed(points: Floats, half: int, closed: bool) -> Floats:
    """Return points averaged with so many neighbours on each side; free ends stay."""
    weights = np.hanning(2 * half + 3)[1:-1]
    weights /= weights.sum()
    if closed:
        padded = np.vstack([points[-half:], points, points[:half]])
    else:
        head = 2 * points[0] - points[half:0:-1]
        tail = 2 * points[-1] - points[-2 : -half - 2 : -1]
        padded = np.vstack([head, points, tail])
    return np.column_stack([np.convolve(padded[:, k], weights, mode="valid") for k in range(2)])

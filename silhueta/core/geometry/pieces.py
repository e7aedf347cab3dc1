"""Paths cut at places, and pieces put together to paths again.

Words used here
    place    a segment and how far along it, 0 at its start to 1 at its end; on an arc by angle,
             on a cubic by its parameter
    stretch  what lies between two places, in the path's own direction
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, OpenPath, Path

_SAME = 1e-9  # of a segment: nearer to its end is its end
_MEET = 1e-7  # mm between two ends that are one


class Place(NamedTuple):
    """Where on a path: the segment, and the share of it."""

    segment: int
    share: float


def point_at(path: Path, place: Place) -> Floats:
    """Return the point at `place`, (2,), mm."""
    i, t = place
    at: Floats = path.starts[i] if t <= 0 else path.ends[i]
    return at if not 0 < t < 1 else _part(path, i, 0.0, t).nodes[1]


def place_of(path: Path, point: Floats) -> Place:
    """Return the place of `path` nearest to `point`, (2,) in mm."""
    found = nearest(path, point)
    i, (x, y) = int(found.segment[0]), found.place[0]
    return Place(i, share_of(path, i, np.array([x, y])))


def share_of(path: Path, i: int, on: Floats) -> float:
    """Return how far along segment `i` the point `on`, (2,), which lies on it or near, is."""
    start, end = path.nodes[i], path.nodes[(i + 1) % len(path.nodes)]
    if path.kinds[i] == LINE:
        along = end - start
        size = float(along @ along)
        return float(np.clip((on - start) @ along / size, 0, 1)) if size > 0 else 0.0
    if path.kinds[i] == ARC:
        centres, _ = arc_centres(start[None], end[None], path.bulges[i : i + 1])
        turn = 4 * np.arctan(path.bulges[i])
        one, two = start - centres[0], on - centres[0]
        swept = np.arctan2(one[0] * two[1] - one[1] * two[0], one @ two)
        share = float(swept * np.sign(turn) % (2 * np.pi)) / abs(float(turn))
        return share if share <= 1 else (0.0 if share > np.pi / abs(turn) + 0.5 else 1.0)
    low, high = 0.0, 1.0
    hull = np.vstack([start[None], path.controls[i], end[None]])
    for _ in range(40):  # the interval about the nearest of eleven, ten times smaller each time
        tries = np.linspace(low, high, 11)
        s = 1 - tries
        weights = np.column_stack([s**3, 3 * s * s * tries, 3 * s * tries**2, tries**3])
        best = int(np.argmin(np.hypot(*(weights @ hull - on).T)))
        low, high = tries[max(best - 1, 0)], tries[min(best + 1, 10)]
        if high - low < 1e-12:
            break
    return float(0.5 * (low + high))


def segment_of(path: Path, i: int) -> OpenPath:
    """Return segment `i` as a path of its own."""
    nodes = path.nodes[[i, (i + 1) % len(path.nodes)]]
    own = slice(i, i + 1)
    return OpenPath(nodes, path.kinds[own], path.bulges[own], path.controls[own])


def _part(path: Path, i: int, low: float, high: float) -> OpenPath:
    """Return segment `i` from share `low` to `high`."""
    if low <= 0 and high >= 1:
        return segment_of(path, i)
    kind, start, end = path.kinds[i], path.nodes[i], path.nodes[(i + 1) % len(path.nodes)]
    if kind == LINE:
        return OpenPath(np.array([start + low * (end - start), start + high * (end - start)]))
    if kind == ARC:
        bulge = float(path.bulges[i])
        centres, _ = arc_centres(start[None], end[None], path.bulges[i : i + 1])
        turn = 4 * np.arctan(bulge)
        spoke = start - centres[0]
        a, b = (
            centres[0]
            + np.array(
                [
                    np.cos(turn * t) * spoke[0] - np.sin(turn * t) * spoke[1],
                    np.sin(turn * t) * spoke[0] + np.cos(turn * t) * spoke[1],
                ]
            )
            for t in (low, high)
        )
        a, b = (start if low <= 0 else a), (end if high >= 1 else b)
        return OpenPath(
            np.array([a, b]),
            np.array([ARC], np.uint8),
            np.array([np.tan(turn * (high - low) / 4)]),
        )
    hull = np.vstack([start[None], path.controls[i], end[None]])
    if high < 1:
        hull = _halved(hull, high)[0]
    if low > 0:
        hull = _halved(hull, low / high)[1]
    return OpenPath(hull[[0, 3]], np.array([CUBIC], np.uint8), np.zeros(1), hull[None, 1:3])


def _halved(hull: Floats, t: float) -> tuple[Floats, Floats]:
    """Return the hulls of both sides of a cubic cut at `t`, by de Casteljau's way."""
    one = hull[:-1] + t * np.diff(hull, axis=0)
    two = one[:-1] + t * np.diff(one, axis=0)
    three = two[0] + t * (two[1] - two[0])
    return np.array([hull[0], one[0], two[0], three]), np.array([three, two[1], one[2], hull[3]])


def stretch(path: Path, start: Place, end: Place) -> OpenPath:
    """Return `path` from `start` to `end`; on a loop over its first node where need be.

    Whole segments stay what they are. On a loop, two equal places give the whole loop, open there.

    Raises
    ------
    GeometryError
        If `end` lies before `start` on an open path, or there is nothing between.

    """
    count = len(path.kinds)
    a, b = _tidy(path, start), _tidy(path, end)
    ahead = b > a
    if not path.closed and not ahead:
        raise GeometryError("there is nothing between these two places; pick two others")
    if ahead and a.segment == b.segment:
        return _part(path, a.segment, a.share, b.share)
    last = b.segment if ahead else b.segment + count
    pieces: list[Path] = []
    if a.share < 1:
        pieces.append(_part(path, a.segment, a.share, 1.0))
    whole = np.arange(a.segment + 1, last) % count
    if len(whole):
        nodes = np.vstack([path.starts[whole], path.ends[whole[-1:]]])
        pieces.append(OpenPath(nodes, path.kinds[whole], path.bulges[whole], path.controls[whole]))
    if b.share > 0:
        pieces.append(_part(path, b.segment, 0.0, b.share))
    joined = chained(pieces)
    assert isinstance(joined, OpenPath)
    return joined


def _tidy(path: Path, place: Place) -> Place:
    """Return the same place, at a node where it is as good as there: at the start of a segment."""
    i, t = place
    count = len(path.kinds)
    if t < _SAME:
        return Place(i, 0.0)
    if t > 1 - _SAME:
        return Place((i + 1) % count, 0.0) if path.closed or i + 1 < count else Place(i, 1.0)
    return place


def chained(pieces: Sequence[Path], close: bool = False, meet: float = _MEET) -> Path:
    """Return open `pieces` one after the other as one path, ends joined straight.

    Parameters
    ----------
    pieces : sequence of Path
        Open, each in the direction of the whole.
    close : bool
        Whether the last is joined to the first.
    meet : float, mm
        Ends no farther apart are one node, half-way; others are joined by a line.

    Raises
    ------
    GeometryError
        If too little is left to make a path.

    """
    nodes: list[Floats] = []
    kinds: list[np.ndarray] = []
    bulges: list[Floats] = []
    controls: list[Floats] = []

    def line() -> None:
        kinds.append(np.array([LINE], np.uint8))
        bulges.append(np.zeros(1))
        controls.append(np.zeros((1, 2, 2)))

    for piece in pieces:
        own = piece.nodes.copy()
        if nodes:
            gap = float(np.hypot(*(own[0] - nodes[-1][-1])))
            if gap <= meet:
                own[0] = 0.5 * (own[0] + nodes[-1][-1])
                nodes[-1] = nodes[-1][:-1]
            else:
                line()
        nodes.append(own)
        kinds.append(piece.kinds)
        bulges.append(piece.bulges)
        controls.append(piece.controls)
    points = np.vstack(nodes)
    if close:
        if float(np.hypot(*(points[0] - points[-1]))) <= meet and len(points) > 2:
            points[0] = 0.5 * (points[0] + points[-1])
            points = points[:-1]
        else:
            line()
    arrays = np.concatenate(kinds), np.concatenate(bulges), np.concatenate(controls)
    return (Loop if close else OpenPath)(points, *arrays)


def opened(loop: Path, node: int) -> OpenPath:
    """Return a loop cut open at one of its nodes, where both ends of the path then lie."""
    return stretch(loop, Place(node, 0.0), Place(node, 0.0))

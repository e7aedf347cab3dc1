"""A stretch of a path as one straight edge, and the numbers that its segments have then."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, LINE, Floats, OpenPath, Path

_STEP = 0.2  # mm between points that stand for the stretch
_MEET = 0.1  # sine of the angle under which a neighbour is drawn out to meet the edge
_FAR = 3.0  # times the stretch's own length, that it is drawn out by at most
_SMOOTH = np.radians(25.0)  # of an arc's way beside the edge, under which it runs into it smoothly
_NEAR = 1.0  # mm that such a joint may move


def one_edge(path: Path, first: int, many: int) -> tuple[Path, Callable[[int], int]]:
    """Return a path with `many` segments from number `first` on as one line, and new numbers.

    The line lies nearest to what it takes the place of (least squares across it); straight
    neighbours are trimmed or drawn out to meet it, arcs that nearly run into it do so. A closed
    path begins with it then. A segment of the stretch that is gone gets a number that none has.
    """
    count = len(path.kinds)
    turn = first if path.closed else 0
    made = _with_line(_begun_at(path, turn), first - turn, many)

    def number(segment: int) -> int:
        k = (segment - turn) % count
        after = k - (many - 1) if k >= first - turn + many else k
        return after if k <= first - turn or k >= first - turn + many else count

    return made, number


def points_of(path: Path, first: int, many: int, step: float = _STEP) -> Floats:
    """Return points (N, 2), mm, at most `step` apart along `many` segments of a path."""
    index = np.arange(first, first + many) % len(path.kinds)
    run = OpenPath(
        np.vstack([path.starts[index], path.ends[index[-1:]]]),
        path.kinds[index],
        path.bulges[index],
        path.controls[index],
    )
    line = shapely.LineString(flatten(run, 0.005))
    return np.asarray(shapely.get_coordinates(shapely.segmentize(line, step)), np.float64)


def chord(path: Path, k: int) -> float:
    """Return the distance from the start of segment k to its end, mm."""
    return float(np.hypot(*(path.ends[k] - path.starts[k])))


def _begun_at(path: Path, k: int) -> Path:
    if not k:
        return path
    return type(path)(
        np.roll(path.nodes, -k, axis=0),
        np.roll(path.kinds, -k),
        np.roll(path.bulges, -k),
        np.roll(path.controls, -k, axis=0),
    )


def _with_line(path: Path, first: int, many: int) -> Path:
    """Return a path with a line in place of `many` segments from number `first` on."""
    count, last = len(path.kinds), first + many - 1
    points = points_of(path, first, many)
    middle = points.mean(axis=0)
    way = np.linalg.svd(points - middle)[2][0]
    reach = _FAR * max(chord(path, k) for k in range(first, last + 1)) + float(
        np.hypot(*(points[-1] - points[0]))
    )
    if (points[-1] - points[0]) @ way < 0:
        way = -way
    nodes, all_bulges = path.nodes.copy(), path.bulges.copy()
    ends = []
    for end, beside in ((first, first - 1), (last + 1, last + 1)):
        at = path.starts[first] if end == first else path.ends[last]
        there = 0 <= beside < count or path.closed
        beside = beside % count if there else -1
        eased = _eased(path, beside, at, middle, way if end == first else -way)
        if eased is not None:
            ends.append(eased[0])
            all_bulges[beside] = eased[1]
        else:
            ends.append(_met(path, beside, at, middle, way, reach))
    keep = np.r_[0 : first + 1, last + 1 : count]
    nodes[first] = ends[0]
    if path.closed:
        nodes[(last + 1) % count] = ends[1]
        nodes = nodes[keep]
    else:
        nodes[last + 1] = ends[1]
        nodes = np.delete(nodes, np.arange(first + 1, last + 1), axis=0)
    kinds, bulges, controls = path.kinds[keep], all_bulges[keep], path.controls[keep].copy()
    kinds = kinds.copy()
    kinds[first], bulges[first], controls[first] = LINE, 0.0, 0.0
    return type(path)(nodes, kinds, bulges, controls)


def _met(path: Path, beside: int, at: Floats, middle: Floats, way: Floats, reach: float) -> Floats:
    """Return where the line meets the segment beside it; where it does not, the foot of `at`."""
    foot: Floats = middle + (at - middle) @ way * way
    if beside < 0 or path.kinds[beside] != LINE:
        return foot
    other = path.ends[beside] - path.starts[beside]
    across = float(way[0] * other[1] - way[1] * other[0])
    if abs(across) < _MEET * float(np.hypot(*other)):
        return foot
    off = path.starts[beside] - middle
    met: Floats = middle + float(off[0] * other[1] - off[1] * other[0]) / across * way
    return met if float(np.hypot(*(met - foot))) <= reach else foot


def _eased(
    path: Path, beside: int, at: Floats, middle: Floats, way: Floats
) -> tuple[Floats, float] | None:
    """Return where an arc beside the line runs into it without a corner, and the arc's bulge.

    From its other end, the way that it runs there: the circle that touches both. `way` points from
    that end of the line along it. None where it meets the line in a corner, or far from `at`.
    """
    if beside < 0 or path.kinds[beside] != ARC:
        return None
    before = bool(np.allclose(path.ends[beside], at))
    far = path.starts[beside] if before else path.ends[beside]
    chord_ = (at - far) / max(float(np.hypot(*(at - far))), 1e-12)
    half = 2 * np.arctan(path.bulges[beside]) * (1 if before else -1)
    leaves, arrives = _turned(chord_, -half), _turned(chord_, half)
    if abs(_turn(arrives, way)) > _SMOOTH:
        return None
    across = float(leaves[0] * way[1] - leaves[1] * way[0])
    if abs(across) < _MEET:
        return None
    off = middle - far
    reach = float(off[0] * way[1] - off[1] * way[0]) / across
    foot = middle + (at - middle) @ way * way
    end = far + reach * leaves + reach * way
    if reach <= 0 or float(np.hypot(*(end - foot))) > max(reach, _NEAR):
        return None
    bulge = float(np.tan(_turn(leaves, way) / 4))
    return end, bulge if before else -bulge


def _turned(way: Floats, angle: float) -> Floats:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([c * way[0] - s * way[1], s * way[0] + c * way[1]])


def _turn(one: Floats, two: Floats) -> float:
    """Return the angle from one way to another, radians, -pi to pi."""
    return float(np.arctan2(one[0] * two[1] - one[1] * two[0], one @ two))

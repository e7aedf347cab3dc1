"""Runs of segments that are one line, one arc or one corner within their noise, as such.

Words used here
    run     neighbouring segments, each short beside the two edges that it lies between
    room    how far what stands in for a run may leave it

A second line of defence: what a noisy picture had the trace break in pieces. Only what keeps within
the noise of the edge is put together.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Path
from silhueta.core.truing.features import Noise, rounded

Ints = NDArray[np.int64]

_ROOM = 3.5  # of the noise of a point
_WHOLE = 3.0  # of the uncertainty of a whole edge, besides
_SHORT = 0.4  # of the shorter edge beside it, that a segment of a run is long at most
_LONGEST = 16.0  # mm
_MOST = 12  # segments of a run
_LEAST_TURN, _MOST_TURN = math.radians(8), math.radians(165)
_TRIALS, _FINER = 24, 20
_SAMPLES = (0.25, 0.5, 0.75, 1.0)  # of a segment, that are held against what stands in for it
_LEAST_LINE = 3  # segments that a loop keeps


class _Chain(NamedTuple):
    """Nodes (n, 2) of a closed path, and the bulge (n,) after each."""

    nodes: Floats
    bulges: Floats


class _Room(NamedTuple):
    """How far what stands in for a run may leave it, and of a corner how much blur cuts off, mm."""

    off: float
    corner: float


def simpler(outline: Outline, noise: Noise) -> Outline:
    """Return the outline with circles and runs as what they are within their noise.

    An outline from a file comes back as it is: what is small in it is meant.
    """
    if noise.own:
        return outline
    return merged(rounded(outline, noise), noise)


def merged(outline: Outline, noise: Noise) -> Outline:
    """Return the outline with such runs put together; locked loops and curves stay as they are."""
    contours = []
    for contour in outline.contours:
        path = contour.path
        plain = path.closed and not (path.kinds == CUBIC).any() and full_circle(path) is None
        made = path if contour.locked or not plain else _merged(path, noise)
        contours.append(contour if made is path else replace(contour, path=made))
    same = all(a is b for a, b in zip(contours, outline.contours, strict=True))
    return outline if same else Outline(tuple(contours))


def _merged(path: Path, noise: Noise) -> Path:
    room = _Room(_ROOM * noise.point + _WHOLE * noise.whole, noise.corner)
    chain = _Chain(path.nodes.copy(), path.bulges.copy())
    for better in (_without_joints, _with_corners):
        chain = better(chain, room)
    if len(chain.nodes) == len(path.nodes):
        return path
    kinds = np.where(chain.bulges != 0, ARC, LINE).astype(np.uint8)
    return type(path)(chain.nodes, kinds, chain.bulges)


# lines that are one


def _without_joints(chain: _Chain, room: _Room) -> _Chain:
    """Return the chain without nodes between lines that are one line within the room."""
    k = 0
    while k < len(chain.nodes) and len(chain.nodes) > _LEAST_LINE:
        before, after = chain.nodes[k - 1], chain.nodes[(k + 1) % len(chain.nodes)]
        if not chain.bulges[k - 1] and not chain.bulges[k]:
            way = after - before
            far = float(np.hypot(*way))
            off = chain.nodes[k] - before
            along = float(way @ off) / max(far, 1e-12)
            if 0 < along < far and abs(_cross(way, off)) < room.off / 2 * far:
                chain = _Chain(np.delete(chain.nodes, k, 0), np.delete(chain.bulges, k))
                continue
        k += 1
    return chain


def _cross(u: Floats, v: Floats) -> float:
    return float(u[0] * v[1] - u[1] * v[0])


# corners


def _with_corners(chain: _Chain, room: _Room) -> _Chain:
    """Return the chain with runs between two lines as a sharp corner, or a round one."""
    k = 0
    while k < len(chain.nodes):
        for count in range(min(_MOST, len(chain.nodes) - 2), 0, -1):
            made = _cornered(chain, k, count, room)
            if made is not None:
                chain = made
                break
        k += 1
    return chain


def _cornered(chain: _Chain, k: int, count: int, room: _Room) -> _Chain | None:
    """Return the chain with so many segments from node k on as one corner; None: it is none."""
    nodes, bulges = chain
    n = len(nodes)
    if n - count < 2 or bulges[k - 1] or bulges[(k + count) % n]:
        return None
    index = (k + np.arange(count + 1)) % n
    start, end = nodes[index[0]], nodes[index[-1]]
    before, after = start - nodes[k - 1], nodes[(k + count + 1) % n] - end
    long = np.hypot(*np.array([before, after]).T)
    chords = np.hypot(*(nodes[index[1:]] - nodes[index[:-1]]).T)
    if chords.max() > min(_LONGEST, _SHORT * long.min()) or long.min() < 1e-9:
        return None
    u, v = before / long[0], after / long[1]
    turn = math.atan2(_cross(u, v), float(u @ v))
    if not _LEAST_TURN < abs(turn) < _MOST_TURN:
        return None
    # where both lines meet, past both their ends
    far = _cross(end - start, v) / _cross(u, v)
    back = _cross(end - start, u) / _cross(u, v)
    if far < -room.off or back > room.off:
        return None
    corner = start + far * u
    seen = np.vstack([start, *_along(chain, index)])
    off = seen - corner
    sides = np.minimum(np.abs(_crosses(off, u)), np.abs(_crosses(off, v)))
    cut = chords.sum() <= room.corner
    if cut or (sides.max() <= room.off and math.dist(corner, start) < 4 * room.off + chords.max()):
        return _put(chain, index, corner[None], np.zeros(1))
    if count < 2 and not bulges[index[0]]:
        return None  # one line across may well be a chamfer
    half = (math.pi - abs(turn)) / 2
    reach = min(float(long.min()) * 0.95 + min(far, -back), 4 * _LONGEST)
    middle = (v - u) / np.hypot(*(v - u))

    def worst(touch: float) -> float:
        radius = touch * math.tan(half)
        centre = corner + radius / math.sin(half) * middle
        near = (-(off @ u) < touch) & (off @ v < touch)
        left = np.where(near, np.abs(np.hypot(*(seen - centre).T) - radius), sides)
        return float(left.max())

    trials = np.geomspace(max(room.off, 1e-3), max(reach, 2 * room.off), _TRIALS)
    best = int(np.argmin([worst(touch) for touch in trials.tolist()]))
    low, high = trials[max(best - 1, 0)], trials[min(best + 1, _TRIALS - 1)]
    for _ in range(_FINER):  # thirds: the largest distance has one lowest place
        third = (high - low) / 3
        if worst(low + third) < worst(high - third):
            high -= third
        else:
            low += third
    touch = float(low + high) / 2
    if worst(touch) > room.off or (count == 1 and bulges[index[0]]):
        return None
    ends = np.array([corner - touch * u, corner + touch * v])
    return _put(chain, index, ends, np.array([math.tan(turn / 4), 0.0]))


def _crosses(points: Floats, way: Floats) -> Floats:
    return np.asarray(points[:, 0] * way[1] - points[:, 1] * way[0])


def _along(chain: _Chain, index: Ints) -> list[Floats]:
    """Return places along the segments between nodes of a run."""
    from silhueta.core.fitting.fit import along

    return [
        np.array(along(chain.nodes[a], chain.nodes[b], float(chain.bulges[a]), share))
        for a, b in zip(index[:-1], index[1:], strict=True)
        for share in _SAMPLES
    ]


def _put(chain: _Chain, index: Ints, places: Floats, bulges: Floats) -> _Chain | None:
    """Return the chain with nodes in place of those of a run."""
    n = len(chain.nodes)
    if n - len(index) + len(places) < _LEAST_LINE or len(index) <= len(places):
        return None
    kept = (np.arange(n - len(index)) + index[-1] + 1) % n
    return _Chain(
        np.vstack([places, chain.nodes[kept]]), np.concatenate([bulges, chain.bulges[kept]])
    )

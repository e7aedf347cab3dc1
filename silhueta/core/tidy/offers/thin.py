"""Offer: fewer nodes, with the outline no farther off than a tolerance.

Words used here
    sample     a point of the path that is held against what takes its place: every node, and
               points between on arcs and curves
    stop       a sample that is a node of what takes its place
    reach      how far ahead one line or arc, from stop to stop, stays within the tolerance

Stops are walked greedily from node to node, each segment as long as it can be. Then all nodes
move together to where the segments lie best, and joints become tangent where the path is smooth,
by the same fitting as a trace's. What comes out is held against the path both ways; where it is
farther off than the tolerance, the stops as they were walked stand.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import EditError
from silhueta.core.fitting.fit import smoothed
from silhueta.core.fitting.settle import settle
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten_indexed
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop, Path, circle_loop
from silhueta.core.tidy.offers.offer import Item, Offer, Search, with_paths
from silhueta.core.tidy.offers.walk import FULLEST, distances, one_segment, walk

_CORNER = np.radians(20.0)  # a node that turns by more, between long segments, stays a node
_LONG = 4.0  # tolerances, that such segments are long
_CHORD = 0.05  # of the tolerance, that samples may be off arcs and curves
_NEARLY = 0.97  # of it, that may be measured: between the places measured it may be a little more
_INNER = 0.9  # of the tolerance, within which stops are walked: the rest is for moving them
_CALM = 0.6  # of it, which leaves room for tangent joints
_WORTH = 1.1  # how many more nodes smooth joints are worth
_SMOOTH = np.radians(35.0)  # joints that turn by less become tangent where that may be
_UNIT = 0.5  # px: what the fitting takes for a tolerance
_ROUNDS = 20  # that segments are put back where they were walked
_ENOUGH = 32  # samples a segment
_FLAT = 0.02  # of the tolerance: an arc that rises less is a line


@dataclass(frozen=True, eq=False)
class Thinned:
    """A path with fewer nodes, how many fewer, and how far it leaves the other, mm."""

    path: Path
    spared: int
    deviation: float


def find(search: Search) -> list[Item]:
    """Return the contours that have nodes to spare."""
    items = []
    tolerance = search.limits.tolerance
    if not tolerance:
        return []
    for number, (i, contour) in enumerate(search.contours):
        search.work.step(number / len(search.contours))
        made = thinned(contour.path, tolerance)
        if made.spared > 0:
            x, y = contour.path.nodes[0].tolist()
            items.append(Item((x, y), (i,), made))
    return items


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Return the outline with the thinned paths, but none that would cross itself or others."""
    paths = {item.contours[0]: item.data.path for item in items}
    for _ in range(4):
        made = with_paths(offer.outline, paths)
        taken = [i for i, c in enumerate(made.contours) if c.taken]
        found = crossings([made.contours[i].path for i in taken])
        before = crossings([offer.outline.contours[i].path for i in taken])
        if len(found) <= len(before):
            return made
        bad = {taken[n] for n in found.paths.ravel().tolist()}
        if not bad & set(paths):
            return made
        paths = {i: path for i, path in paths.items() if i not in bad}
    return offer.outline


def fitted(path: Path, tolerance: float) -> Path:
    """Return lines and arcs, as few as there need be, within `tolerance` mm of `path`."""
    return thinned(path, tolerance).path


def thinned(path: Path, tolerance: float) -> Thinned:
    """Return `path` with the fewest nodes, no farther than `tolerance` off anywhere.

    Parameters
    ----------
    path : Path
    tolerance : float, mm

    Returns
    -------
    Thinned
        The path itself when nothing can be spared. Corners between long segments stay where they
        are; an open path keeps its ends.

    Raises
    ------
    EditError
        If the tolerance is not above zero.

    """
    if not tolerance > 0:
        raise EditError(f"the tolerance must be above 0 mm, got {tolerance:g}")
    same = Thinned(path, 0, 0.0)
    count = len(path.kinds)
    if count < (3 if path.closed else 2):
        return same
    round_one = _as_circle(path, tolerance)
    if round_one is not None:
        return round_one if round_one.spared > 0 else same
    samples, segment, is_node, held = _samples(path, tolerance)
    inner = _INNER * tolerance
    stops = walk(samples, is_node, held, inner, path.closed)
    calm = walk(samples, is_node, held, _CALM * tolerance, path.closed)
    if len(calm) - 1 <= _WORTH * (len(stops) - 1):
        stops, inner = calm, _CALM * tolerance
    if len(stops) - 1 < (2 if path.closed else 1):
        return same
    walked = _Chain(samples, stops, *_bulged(samples, stops, inner), path.closed)
    own = _own(segment, stops)
    moved = _moved(walked, own, held, tolerance)
    bad = np.flatnonzero(_too_far(moved, own, tolerance))
    if len(bad):  # what went too far stays where it was walked, and the others settle round it
        held = held.copy()
        held[stops[bad] % len(samples)] = held[stops[bad + 1] % len(samples)] = True
        moved = _moved(walked, own, held, tolerance)
    best = _finished(path, _restored(moved, walked, own, tolerance), own, tolerance)
    best = best or _finished(path, walked, own, tolerance)
    if best is None or best.spared <= 0 or len(crossings([best.path], 0.1 * tolerance, 1)):
        return same
    return best


def _as_circle(path: Path, tolerance: float) -> Thinned | None:
    """Return a loop as a full circle where it is one within the tolerance."""
    from silhueta.core.fitting.circle import fit_circle
    from silhueta.core.geometry.arcs import full_circle
    from silhueta.core.geometry.measure import signed_area
    from silhueta.core.geometry.nesting import reverse_loop

    if not isinstance(path, Loop) or len(path.kinds) < 3:
        return None
    if full_circle(path) is not None:
        return None
    points, _ = flatten_indexed(path, _CHORD * tolerance)
    if len(points) < 8:
        return None
    middle = points.mean(axis=0)
    x, y, radius, _, worst = fit_circle(np.ascontiguousarray(points - middle))
    if not (radius > 2 * tolerance and worst <= tolerance):
        return None
    area = signed_area(path)
    if abs(abs(area) - np.pi * radius**2) > 4 * np.pi * radius * tolerance:
        return None
    loop = circle_loop(middle + (x, y), radius)
    # between points, a long straight side lies deeper
    sides = 0.5 * (points + np.roll(points, -1, axis=0)) - middle - (x, y)
    worst = max(worst, float(np.abs(np.hypot(*sides.T) - radius).max()))
    if worst > tolerance:
        return None
    return Thinned(reverse_loop(loop) if area < 0 else loop, len(path.nodes) - 2, worst)


def _samples(
    path: Path, tolerance: float
) -> tuple[Floats, NDArray[np.int64], NDArray[np.bool_], NDArray[np.bool_]]:
    """Return samples (K, 2), their segments, which are nodes, and which of them stay.

    A loop is begun at a node that stays. Long lines have a sample in their middle as well.
    """
    points, segment = flatten_indexed(path, _CHORD * tolerance)
    first = np.concatenate([[True], segment[1:] != segment[:-1]])
    if not path.closed:
        first[-1] = True
    sizes = np.hypot(*(path.ends - path.starts).T)
    halved = np.flatnonzero((path.kinds == LINE) & (sizes > 2 * tolerance))
    if len(halved):
        after = np.flatnonzero(first)[halved] + 1
        middles = 0.5 * (path.starts[halved] + path.ends[halved])
        points = np.insert(points, after, middles, axis=0)
        segment = np.insert(segment, after, halved)
        first = np.insert(first, after, False)
    long_ones = sizes > _LONG * tolerance
    if path.closed:
        beside = long_ones & np.roll(long_ones, 1)
    else:
        beside = np.concatenate([[True], long_ones[1:] & long_ones[:-1], [True]])
    corner = (np.abs(node_turns(path)) > _CORNER) & beside
    if not path.closed:
        corner[[0, -1]] = True
    held = np.zeros(len(points), np.bool_)
    held[np.flatnonzero(first)] = corner
    if path.closed:
        start = int(np.argmax(held))
        if not held.any():
            start = int(np.flatnonzero(first)[int(np.argmax(np.abs(node_turns(path))))])
        points, segment, first, held = (
            np.roll(values, -start, axis=0) for values in (points, segment, first, held)
        )
    return np.ascontiguousarray(points), segment.astype(np.int64), first, held


class _Chain(NamedTuple):
    """Stops among samples, and the nodes and bulges that run between them.

    nodes : (m, 2), bulges : (m,) of a loop; (m + 1, 2), (m,) of an open path with m segments.
    """

    points: Floats
    stops: NDArray[np.int64]
    nodes: Floats
    bulges: Floats
    closed: bool


def _bulged(points: Floats, stops: NDArray[np.int64], within: float) -> tuple[Floats, Floats]:
    """Return nodes and bulges of the walked segments."""
    bulges = np.array(
        [one_segment(points, a, b, within)[1] for a, b in zip(stops, stops[1:], strict=False)]
    )
    closed = stops[-1] == len(points)
    nodes = points[stops[:-1]] if closed else points[stops]
    return nodes.copy(), bulges


def _own(segment: NDArray[np.int64], stops: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return which segment of the path each stretch is, or -1."""
    first, last = segment[stops[:-1]], segment[stops[1:] - 1]
    return np.where(first == last, first, -1)


def _moved(
    chain: _Chain, own: NDArray[np.int64], held: NDArray[np.bool_], tolerance: float
) -> _Chain:
    """Return the chain with nodes and bulges where they lie best, smooth where they may be."""
    unit = _UNIT / tolerance  # the fitting thinks in pixels, and of half of one as a tolerance
    middle = chain.points.mean(axis=0)
    points, stops = _fewer(chain.points, chain.stops)
    points = np.ascontiguousarray((points - middle) * unit)
    nodes = np.ascontiguousarray((chain.nodes - middle) * unit)
    bulges = chain.bulges.copy()
    fixed = held[chain.stops[:-1] % len(held)] | (own >= 0) | (np.roll(own, 1) >= 0)
    if not chain.closed:
        fixed = np.append(fixed, True)
        fixed[0] = True
        if own[-1] < 0 and len(own) > 1 and own[0] >= 0:
            fixed[1] = True
        bulges = np.append(bulges, 0.0)
        stops = np.append(stops, stops[-1])  # an unseen segment back, without points
    free = np.zeros(len(nodes), np.bool_)
    settle(points, stops, nodes, bulges, free, fixed, 0.0)
    nodes, bulges = smoothed(points, stops, nodes, bulges, fixed, _UNIT, 0.0, 1e9, _SMOOTH)
    where = np.flatnonzero(fixed)
    nodes = nodes / unit + middle
    nodes[where] = chain.nodes[where]
    return chain._replace(nodes=nodes, bulges=bulges[: len(chain.bulges)])


def _fewer(points: Floats, stops: NDArray[np.int64]) -> tuple[Floats, NDArray[np.int64]]:
    """Return no more samples than it takes to lay segments well, and the stops among them."""
    step = len(points) // (_ENOUGH * len(stops))
    if step < 2:
        return points, stops
    kept = np.zeros(len(points), np.bool_)
    kept[::step] = True
    kept[stops % len(points)] = True
    return points[kept], np.searchsorted(np.flatnonzero(kept), stops)


def _restored(moved: _Chain, walked: _Chain, own: NDArray[np.int64], tolerance: float) -> _Chain:
    """Return the moved chain with the segments that are too far off as they were walked."""
    nodes, bulges = moved.nodes.copy(), moved.bulges.copy()
    bad = _too_far(moved, own, tolerance)
    for _ in range(_ROUNDS):
        if not bad.any():
            break
        at = np.flatnonzero(bad)
        ends = (at + 1) % len(nodes)
        nodes[at], nodes[ends] = walked.nodes[at], walked.nodes[ends]
        bulges[at] = walked.bulges[at]
        moved = moved._replace(nodes=nodes, bulges=bulges)
        beside = bad.copy()  # only these, and those next to them, lie elsewhere now
        for step in (-2, -1, 1, 2):
            beside |= np.roll(bad, step)
        bad = _too_far(moved, own, tolerance, beside)
    return moved


def _too_far(
    chain: _Chain,
    own: NDArray[np.int64],
    tolerance: float,
    which: NDArray[np.bool_] | None = None,
) -> NDArray[np.bool_]:
    """Return which segments leave the samples, or the samples them, by more than the tolerance.

    `which`: only these are looked at.
    """
    kept = own >= 0
    skipped = kept if which is None else kept | ~which
    far = distances(*chain[:4], kept, skipped, chain.closed)
    sound = np.isfinite(far) & (np.abs(chain.bulges) <= 2 * FULLEST)
    return ~(sound & (far <= _NEARLY * tolerance)) & ~skipped


def _finished(
    path: Path, chain: _Chain, own: NDArray[np.int64], tolerance: float
) -> Thinned | None:
    """Return the chain as a path; what is a segment of the path as it was is that very segment.

    None where it would be too little, or farther off than the tolerance.
    """
    kept = own >= 0
    ends = np.roll(chain.nodes, -1, axis=0) if chain.closed else chain.nodes[1:]
    starts = chain.nodes if chain.closed else chain.nodes[:-1]
    rise = 0.5 * np.abs(chain.bulges) * np.hypot(*(ends - starts).T)
    bulges = np.where(rise < _FLAT * tolerance, 0.0, chain.bulges)
    kinds = np.where(bulges == 0, LINE, ARC).astype(np.uint8)
    kinds[kept], bulges[kept] = path.kinds[own[kept]], path.bulges[own[kept]]
    controls = np.zeros((len(own), 2, 2))
    controls[kept] = path.controls[own[kept]]
    if len(kinds) < 2 + int(chain.closed and not kinds.any()) and chain.closed:
        return None
    far = distances(chain.points, chain.stops, chain.nodes, bulges, kept, kept, chain.closed)
    far = np.where(kept, 0.0, far)
    if not (far <= tolerance).all():
        return None
    made = type(path)(chain.nodes, kinds, bulges, controls)
    return Thinned(made, len(path.nodes) - len(made.nodes), float(far.max(initial=0.0)))

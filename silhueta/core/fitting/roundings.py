"""Corners of a loose fit that are none: the contour plainly rounds them.

What a segment costs follows from the errors of a photo's whole edge. They may be some tenths of a
millimetre along one side of a part, as in its shadow, and far less along another; there one price
for all makes a corner of a rounding. So each corner that the contour stays clear of is tried as an
arc that touches both its sides, and held against the errors that are left just there: what neither
noise nor its reach along the edge explains is a rounding.

Words used here
    reach   points of the contour from the corner to where the arc touches a side
    worth   by how much an arc lowers the squared residuals, over what one more free number would
            lower them by if only errors were there

References
----------
G. E. P. Box and G. M. Jenkins, "Time Series Analysis", 1970, for errors that go along: so many
neighbouring points tell as much as one that stands alone.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.fitting.joints import bulge_through, clamped, tangent_turn
from silhueta.core.fitting.segments import Ints
from silhueta.core.fitting.settle import Flags, settle
from silhueta.core.geometry.path import Floats

_CLEAR = 1.0  # px that the contour stays away from a corner, from which it may be a rounding
_WORTH = 24.0
_LEAST = 0.1  # px of error, below which none is believed
_SHAPE = 3.0  # free numbers of the two sides and the arc between them
_SHORTEST, _ENDS = 12, 3  # points of an arc, and of a side beside it, at least
_REACHES = (0.7, 1.0, 1.5, 2.2)  # of the reach that the distance at the corner tells
_FEWEST, _ROUNDS, _AGAIN = 6, 6, 3
_TOUCHES = 2e-3  # radians of turn where arc and side touch
_BULGIEST, _HARDLY = 2.0, 1e-3
_LEAST_TURN = 0.06  # radians at a corner


class Tied(NamedTuple):
    """A closed chain of m segments through a contour.

    points : (n, 2), px, begun at a breakpoint
    stops : (m + 1,), breakpoints from 0 to n
    nodes, bulges : (m, 2), px, and (m,)
    tangent : (m,), joints at which the path does not turn
    """

    points: Floats
    stops: Ints
    nodes: Floats
    bulges: Floats
    tangent: Flags


class _Arc(NamedTuple):
    """A joint as an arc: two segments on each side, whose outer ends stay, and it between them."""

    joint: int
    worth: float
    stops: Ints  # (6,), from the first node of the five
    nodes: Floats  # (6, 2), px
    bulges: Floats  # (6,); the last is of no segment
    tangent: Flags  # (6,)


def with_roundings(chain: Tied, along: float, trim: float) -> Tied:
    """Return a chain with arcs for those of its corners that the contour plainly rounds.

    Parameters
    ----------
    chain : Tied
    along : float
        Points over which errors go along.
    trim : float, px
        What blur has rounded at both sides of a corner.

    """
    begun, fresh = chain, np.ones_like(chain.tangent)
    for _ in range(_ROUNDS):
        if len(chain.nodes) < _FEWEST:
            break
        corners = np.flatnonzero(~chain.tangent).tolist()
        # round what is as it was, the answer is, too
        changed = [k for k in corners if fresh[_about(chain, k)].any()]
        tried = (_tried(chain, k, along, trim) for k in changed)
        found = sorted((arc for arc in tried if arc is not None), key=lambda arc: -arc.worth)
        if not found:
            break
        chain, fresh = _taken(chain, found)
    if chain is not begun:
        free = np.zeros_like(chain.tangent)
        settle(chain.points, chain.stops, chain.nodes, chain.bulges, chain.tangent, free, trim)
    return chain


def _about(chain: Tied, joint: int) -> list[int]:
    """Return the five nodes about a joint."""
    return [(joint + step) % len(chain.nodes) for step in range(-2, 3)]


def _tried(chain: Tied, joint: int, along: float, trim: float) -> _Arc | None:
    """Return a joint as the arc that explains most, None where none explains enough."""
    near = _about(chain, joint)
    lengths = [int(chain.stops[k + 1] - chain.stops[k]) for k in near[:4]]
    stops = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    at = (chain.stops[near[0]] + np.arange(stops[-1] + 1)) % len(chain.points)
    points = np.ascontiguousarray(chain.points[at])
    nodes = chain.nodes[near]
    bulges = np.append(chain.bulges[near[:4]], 0.0)
    sides = slice(int(stops[1]), int(stops[3]))
    # at their far ends is what the next corners leave
    close = slice(int(stops[1] + stops[2]) // 2, int(stops[2] + stops[3]) // 2)
    gap = float(np.hypot(*(points[sides] - nodes[2]).T).min())
    alone = (stops[3] - stops[1]) / along  # points that tell as much as all of the sides
    if gap < _CLEAR or alone <= _SHAPE + 1:
        return None
    before = squares(points, stops, nodes, bulges)
    tangent = np.append(chain.tangent[near], False)
    best = None
    for places in _reaches(stops, gap, tangent_turn(nodes, bulges, 2)):
        arc = _settled(points, (stops, nodes, bulges), places, tangent, trim)
        if arc is None:
            continue
        after = squares(points, arc.stops, arc.nodes, arc.bulges)
        left = float(after[close].mean()) * alone / (alone - _SHAPE)
        worth = float(before.sum() - after.sum()) / (along * max(left, _LEAST**2))
        if worth > (_WORTH if best is None else best.worth):
            best = arc._replace(joint=joint, worth=worth)
    return best


def _reaches(stops: Ints, gap: float, turn: float) -> Iterator[tuple[int, int]]:
    """Yield where an arc may begin and end that stays so far away from a corner."""
    half = abs(turn) / 2
    if not _LEAST_TURN < 2 * half < np.pi - _LEAST_TURN:
        return
    told = gap / (1 / np.cos(half) - 1) * np.tan(half)
    for share in _REACHES:
        first = max(int(stops[2] - share * told), int(stops[1]) + _ENDS)
        last = min(int(stops[2] + share * told), int(stops[3]) - _ENDS)
        if last - first >= _SHORTEST:
            yield first, last


def _settled(
    points: Floats,
    before: tuple[Ints, Floats, Floats],
    places: tuple[int, int],
    tangent: Flags,
    trim: float,
) -> _Arc | None:
    """Return the chain (stops, nodes, bulges) with an arc between two places, settled."""
    stops, nodes, bulges = before
    first, last = places
    stops = np.array([0, stops[1], first, last, stops[3], stops[4]], np.int64)
    nodes = np.vstack([nodes[:2], points[[first, last]], nodes[3:]])
    bulges = np.array([bulges[0], bulges[1], 1.0, bulges[2], bulges[3], 0.0])
    for k in (1, 2, 3):
        if bulges[k] != 0.0:
            x, y = points[(stops[k] + stops[k + 1]) // 2]
            bulges[k] = bulge_through(points[stops[k]], points[stops[k + 1]], x, y) or _HARDLY
    held = np.array([True, False, False, False, False, True])
    ties = np.array([False, tangent[1], True, True, tangent[3], False])
    for _ in range(_AGAIN):
        settle(points, np.append(stops, stops[-1]), nodes, bulges, ties, held, trim)
        if not (np.isfinite(nodes).all() and np.abs(bulges).max() < _BULGIEST):
            return None
        moved = _nearest(points, stops, nodes)
        if np.diff(moved).min() < _ENDS:
            return None
        if (moved == stops).all():
            break
        stops = moved
    turns = [abs(tangent_turn(nodes, bulges, k)) for k in np.flatnonzero(ties).tolist()]
    return None if max(turns) > _TOUCHES else _Arc(0, 0.0, stops, nodes, bulges, ties)


def _nearest(points: Floats, stops: Ints, nodes: Floats) -> Ints:
    """Return breakpoints at the points nearest to their nodes, about half a segment away."""
    made = stops.copy()
    for k in range(1, len(stops) - 1):
        low, high = (stops[k - 1] + stops[k]) // 2, (stops[k] + stops[k + 1]) // 2
        away = points[low : high + 1] - nodes[k]
        made[k] = low + int(np.hypot(*away.T).argmin())
    return made


def _taken(chain: Tied, found: list[_Arc]) -> tuple[Tied, Flags]:
    """Return the chain with arcs in it, the worthiest first, that do not meet one another.

    And which of its nodes (m,) are not as they were.
    """
    rows = [
        [(int(stop), node, bulge, bool(tangent), False)]
        for stop, node, bulge, tangent in zip(
            chain.stops[:-1], chain.nodes, chain.bulges, chain.tangent, strict=True
        )
    ]
    changed: set[int] = set()
    for arc in found:
        near = _about(chain, arc.joint)
        if changed & set(near):
            continue
        changed |= set(near[:4])
        ahead = [int(chain.stops[k + 1] - chain.stops[k]) for k in near[:4]]
        was = np.cumsum([0, *ahead])
        for old, new in ((0, (0,)), (1, (1,)), (2, (2, 3)), (3, (4,))):
            rows[near[old]] = [
                (
                    int(chain.stops[near[old]] + arc.stops[k] - was[old]),
                    arc.nodes[k],
                    arc.bulges[k],
                    rows[near[old]][0][3] if old == 0 else bool(arc.tangent[k]),
                    True,
                )
                for k in new
            ]
    flat = [row for some in rows for row in some]
    begun, count = flat[0][0], len(chain.points)
    made = Tied(
        np.ascontiguousarray(np.roll(chain.points, -begun, axis=0)),
        np.array([*(row[0] - begun for row in flat), count], np.int64),
        np.array([row[1] for row in flat]),
        np.array([row[2] for row in flat]),
        np.array([row[3] for row in flat], np.bool_),
    )
    return made, np.array([row[4] for row in flat], np.bool_)


@compiled
def squares(points: Floats, stops: Ints, nodes: Floats, bulges: Floats) -> Floats:
    """Return the squared distance of each point from an open chain's segments near it, px²."""
    many = len(stops) - 1
    out = np.zeros(len(points))
    for k in range(many):
        for i in range(stops[k], stops[k + 1] + 1):
            best = np.inf
            for s in range(max(k - 1, 0), min(k + 2, many)):
                x, y = points[i]
                best = min(best, clamped(nodes[s], nodes[s + 1], bulges[s], x, y))
            out[i] = best * best
    return out

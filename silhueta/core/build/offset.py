"""Outlines grown or shrunk: every edge moved aside, arcs stay arcs.

Words used here
    raw path   each segment moved aside by itself, joined to the next: it crosses itself wherever
               the outline is narrower than the offset
    join       what fills the gap at a corner that opens: an arc, a sharp tip, or a straight cut
    detour     at a corner that closes: by way of the corner itself

Of all places that raw paths go round, those are of the result that they go round counter-clockwise
(X. Chen and S. McMains, "Polygon offsetting by computing winding numbers", ASME DETC 2005-85513).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np

from silhueta.core.build.kept import kept
from silhueta.core.build.trimmed import TIP, cusps, cut_off, trimmed
from silhueta.core.errors import EditError
from silhueta.core.fitting.fit import along
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import box_of, signed_area
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop
from silhueta.core.geometry.region.region import covered

Corners = Literal["round", "sharp", "flat"]
_CURVE = 0.002  # mm, within which cubics are arcs first
_TURN = 1e-7  # radians, under which a joint goes on smoothly
_PIECE = math.radians(15)  # of an arc that closes, a chord
_SHORT = 1e-9  # mm
_SLIVER = 1e-6  # mm²


def offset(loops: Sequence[Loop], by: float, corners: Corners = "round") -> list[Loop]:
    """Return the outline of what `loops` enclose, grown by so many mm, or shrunk below zero.

    Parameters
    ----------
    loops : sequence of Loop
        Solids and holes by how they lie in each other, mm. Cubics become arcs first.
    by : float, mm
    corners : {"round", "sharp", "flat"}
        What fills corners that open.

    Returns
    -------
    list of Loop
        Solids counter-clockwise, holes clockwise; empty where nothing is left.

    Raises
    ------
    EditError
        If `by` is no number.

    """
    if not math.isfinite(by):
        raise EditError("an offset must be a length")
    plain = [loop for loop in map(_plain, loops) if abs(signed_area(loop)) > _SLIVER]
    if by == 0 or not plain:
        return plain
    whole = orient(plain, nest(plain))
    # a solid no broader than twice what it shrinks by is gone, without looking closer
    solid = [loop for loop in whole if signed_area(loop) < 0 or _narrow(loop) > -2 * by]
    if not any(signed_area(loop) > 0 for loop in solid):
        return []
    if len(solid) == len(whole) and not any(cusps(loop).any() for loop in solid):
        plainly = trimmed(solid, by, corners)
        if plainly is None and corners == "round":
            plainly = kept(solid, by)
        if plainly is not None:
            return plainly
    raw = [path for path in (_raw(loop, by, corners) for loop in solid) if path is not None]
    return [loop for loop in covered(raw, "positive") if abs(signed_area(loop)) > _SLIVER]


def _narrow(loop: Loop) -> float:
    left, bottom, right, top = box_of(loop)
    return min(right - left, top - bottom)


def _plain(loop: Loop) -> Loop:
    made = with_arcs(loop, _CURVE)
    assert isinstance(made, Loop)
    return made


def _without_closed(loop: Loop, by: float) -> Loop:
    """Return the loop with chords in place of arcs that close: of a radius less than the offset.

    Nothing of such an arc is in the result, and its chords take back what it would go round.
    """
    chords = np.hypot(*(loop.ends - loop.starts).T)
    bulges = loop.bulges
    with np.errstate(divide="ignore", invalid="ignore"):
        radii = chords * (1 + bulges**2) / (4 * np.abs(bulges))
    closing = (bulges * by < 0) & (radii <= abs(by))
    if not closing.any():
        return loop
    nodes: list[Floats] = []
    out: list[float] = []
    for k in range(len(bulges)):
        nodes.append(loop.starts[k])
        out.append(0.0 if closing[k] else float(bulges[k]))
        if closing[k]:
            count = max(2, math.ceil(4 * abs(math.atan(bulges[k])) / _PIECE))
            for n in range(1, count):
                place = along(loop.starts[k], loop.ends[k], float(bulges[k]), n / count)
                nodes.append(np.array(place))
                out.append(0.0)
    made = np.array(out)
    return Loop(np.array(nodes), np.where(made != 0, ARC, LINE).astype(np.uint8), made)


def _raw(loop: Loop, by: float, corners: Corners) -> Loop | None:
    """Return the raw path of a loop, its solid on the left."""
    loop = _without_closed(loop, by)
    starts, ends, bulges = loop.starts, loop.ends, loop.bulges
    chords = ends - starts
    angle = np.arctan2(chords[:, 1], chords[:, 0])
    half = 2 * np.arctan(bulges)
    first, last = angle - half, angle + half  # ways at both ends of each segment
    nodes: list[Floats] = []
    out: list[float] = []

    def go(to: Floats, bulge: float = 0.0) -> None:
        """Go on to a place; `out` holds the bulge after each node."""
        if np.hypot(*(to - nodes[-1])) > _SHORT:
            out.append(bulge)
            nodes.append(to)

    count = len(starts)
    cusp = cusps(loop)
    some = [k for k in range(count) if np.hypot(*chords[k]) > _SHORT]
    if not some:
        return None
    nodes.append(starts[some[0]] + by * _right(first[some[0]]))
    for n, k in enumerate(some):
        go(ends[k] + by * _right(last[k]), float(bulges[k]))
        q = some[(n + 1) % len(some)]
        after = starts[q] + by * _right(first[q])
        turn = math.remainder(float(first[q] - last[k]), 2 * math.pi)
        if cusp[k]:
            turn = math.copysign(math.pi, cusp[k])
        if abs(turn) < _TURN:
            go(after)
        elif turn * by < 0:
            go(ends[k])
            go(after)
        elif corners == "round":
            go(after, math.tan(turn / 4))
        else:
            mid = turn / 2
            tip = 1 / max(math.cos(mid), 1e-9)
            if corners == "sharp" and tip <= TIP:
                go(ends[k] + by * tip * _right(float(last[k]) + mid))
            elif corners == "sharp":  # cut off square at the limit
                on = by * cut_off(mid)
                go(nodes[-1] + on * _ahead(float(last[k])))
                go(after - on * _ahead(float(first[q])))
            go(after)
    if np.hypot(*(nodes[-1] - nodes[0])) <= _SHORT and len(nodes) > 1:
        nodes.pop()
    else:
        out.append(0.0)
    made = np.array(out)
    if len(nodes) < (2 if made.any() else 3):
        return None
    return Loop(np.array(nodes), np.where(made != 0, ARC, LINE).astype(np.uint8), made)


def _ahead(way: float) -> Floats:
    return np.array([math.cos(way), math.sin(way)])


def _right(way: float) -> Floats:
    return np.array([math.sin(way), -math.cos(way)])


def outer_only(loops: Sequence[Loop]) -> list[Loop]:
    """Return the loops that nothing lies around."""
    depth = nest(loops).depth
    return [loop for loop, d in zip(loops, depth.tolist(), strict=True) if d == 0]

"""Whether a part's walls are dark like its face or light like what it lies on, told by round holes.

Words used here
    lit     of walls: as light as the ground, as a dark plate's freshly cut ones are
    round   a ring that is a circle in one of the two readings

Where a single step is seen across an edge, it may be the edge of the face beside a lit wall, or the
foot of a wall that looks like the face. The two lie a wall's width apart, and no light tells them
from each other. The shape does: the wall shows only on the side of a hole that is far from the
camera, so the wrong reading moves one half of the hole away from the other. A round hole is one
circle in the right reading, and none in the other. A part has walls of one kind. Where no hole
tells which, and the walls look just like the face, the outline may be off by their width.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.datum.edges import sample
from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.part.border import Sight, border, outward_of, wall_beside

_ROUND = 0.5  # px, root mean square, that a ring may leave its circle by
_ASIDE = 0.3  # of the width of its wall, by which a round ring read wrong leaves its circle
_AS_LONG = 1.25  # times as long as its circle, that a round ring is at most
_LEAST = 40  # points of a ring that tell its circle
_SHOWN = 1.0  # px of wall, from which the two readings differ
_RATHER = 2.2  # times the squares that one reading leaves, from which it is the other
_CLEARLY = 0.15  # px, root mean square, that it leaves beyond the other
_ENOUGH = 8  # round rings that are asked
_WIDE = 3.0  # px of wall whose own light is seen
_LIKE = 0.15  # of the logarithm of light, by which walls and face that look alike differ


class Kind(NamedTuple):
    """Whether walls are as light as the ground, and whether a hole told so, or the contrary."""

    lit: bool
    told: bool


def kind_of_walls(roughs: Sequence[Floats], rings: Sequence[Floats], sight: Sight) -> Kind:
    """Return of which kind a part's walls are.

    Parameters
    ----------
    roughs, rings : sequences of (N, 2), px
        The outlines as `border` takes them, and what it made of them.
    sight : Sight
        What they are seen in, walls taken to be dark.

    """
    if sight.walls is None or sight.alike:
        return Kind(lit=False, told=False)
    asked = []
    for rough, ring in zip(roughs, rings, strict=True):
        wide = float(wall_beside(ring, sight).max(initial=0.0))
        if len(ring) <= _LEAST or wide <= _SHOWN:
            continue
        off = _off_circle(ring)
        if off < _ROUND + _ASIDE * wide:
            asked.append((wide, rough, len(ring), off))
    dark = lit = points = 0.0
    for _, rough, count, off in sorted(asked, key=lambda one: -one[0])[:_ENOUGH]:
        other = _off_circle(border(rough, sight._replace(lit=True)))
        if min(off, other) < _ROUND:
            dark += count * off**2
            lit += count * other**2
            points += count
    more, less = max(dark, lit), min(dark, lit)
    told = more > _RATHER * less and more - less > _CLEARLY**2 * points
    return Kind(told and dark > lit, told)


def open_wall(rings: Sequence[Floats], sight: Sight) -> float:
    """Return how wide walls are that look just like the face, px; 0: none do.

    What is taken for wall may be face there, with a lit wall beyond it.
    """
    widest = 0.0
    for ring in rings if not sight.alike else ():
        wide = wall_beside(ring, sight)
        there = wide > _WIDE
        if there.sum() < _LEAST:
            continue
        at, outward, wide = ring[there], outward_of(ring)[there], wide[there]
        face, wall = (
            np.log(sample(sight.light, (at + d[:, None] * outward)[:, None]).mean(-1) + 0.01)
            for d in (np.full(len(wide), -_WIDE), wide / 2)
        )
        if abs(float(np.median(wall - face))) < _LIKE:
            widest = max(widest, float(np.median(wide)))
    return widest


def _off_circle(ring: Floats) -> float:
    """Return the root mean square distance of a ring from its circle, px; infinite without one."""
    _, _, radius, squares, _ = fit_circle(np.ascontiguousarray(ring))
    around = float(np.hypot(*(np.roll(ring, -1, 0) - ring).T).sum())
    # a sliver lies along a circle as large as you like, but does not go round it
    if not 2 * np.pi * radius / _AS_LONG < around < 2 * np.pi * radius * _AS_LONG:
        return np.inf
    return float(np.sqrt(squares / len(ring)))

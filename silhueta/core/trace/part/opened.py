"""Round holes by what they show of the ground: their edges where they are clearest.

A hole's rim is hardly told where the wall below it is as dark as the face, and a broken edge in
shadow looks like the wall. The hole shows it elsewhere: on the far side the rim has ground behind
it, and on the near side the foot has, which is the same circle seen through another known plane.
What all that says is one circle (rounds.py), weighed against the one that was traced.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.rounds import (
    APART,
    FOOT,
    NOISE,
    OPENING,
    RIM,
    TOGETHER,
    LightAt,
    View,
    circle_of,
    edges_of,
    expected,
    noise_of,
)

_ROUND = 1.2  # px, root mean square, that a ring may be off its circle
_REACH = 2.5, 1.8, 1.8, 1.8  # px beside the expected place, where edges are sought, time by time
_DARK, _RIM = 0.2, 0.6  # of what edges of openings must say in all, and those of rims
_CLOSE = 0.2  # px that edges may be off the circle that they say
_TRACED = 0.8  # px by which the circle of a ring is off, before anything else is looked at
_TIMES = 6  # that edges are weighed anew
_SEEN = 1.0  # px that rim and foot must be apart
_INWARD = 0.15  # px that cameras move the edge of what is dark towards the light
_HOOK, _SHOWN = 1.0, 0.3  # px off the circle, where edges show it so clearly: none of the hole's
_TIMES_OFF = 3.0  # of the noise, within which an edge shows it
_FARTHEST = 2.0  # px by which a circle may be moved


class _Told(NamedTuple):
    """A circle (3,), px, and which ways from its middle, rad, edges show it, (N,), how clearly."""

    circle: Floats
    clear: tuple[Floats, Floats]


def by_openings(ring: Floats, light_at: LightAt, walls: Walls) -> Floats:
    """Return a hole's ring (N, 2), px, moved to where its opening says it is, if it is round.

    In a picture that shows the part as from straight above.
    """
    under = np.array(walls.under)
    view = View(under, walls.ratio, under)
    circle = circle_of(ring, _ROUND)
    if circle is None or view.ratio * float(np.hypot(*(circle[:2] - view.under))) < _SEEN:
        return ring
    told = _told(circle, light_at, view)
    if told is None or np.abs(told.circle - circle).max() > _FARTHEST:
        return ring
    ring = _unhooked(ring + told.circle[:2] - circle[:2], told)
    x, y, radius, *_ = fit_circle(ring)
    # as uneven as it was: nicks stay, and so does what tells the noise of edges
    return np.asarray(told.circle[:2] + told.circle[2] / radius * (ring - (x, y)))


def _unhooked(ring: Floats, told: _Told) -> Floats:
    """Return a ring without what leaves the circle where edges go on along it."""
    out = ring - told.circle[:2]
    far = np.hypot(*out.T)
    turn = np.arctan2(out[:, 1], out[:, 0])
    clear = np.interp(turn, *told.clear, period=2 * np.pi)
    hooked = (clear > _SHOWN) & (np.abs(far - told.circle[2]) > _HOOK)
    if not hooked.any():
        return ring
    out[hooked] *= (told.circle[2] / far[hooked])[:, None]
    forward = np.sign(np.sin(np.diff(turn)).sum())
    return np.asarray(told.circle[:2] + out[np.argsort(forward * turn)])


def _told(circle: Floats, light_at: LightAt, view: View) -> _Told | None:
    """Return the circle that a hole's edges say; None where they do not say it clearly."""
    noise, clear, traced = NOISE, 0.0, circle
    for reach in _REACH:
        seen = edges_of(light_at, circle[None], view, reach, _DARK)
        if len(seen.far) == 0:
            return None
        many = len(seen.far)
        at, radius = np.broadcast_to(circle[:2], (many, 2)), np.full(many, circle[2])
        should = expected(seen.way, at, np.zeros((many, 2)), radius, view)
        off = seen.far - should[seen.kind, np.arange(many)]
        terms = np.column_stack([seen.way, np.ones(many)])
        before = np.eye(3) / _TRACED, (traced - circle) / _TRACED
        change = np.zeros(3)
        for _ in range(_TIMES):  # weights after Cauchy
            left = (off - terms @ change) / noise
            weight = np.sqrt(seen.weight * APART / TOGETHER / (1 + left**2)) / noise
            rows = np.vstack([weight[:, None] * terms, before[0]])
            given = np.concatenate([weight * off, before[1]])
            change = np.linalg.lstsq(rows, given, rcond=None)[0]
        left = np.abs(off - terms @ change)
        noise = noise_of(left, seen.weight)
        circle, clear = circle + change, float(seen.weight.mean())
    opening = bool((seen.kind == OPENING).all())
    if noise > _CLOSE or clear < (_DARK if opening else _RIM):
        return None
    shown = seen.weight * (left < _TIMES_OFF * noise)
    main = seen.kind == seen.kind[0]
    # where a foot is seen, it is the rim further out that it tells of
    places = at + seen.far[:, None] * seen.way
    above = view.under + (1 + view.ratio) * (places - view.under)
    foot = (seen.kind != RIM) & (should[FOOT] < should[RIM])
    way = (np.where(foot[:, None], above, places) - circle[:2])[main]
    moved = np.array([0.0, 0.0, _INWARD if opening else 0.0])
    return _Told(circle + moved, (np.arctan2(way[:, 1], way[:, 0]), shown[main]))

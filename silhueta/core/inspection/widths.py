"""How thick the part is along its outline: the largest circle inside that touches each place.

Circles are shrunk until they hold no other place of the outline (J. Ma, S. W. Bae and S. Choi, "3D
medial axis point approximation using nearest neighbors and the normal field", The Visual Computer
28, 2012: shrinking balls), on points that lie close together along it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.march import march
from silhueta.core.geometry.measure import bounding_box, length_of
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Loop

_MOST = 60_000  # points along all loops; more take seconds and look no different
_TOUCHED = 8  # places of the outline next to a circle, that may touch it
_ROUNDS = 40  # of shrinking: most circles are done in five
_SAME = 1e-9  # mm: what is nearer to nothing than this came of rounding
_SQUARE = 0.97  # of a circle's width, that the line between the places it touches must be long
_WINDOW = 12  # steps both ways, in which a web is the thinnest: less is the raggedness of a trace
_TIP = 6  # steps along the outline round a corner, within which a circle lies in its tip
# widths, and steps, between two places that are told: nearer ones are one web
_APART, _STEPS_APART = 4.0, 24.0  # whichever is more


class Widths(NamedTuple):
    """Places along the outline, and how thick the part is there.

    points : (N, 2), mm
    loop : (N,)
        Which loop each is on.
    thick : (N,), mm
    across : (N, 2), mm
        The place on the other side that the circle touches.
    step : float, mm
        How far apart the points are.
    """

    points: Floats
    loop: NDArray[np.int64]
    thick: Floats
    across: Floats
    step: float


def widths(loops: Sequence[Loop], step: float = 0.25) -> Widths:
    """Return how thick what `loops` enclose is along them, every `step` mm (or a little more).

    The thickness beside a corner is small by its nature; at a web it is the web's width.
    """
    from scipy.spatial import cKDTree

    empty = np.zeros((0, 2))
    if not loops:
        return Widths(empty, np.zeros(0, np.int64), np.zeros(0), empty, step)
    step = max(step, sum(length_of(loop) for loop in loops) / _MOST)
    turned = orient(list(loops), nest(list(loops)))
    marched = [march(loop, min(step, length_of(loop) / 12)) for loop in turned]
    points = np.concatenate([p for p, _ in marched])
    inward = np.concatenate([normals for _, normals in marched])
    number = np.concatenate([np.full(len(p), k) for k, (p, _) in enumerate(marched)])
    left, bottom, right, top = bounding_box(loops)
    radius = np.full(len(points), float(np.hypot(right - left, top - bottom)))
    across = points + 2 * radius[:, None] * inward
    tree = cKDTree(points)
    active = np.arange(len(points))
    for _ in range(_ROUNDS):
        p, n, r = points[active], inward[active], radius[active]
        centre = p + r[:, None] * n
        found = tree.query(centre, k=2)
        far, which = np.asarray(found[0]), np.asarray(found[1])
        own = which[:, 0] == active
        other = np.where(own, which[:, 1], which[:, 0])
        reach = np.where(own, far[:, 1], far[:, 0])
        touching = reach >= r * (1 - 1e-6) - _SAME
        q = points[other] - p
        ahead = (q * n).sum(1)
        smaller = np.where(ahead > _SAME, (q * q).sum(1) / (2 * np.maximum(ahead, _SAME)), r)
        shrink = ~touching & (smaller < r)
        radius[active[shrink]] = smaller[shrink]
        across[active[shrink]] = points[other[shrink]]
        active = active[shrink]
        if not len(active):
            break
    # where a circle touches several places, the one right across is what its width is told by
    centre = points + radius[:, None] * inward
    found = tree.query(centre, k=min(_TOUCHED, len(points)))
    far, which = np.asarray(found[0]), np.asarray(found[1])
    touched = far <= (radius + step * step / np.maximum(4 * radius, step) + _SAME)[:, None]
    apart = np.hypot(*np.moveaxis(points[which] - points[:, None], 2, 0))
    best = np.where(touched, apart, -1.0).argmax(1)
    every = np.arange(len(points))
    better = apart[every, best] > np.hypot(*(across - points).T)
    better &= touched[every, best]
    across[better] = points[which[every, best]][better]
    return Widths(points, number.astype(np.int64), 2 * radius, across, step)


def outline_widths(outline: Outline, step: float) -> Widths:
    """Return how thick an outline is along it, mm: each colour is a piece of its own."""
    groups = [[p for p in paths if isinstance(p, Loop)] for _, paths in outline.groups]
    each = [widths(loops, step) for loops in groups if loops] or [widths([], step)]
    before = np.cumsum([0, *(len(loops) for loops in groups if loops)])
    return Widths(
        np.concatenate([one.points for one in each]),
        np.concatenate([one.loop + n for one, n in zip(each, before.tolist(), strict=False)]),
        np.concatenate([one.thick for one in each]),
        np.concatenate([one.across for one in each]),
        max(one.step for one in each),
    )


def thinnest(made: Widths, most: int) -> list[int]:
    """Return the thinnest places by their numbers, apart from each other, no corners among them.

    A web is thinner than what goes on from it both ways along the outline, and the line between the
    places that its circle touches is as long as the circle is wide. A tip grows thinner to its end.
    """
    if not len(made.points):
        return []
    way = made.across - made.points
    size = np.hypot(way[:, 0], way[:, 1])
    good = (size > _SQUARE * made.thick) & _least_about(made) & ~_at_tip(made)
    places = np.flatnonzero(good)
    order = places[np.argsort(made.thick[places], kind="stable")]
    middles = made.points + way / 2
    found: list[int] = []
    for k in order.tolist():
        near = [
            np.hypot(*(middles[k] - middles[j]))
            < max(_APART * made.thick[j], _STEPS_APART * made.step)
            for j in found
        ]
        if not any(near):
            found.append(k)
        if len(found) == most:
            break
    return found


def _least_about(made: Widths) -> NDArray[np.bool_]:
    """Return which places are as thin as any within some steps along their loop, (N,)."""
    from scipy.ndimage import minimum_filter1d

    found = np.zeros(len(made.thick), bool)
    for number in np.unique(made.loop):
        own = np.flatnonzero(made.loop == number)
        thick = made.thick[own]
        low = minimum_filter1d(thick, min(2 * _WINDOW + 1, len(own)), mode="wrap")
        found[own] = thick <= low * (1 + 1e-6) + _SAME
    return found


def _at_tip(made: Widths) -> NDArray[np.bool_]:
    """Return which circles touch the outline twice close to one of its corners, (N,)."""
    from scipy.spatial import cKDTree

    other = np.asarray(cKDTree(made.points).query(made.across)[1])
    every = np.arange(len(other))
    first = np.searchsorted(made.loop, made.loop)
    many = np.searchsorted(made.loop, made.loop, side="right") - first
    along = np.abs(other - every)
    along = np.minimum(along, many - along)
    return np.asarray((made.loop[other] == made.loop) & (along <= _TIP))

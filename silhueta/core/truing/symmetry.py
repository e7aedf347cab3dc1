"""Whether a part is the same on both sides of a line, and which edge answers which.

Words used here
    axis     a line, by its angle and its distance from the part's middle
    answers  the edge or hole that another one lies on when the part is folded over the axis

The axis is sought by folding the outline's points over lines of all angles through its middle, and
settled by least squares over what answers what.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats
from silhueta.core.relations import Ref, Relation
from silhueta.core.truing.features import Feature, Noise
from silhueta.core.truing.offer import BEFORE, TruingOffer

_ANGLES = 90  # of axes tried, in half a turn
_POINTS = 600  # of the outline that are folded
_CLOSE = 0.04  # of the part's size, that folded points may be off by for an axis to be looked at
_OFF = 4.0  # uncertainties, that what answers may be off by
_LEAST = 3  # edges and holes that answer each other
_MOST = 300  # features, of which each is held against all others
_AXES = 2  # that are told at most


class _Axis(NamedTuple):
    """A line through a place (x, y), mm, at an angle."""

    x: float
    y: float
    angle: float

    def fold(self, points: Floats) -> Floats:
        """Return points (N, 2) on the other side."""
        c, s = math.cos(2 * self.angle), math.sin(2 * self.angle)
        off = points - (self.x, self.y)
        return np.asarray(off @ np.array([[c, s], [s, -c]]) + (self.x, self.y))


def symmetries(outline: Outline, found: list[Feature], noise: Noise) -> Iterator[TruingOffer]:
    """Yield an offer for each axis over which the part answers itself."""
    paths = [c.path for c in outline.contours if c.taken and c.path.closed]
    if not paths or not _LEAST <= len(found) <= _MOST:
        return
    points = np.vstack([_spread(flatten(path, 0.02)) for path in paths])
    for axis in _candidates(points):
        pairs = _answers(found, axis)
        if pairs is None or len(pairs) < _LEAST:
            continue
        axis = _settled(found, pairs, axis)
        off = _offs(found, pairs, axis, noise)
        if off is None or float(off.max(initial=0.0)) > _OFF:
            continue
        # each that answers tells one number: near the axis by chance within the part's size
        told = len(off) - 2
        size = float(np.ptp(points, axis=0).max())
        log = math.log(BEFORE["symmetric"] / (1 - BEFORE["symmetric"]))
        log += told * math.log(size / max(noise.point + noise.whole, 1e-3) / 10)
        log -= 0.5 * float((off**2).sum())
        share = 1 / (1 + math.exp(-min(max(log, -50.0), 50.0)))
        refs = tuple(ref for a, b in pairs for ref in (found[a].ref, found[b].ref))
        turn = math.degrees(axis.angle) % 180
        worst = _worst(found, pairs, axis)
        yield TruingOffer(
            "symmetric",
            (Relation("symmetric", refs, turn),),
            share,
            f"both sides of a line at {turn:.1f}° agree within {worst:.2f} mm",
            (axis.x, axis.y),
            tuple(sorted({i for pair in pairs for i in pair})),
        )


def _spread(points: Floats) -> Floats:
    closed = np.vstack([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(_POINTS // 2, 40), endpoint=False)
    return np.column_stack([np.interp(at, along, closed[:, k]) for k in range(2)])


def _candidates(points: Floats) -> list[_Axis]:
    """Return axes over which the folded points come near to themselves, the best first."""
    from scipy.spatial import cKDTree

    centre = points.mean(axis=0)
    size = float(np.ptp(points, axis=0).max())
    tree = cKDTree(points)
    some = points[:: max(1, len(points) // _POINTS)]
    costs = []
    for k in range(_ANGLES):
        axis = _Axis(float(centre[0]), float(centre[1]), math.pi * k / _ANGLES)
        costs.append(float(np.mean(tree.query(axis.fold(some))[0])))
    found: list[_Axis] = []
    for k in np.argsort(costs).tolist():
        here = costs[k]
        if here > _CLOSE * size or len(found) == _AXES:
            break
        if here <= min(costs[k - 1], costs[(k + 1) % _ANGLES]):
            found.append(_refined(some, tree, centre, math.pi * k / _ANGLES))
    return found


def _refined(points: Floats, tree: object, centre: Floats, angle: float) -> _Axis:
    """Return the axis near an angle that folds the points best, its offset sought as well."""
    from scipy.optimize import minimize

    def cost(v: Floats) -> float:
        axis = _placed(centre, float(v[0]), float(v[1]))
        return float(np.mean(tree.query(axis.fold(points))[0]))  # type: ignore[attr-defined]

    step = math.pi / _ANGLES
    simplex = np.array([[angle, 0.0], [angle + step / 2, 0.0], [angle, 0.5]])
    got = minimize(
        cost, simplex[0], method="Nelder-Mead", options={"initial_simplex": simplex, "maxiter": 60}
    )
    return _placed(centre, float(got.x[0]), float(got.x[1]))


def _placed(centre: Floats, angle: float, aside: float) -> _Axis:
    return _Axis(
        float(centre[0] - aside * math.sin(angle)),
        float(centre[1] + aside * math.cos(angle)),
        angle,
    )


def _answers(found: list[Feature], axis: _Axis) -> list[tuple[int, int]] | None:
    """Return which feature answers which; None where one of some size answers none."""
    pairs = []
    for i, one in enumerate(found):
        x, y = axis.fold(np.array([one.centre]))[0].tolist()
        turned = (2 * axis.angle - one.angle) % math.pi
        best: tuple[float, int] | None = None
        for j, two in enumerate(found):
            if one.kind != two.kind:
                continue
            turn = abs(math.remainder(two.angle - turned, math.pi)) if one.kind == "line" else 0.0
            far = math.hypot(two.centre[0] - x, two.centre[1] - y)
            unlike = far + abs(one.size - two.size) + turn * one.reach
            if best is None or unlike < best[0]:
                best = unlike, j
        if best is None or best[0] > 0.1 * one.reach + 1.0:
            return None
        if i <= best[1]:
            pairs.append((i, best[1]))
    return pairs


def _settled(found: list[Feature], pairs: list[tuple[int, int]], axis: _Axis) -> _Axis:
    """Return the axis that runs midway between the centres that answer each other."""
    apart = [(a, b) for a, b in pairs if a != b]
    places = np.array(
        [[(found[a].centre[k] + found[b].centre[k]) / 2 for k in range(2)] for a, b in apart]
        + [found[a].centre for a, b in pairs if a == b and found[a].kind != "line"]
    )
    if len(places) < 2 or np.ptp(places, axis=0).max() < 1.0:
        return axis
    middle = places.mean(axis=0)
    way = np.linalg.svd(places - middle)[2][0]
    angle = math.atan2(way[1], way[0])
    if abs(math.remainder(angle - axis.angle, math.pi)) > 0.1:
        return axis
    return _Axis(float(middle[0]), float(middle[1]), angle)


def _offs(
    found: list[Feature], pairs: list[tuple[int, int]], axis: _Axis, noise: Noise
) -> Floats | None:
    """Return by how many uncertainties each pair is off across its edge."""
    off = []
    for a, b in pairs:
        one, two = found[a], found[b]
        far = _off(one, two, axis)
        if one.kind == "line":
            sigma = math.hypot(one.offset_sigma, two.offset_sigma)
            turn = math.remainder(2 * axis.angle - one.angle - two.angle, math.pi)
            told = math.hypot(one.angle_sigma, two.angle_sigma)
            off.append(turn / told)
        else:
            sigma = math.hypot(one.offset_sigma, two.offset_sigma)
            off.append((one.radius - two.radius) / math.hypot(one.radius_sigma, two.radius_sigma))
        off.append(far / max(math.hypot(sigma, noise.whole), 1e-6))
    return np.array(off)


def _off(one: Feature, two: Feature, axis: _Axis) -> float:
    x, y = axis.fold(np.array([one.centre]))[0].tolist()
    dx, dy = two.centre[0] - x, two.centre[1] - y
    if one.kind != "line":
        return math.hypot(dx, dy)
    return abs(float(dx) * math.sin(two.angle) - float(dy) * math.cos(two.angle))


def _worst(found: list[Feature], pairs: list[tuple[int, int]], axis: _Axis) -> float:
    return max(_off(found[a], found[b], axis) for a, b in pairs)


def pairs_of(relation: Relation) -> list[tuple[Ref, Ref]]:
    """Return which ref answers which in a symmetric relation."""
    refs = relation.refs
    return list(zip(refs[::2], refs[1::2], strict=True))

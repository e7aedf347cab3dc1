"""One contour as the fewest lines and arcs that keep within the tolerance."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from silhueta.core.compiled import compiled
from silhueta.core.fitting.circle import fit_circle
from silhueta.core.fitting.joints import chain_nodes, clamped, tangent_turn
from silhueta.core.fitting.roundings import Tied, with_roundings
from silhueta.core.fitting.segments import TRIM, Ints, break_open, break_up
from silhueta.core.fitting.settle import Flags, settle
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop, OpenPath, circle_loop
from silhueta.core.trace_settings import DEFAULT_TOLERANCE_PX

_FINEST = 0.12  # px: below this, sub-pixel noise would be followed instead of the edge
_PRICE = 0.2  # of gate², per segment
_NOISIEST = 3.5  # standard deviations of a point that the gate leaves room for
_PARTED = 30.0  # of noise², that a segment must save besides
_PARTED_ALONG, _PARTED_ROUGH = 1.5, 40.0  # the same where neighbours err together, times so many
CORNER = np.radians(35.0)  # radians
_ASIDE, _FEW = 3.0, 0.15  # gates that few of a circle's points may leave it by, and their share
_USUAL = 1.4  # of the error, that a photo's contour is off on the whole
_ENOUGH = 1.5  # gates that a photo's contour may be off in places
_TRIES = 4
_SHORT = 5  # points, under which a chain stays as it is
_RISE = 2e-3  # px
_RAGGED = 0.2  # nodes a point
_SMOOTH = 1e-3  # radians of turn that are none
_TIE_PRICE = 6.0  # of a segment's price, that a tangent joint may cost
_LONGER = 1.15  # of the contour's own length, that what is fitted to it may be
_ROUNDEST = 12.0  # bulge; more is an arc closed but for a slit
_ASTRAY = 6.0  # px: two almost parallel neighbours meet farther off, and would make a spike
_HARDLY = 1.2  # times as far off, that is hardly worse
_ASTRAY_ROUGH = 3.0  # gates: the same for a photo, whose corners are rounded more
_SLIDES = 40  # points along the contour that a node may slide
_BLUR = 0.5  # px that a sharp corner may stand out of its rounded picture
_TIGHTER = (0.6, 0.35)  # of the gate, tried when a chain leaves the contour by more than it
_WRONG = 0.7  # px beyond the gate, that no chain may leave its contour by
_TIGHTEST = (0.2, 0.1)  # of the gate, tried when one does all the same
_VAIN = 2  # closer tries in a row that came no nearer, after which no more are made


class Fit(NamedTuple):
    """A fitted loop, px, y down, and the largest distance of the contour from it, px."""

    loop: Loop
    deviation: float


def fit_contour(
    points: Floats,
    tolerance: float,
    noise: float = 0.0,
    reach: int = 1,
    corner: float = CORNER,
    along: float = 1.0,
    rough: bool = False,
) -> Fit:
    """Return the loop of lines and arcs through a closed contour.

    Parameters
    ----------
    points : (n, 2), n >= 4, px
        Closed, the first not repeated.
    tolerance : float, px
        Largest distance wanted between contour and loop; taken as 0.12 px when smaller. Within
        about 2 px of a sharp corner another half pixel is allowed, because blur rounds it.
    noise : float, px
        Standard deviation of a point across the edge.
    reach : int, px
        How far blur reaches (`true_edge`).
    corner : float, radians
        Joints that turn by less are made tangent where the contour allows it.
    along : float
        Points over which noise goes along (`wobble`): so many tell as much as one.
    rough : bool
        Of a photo or scan: here and there the contour may be wrong by more than its noise.

    """
    gate, trim, price = _limits(tolerance, noise, reach, along, rough)
    centre = points.mean(axis=0)
    local = np.ascontiguousarray(points - centre)
    x, y, radius, square, worst = fit_circle(local)
    area, around = _area(local), _around(local)
    # a sliver lies along a circle as large as you like, but does not go round it
    is_round = 0 < 2 * np.pi * radius <= _LONGER * around + _SHORT
    fits = is_round and worst <= gate
    if rough and is_round and worst <= _ASIDE * gate:
        off = np.abs(np.hypot(local[:, 0] - x, local[:, 1] - y) - radius)
        fits = float((off > gate).mean()) < _FEW
    round_cost = square + 1.25 * price if fits else np.inf
    if round_cost <= 2 * price:
        return Fit(_circle(centre + (x, y), radius, local), worst)
    best = _chain(local, gate, trim, price, corner)
    if round_cost <= best.cost:
        return Fit(_circle(centre + (x, y), radius, local), worst)
    # the edges of a photo are rounded, or wrong, here and there by more than its noise tells
    enough = _ENOUGH * gate + _WRONG if rough else gate + _NOISIEST * noise
    usual = max(_USUAL * noise, _FINEST) if rough else np.inf
    astray = max(_ASTRAY, _ASTRAY_ROUGH * gate) if rough else _ASTRAY
    tried = [best]
    for share in _TIGHTER:
        if best.worst <= enough and _is_sound(best, area, around, astray) and best.typical <= usual:
            break
        if len(best.nodes) > _RAGGED * len(points):
            break  # mere noise: no chain describes it
        again = _chain(local, share * gate, trim, share * share * price, corner)
        if (
            again.worst < best.worst
            or not _is_sound(best, area, around, astray)
            or best.typical > usual
        ):
            best = again
        tried.append(again)
    vain = next(k for k, chain in enumerate(reversed(tried)) if chain is best)
    for share in _TIGHTEST:
        ragged = len(best.nodes) > _RAGGED * len(points)
        if best.worst <= enough + _WRONG or ragged or vain >= _VAIN:
            break
        again = _chain(local, share * gate, trim, share * share * price, corner)
        best, vain = (again, 0) if again.worst < best.worst else (best, vain + 1)
    if rough and best.worst > enough:  # then more segments bought nothing
        sound = [chain for chain in tried if _is_sound(chain, area, around, astray)]
        best = next((c for c in sound if c.worst < _HARDLY * best.worst), best)
    if rough:
        finer = _rounded(best, along, trim, price)
        better = finer.typical < best.typical and _is_sound(finer, area, around, astray)
        best = finer if better else best
    if not _is_sound(best, area, around, astray):
        return Fit(polygon(points, gate), gate)
    return Fit(_loop(best.nodes + centre, best.bulges), best.worst)


def gate_of(tolerance: float, noise: float) -> float:
    """Return how far a loop may leave its contour, px: as wanted, and as its noise needs."""
    return max(tolerance, _FINEST, _NOISIEST * noise)


def _limits(
    tolerance: float, noise: float, reach: int, along: float = 1.0, rough: bool = False
) -> tuple[float, float, float]:
    """Return gate and trim, px, and what a segment costs, px².

    Whoever allows more than usual wants fewer segments.
    """
    gate = gate_of(tolerance, noise)
    loose = max(gate / DEFAULT_TOLERANCE_PX, 1.0)
    parted = _PARTED  # neighbours that err together never cost a segment less
    if along != 1.0:
        parted = max(_PARTED, (_PARTED_ROUGH if rough else _PARTED_ALONG) * along)
    return gate, TRIM + reach - 1, _PRICE * (gate * loose) ** 2 + parted * noise * noise


def _area(points: Floats) -> float:
    x, y = points.T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def _around(points: Floats) -> float:
    return float(np.hypot(*(np.roll(points, -1, axis=0) - points).T).sum())


def _is_sound(chain: _Chain, area: float, around: float, astray: float) -> bool:
    """Return whether a chain is a loop at all, about as large and no longer than its contour."""
    if not (np.isfinite(chain.nodes).all() and np.isfinite(chain.bulges).all()):
        return False
    if chain.astray > astray:
        return False
    after = np.roll(chain.nodes, -1, axis=0)
    steps = np.hypot(*(after - chain.nodes).T)
    bent = _without_flat(chain.nodes, after, chain.bulges).any()
    if len(steps) < (2 if bent else 3) or steps.min() < 1e-3:
        return False
    if np.abs(chain.bulges).max(initial=0) > _ROUNDEST:
        return False
    # two arcs that go the long way round, side by side, enclose little
    if _length(steps, chain.bulges) > _LONGER * around + _SHORT:
        return False
    found = signed_area(_loop(chain.nodes, chain.bulges))
    return abs(found - area) <= 0.2 * abs(area) + 0.5 * len(steps)


def _length(steps: Floats, bulges: Floats) -> float:
    """Return the length of lines and arcs over chords (N,), by their bulges."""
    turns = 4 * np.arctan(bulges)
    flat = turns == 0
    return float(
        (steps * np.where(flat, 1, 0.5 * turns / np.where(flat, 1, np.sin(turns / 2)))).sum()
    )


class _Chain(NamedTuple):
    nodes: Floats
    bulges: Floats
    worst: float
    cost: float
    astray: float  # the farthest that a node lies from the contour, px
    typical: float  # root mean square distance of the contour, px
    points: Floats  # the contour, begun at a breakpoint
    stops: Ints


def _chain(points: Floats, gate: float, trim: float, price: float, corner: float) -> _Chain:
    started, stops = break_up(points, gate, trim, price)
    nodes, bulges = chain_nodes(started, stops, gate, trim, price)
    free = np.zeros(len(nodes), np.bool_)
    settle(started, stops, nodes, bulges, free, free, trim)
    nodes, bulges = smoothed(started, stops, nodes, bulges, free, gate, trim, price, corner)
    return _weighed(started, stops, nodes, bulges, price)


def _weighed(points: Floats, stops: Ints, nodes: Floats, bulges: Floats, price: float) -> _Chain:
    worst, total = deviation(points, stops, nodes, bulges)
    typical = float(np.sqrt(total / len(points)))
    cost = total + price * len(nodes)
    return _Chain(nodes, bulges, worst, cost, _astray(points, stops, nodes), typical, points, stops)


def _rounded(chain: _Chain, along: float, trim: float, price: float) -> _Chain:
    """Return a photo's chain with arcs for corners that its contour plainly rounds."""
    ways = [tangent_turn(chain.nodes, chain.bulges, k) for k in range(len(chain.nodes))]
    bent = (chain.bulges != 0) | (np.roll(chain.bulges, 1) != 0)
    tangent = bent & (np.abs(ways) < _SMOOTH)
    tied = Tied(chain.points, chain.stops, chain.nodes, chain.bulges, tangent)
    made = with_roundings(tied, along, trim)
    if made is tied:
        return chain
    return _weighed(made.points, made.stops, made.nodes, made.bulges, price)


@compiled
def _astray(points: Floats, stops: Ints, nodes: Floats) -> float:
    """Return the farthest that a node lies from the contour about its breakpoint, px.

    Along a smooth joint it may slide as it likes.
    """
    n = len(points)
    farthest = 0.0
    for k in range(len(nodes)):
        nearest = np.inf
        for i in range(stops[k] - _SLIDES, stops[k] + _SLIDES + 1):
            dx, dy = nodes[k, 0] - points[i % n, 0], nodes[k, 1] - points[i % n, 1]
            nearest = min(nearest, dx * dx + dy * dy)
        farthest = max(farthest, nearest)
    return float(np.sqrt(farthest))


def fit_open(
    points: Floats,
    tolerance: float,
    noise: float = 0.0,
    reach: int = 1,
    corner: float = CORNER,
    along: float = 1.0,
) -> OpenPath:
    """Return the open path of lines and arcs through a chain of points, its ends as they are.

    Parameters
    ----------
    points : (n, 2), n >= 2, px
    tolerance, noise, reach, corner, along
        As for a contour.

    """
    gate, trim, price = _limits(tolerance, noise, reach, along)
    if len(points) < _SHORT:
        return OpenPath(points)
    centre = points.mean(axis=0)
    local = np.ascontiguousarray(points - centre)
    best: tuple[Floats, Floats] | None = None
    least = np.inf
    whole = float(np.hypot(*np.diff(local, axis=0).T).sum())
    for share in (1.0, *_TIGHTER):
        stops = break_open(local, share * gate, trim, share * share * price)
        nodes, bulges = chain_nodes(local, stops, share * gate, trim, price)
        held = np.zeros(len(nodes), np.bool_)
        held[0] = held[-1] = True
        around = np.append(stops, stops[-1])  # the unseen segment back has no points
        settle(local, around, nodes, bulges, ~np.ones_like(held), held, trim)
        cost = (share * gate, trim, share * share * price, corner)
        nodes, bulges = smoothed(local, around, nodes, bulges, held, *cost)
        worst = float(segment_residuals(local, around, nodes, bulges)[:, 1].max())
        if worst < least and _open_is_sound(nodes, bulges, whole):
            best, least = (nodes, bulges), worst
        if least <= gate + _BLUR:
            break
    if best is None:
        line = shapely.simplify(shapely.LineString(points), gate)
        return OpenPath(shapely.get_coordinates(line))
    nodes, bulges = best[0] + centre, best[1][:-1]
    nodes[0], nodes[-1] = points[0], points[-1]
    bulges = _without_flat(nodes[:-1], nodes[1:], bulges)
    return OpenPath(nodes, np.where(bulges == 0, LINE, ARC).astype(np.uint8), bulges)


def _open_is_sound(nodes: Floats, bulges: Floats, whole: float) -> bool:
    """Return whether nodes and bulges are a chain at all, and no longer than its points' own."""
    if not (np.isfinite(nodes).all() and np.isfinite(bulges).all()):
        return False
    steps = np.hypot(*np.diff(nodes, axis=0).T)
    if steps.min() <= 1e-3 or np.abs(bulges).max() > _ROUNDEST:
        return False
    return _length(steps, bulges[: len(steps)]) <= _LONGER * whole + _SHORT


@compiled
def smoothed(
    points: Floats,
    stops: Ints,
    nodes: Floats,
    bulges: Floats,
    held: Flags,
    gate: float,
    trim: float,
    price: float,
    corner: float,
) -> tuple[Floats, Floats]:
    """Return nodes and bulges with those joints tangent that may as well be.

    A joint that turns by less than `corner` radians is made tangent when the squared residuals
    beside it grow by no more than a segment costs, and stay within the gate.
    """
    m = len(nodes)
    tangent = np.zeros(m, np.bool_)
    for k in range(m):
        straight = bulges[k - 1] == 0.0 and bulges[k] == 0.0
        tangent[k] = not (straight or held[k]) and abs(tangent_turn(nodes, bulges, k)) < corner
    before = segment_residuals(points, stops, nodes, bulges)
    for _ in range(_TRIES):
        if not tangent.any():
            break
        tied_nodes, tied_bulges = nodes.copy(), bulges.copy()
        still = held.copy()
        for k in range(m):  # what no tie reaches has its place already
            still[k] |= not (tangent[k] or tangent[k - 1] or tangent[(k + 1) % m])
        settle(points, stops, tied_nodes, tied_bulges, tangent, still, trim)
        after = segment_residuals(points, stops, tied_nodes, tied_bulges)
        released = False
        for k in range(m):
            p = (k - 1) % m
            if not tangent[k]:
                continue
            grown = after[k, 0] + after[p, 0] - before[k, 0] - before[p, 0]
            worst = max(after[k, 1], after[p, 1])
            allowed = max(gate, before[k, 1], before[p, 1])
            gone = abs(tangent_turn(tied_nodes, tied_bulges, k)) < _SMOOTH
            if not gone or grown > _TIE_PRICE * price or worst > allowed:
                tangent[k] = False
                released = True
        if not released:
            return tied_nodes, tied_bulges
    return nodes, bulges


@compiled
def segment_residuals(points: Floats, stops: Ints, nodes: Floats, bulges: Floats) -> Floats:
    """Return squared residuals, px², and the largest one, px, of each segment's points, (m, 2)."""
    m, n = len(nodes), len(points)
    out = np.zeros((m, 2))
    for k in range(m):
        for i in range(stops[k], stops[k + 1]):
            x, y = points[i % n]
            best = np.inf
            for s in range(k - 1, k + 2):
                best = min(best, clamped(nodes[s % m], nodes[(s + 1) % m], bulges[s % m], x, y))
            out[k, 0] += best * best
            out[k, 1] = max(out[k, 1], best)
    return out


def polygon(points: Floats, tolerance: float) -> Loop:
    """Return the contour as a polygon by Douglas and Peucker's way, at most `tolerance` off.

    What stands in when lines and arcs would cross; with tolerance 0 the contour itself.
    """
    ring = shapely.LinearRing(points)
    thin = shapely.get_coordinates(
        shapely.Polygon(ring).simplify(tolerance, preserve_topology=True)
    )
    thin = thin[:-1] if len(thin) > 3 else points
    return Loop(thin)


def _circle(centre: Floats, radius: float, points: Floats) -> Loop:
    loop = circle_loop(centre, radius)
    return Loop(loop.nodes, loop.kinds, -loop.bulges) if _area(points) < 0 else loop


def _loop(nodes: Floats, bulges: Floats) -> Loop:
    bulges = _without_flat(nodes, np.roll(nodes, -1, axis=0), bulges)
    return Loop(nodes, np.where(bulges == 0, LINE, ARC).astype(np.uint8), bulges)


def _without_flat(starts: Floats, ends: Floats, bulges: Floats) -> Floats:
    """Return bulges without those of arcs that rise less than anything could show."""
    rise = 0.5 * np.abs(bulges) * np.hypot(*(ends - starts).T)
    return np.where(rise < _RISE, 0.0, bulges)


@compiled
def deviation(points: Floats, stops: Ints, nodes: Floats, bulges: Floats) -> tuple[float, float]:
    """Return the largest distance between contour and chain, px, and the squared sum, px².

    Each contour point is held against its own segment and the two beside it; near a corner, where
    blur rounds the contour, half a pixel is taken off. Back from the chain, three places on each
    segment are held against the contour's points, of which one lies within half a pixel.
    """
    m, n = len(nodes), len(points)
    worst, total = 0.0, 0.0
    for k in range(m):
        for i in range(stops[k], stops[k + 1]):
            x, y = points[i % n]
            best = np.inf
            for s in range(k - 1, k + 2):
                best = min(best, clamped(nodes[s % m], nodes[(s + 1) % m], bulges[s % m], x, y))
            total += best * best
            for s in range(k, k + 2):
                dx, dy = nodes[s % m, 0] - x, nodes[s % m, 1] - y
                if dx * dx + dy * dy < 4.0:
                    best = max(best - _BLUR, 0.0)
                    break
            worst = max(worst, best)
        a, b = nodes[k], nodes[(k + 1) % m]
        for quarter in range(1, 4):
            x, y = along(a, b, bulges[k], 0.25 * quarter)
            best = np.inf
            for i in range(stops[k] - 4, stops[k + 1] + 5):
                dx, dy = points[i % n, 0] - x, points[i % n, 1] - y
                best = min(best, dx * dx + dy * dy)
            worst = max(worst, np.sqrt(best) - 1.0)
    return worst, total


@compiled
def along(a: Floats, b: Floats, bulge: float, share: float) -> tuple[float, float]:
    """Return the place at `share` (0 to 1) of the segment from a to b."""
    if bulge == 0.0:
        return a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])
    # in units of half the chord, seen from its middle: turned by what is left of the angle
    half = 2 * np.arctan(bulge)
    angle = half * (2 * share - 1)
    radius = 1 / np.sin(half)
    u, v = radius * np.sin(angle), radius * (np.cos(half) - np.cos(angle))
    hx, hy = 0.5 * (b[0] - a[0]), 0.5 * (b[1] - a[1])
    return 0.5 * (a[0] + b[0]) + u * hx - v * hy, 0.5 * (a[1] + b[1]) + u * hy + v * hx

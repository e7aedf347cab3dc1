"""A rectangle in a photo to a fraction of a pixel: four straight edges, bent by the lens alike.

Words used here
    side      one of the four edges, in the order top, right, bottom, left as the corners run
    edge points  where the edge crosses the profiles sampled along a side, raw px
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from silhueta.core.datum.camera import Lens
from silhueta.core.datum.edges import Grey, steepest
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats

_PLACES = 200  # a side
_TRIALS = 150
_LENSES = np.arange(-0.14, 0.1401, 0.02)
_NEAR = 1.2  # px within which an edge point belongs to a line while lines are looked for
_FLOOR = 0.1  # px that no edge is better than: its own thickness, the dark at its foot
_BEND = 0.03  # of any lens at the picture's corner, before its own edges tell, no source
_BLOCK, _NEIGHBOURS = 20, 5.0  # places averaged to see how alike neighbours are; at least so many
_LEAST = 0.12  # share of a side's places that must lie on its line


@dataclass(frozen=True, eq=False)
class Rectangle:
    """What was measured of a rectangle.

    Parameters
    ----------
    corners : (4, 2) array
        Raw px, in the order given.
    k1 : float
        Lens distortion told by the bend of the edges; 0 where they do not prove any.
    k1_sigma : float
        Standard uncertainty of k1, proven or not.
    sigma : (4,) array
        Standard uncertainty of each corner in one direction, px.
    residual : float
        Root mean square distance of edge points from their lines, px.
    held : (4,) array
        Share of each side's places where its edge was found.

    """

    corners: Floats
    k1: float
    k1_sigma: float
    sigma: Floats
    residual: float
    held: Floats


def measure_rectangle(
    grey: Grey,
    corners: Floats,
    lens: Lens,
    *,
    sign: int = 1,
    reach: float = 10.0,
    spare: float = 0.03,
    find_lens: bool = True,
) -> Rectangle:
    """Return the rectangle near `corners`, its edges fitted to the picture.

    Parameters
    ----------
    grey : (H, W) array
    corners : (4, 2)
        Clockwise as seen, raw px, within `reach` of the truth.
    lens : Lens
        Focal length and centre; its k1 is the start, or holds when `find_lens` is False.
    sign : {1, -1, 0}
        1: brighter inside than outside.
    reach : float, px
    spare : float
        Share of a side left out at each end (rounded corners).
    find_lens : bool

    Raises
    ------
    ScaleError
        If too little of a side is to be seen.

    """
    sides = [_edge_points(grey, corners, lens, side, sign, reach, spare) for side in range(4)]
    candidates = _LENSES if find_lens and lens.k1 == 0 else np.array([lens.k1])
    start, lines, kept = _agreeing(sides, lens, candidates)
    held = np.array([len(points) for points in kept]) / _PLACES
    if held.min() < _LEAST or min(len(points) for points in kept) < 8:
        side = ("top", "right", "bottom", "left")[int(held.argmin())]
        raise ScaleError(
            f"too little of the sheet's {side} edge is to be seen; drag its corners in place, or "
            "take the photo again with more of the edge free"
        )
    k1, lines, k1_sigma, covariance, residual = _fit(kept, lens, start, lines, find_lens)
    if find_lens:  # what short edges hardly tell is held back, by what lenses are like
        usual = _BEND / (float(np.hypot(*lens.centre)) / lens.focal) ** 2
        share = usual**2 / (usual**2 + k1_sigma**2)
        k1, k1_sigma = float(share * k1), float(np.sqrt(share) * k1_sigma)
        # given the lens: its own uncertainty moves all four corners together
        _, lines, _, covariance, residual = _fit(kept, lens, k1, lines, False)
    made = Lens(lens.focal, lens.centre, k1)
    ideal, sigma = _corners(lines, covariance)
    return Rectangle(made.bend(ideal), k1, k1_sigma, sigma, residual, held)


def _edge_points(
    grey: Grey, corners: Floats, lens: Lens, side: int, sign: int, reach: float, spare: float
) -> Floats:
    one, two = lens.straighten(corners)[[side, (side + 1) % 4]]
    share = np.linspace(spare, 1 - spare, _PLACES)
    at = lens.bend(one + share[:, None] * (two - one))
    along = (two - one) / np.linalg.norm(two - one)
    inward = np.tile([-along[1], along[0]], (len(at), 1))  # clockwise as seen, y down
    height, width = grey.shape
    seen = ((at > 1) & (at < [width - 1, height - 1])).all(1)
    offsets, slopes = steepest(grey, at[seen], inward[seen], reach, sign)
    good = np.isfinite(offsets)
    good &= np.abs(slopes) > 0.25 * np.median(np.abs(slopes[good])) if good.any() else good
    return np.asarray((at[seen] + offsets[:, None] * inward[seen])[good])


def _agreeing(
    sides: list[Floats], lens: Lens, candidates: Floats
) -> tuple[float, Floats, list[Floats]]:
    """Return k1, lines (4, 3) and the edge points that agree on them: the most that can."""
    rng = np.random.default_rng(1)
    best: tuple[float, float, Floats, list[Floats]] | None = None
    for k1 in sorted(candidates, key=abs):  # of lenses that agree as well, the plainest
        trial = Lens(lens.focal, lens.centre, float(k1))
        votes, lines, kept = 0.0, np.zeros((4, 3)), []
        for number, points in enumerate(sides):
            if len(points) < 4:
                kept.append(points)
                continue
            ideal = trial.straighten(points)
            lines[number], inside = _best_line(ideal, rng)
            kept.append(points[inside])
            votes += np.sqrt(inside.sum())
        if best is None or votes > best[0] + 1e-9:
            best = (votes, float(k1), lines, kept)
    assert best is not None
    return best[1:]


def _best_line(points: Floats, rng: np.random.Generator) -> tuple[Floats, np.ndarray]:
    pairs = rng.integers(0, len(points), (_TRIALS, 2))
    one, two = points[pairs[:, 0]], points[pairs[:, 1]]
    normal = np.column_stack([one[:, 1] - two[:, 1], two[:, 0] - one[:, 0]])
    size = np.linalg.norm(normal, axis=1)
    far = size > 0.2 * np.ptp(points, axis=0).max()
    normal = normal[far] / size[far, None] if far.any() else np.array([[0.0, 1.0]])
    shift = (normal * (one[far] if far.any() else points[:1])).sum(1)
    inside = np.abs(points @ normal.T - shift) < _NEAR
    votes = inside.sum(0)
    chosen = int(votes.argmax())
    return np.array([*normal[chosen], shift[chosen]]), inside[:, chosen]


def _fit(
    kept: list[Floats], lens: Lens, k1: float, lines: Floats, find_lens: bool
) -> tuple[float, Floats, float, Floats, float]:
    """Return k1, lines, the spread of k1, the lines' (4, 2, 2) covariance, and the residual.

    Gauss and Newton on the angle and distance of each line, and k1, with Tukey's weights.
    """
    angles = np.arctan2(lines[:, 1], lines[:, 0])
    shifts = lines[:, 2].copy()
    middles = np.array([points.mean(0) for points in kept])
    side = np.concatenate([np.full(len(points), i) for i, points in enumerate(kept)])
    points = np.vstack(kept)
    rows = np.arange(len(points))
    for turn in range(12):
        trial = Lens(lens.focal, lens.centre, k1)
        ideal = trial.straighten(points)
        normal = np.column_stack([np.cos(angles), np.sin(angles)])[side]
        away = (ideal * normal).sum(1) - shifts[side]
        spread = max(1.4826 * float(np.median(np.abs(away))), 0.02)
        limit = max(4.7 * spread, 0.3)
        weight = np.clip(1 - (away / limit) ** 2, 0, None) ** 2
        jacobian = np.zeros((len(points), 9))
        tangent = np.column_stack([-normal[:, 1], normal[:, 0]])
        jacobian[rows, side] = ((ideal - middles[side]) * tangent).sum(1)
        jacobian[rows, 4 + side] = -1.0
        if find_lens:
            other = Lens(lens.focal, lens.centre, k1 + 1e-4).straighten(points)
            jacobian[:, 8] = ((other - ideal) * normal).sum(1) / 1e-4
        used = jacobian if find_lens else jacobian[:, :8]
        normal_matrix = (used * weight[:, None]).T @ used
        step = np.linalg.lstsq(normal_matrix, (used * weight[:, None]).T @ away, rcond=None)[0]
        # turning about each line's middle keeps angle and distance apart
        before = np.column_stack([np.cos(angles), np.sin(angles)])
        reach = (before * middles).sum(1) - shifts
        angles = angles - step[:4]
        after = np.column_stack([np.cos(angles), np.sin(angles)])
        shifts = (after * middles).sum(1) - reach - step[4:8]
        if find_lens:
            k1 = float(np.clip(k1 - step[8], -0.4, 0.4))
        if turn > 3 and np.abs(step).max() < 1e-7:
            break
    residual = float(np.sqrt((weight * away**2).sum() / max(weight.sum(), 1)))
    inverse = np.linalg.pinv(normal_matrix)
    noise = residual**2 * _alike(away, side)
    covariance = np.zeros((4, 2, 2))
    for i in range(4):
        covariance[i] = noise * inverse[np.ix_([i, 4 + i], [i, 4 + i])]
        covariance[i, 1, 1] += _FLOOR**2
    k1_sigma = float(np.sqrt(noise * inverse[8, 8])) if find_lens else 0.0
    found = np.column_stack([np.cos(angles), np.sin(angles), shifts])
    # keep the middles, about which the covariance holds
    return k1, np.column_stack([found, middles]), k1_sigma, covariance, residual


def _alike(away: Floats, side: Floats) -> float:
    """Return of how many neighbouring edge points one is independent, from means of blocks.

    Parameters
    ----------
    away : (N,), px
        Off their lines.
    side : (N,) of int
        Which of the four each belongs to; along it in order.

    """
    spread, means = [], []
    for number in range(4):
        own = away[side == number]
        own = own[np.abs(own) < 3 * max(1.4826 * float(np.median(np.abs(own))), 0.02)]
        blocks = own[: len(own) // _BLOCK * _BLOCK].reshape(-1, _BLOCK)
        if len(blocks) > 1:
            spread.append(own.var())
            means.append(np.square(blocks.mean(1)).mean())
    if not spread:
        return _NEIGHBOURS
    return max(_NEIGHBOURS, float(np.mean(means)) * _BLOCK / max(float(np.mean(spread)), 1e-9))


def _corners(lines: Floats, covariance: Floats) -> tuple[Floats, Floats]:
    corners, sigma = np.zeros((4, 2)), np.zeros(4)
    for corner in range(4):
        pair = [(corner - 1) % 4, corner]
        matrix = lines[pair, :2]
        if abs(np.linalg.det(matrix)) < 0.05:
            raise ScaleError("two neighbouring edges of the sheet are parallel; drag its corners")
        at = np.linalg.solve(matrix, lines[pair, 2])
        spread = np.zeros(2)
        for row, line in enumerate(pair):
            tangent = np.array([-lines[line, 1], lines[line, 0]])
            lever = (at - lines[line, 3:5]) @ tangent
            jac = np.array([lever, 1.0])
            spread[row] = jac @ covariance[line] @ jac
        inverse = np.linalg.inv(matrix)
        corners[corner] = at
        sigma[corner] = float(np.sqrt(np.trace(inverse @ np.diag(spread) @ inverse.T) / 2))
    return corners, sigma

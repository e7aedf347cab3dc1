"""Where the face ends, from what is seen across its edge: face, wall and ground, blurred.

Words used here
    profile  the light across a ring at one of its points, from inside to outside
    wide     px of wall that must be seen there, known from the camera's place; 0: none
    top      where the face ends and the wall begins; the foot, where the ground begins, is the
             same outline through another known plane and lies `wide` px further out

For every place where the top may be, face, wall and ground are fitted to each profile, each of one
light, the ground with a slope (a shadow close to the part deepens towards it), all blurred as the
picture is. What a wall too narrow to be told looks like is taken from the face, since the two are
of one material and a wall gets less light. Neighbours judge together.

References
----------
G. H. Golub and V. Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
problems whose variables separate", SIAM Journal on Numerical Analysis 10(2), 1973, 413-432: the
light of face, wall and ground is solved for at each place, and the place is sought alone.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.path import Floats

STEP = 0.5  # px between places on a profile
REACH = 7.0  # px past the top, inwards, and past the foot, outwards, that a profile reaches
WIDEST = 12.0  # px of wall with a foot that is looked at; past it the top alone tells
_FAR = 2.5  # px from the ring within which the top is sought
_GRID = 0.25  # px
_TAPER = 2.0  # px over which what lies beside the edge counts less and less
_WIDE_GRID = 0.5  # px of wall between two models
_WALL = 0.35  # of the face's light, that a wall gets
_UNTOLD, _SLOPE = 0.6, 6.0  # weight of that, and of a ground without a slope, in samples
_SMOOTH = 4.0  # points that judge together


class Fitted(NamedTuple):
    """Where the top lies beside each point, px outwards, and how clear that is.

    place : (N,)
    gain : (N,)
        Squared light, summed over a profile, that the edge explains; 0 where no place is best.
    """

    place: Floats
    gain: Floats


def outermost(wide: Floats) -> float:
    """Return how far out profiles must reach, px, for walls so wide."""
    return REACH + float(np.minimum(wide, WIDEST).max(initial=0.0))


def fitted(seen: Floats, wide: Floats, blur: float) -> Fitted:
    """Return where the face ends along a closed ring.

    Parameters
    ----------
    seen : (N, M, 3)
        Light across the ring, `STEP` px apart, from -`REACH` to `outermost(wide)` at least.
    wide : (N,), px
    blur : float, px
        Standard deviation of the picture's blur.

    """
    from scipy.ndimage import gaussian_filter1d

    trials = np.arange(-_FAR, _FAR + _GRID / 2, _GRID)
    gains = np.zeros((len(seen), len(trials)))
    kinds = np.where(wide > WIDEST, -1, np.round(wide / _WIDE_GRID)).astype(int)
    for kind in np.unique(kinds).tolist():
        which = np.flatnonzero(kinds == kind)
        wall = kind * _WIDE_GRID
        many = round((2 * REACH + max(wall, 0.0)) / STEP) + 1
        at = np.arange(many) * STEP - REACH
        beside = np.maximum(np.maximum(-at, at - max(wall, 0.0)), 0.0)
        weight = np.exp(-0.25 * (beside / _TAPER) ** 2)
        here = seen[which, :many] * weight[:, None]
        plain = _explained(here, weight[:, None] / np.linalg.norm(weight))
        for k, top in enumerate(trials.tolist()):
            gains[which, k] = _explained(here, _model(at, top, wall, blur, weight)) - plain
    judged = gaussian_filter1d(gains, _SMOOTH, axis=0, mode="wrap")
    best = judged.argmax(1)
    inside = np.clip(best, 1, len(trials) - 2)
    rows = np.arange(len(seen))
    left, middle, right = (judged[rows, inside + d] for d in (-1, 0, 1))
    bend = left - 2 * middle + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.where(bend < 0, bend, 1.0), 0.0)
    place = trials[inside] + _GRID * np.clip(shift, -1, 1)
    return Fitted(place, np.where(best == inside, middle, 0.0))


def _explained(seen: Floats, model: Floats) -> Floats:
    """Return how much of weighted profiles (N, M, 3) lies in the span of a model (M, K), (N,)."""
    return np.asarray((np.tensordot(model.T, seen, (1, 1)) ** 2).sum((0, 2)))


def _model(at: Floats, top: float, wall: float, blur: float, weight: Floats) -> Floats:
    """Return weighted columns (M, K) in whose span lies what fits an edge at `top`.

    Columns of unit length at right angles to each other: those of the light of face, wall, ground
    and its slope, after what is known of them beforehand.
    """
    from scipy.special import ndtr

    foot = top + max(wall, 0.0)
    inner, outer = ndtr((at - top) / blur), ndtr((at - foot) / blur)
    slope = outer * np.clip(at - foot, 0, REACH) / REACH
    columns = [1 - inner, outer, slope]
    known = [[0.0, 0.0, np.sqrt(_SLOPE)]]
    if wall > 0:
        columns.append(inner - outer)
        known = [[*known[0], 0.0], [-_WALL * np.sqrt(_UNTOLD), 0.0, 0.0, np.sqrt(_UNTOLD)]]
    terms = weight[:, None] * np.stack(columns, axis=1)
    whole = np.vstack([terms, known])
    # of a least-squares fit with such further rows, the part over the profile: its columns
    return np.asarray(terms @ np.linalg.inv(np.linalg.cholesky(whole.T @ whole)).T)

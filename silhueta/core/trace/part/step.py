"""Where the face ends, from what is seen across its edge: face, wall and ground, blurred.

Words used here
    profile  the light across a ring at one of its points, from inside to outside
    wide     px of wall that must be seen there, known from the camera's place; less than 0: so many
             px of ground beside the wall are hidden by the face
    top      where the face ends and the wall begins; the foot, where the ground begins, is the
             same outline through another known plane and lies `wide` px further out
    strip    shadow on the ground beside the part, of any width, darker than the ground

For every place where the top may be, face, wall and ground are fitted to each profile, each of one
light, all blurred as the picture is. The ground's light comes from one side, which a strip lacks,
and from all round, of which a wall takes away up to a half: at the distance d from one of height h,
(1 + d / sqrt(d² + h²)) / 2 of it is left. Where no height is known the ground has a slope instead.
What a wall too narrow to be told looks like is taken from the face, since the two are of one
material and a wall gets less light; where walls are lit, from the ground. Where a strip explains
much more it is there, and is none of the part. Neighbours judge together: the smooth path that
explains most is taken.

References
----------
G. H. Golub and V. Pereyra, "The differentiation of pseudo-inverses and nonlinear least squares
problems whose variables separate", SIAM Journal on Numerical Analysis 10(2), 1973, 413-432: the
light of face, wall and ground is solved for at each place, and the place is sought alone.
J. R. Howell, "A Catalog of Radiation Configuration Factors", McGraw-Hill 1982: of the light from
all round a place receives half the difference of the sines of the angles, from the upright, between
which it sees it. Beside a long wall that is from the wall's top to the horizon.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.path import Floats
from silhueta.core.trace.part.ring import closed_path

STEP = 0.5  # px between places on a profile
REACH = 7.0  # px past the top, inwards, and past the foot, outwards, that a profile reaches
WIDEST = 12.0  # px of wall with a foot that is looked at; past it the top alone tells
NEAR, FAR = 2.5, 4.0  # px from the ring within which the top is sought; where that is less sure
_GRID = 0.25  # px
_TAPER = 2.0  # px over which what lies beside the edge counts less and less
_WIDE_GRID, _HIDDEN_GRID = 0.5, 2.0  # px of wall, and of hidden ground, between two models
_WALL = 0.35  # of the face's light, that a wall gets
_LIT = 0.5  # of the light of the ground at its foot, that a lit one gets
_UNTOLD, _SLOPE = 0.6, 6.0  # weight of that, and of a ground without a slope, in samples
_AROUND, _SURELY = 0.9, 0.3  # of the ground's light, that comes from all round; weight of that
_PENUMBRA = 0.5  # of the width of a strip, over which it ends
_FINE, _TAIL = 0.125, 4.0  # px between places where that light is worked out; blurs beyond the ends
_STRIPS = 0.0, 2.5, 4.0, 6.0, 10.0  # px of shadow between part and ground
_LARGE = 200  # points of a ring, from which a strip can be told from the ground in a hole
_BESIDE = 3.0  # px of wall, under which a strip is looked for
_WORTH = 0.015  # of what is explained without a strip, that one must explain beyond it
_SHADE = 0.4  # of the ground's light, that a strip of shadow gets
_BEND, _FIRM = 16.0, 50.0  # cost of moving by one trial; worth of an edge as clear as is usual
_BLURS = 0.6, 0.75, 0.9, 1.1, 1.3, 1.6, 2.0  # px, that are looked at
_ENOUGH, _SHARPER = 300, 0.35  # profiles that tell the blur, and the part of them that is sharper
_SMOOTH = 4.0  # points that judge together


class Beside(NamedTuple):
    """What is known of walls: whether they are as light as the ground, and not dark like the face.

    high : float, px
        How high they are; 0: not known.
    far : float, px
        From the ring, within which the top is sought.
    """

    lit: bool = False
    high: float = 0.0
    far: float = NEAR


_DARK = Beside()


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
    return REACH + float(np.clip(wide, 0.0, WIDEST).max(initial=0.0))


def fitted(seen: Floats, wide: Floats, blur: float, walls: Beside = _DARK) -> Fitted:
    """Return where the face ends along a closed ring.

    Parameters
    ----------
    seen : (N, M, 3)
        Light across the ring, `STEP` px apart, from -`REACH` to `outermost(wide)` at least.
    wide : (N,), px
    blur : float, px
        Standard deviation of the picture's blur.
    walls : Beside

    """
    from scipy.ndimage import gaussian_filter1d

    trials = _trials(walls.far)
    gains = _gains(seen, wide, blur, _STRIPS if len(seen) > _LARGE else _STRIPS[:1], walls)
    bare = gains[0].max(1, keepdims=True)
    for i in range(1, len(gains)):  # a strip must explain more than unusual blur would
        gains[i] = np.where(np.isfinite(gains[i]), gains[i] - _WORTH * bare, gains[0] - bare)
    judged = gaussian_filter1d(gains, _SMOOTH, axis=1, mode="wrap").max(0)
    scale = float(np.median(judged.max(1)))
    best = closed_path(np.ascontiguousarray(judged * (_FIRM / max(scale, 1e-9))), _BEND)
    inside = np.clip(best, 1, len(trials) - 2)
    rows = np.arange(len(seen))
    left, middle, right = (judged[rows, inside + d] for d in (-1, 0, 1))
    bend = left - 2 * middle + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.where(bend < 0, bend, 1.0), 0.0)
    place = trials[inside] + _GRID * np.clip(shift, -1, 1)
    return Fitted(place, np.where(best == inside, middle, 0.0))


def blur_of(seen: Floats, wide: Floats, walls: Beside = _DARK) -> float:
    """Return the blur of a picture, px, standard deviation, from profiles across an edge in it.

    Profiles as `fitted` takes them. Walls and shadows make edges softer than the lens does, and
    nothing makes them sharper: so of all, the softness that a third of them do not reach.
    """
    some = slice(None, None, max(1, len(seen) // _ENOUGH))
    best = [_gains(seen[some], wide[some], blur, (0.0,), walls)[0].max(1) for blur in _BLURS]
    return float(np.quantile(np.array(_BLURS)[np.argmax(best, axis=0)], _SHARPER, method="nearest"))


def _trials(far: float) -> Floats:
    return np.arange(-far, far + _GRID / 2, _GRID)


def _gains(
    seen: Floats, wide: Floats, blur: float, strips: tuple[float, ...], walls: Beside
) -> Floats:
    """Return squared light that an edge with each strip explains at each trial, (S, N, K).

    No number where there is a wall instead.
    """
    trials = _trials(walls.far)
    gains = np.full((len(strips), len(seen), len(trials)), -np.inf)
    told = np.where(wide > WIDEST, 0.0, np.maximum(wide, -WIDEST))
    grid = np.where(told < 0, _HIDDEN_GRID, _WIDE_GRID)
    kinds = np.round(told / grid) * grid
    for wall in np.unique(kinds).tolist():
        which = np.flatnonzero(kinds == wall)
        weight, _ = _models(wall, strips[0], blur, walls)
        here = seen[which, : len(weight)] * weight[:, None]
        plain = _explained(here, (weight / np.linalg.norm(weight))[None, None])
        for i, strip in enumerate(strips if wall < _BESIDE else strips[:1]):
            gains[i, which] = _explained(here, _models(wall, strip, blur, walls)[1]) - plain
    return gains


def _explained(seen: Floats, models: Floats) -> Floats:
    """Return how much of weighted profiles (N, M, 3) lies in the span of each model, (N, K).

    models : (K, C, M)
    """
    count, terms, samples = models.shape
    flat = models.reshape(-1, samples) @ seen.transpose(1, 0, 2).reshape(samples, -1)
    squares = flat.reshape(count, terms, len(seen), 3) ** 2
    return np.asarray(squares.sum((1, 3)).T)


@lru_cache(maxsize=1024)  # rings of one picture ask for the same
def _models(wall: float, strip: float, blur: float, walls: Beside) -> tuple[Floats, Floats]:
    """Return the weight (M,) of a profile's places, and for each trial a model (K, C, M)."""
    many = round((2 * REACH + max(wall, 0.0)) / STEP) + 1
    at: Floats = np.arange(many, dtype=np.float64) * STEP - REACH
    beside = np.maximum(np.maximum(-at, at - max(wall, 0.0)), 0.0)
    weight = np.exp(-0.25 * (beside / _TAPER) ** 2)
    models = _all_models(at, (wall, strip), blur, weight, walls).transpose(0, 2, 1)
    found = weight, np.ascontiguousarray(models)
    for array in found:
        array.flags.writeable = False
    return found


def _all_models(
    at: Floats, wides: tuple[float, float], blur: float, weight: Floats, walls: Beside
) -> Floats:
    """Return for each trial weighted columns (K, M, C) in whose span lies what fits an edge there.

    Columns of unit length at right angles to each other: those of the light of face, wall and
    ground, after what is known of them beforehand.
    """
    from scipy.special import ndtr

    wall, top = max(wides[0], 0.0), _trials(walls.far)[:, None]
    inner, foot = (ndtr((at - edge) / blur) for edge in (top, top + wall))
    if walls.high > 0:
        ground = _shone_on(at, top, wides, blur, walls.high)
    else:
        ground = _sloping(at, top, wides, blur)
    columns = [1 - inner, *ground.columns]
    known = [[0.0, *row] for row in ground.known]
    if wall > 0:  # of the face's material unless it is lit
        columns.append(inner - foot)
        # and then half as light as the ground at its foot
        lit = [-_LIT * share for share in ground.foot]
        shares = [0.0, *lit] if walls.lit else [-_WALL, *[0.0] * len(lit)]
        row = [*shares, 1.0]
        known = [[*line, 0.0] for line in known] + [[v * np.sqrt(_UNTOLD) for v in row]]
    terms = weight[:, None] * np.stack(columns, axis=2)
    rows = np.array(known)
    squares = terms.transpose(0, 2, 1) @ terms + rows.T @ rows
    # of a least-squares fit with such further rows, the part over the profile: its columns
    return np.asarray(terms @ np.linalg.inv(np.linalg.cholesky(squares)).transpose(0, 2, 1))


class _Ground(NamedTuple):
    """What ground may look like: columns (K, M), rows of what is known of what each is worth.

    foot : tuple of float
        The share of each that is left at a wall's foot.
    """

    columns: list[Floats]
    known: list[list[float]]
    foot: tuple[float, ...]


def _shone_on(
    at: Floats, top: Floats, wides: tuple[float, float], blur: float, high: float
) -> _Ground:
    """Return ground beside a wall so high, px: light from all round, and light from one side."""
    from scipy.special import ndtr

    wall, strip = wides
    foot = top + max(wall, 0.0)
    around = np.interp(at - foot, *_sky(max(-wall, 0.0), high, blur))
    direct = ndtr((at - foot - strip) / np.hypot(blur, _PENUMBRA * strip))
    share = _SHADE if strip > 0 else _AROUND
    root = np.sqrt(_SURELY)
    return _Ground([around, direct], [[(1 - share) * root, -share * root]], (0.5, 1.0))


def _sloping(at: Floats, top: Floats, wides: tuple[float, float], blur: float) -> _Ground:
    """Return ground with a slope, and a strip of shadow."""
    from scipy.special import ndtr

    wall, strip = max(wides[0], 0.0), wides[1]
    end = top + wall + strip
    outer = ndtr((at - end) / blur)
    columns = [outer, outer * np.clip(at - end, 0, REACH) / REACH]
    known = [[0.0, np.sqrt(_SLOPE)]]
    if strip > 0:
        columns.append(ndtr((at - top - wall) / blur) - outer)
        root = np.sqrt(_UNTOLD)
        known = [[*known[0], 0.0], [-_SHADE * root, 0.0, root]]
    return _Ground(columns, known, (1.0, *[0.0] * (len(columns) - 1)))


@lru_cache(maxsize=256)
def _sky(hidden: float, high: float, blur: float) -> tuple[Floats, Floats]:
    """Return places from where ground begins, px, and the share of light from all round there."""
    from scipy.ndimage import gaussian_filter1d

    far = 2 * REACH + WIDEST + _TAIL * blur
    fine = np.arange(-far, far, _FINE)
    away = np.maximum(fine, 0.0) + hidden
    sky = np.where(fine > 0, 0.5 * (1 + away / np.hypot(away, high)), 0.0)
    found = fine, np.asarray(gaussian_filter1d(sky, blur / _FINE))
    for array in found:
        array.flags.writeable = False
    return found

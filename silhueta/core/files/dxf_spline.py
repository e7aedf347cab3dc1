"""Splines of a DXF as cubics, in their own domain.

A spline of degree p with n control points is defined between its knots p and n (from zero); the
knots before and after only shape it. Between two knots it is one polynomial, or one quotient of
two, whose ends and ways there make a cubic: the very same one up to degree three, and else one
that is divided until it follows closely.

References
----------
L. Piegl and W. Tiller, "The NURBS Book", 2nd edition, Springer 1997, sections 2.2, 3.2 and 4.2.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.geometry.path import CUBIC, LINE, Floats, Loop, OpenPath, Path

_OFF = 2e-6  # of the spline's size, by which a cubic may be off one that it cannot equal
_DEEPEST = 10  # halvings of a span
_SAME = 1e-7  # of the size, that ends which are one may be apart
_NO_SPAN = 1e-12  # of the domain, that knots which are one may be apart


def spline_path(
    control: Floats, knots: Sequence[float], degree: int, weights: Sequence[float] = ()
) -> Path:
    """Return a spline as a path of cubics.

    Parameters
    ----------
    control : (n, 2), n > degree
        In the file's own unit, as the path that comes back is.
    knots : n + degree + 1 of float, never falling
    degree : int, from 1
    weights : n of float, above zero
        Of a rational spline; none: all are the same.

    Returns
    -------
    Path
        A Loop where it ends where it begins.

    Raises
    ------
    ValueError
        If there are too few knots, points or weights, or they make no curve.

    """
    from scipy.interpolate import PPoly

    points, t = np.asarray(control, np.float64), np.asarray(knots, np.float64)
    count = len(points)
    heavy = np.ones(count) if not len(weights) else np.asarray(weights, np.float64)
    rational = bool(len(weights)) and float(np.ptp(heavy)) > 0
    if degree < 1 or count <= degree or len(t) != count + degree + 1 or len(heavy) != count:
        raise ValueError("a spline's numbers of points, knots and weights do not fit")
    if not (np.isfinite(points).all() and np.isfinite(t).all() and (np.diff(t) >= 0).all()):
        raise ValueError("a spline's knots must rise")
    if not (np.isfinite(heavy).all() and heavy.min() > 0):
        raise ValueError("a spline's weights must be above zero")
    whole = np.column_stack([points * heavy[:, None], heavy])
    pieces = [PPoly.from_spline((t, column, degree)) for column in whole.T]
    at, spans = pieces[0].x, np.stack([piece.c for piece in pieces], axis=-1)
    low, high = t[degree], t[count]
    least = _NO_SPAN * (high - low)
    size = float(np.ptp(points, axis=0).max())
    exact = degree <= 3 and not rational
    hulls: list[Floats] = []
    for k in range(degree, count):
        if at[k + 1] - at[k] > least:
            whole_span = (0.0, float(at[k + 1] - at[k]))
            _divide(spans[:, k], whole_span, exact, _OFF * size, hulls)
    if not hulls or size == 0:
        raise ValueError("a spline without length")
    return _strung(np.array(hulls), size)


def _at(span: Floats, u: float) -> tuple[Floats, Floats]:
    """Return the point at `u` of a span (degree + 1, 3), and the way there, a unit of `u`."""
    value = slope = np.zeros(3)
    for row in span:
        slope = slope * u + value
        value = value * u + row
    point = value[:2] / value[2]
    return point, (slope[:2] - point * slope[2]) / value[2]


def _divide(
    span: Floats,
    ends: tuple[float, float],
    exact: bool,
    off: float,
    hulls: list[Floats],
    deep: int = 0,
) -> None:
    """Add the cubics that follow a span between two ends within `off`."""
    low, high = ends
    (a, ahead), (b, behind) = _at(span, low), _at(span, high)
    third = (high - low) / 3
    hull = np.array([a, a + third * ahead, b - third * behind, b])
    if not exact and deep < _DEEPEST:
        for share in (0.25, 0.5, 0.75):
            s = 1 - share
            there = np.array([s**3, 3 * s * s * share, 3 * s * share**2, share**3]) @ hull
            if np.hypot(*(there - _at(span, low + share * (high - low))[0])) > off:
                middle = 0.5 * (low + high)
                _divide(span, (low, middle), exact, off, hulls, deep + 1)
                _divide(span, (middle, high), exact, off, hulls, deep + 1)
                return
    hulls.append(hull)


def _strung(hulls: Floats, size: float) -> Path:
    """Return cubics (K, 4, 2) one after the other as a path; straight ones as lines."""
    starts, ends = hulls[:, 0], hulls[:, 3]
    chord = ends - starts
    aside = np.abs(
        chord[:, None, 0] * (hulls[:, 1:3, 1] - starts[:, None, 1])
        - chord[:, None, 1] * (hulls[:, 1:3, 0] - starts[:, None, 0])
    ).max(1)
    long = np.hypot(*chord.T)
    along = ((hulls[:, 1:3] - starts[:, None]) * chord[:, None]).sum(2)
    within = ((along >= 0) & (along <= long[:, None] ** 2)).all(1)
    kinds = np.where((aside <= 1e-9 * size * long) & within, LINE, CUBIC).astype(np.uint8)
    controls = np.where((kinds == CUBIC)[:, None, None], hulls[:, 1:3], 0.0)
    bulges = np.zeros(len(hulls))
    if len(hulls) > 1 and np.hypot(*(ends[-1] - starts[0])) <= _SAME * size:
        return Loop(starts, kinds, bulges, controls)
    return OpenPath(np.vstack([starts, ends[-1:]]), kinds, bulges, controls)

"""Least-squares lines and circles from running sums, and how far points leave them.

Words used here
    sums        count and moments of points, kept so that a fit costs the same for any number
    primitive   six numbers: kind (LINE or ARC), a, b, c, squared residuals, and largest residual;
                a line is the point (a, b) and the direction angle c, an arc the centre (a, b) and
                the radius c
"""

from __future__ import annotations

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.geometry.path import ARC, LINE, Floats

SUMS = 9  # n, x, y, xx, xy, yy, xz, yz, zz with z = x² + y²
_FLATTEST = 0.04  # px: an arc that rises less over its chord is a line
_STEP = 1.45  # px from one contour point to the next
_CLEAN, _CLEAN_TIP = 0.1, 0.25  # px: less is no rounding; the same where a step is missing
_GAP = 3.2  # px, the longest step across a tip


@compiled
def add_point(sums: Floats, x: float, y: float) -> None:
    """Add the point (x, y), px from the sums' own origin, to `sums`."""
    z = x * x + y * y
    sums[0] += 1.0
    sums[1] += x
    sums[2] += y
    sums[3] += x * x
    sums[4] += x * y
    sums[5] += y * y
    sums[6] += x * z
    sums[7] += y * z
    sums[8] += z * z


@compiled
def line_fit(sums: Floats) -> tuple[float, float, float, float]:
    """Return (x, y, angle, squared residuals) of the total least-squares line through `sums`."""
    n = sums[0]
    mx, my = sums[1] / n, sums[2] / n
    sxx, sxy, syy = sums[3] - n * mx * mx, sums[4] - n * mx * my, sums[5] - n * my * my
    half = 0.5 * (sxx - syy)
    root = np.sqrt(half * half + sxy * sxy)
    return mx, my, 0.5 * np.arctan2(2 * sxy, sxx - syy), max(0.5 * (sxx + syy) - root, 0.0)


@compiled
def circle_fit(sums: Floats) -> tuple[float, float, float, float]:
    """Return (x, y, radius, squared residuals) of Taubin's circle through `sums`; radius 0: none.

    The residuals are to first order in distance / radius. Taubin's fit has hardly any bias on
    short arcs; whoever keeps the circle refines it geometrically.

    References
    ----------
    G. Taubin, "Estimation of planar curves, surfaces and nonplanar space curves defined by
    implicit equations", IEEE Transactions on Pattern Analysis and Machine Intelligence 13(11),
    1991, 1115-1138; solved by Newton's method as in N. Chernov, "Circular and Linear Regression",
    CRC Press, 2010, chapter 5.

    """
    n = sums[0]
    mx, my = sums[1] / n, sums[2] / n
    sxx, sxy, syy = sums[3] / n - mx * mx, sums[4] / n - mx * my, sums[5] / n - my * my
    z = sxx + syy
    mm = mx * mx + my * my
    # moments about the mean of u z, v z and z² with z = u² + v²
    raw_xz, raw_yz, raw_zz = sums[6] / n, sums[7] / n, sums[8] / n
    xx, xy, yy = sums[3] / n, sums[4] / n, sums[5] / n
    raw_z = xx + yy
    sxz = raw_xz - 2 * (mx * xx + my * xy) + mm * mx - mx * (raw_z - 2 * mm + mm)
    syz = raw_yz - 2 * (mx * xy + my * yy) + mm * my - my * (raw_z - 2 * mm + mm)
    szz = (
        raw_zz
        - 4 * (mx * raw_xz + my * raw_yz)
        + 2 * mm * raw_z
        + 4 * (mx * mx * xx + 2 * mx * my * xy + my * my * yy)
        - 4 * mm * mm
        + mm * mm
    )
    cov = sxx * syy - sxy * sxy
    var = szz - z * z
    a3 = 4 * z
    a2 = -3 * z * z - szz
    a1 = var * z + 4 * cov * z - sxz * sxz - syz * syz
    a0 = sxz * (sxz * syy - syz * sxy) + syz * (syz * sxx - sxz * sxy) - var * cov
    root, value = 0.0, a0
    for _ in range(20):
        slope = a1 + root * (2 * a2 + 3 * a3 * root)
        if slope == 0.0:
            break
        following = root - value / slope
        if following == root or not np.isfinite(following):
            break
        now = a0 + following * (a1 + following * (a2 + following * a3))
        if abs(now) >= abs(value):
            break
        root, value = following, now
    det = root * root - root * z + cov
    if det == 0.0:
        return 0.0, 0.0, 0.0, np.inf
    u = (sxz * (syy - root) - syz * sxy) / (2 * det)
    v = (syz * (sxx - root) - sxz * sxy) / (2 * det)
    rr = u * u + v * v + z
    if not rr > 0.0:
        return 0.0, 0.0, 0.0, np.inf
    # mean of (z - 2 u x - 2 v y + u² + v² - R²)² over 4 R²
    k = u * u + v * v - rr
    square = szz + 4 * (u * u * sxx + 2 * u * v * sxy + v * v * syy) + k * k
    square += -4 * (u * sxz + v * syz) + 2 * k * z
    return u + mx, v + my, np.sqrt(rr), max(n * square / (4 * rr), 0.0)


@compiled
def worst_residual(
    points: Floats, begin: int, end: int, kind: int, a: float, b: float, c: float, most: int
) -> float:
    """Return the largest distance in px of at most `most` of points begin..end from a primitive.

    Indices run on past the last point (modulo the number of points); both ends are looked at.
    """
    count = end - begin + 1
    step = max(1.0, (count - 1) / (most - 1))
    total = len(points)
    worst, at = 0.0, float(begin)
    sine, cosine = np.sin(c), np.cos(c)
    while at <= end + 0.001:
        x, y = points[int(at + 0.5) % total]
        if kind == LINE:
            off = abs((y - b) * cosine - (x - a) * sine)
        else:
            off = abs(np.sqrt((x - a) * (x - a) + (y - b) * (y - b)) - c)
        worst = max(worst, off)
        at += step
    return worst


@compiled
def best_primitive(
    sums: Floats, points: Floats, begin: int, end: int, gate: float, arc_extra: float, out: Floats
) -> bool:
    """Write into `out` the cheaper of line and arc through points begin..end; False: neither fits.

    Parameters
    ----------
    sums : (SUMS,) of those points, measured from ``points[begin % n]``
    points : (n, 2), px
    gate : float, px
        Largest residual allowed.
    arc_extra : float, px²
        How much more an arc costs than a line.
    out : (6,)
        The primitive, in the coordinates of `points`.

    """
    if sums[0] < 2.0:
        return False
    ox, oy = points[begin % len(points)]
    ex, ey = points[end % len(points)]
    found = False
    cost = np.inf
    x, y, angle, square = line_fit(sums)
    if square <= gate * gate * sums[0]:
        worst = worst_residual(points, begin, end, LINE, x + ox, y + oy, angle, 24)
        if worst <= gate:
            out[0], out[1], out[2], out[3], out[4], out[5] = (
                LINE,
                x + ox,
                y + oy,
                angle,
                square,
                worst,
            )
            cost, found = square, True
    if sums[0] < 5.0 or square < arc_extra:
        return found
    x, y, radius, square = circle_fit(sums)
    if radius > 0.0 and square + arc_extra < cost and square <= gate * gate * sums[0]:
        chord = (ex - ox) * (ex - ox) + (ey - oy) * (ey - oy)
        if radius > 0.5 and (chord > _FLATTEST * 8 * radius or chord < radius * radius):
            worst = worst_residual(points, begin, end, ARC, x + ox, y + oy, radius, 24)
            if worst <= gate:
                out[0], out[1], out[2], out[3], out[4], out[5] = (
                    ARC,
                    x + ox,
                    y + oy,
                    radius,
                    square,
                    worst,
                )
                found = True
    return found


@compiled
def ends_keep(points: Floats, i: int, j: int, a: int, b: int, ends: float, out: Floats) -> bool:
    """Return whether what a fit to points a..b of segment i..j left out is rounded by blur only.

    It may be `ends` px off. The very end belongs to both segments of a sharp corner, so it may lie
    a step along the other one, when the point beside it shows no rounding yet. Where a tip is too
    narrow to fill a pixel that step is long.
    """
    for k in range(i, a):
        most = max(ends, _onward(points, k, k + 1, out)) if k == i else ends
        if _off(points, k, out) > most:
            return False
    for k in range(b + 1, j + 1):
        most = max(ends, _onward(points, k, k - 1, out)) if k == j else ends
        if _off(points, k, out) > most:
            return False
    return True


@compiled
def _off(points: Floats, k: int, out: Floats) -> float:
    return float(worst_residual(points, k, k, int(out[0]), out[1], out[2], out[3], 2))


@compiled
def _onward(points: Floats, end: int, beside: int, out: Floats) -> float:
    """Return how far past a corner an end may be, px; 0 where what is beside it is rounded."""
    n = len(points)
    dx, dy = points[end % n] - points[beside % n]
    step = np.sqrt(dx * dx + dy * dy)
    if _off(points, beside, out) < (_CLEAN if step <= _STEP else _CLEAN_TIP):
        return float(max(_STEP, min(step, _GAP)))
    return 0.0

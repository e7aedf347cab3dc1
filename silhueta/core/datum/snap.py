"""From a click to what was meant: the edge, the corner or the round thing near it."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.datum.edges import Grey, sample, steepest
from silhueta.core.datums import MARKED_PX, RoundDatum
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import eight
from silhueta.core.picture.light import in_light

_REACH = 7  # px round a click in which an edge is looked for
_WEAK = 6.0  # grey values a px under which there is no edge
_CORNER = 0.25  # ratio of the lesser gradient to the greater from which it is a corner
_RAYS = 96


class Snapped(NamedTuple):
    """Where a click came to rest, raw px, on what, and how sure that is (one direction, px)."""

    x: float
    y: float
    on: Literal["corner", "edge", "nothing"]
    sigma: float


def snap(grey: Grey, x: float, y: float) -> Snapped:
    """Return the corner or edge nearest to a click, or the click itself where there is none."""
    import cv2

    height, width = grey.shape
    left, top = int(x) - _REACH, int(y) - _REACH
    if left < 2 or top < 2 or left + 2 * _REACH + 3 > width or top + 2 * _REACH + 3 > height:
        return Snapped(x, y, "nothing", MARKED_PX)
    side = 2 * _REACH + 1
    patch = np.ascontiguousarray(grey[top : top + side, left : left + side], np.float32)
    if grey.dtype == np.uint16:
        patch /= 257
    patch = np.asarray(cv2.GaussianBlur(patch, (0, 0), 1.0), np.float32)
    gx = cv2.Scharr(patch, cv2.CV_32F, 1, 0, scale=1 / 32)
    gy = cv2.Scharr(patch, cv2.CV_32F, 0, 1, scale=1 / 32)
    strength = np.hypot(gx, gy)
    rows, columns = np.mgrid[0:side, 0:side]
    away = np.hypot(columns + left + 0.5 - x, rows + top + 0.5 - y)
    if strength[away < _REACH].max(initial=0) < _WEAK:
        return Snapped(x, y, "nothing", MARKED_PX)
    near = np.exp(-((away / 3.5) ** 2))
    tensor = np.array(
        [
            [(near * gx * gx).sum(), (near * gx * gy).sum()],
            [(near * gx * gy).sum(), (near * gy * gy).sum()],
        ]
    )
    low, high = np.sqrt(np.linalg.eigvalsh(tensor))
    if low > _CORNER * high:
        # where the gradients' own lines meet: W. Foerstner and E. Guelch, "A fast operator for
        # detection and precise location of distinct points, corners and centres", 1987
        u, v = columns + left + 0.5 - x, rows + top + 0.5 - y
        right = np.array(
            [(near * (gx * gx * u + gx * gy * v)).sum(), (near * (gx * gy * u + gy * gy * v)).sum()]
        )
        dx, dy = np.linalg.solve(tensor, right)
        if math.hypot(dx, dy) <= _REACH:
            return Snapped(x + float(dx), y + float(dy), "corner", 0.5)
    best = np.unravel_index((strength * near).argmax(), strength.shape)
    at = np.array([[best[1] + left + 0.5, best[0] + top + 0.5]])
    normal = np.array([[gx[best], gy[best]]], np.float64)
    normal /= np.linalg.norm(normal)
    # in linear light: in stored greys the steepest place lies inside what is dark
    corner = np.array([max(left - 8, 0), max(top - 8, 0)])
    light = in_light(eight(grey[corner[1] : top + side + 8, corner[0] : left + side + 8]))
    offset, _ = steepest(light, at - corner, normal, 3.0, 1)
    if not np.isfinite(offset[0]):
        return Snapped(x, y, "nothing", MARKED_PX)
    found = at[0] + offset[0] * normal[0]
    # along the edge the click holds, across it the edge
    tangent = np.array([-normal[0, 1], normal[0, 0]])
    found = found + tangent * float((np.array([x, y]) - found) @ tangent)
    return Snapped(float(found[0]), float(found[1]), "edge", 0.15)


def find_round(grey: Grey, x: float, y: float, mm: float, tilt: bool = False) -> RoundDatum:
    """Return the round thing round a click inside it, `mm` in diameter, by its sub-pixel rim.

    Parameters
    ----------
    grey : (H, W) array
    x, y : float
        Anywhere inside, raw px.
    mm : float
    tilt : bool

    Raises
    ------
    ScaleError
        If no round rim is seen from there.

    """
    import cv2

    rim = _rim(grey, x, y)
    if len(rim) < 24:
        raise ScaleError(
            "no round rim is to be seen round this point; click in the middle of a coin, washer "
            "or bore that stands out from what lies round it"
        )
    (cx, cy), (one, two), degrees = cv2.fitEllipseDirect(rim.astype(np.float32))
    light = in_light(eight(grey))
    for _ in range(3):
        ellipse = _Ellipse(cx, cy, one / 2, two / 2, math.radians(degrees))
        places, normals = ellipse.places(180)
        offsets, slopes = steepest(light, places, normals, 4.0, 0)
        good = np.isfinite(offsets)
        if good.sum() < 60:
            raise ScaleError("too little of the rim is to be seen; pick another round thing")
        side = np.sign(np.median(slopes[good]))
        good &= slopes * side > 0.3 * np.median(np.abs(slopes[good]))
        spread = 1.4826 * np.median(np.abs(offsets[good] - np.median(offsets[good])))
        good &= np.abs(offsets - np.median(offsets[good])) < max(4 * spread, 0.3)
        if good.sum() < 60:
            raise ScaleError("too little of the rim is to be seen; pick another round thing")
        found = places[good] + offsets[good, None] * normals[good]
        (cx, cy), (one, two), degrees = _fitted(found)
    angle = math.radians(degrees)
    if two > one:
        one, two, angle = two, one, angle + math.pi / 2
    residual = float(np.std(offsets[good]))
    if residual > 0.02 * one + 0.5:
        raise ScaleError("this is not round; pick a coin, washer or bore")
    return RoundDatum(
        (float(cx), float(cy)),
        (one / 2, two / 2),
        math.remainder(angle, math.pi),
        mm,
        tilt,
        sigma=max(0.05, residual / math.sqrt(good.sum() / 6)),
    )


class _Ellipse(NamedTuple):
    cx: float
    cy: float
    a: float
    b: float
    angle: float

    def places(self, count: int) -> tuple[Floats, Floats]:
        """Return points of the ellipse and its outward normals, both (count, 2)."""
        turn = np.arange(count) * (2 * np.pi / count)
        c, s = math.cos(self.angle), math.sin(self.angle)
        u, v = self.a * np.cos(turn), self.b * np.sin(turn)
        nu, nv = np.cos(turn) / self.a, np.sin(turn) / self.b
        size = np.hypot(nu, nv)
        nu, nv = nu / size, nv / size
        return (
            np.column_stack([self.cx + c * u - s * v, self.cy + s * u + c * v]),
            np.column_stack([c * nu - s * nv, s * nu + c * nv]),
        )


def _fitted(points: Floats) -> tuple[tuple[float, float], tuple[float, float], float]:
    """Return (centre, axes, degrees) of the ellipse with the least squared distances to points."""
    import cv2
    from scipy.optimize import least_squares

    (cx, cy), (one, two), degrees = cv2.fitEllipseDirect(points.astype(np.float32))

    def away(values: Floats) -> Floats:
        x, y, a, b, angle = values
        c, s = np.cos(angle), np.sin(angle)
        u, v = c * (points[:, 0] - x) + s * (points[:, 1] - y), 0.0
        v = c * (points[:, 1] - y) - s * (points[:, 0] - x)
        f = (u / a) ** 2 + (v / b) ** 2 - 1
        return np.asarray(f / (2 * np.hypot(u / a**2, v / b**2)))  # Sampson's first-order distance

    start = np.array([cx, cy, one / 2, two / 2, math.radians(degrees)])
    x, y, a, b, angle = least_squares(away, start, x_scale=[1, 1, 1, 1, 0.01]).x.tolist()
    return (x, y), (2 * abs(a), 2 * abs(b)), math.degrees(angle)


def _rim(grey: Grey, x: float, y: float) -> Floats:
    """Return where rays from (x, y) first meet a clear step of grey, those that agree, px."""
    height, width = grey.shape
    reach = min(x, y, width - x, height - y) - 2
    if reach < 6:
        return np.zeros((0, 2))
    turn = np.arange(_RAYS) * (2 * np.pi / _RAYS)
    ways = np.column_stack([np.cos(turn), np.sin(turn)])
    steps = np.arange(2.0, min(reach, 3000.0), 1.0)
    rows = sample(grey, np.array([x, y]) + steps[None, :, None] * ways[:, None])
    rise = np.abs(rows[:, 4:] - rows[:, :-4])
    limit = 0.4 * np.quantile(rise.max(1), 0.5)
    if limit < 3:
        return np.zeros((0, 2))
    hit = rise > limit
    first = hit.argmax(1)
    peak = np.array(
        [f + int(r[f : f + 8].argmax()) for f, r in zip(first, rise, strict=True)], float
    )
    radius = steps[0] + peak + 2.0
    ok = hit.any(1)
    neighbours = np.median([np.roll(radius, k) for k in range(-4, 5)], axis=0)
    ok &= np.abs(radius - neighbours) < 0.12 * neighbours + 2
    return np.asarray((np.array([x, y]) + radius[:, None] * ways)[ok])

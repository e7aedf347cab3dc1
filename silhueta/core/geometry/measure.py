"""Length, area and extent of paths, exact for lines and arcs."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import arc_angles
from silhueta.core.geometry.flatten import cubic_hulls, cubic_points
from silhueta.core.geometry.path import CUBIC, LINE, Floats, Loop, Path
from silhueta.core.remembered import Remembered

_ABSCISSAE, _WEIGHTS = np.polynomial.legendre.leggauss(12)


def length(path: Path) -> float:
    """Return the length along `path`, mm; exact for lines and arcs, 1e-6 for smooth cubics."""
    lines = path.kinds == LINE
    straight = path.ends[lines] - path.starts[lines]
    total = float(np.hypot(straight[:, 0], straight[:, 1]).sum())
    if lines.all():
        return total
    _, radii, _, turns = arc_angles(path)
    total += float((radii * np.abs(turns)).sum())
    for hull in cubic_hulls(path):
        total += sum(_speed_integral(hull, k / 8, (k + 1) / 8) for k in range(8))
    return total


def signed_area(loop: Loop) -> float:
    """Return the enclosed area, mm², positive when counter-clockwise.

    Measured from the first node, so that a small loop far from the origin keeps its digits. Arcs
    add their circular segment, r² (angle - sin angle) / 2; cubics the exact integral.

    References
    ----------
    B. Braden, "The Surveyor's Area Formula", The College Mathematics Journal 17(4), 1986,
    326-337. doi:10.2307/2686282

    """
    x, y = (loop.nodes - loop.nodes[0]).T
    total = 0.5 * float(x[:-1] @ y[1:] - x[1:] @ y[:-1])  # the first node is zero now
    if not loop.kinds.any():
        return total
    _, radii, _, turns = arc_angles(loop)
    total += float((radii**2 * (turns - np.sin(turns)) / 2).sum())
    for hull in cubic_hulls(loop):
        _, b, c, d = hull - hull[0]
        # Green's theorem over the curve, less the chord's own share, which is zero from its start
        total += 0.05 * (3 * _cross(b, c) + 3 * _cross(b, d) + 6 * _cross(c, d))
    return total


def bounding_box(paths: Iterable[Path]) -> tuple[float, float, float, float]:
    """Return (left, bottom, right, top) of all `paths` in mm, exact for arcs and cubics.

    Raises
    ------
    GeometryError
        If there are no paths.

    """
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for path in paths:
        points = path.nodes
        if path.kinds.any():
            points = np.vstack([points, _arc_extremes(path), _cubic_extremes(path)])
        low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
    if not np.isfinite(low).all():
        raise GeometryError("nothing to measure: there is no outline")
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


REACH = 1e7  # mm, ten kilometres: beyond it no part lies, and sums of squares lose their digits


def within_reach(path: Path) -> bool:
    """Return whether all of a path's numbers are numbers, no farther than `REACH` from zero.

    The one check of coordinates that come from outside: files of outlines and jobs.
    """
    controls = path.controls[path.kinds == CUBIC]
    if not all(np.isfinite(values).all() for values in (path.nodes, path.bulges, controls)):
        return False
    most = max(float(np.abs(path.nodes).max()), float(np.abs(controls).max(initial=0.0)))
    return most <= REACH and max(map(abs, box_of(path))) <= REACH


def _arc_extremes(path: Path) -> Floats:
    centres, radii, begin, turns = arc_angles(path)
    quarters = np.arange(4) * (np.pi / 2)
    swept = (quarters[None] - begin[:, None]) * np.sign(turns)[:, None] % (2 * np.pi)
    arc, quarter = np.nonzero(swept <= np.abs(turns)[:, None])
    direction = np.array([[1.0, 0.0], [0.0, 1.0], [-1.0, 0.0], [0.0, -1.0]])[quarter]
    extremes: Floats = centres[arc] + radii[arc, None] * direction
    return extremes


def _cubic_extremes(path: Path) -> Floats:
    if not (path.kinds == CUBIC).any():
        return np.zeros((0, 2))
    hulls = cubic_hulls(path)
    a, b, c, d = (hulls[:, i] for i in range(4))
    # B'(t) / 3 = p t² + q t + r, for x and y apart
    p, q, r = d - 3 * c + 3 * b - a, 2 * (c - 2 * b + a), b - a
    found = []
    with np.errstate(divide="ignore", invalid="ignore"):
        root = np.sqrt(q * q - 4 * p * r)
        # the stable pair of roots: one by -2r / (q + ...), so that p near zero does no harm
        grip = -(q + np.where(q >= 0, root, -root)) / 2
        for t in (grip / p, r / grip):
            hit, axis = np.nonzero((t > 0) & (t < 1))
            found.append(cubic_points(hulls[hit], t[hit, axis]))
    return np.vstack(found)


def _speed_integral(hull: Floats, start: float, end: float) -> float:
    t = (start + end) / 2 + (end - start) / 2 * _ABSCISSAE
    a, b, c = hull[1] - hull[0], hull[2] - hull[1], hull[3] - hull[2]
    s, t = (1 - t)[:, None], t[:, None]
    velocity = 3 * (s * s * a + 2 * s * t * b + t * t * c)
    return float((end - start) / 2 * (np.hypot(velocity[:, 0], velocity[:, 1]) @ _WEIGHTS))


def _cross(u: Floats, v: Floats) -> float:
    return float(u[0] * v[1] - u[1] * v[0])


_boxes: Remembered[Path, tuple[float, float, float, float]] = Remembered(
    lambda path: bounding_box([path])
)
_areas: Remembered[Loop, float] = Remembered(signed_area)
_lengths: Remembered[Path, float] = Remembered(length)


def box_of(path: Path) -> tuple[float, float, float, float]:
    """Return the bounding box of one path, worked out once for each."""
    return _boxes(path)


def area_of(loop: Loop) -> float:
    """Return the signed area of a loop, worked out once for each."""
    return _areas(loop)


def length_of(path: Path) -> float:
    """Return the length of a path, worked out once for each."""
    return _lengths(path)

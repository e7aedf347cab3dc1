"""Length, area and extent of paths, exact for lines and arcs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import arc_angles, full_circle
from silhueta.core.geometry.flatten import cubic_hulls, cubic_points
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, Path
from silhueta.core.geometry.region.segments import segments_of
from silhueta.core.remembered import Remembered

Box = tuple[float, float, float, float]  # left, bottom, right, top, mm
_COMPASS = np.array([[1.0, 0.0], [0.0, 1.0], [-1.0, 0.0], [0.0, -1.0]])  # 0°, 90°, 180°, 270°
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
    return total + _cubic_lengths(cubic_hulls(path))


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


def bounding_box(paths: Iterable[Path]) -> Box:
    """Return (left, bottom, right, top) of all `paths` in mm, exact for arcs and cubics.

    Raises
    ------
    GeometryError
        If there are no paths.

    """
    boxes = boxes_of(list(paths))
    if not len(boxes):
        raise GeometryError("nothing to measure: there is no outline")
    (left, bottom), (right, top) = boxes[:, :2].min(0).tolist(), boxes[:, 2:].max(0).tolist()
    return left, bottom, right, top


def _measured_box(path: Path) -> Box:
    points = path.nodes
    if path.kinds.any():
        points = np.vstack([points, _arc_extremes(path), _cubic_extremes(path)])
    (left, bottom), (right, top) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return left, bottom, right, top


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
    extremes: Floats = centres[arc] + radii[arc, None] * _COMPASS[quarter]
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


def _cubic_lengths(hulls: Floats) -> float:
    """Return the length of cubics (K, 4, 2) together: Gauss-Legendre on eighths of each."""
    a, b, c = (hulls[:, i + 1] - hulls[:, i] for i in range(3))
    total = 0.0
    for eighth in range(8):
        t = ((eighth + 0.5 + 0.5 * _ABSCISSAE) / 8)[:, None, None]
        s = 1 - t
        velocity = 3 * (s * s * a + 2 * s * t * b + t * t * c)  # (12, K, 2)
        total += float((_WEIGHTS @ np.hypot(velocity[..., 0], velocity[..., 1])).sum()) / 16
    return total


def _cross(u: Floats, v: Floats) -> float:
    return float(u[0] * v[1] - u[1] * v[0])


_boxes: Remembered[Path, Box] = Remembered(_measured_box)
_areas: Remembered[Loop, float] = Remembered(signed_area)
_lengths: Remembered[Path, float] = Remembered(length)


circle_of: Remembered[Path, tuple[Floats, float] | None] = Remembered(full_circle)


def hand_on(path: Path, moved: Path, by: Floats) -> None:
    """Keep for `moved` what is known of `path`, of which it is a copy moved `by` (x, y), mm."""
    box, along = _boxes.known(path), _lengths.known(path)
    circle = circle_of.known(path)
    if box is not None:
        x, y = float(by[0]), float(by[1])
        _boxes.keep([(moved, (box[0] + x, box[1] + y, box[2] + x, box[3] + y))])
    if circle is not None:
        circle_of.keep([(moved, (circle[0] + by, circle[1]))])
    if isinstance(path, Loop) and isinstance(moved, Loop):
        area = _areas.known(path)
        if area is not None:
            _areas.keep([(moved, area)])
    if along is not None:
        _lengths.keep([(moved, along)])


def box_of(path: Path) -> Box:
    """Return the bounding box of one path, worked out once for each."""
    return _boxes(path)


def area_of(loop: Loop) -> float:
    """Return the signed area of a loop, worked out once for each."""
    return _areas(loop)


def length_of(path: Path) -> float:
    """Return the length of a path, worked out once for each."""
    return _lengths(path)


def boxes_of(paths: Sequence[Path]) -> Floats:
    """Return the bounding boxes of paths, (N, 4), mm."""
    _measure_many(paths)
    return np.array([_boxes(path) for path in paths]).reshape(-1, 4)


def areas_of(loops: Sequence[Loop]) -> Floats:
    """Return the signed areas of loops, (N,), mm²."""
    _measure_many(loops)
    return np.array([_areas(loop) for loop in loops])


def lengths_of(paths: Sequence[Path]) -> Floats:
    """Return the lengths of paths, (N,), mm."""
    _measure_many(paths)
    return np.array([_lengths(path) for path in paths])


_MANY = 32  # paths from which one table of them all is quicker than each on its own


def _measure_many(paths: Sequence[Path]) -> None:
    """Work out box, area and length of what is new among many paths, all at once.

    Paths with cubics are left to be measured each on its own.
    """
    unknown = (path for path in paths if _lengths.known(path) is None)
    new = [path for path in unknown if not (path.kinds == CUBIC).any()]
    if len(new) < _MANY:
        return
    table = segments_of(new)
    first = np.searchsorted(table.loop, np.arange(len(new)))
    low, high = np.minimum(table.start, table.end), np.maximum(table.start, table.end)
    arcs = np.flatnonzero(table.kinds == ARC)
    centres, radii, begin, turns = (
        values[arcs] for values in (table.centres, table.radii, table.angles, table.turns)
    )
    for quarter, direction in enumerate(_COMPASS):
        swept = (quarter * np.pi / 2 - begin) * np.sign(turns) % (2 * np.pi)
        on = swept <= np.abs(turns)
        extremes = centres[on] + radii[on, None] * direction
        low[arcs[on]] = np.minimum(low[arcs[on]], extremes)
        high[arcs[on]] = np.maximum(high[arcs[on]], extremes)
    boxes = np.hstack([np.minimum.reduceat(low, first), np.maximum.reduceat(high, first)])
    _boxes.keep(zip(new, map(tuple, boxes.tolist()), strict=True))
    along = np.hypot(*(table.end - table.start).T)
    along[arcs] = radii * np.abs(turns)
    _lengths.keep(zip(new, np.add.reduceat(along, first).tolist(), strict=True))
    origin = table.start[first][table.loop]
    (x, y), (u, v) = (table.start - origin).T, (table.end - origin).T
    swept_area = (x * v - u * y) / 2
    swept_area[arcs] += radii**2 * (turns - np.sin(turns)) / 2
    areas = np.add.reduceat(swept_area, first).tolist()
    _areas.keep((p, a) for p, a in zip(new, areas, strict=True) if isinstance(p, Loop))
    all_arcs = np.minimum.reduceat(table.kinds == ARC, first).tolist()
    circle_of.keep((p, None) for p, bent in zip(new, all_arcs, strict=True) if not bent)

"""Offer: paths that follow each other so closely that one of them is enough.

Words used here
    cover    what has been kept already; another path is double where it runs along it
    run      points in a row along a path that lie near the cover
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.crossing import line_string
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, box_of, length_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import place_of, stretch
from silhueta.core.tidy.offers import Item, Offer, Search, edited, left_out
from silhueta.core.tidy.thin import fitted

if TYPE_CHECKING:
    import shapely

_STEP = 0.5  # of the distance, between points that are looked at
_CHORD = 0.05  # of it, that arcs may be off
_FINE = 0.002  # of it, where the middle of two is wanted
_MEETING = 4.0  # distances: a shorter run near another path is only where the two meet
_REST = 1.5  # distances: what is left of a path between two runs, and shorter, goes with them


@dataclass(frozen=True, eq=False)
class Double:
    """What becomes of a path that lies along others.

    rest : tuple of Path
        What is left of it, beside its doubles.
    other : int
        Which contour it follows, where it is a loop that follows a loop; else -1.
    """

    rest: tuple[Path, ...]
    other: int = -1


def find(search: Search) -> list[Item]:
    """Return what runs along something else: loops along loops, paths along anything."""
    near = search.limits.double
    if not near:
        return []
    order = sorted(
        search.contours, key=lambda pair: (not pair[1].path.closed, -length_of(pair[1].path))
    )
    cover = _Cover(near)
    items = []
    for k, (i, contour) in enumerate(order):
        search.work.step(k / len(order))
        path = contour.path
        if path.closed:
            twin = cover.twin(path)
            if twin is None:
                cover.add(path, i)
            else:
                items.append(Item(_start(path), (i,), Double((), twin)))
            continue
        rest = _rest(path, cover.around(path), near)
        for left in [path] if rest is None else rest:
            cover.add(left, -1)
        if rest is not None:
            items.append(Item(_start(path), (i,), Double(tuple(rest))))
    return items


def _start(path: Path) -> tuple[float, float]:
    x, y = path.nodes[0].tolist()
    return x, y


class _Cover:
    """The paths kept so far, to be held against others."""

    def __init__(self, near: float) -> None:
        self._near = near
        self._boxes = np.zeros((0, 4))
        self._count = 0
        self._paths: list[Path] = []
        self._owners: list[int] = []
        self._lines: dict[int, shapely.LineString] = {}

    def add(self, path: Path, owner: int) -> None:
        """Keep a path; `owner` is a loop's place in the outline, or -1."""
        if self._count == len(self._boxes):
            self._boxes = np.vstack([self._boxes, np.zeros((max(64, self._count), 4))])
        self._boxes[self._count] = box_of(path)
        self._count += 1
        self._paths.append(path)
        self._owners.append(owner)

    def _line(self, k: int) -> shapely.LineString:
        import shapely

        if k not in self._lines:
            self._lines[k] = line_string(self._paths[k], self._near * _CHORD)
            shapely.prepare(self._lines[k])
        return self._lines[k]

    def around(self, path: Path) -> list[shapely.LineString]:
        """Return the lines of what may lie along `path`."""
        left, bottom, right, top = box_of(path)
        boxes, near = self._boxes[: self._count], self._near
        apart = (boxes[:, 0] > right + near) | (boxes[:, 2] < left - near)
        apart |= (boxes[:, 1] > top + near) | (boxes[:, 3] < bottom - near)
        return [self._line(k) for k in np.flatnonzero(~apart).tolist()]

    def twin(self, path: Path) -> int | None:
        """Return which loop follows `path`, a loop, all the way round, both ways."""
        import shapely

        box, near = np.array(box_of(path)), self._near
        alike = np.abs(self._boxes[: self._count] - box).max(axis=1) <= near
        if not alike.any():
            return None
        mine = line_string(path, near * _CHORD)
        for k in np.flatnonzero(alike).tolist():
            its = self._line(k)
            if self._owners[k] >= 0 and all(
                float(shapely.distance(shapely.points(_dense(a, near)), b).max()) <= near
                for a, b in ((mine, its), (its, mine))
            ):
                return self._owners[k]
        return None


def _dense(line: shapely.LineString, near: float) -> Floats:
    import shapely

    points: Floats = shapely.get_coordinates(shapely.segmentize(line, near * _STEP * 2))
    return points


def _rest(path: Path, cover: Sequence[shapely.LineString], near: float) -> list[Path] | None:
    """Return what of an open path does not run along the cover; None: it is no double."""
    import shapely

    if not cover:
        return None
    points = flatten(path, near * _CHORD)
    points = shapely.get_coordinates(shapely.segmentize(shapely.LineString(points), near * _STEP))
    places = shapely.points(points)
    off = np.min([shapely.distance(places, other) for other in cover], axis=0)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    if float(off.max()) <= near < along[-1]:
        return []
    runs = [(a, b) for a, b in _runs(off <= near) if along[b] - along[a] > _MEETING * near]
    if not runs:
        return None
    rest: list[Path] = []
    edges = [0, *(n for run in runs for n in run), len(points) - 1]
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        if along[b] - along[a] > _REST * near:
            rest.append(stretch(path, place_of(path, points[a]), place_of(path, points[b])))
    return rest


def _runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Return first and last place of each run of True."""
    steps = np.diff(np.concatenate([[0], flags.astype(np.int8), [0]]))
    return list(
        zip(
            np.flatnonzero(steps == 1).tolist(),
            (np.flatnonzero(steps == -1) - 1).tolist(),
            strict=True,
        )
    )


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Leave one of each two: of loops the outer, the inner, or their middle."""
    outline, keep = offer.outline, offer.limits.keep_double
    contours = list(outline.contours)
    gone: set[int] = set()
    more: list[Contour] = []
    for item in items:
        i, double = item.contours[0], item.data
        if double.other >= 0:
            one, two = contours[double.other], contours[i]
            larger = _area(one.path) >= _area(two.path)
            gone.add(i)
            if keep == "middle":
                contours[double.other] = edited(one, _between(one.path, two.path, offer))
            elif larger == (keep == "inner") and _area(one.path) != _area(two.path):
                gone.discard(i)
                gone.add(double.other)
            continue
        gone.add(i)
        more.extend(edited(contours[i], path) for path in double.rest)
    left = left_out(Outline(tuple(contours)), gone)
    return Outline((*left.contours, *more))


def _area(path: Path) -> float:
    return abs(area_of(path)) if isinstance(path, Loop) else 0.0


def _between(one: Path, two: Path, offer: Offer) -> Path:
    """Return the loop half-way between two that follow each other."""
    import shapely

    near = offer.limits.double
    ring = line_string(two, near * _FINE)
    points = _dense(line_string(one, near * _FINE), near)[:-1]
    feet = shapely.get_coordinates(
        shapely.line_interpolate_point(
            ring, shapely.line_locate_point(ring, shapely.points(points))
        )
    )
    middle = 0.5 * (points + feet)
    return fitted(Loop(middle), max(offer.limits.tolerance, near * _CHORD))

"""Offer: paths that follow each other so closely that one of them is enough.

Words used here
    cover    what has been kept already; another path is double where it runs along it
    run      points in a row along a path that lie near the cover
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.crossing import line_string
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, box_of, length_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import place_of, stretch
from silhueta.core.tidy.offers.offer import Item, Offer, Search, edited, left_out
from silhueta.core.tidy.offers.thin import fitted

if TYPE_CHECKING:
    import shapely

_STEP = 0.5  # of the distance, between points that are looked at
_CHORD = 0.05  # of it, that arcs may be off
_FINE = 0.002  # of it, where the middle of two is wanted
_QUARTER, _ROUND = 32, 1.0004  # chords a quarter turn of what lies near, and their shortness
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
    """Return what runs along something else: loops along loops, paths along anything.

    Not sure is what would leave others open that meet it: a side that two outlines share.
    """
    near = search.limits.double
    if not near:
        return []
    contours = search.contours
    order = sorted(contours, key=lambda pair: (not pair[1].path.closed, -length_of(pair[1].path)))
    cover = _Cover(near, {i: contour.path for i, contour in contours})
    items = []
    for k, (i, contour) in enumerate(order):
        search.work.step(k / len(order))
        path = contour.path
        if path.closed:
            twin = cover.twin(i)
            if twin is None:
                cover.keep(i, [path])
            else:
                items.append(Item(_start(path), (i,), Double((), twin)))
            continue
        rest = _rest(path, cover.around(i), near)
        if rest is None:
            cover.keep(i, [path])
            continue
        cover.keep(i, rest)
        items.append(Item(_start(path), (i,), Double(tuple(rest))))
    unsure = _needed(search, items)
    return [replace(item, sure=item.contours[0] not in unsure) for item in items]


def _start(path: Path) -> tuple[float, float]:
    x, y = path.nodes[0].tolist()
    return x, y


class _Cover:
    """The paths kept so far, by the contours that they come from, to be held against others."""

    def __init__(self, near: float, paths: dict[int, Path]) -> None:
        import shapely
        from scipy.spatial import cKDTree

        self._near = near
        self._paths = paths
        self._numbers = list(paths)
        boxes = np.array([box_of(path) for path in paths.values()]).reshape(-1, 4)
        self._boxes = dict(zip(self._numbers, boxes, strict=True))
        low, high = boxes[:, :2] - near, boxes[:, 2:] + near
        self._tree = shapely.STRtree(np.asarray(shapely.box(*low.T, *high.T)))
        self._alike = cKDTree(boxes)
        self._kept: dict[int, list[Path]] = {}
        self._lines: dict[int, list[shapely.LineString]] = {}
        self._bands: dict[int, shapely.Polygon] = {}

    def keep(self, i: int, paths: Sequence[Path]) -> None:
        """Keep what is left of contour `i`."""
        self._kept[i] = list(paths)

    def _lines_of(self, i: int) -> list[shapely.LineString]:
        import shapely

        if i not in self._lines:
            self._lines[i] = [line_string(path, self._near * _CHORD) for path in self._kept[i]]
            shapely.prepare(self._lines[i])
        return self._lines[i]

    def _beside(self, i: int) -> list[int]:
        """Return the kept contours whose boxes meet that of contour `i`."""
        import shapely

        found = np.sort(self._tree.query(shapely.box(*self._boxes[i])))
        return [k for n in found.tolist() if (k := self._numbers[n]) in self._kept]

    def around(self, i: int) -> list[shapely.LineString]:
        """Return the lines of what may lie along contour `i`."""
        return [line for k in self._beside(i) for line in self._lines_of(k)]

    def _strip(self, line: shapely.LineString) -> shapely.Polygon:
        return line.buffer(self._near * _ROUND, quad_segs=_QUARTER)

    def _band(self, i: int, line: shapely.LineString) -> shapely.Polygon:
        """Return what lies near contour `i`, kept for the next that asks."""
        import shapely

        if i not in self._bands:
            self._bands[i] = self._strip(line)
            shapely.prepare(self._bands[i])
        return self._bands[i]

    def twin(self, i: int) -> int | None:
        """Return which loop follows contour `i`, a loop, all the way round, both ways."""
        near = self._near
        mine: shapely.LineString | None = None
        for n in sorted(self._alike.query_ball_point(self._boxes[i], near, p=np.inf)):
            k = int(self._numbers[n])
            if k not in self._kept or not self._paths[k].closed:
                continue
            mine = mine or line_string(self._paths[i], near * _CHORD)
            (its,) = self._lines_of(k)
            if self._band(k, its).covers(mine) and self._strip(mine).covers(its):
                return k
        return None


def _needed(search: Search, items: Sequence[Item]) -> set[int]:
    """Return which open paths, doubles as they are, close what would stay open without them.

    Looked at one by one, then in groups that meet, until none is needed any more.
    """
    paths = {i: c.path for i, c in search.contours if not c.path.closed}
    rests = {i: item.data.rest for item in items if (i := item.contours[0]) in paths}
    left = [path for i in paths for path in rests.get(i, (paths[i],))]
    meetings = _Meetings(left, max(search.limits.double, search.limits.gap))
    groups = [[i] for i in rests]
    found: set[int] = set()
    for group in groups + meetings.groups({i: paths[i] for i in rests}):
        back = [i for i in group if i not in found]
        new, old = [paths[i] for i in back], [path for i in back for path in rests[i]]
        if back and meetings.fewer_odd(old, new):
            found.update(back)
    return found


_Point = tuple[float, float]


class _Meetings:
    """How many ends come together at each place: at an odd one a path stays open."""

    def __init__(self, paths: Sequence[Path], near: float) -> None:
        self._near = near
        self._cells: defaultdict[tuple[int, int], list[_Point]] = defaultdict(list)
        for path in paths:
            self._put(path)

    def _cell(self, x: float, y: float) -> tuple[int, int]:
        return int(x // self._near), int(y // self._near)

    def _put(self, path: Path) -> None:
        for x, y in path.nodes[[0, -1]].tolist():
            self._cells[self._cell(x, y)].append((x, y))

    def _take(self, path: Path) -> None:
        for x, y in path.nodes[[0, -1]].tolist():
            self._cells[self._cell(x, y)].remove((x, y))

    def _around(self, place: _Point) -> list[_Point]:
        """Return the ends at a place."""
        (x, y), (column, row) = place, self._cell(*place)
        return [
            (u, v)
            for i in (column - 1, column, column + 1)
            for j in (row - 1, row, row + 1)
            for u, v in self._cells.get((i, j), ())
            if math.hypot(u - x, v - y) <= self._near
        ]

    def fewer_odd(self, old: Sequence[Path], new: Sequence[Path]) -> bool:
        """Put paths in place of others, if that leaves fewer ends alone; return whether."""
        places: list[_Point] = []
        for path in (*old, *new):
            for x, y in path.nodes[[0, -1]].tolist():
                if all(math.hypot(u - x, v - y) > self._near for u, v in places):
                    places.append((x, y))
        before = self._odd(places)
        self._change(old, new)
        if self._odd(places) < before:
            return True
        self._change(new, old)
        return False

    def _odd(self, places: Sequence[_Point]) -> int:
        return sum(len(self._around(place)) % 2 for place in places)

    def _change(self, old: Sequence[Path], new: Sequence[Path]) -> None:
        for path in old:
            self._take(path)
        for path in new:
            self._put(path)

    def groups(self, paths: dict[int, Path]) -> list[list[int]]:
        """Return which of the paths meet each other, by their ends, in groups of two and more."""
        from networkx.utils import UnionFind

        own = _Meetings(list(paths.values()), self._near)
        joined: UnionFind = UnionFind()
        for i, path in paths.items():
            for x, y in path.nodes[[0, -1]].tolist():
                joined.union(i, *(("end", place) for place in own._around((x, y))))
        made = [[k for k in group if isinstance(k, int)] for group in joined.to_sets()]
        return [sorted(group) for group in made if len(group) > 1]


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

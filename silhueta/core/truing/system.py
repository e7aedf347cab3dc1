"""An outline as numbers that a solver moves, and what must hold as equations between them.

Words used here
    variables   x and y of every node and the bulge of every arc; centre and radius of a circle;
                besides, what a pattern of holes is laid out by
    equation    what must be 0, in mm, of the variables in its columns

Equations of a kind are worked out together, on arrays with a row for each. Their derivatives are
exact: complex steps (W. Squire and G. Trapp, "Using complex variables to estimate derivatives of
real functions", SIAM Review 40(1), 1998, 110-112), so they use no `abs` and no branches.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection
from dataclasses import replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TruingError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, Path, circle_loop
from silhueta.core.relations import Ref, Relation

Ints = NDArray[np.int64]
Rows = NDArray[Any]  # (K, m), real or complex
Function = Callable[[Rows, Floats], Rows]  # of variables and values
_H = 1e-30
_SAMPLES = 7  # on a segment
_FIRM = 30.0  # times what all of its loop weighs, that a firm node does
Node = tuple[int, int]  # a contour's key, and a node's number


class Group(NamedTuple):
    """Equations of one kind: columns (K, m) of variables, values (K, v), and what is 0 (K, r)."""

    function: Function
    columns: Ints
    values: Floats
    relation: Ints  # (K,) which relation each comes from; -1: none


class _Place(NamedTuple):
    """Where a contour's variables are."""

    first: int
    nodes: int  # 0: a circle
    bulges: dict[int, int]  # of each arc


class System:
    """All variables of an outline, and the equations of its relations."""

    def __init__(
        self, outline: Outline, relations: list[Relation], firm: Collection[Node] = ()
    ) -> None:
        """Lay the variables out; only contours that a relation names have any.

        `firm` nodes, (key, number), are held where they are as well as may be.

        Raises
        ------
        TruingError
            If a relation names what is not there, or what it cannot hold for.

        """
        self.outline = outline
        named = {ref.key for relation in relations for ref in relation.refs}
        self._contours = {c.key: i for i, c in enumerate(outline.contours) if c.key in named}
        self.places: dict[int, _Place] = {}
        start: list[float] = []
        for key, i in self._contours.items():
            self.places[key] = _laid_out(outline.contours[i].path, start)
        self._start = start
        self.own = len(start)  # variables of the outline; what relations need besides comes after
        self.groups: list[Group] = []
        self._rows: dict[Function, list[tuple[list[int], list[float], int]]] = {}
        for number, relation in enumerate(relations):
            self._add(relation, number)
        for function, rows in self._rows.items():
            self.groups.append(
                Group(
                    function,
                    np.array([row[0] for row in rows], np.int64),
                    np.array([row[1] for row in rows], np.float64).reshape(len(rows), -1),
                    np.array([row[2] for row in rows], np.int64),
                )
            )
        self.start = np.array(start, np.float64)
        self._firm = firm

    # what refs are

    def path(self, ref: Ref) -> Path:
        """Return the path that a ref is part of."""
        if ref.key not in self._contours:
            raise TruingError("a relation names a loop that is not there any more")
        return self.outline.contours[self._contours[ref.key]].path

    def line(self, ref: Ref) -> list[int]:
        """Return the columns of a line: start x, y, end x, y."""
        path, place = self.path(ref), self.places[ref.key]
        if place.nodes == 0 or not 0 <= ref.segment < len(path.kinds):
            raise TruingError("a relation of lines names what is none")
        if path.kinds[ref.segment] != LINE:
            raise TruingError("a relation of lines names an arc or a curve")
        return self._ends(ref)

    def _ends(self, ref: Ref) -> list[int]:
        place = self.places[ref.key]
        a, b = ref.segment, (ref.segment + 1) % place.nodes
        first = place.first
        return [first + 2 * a, first + 2 * a + 1, first + 2 * b, first + 2 * b + 1]

    def round(self, ref: Ref) -> list[int]:
        """Return the columns of an arc (start, end, bulge) or of a circle (centre, radius)."""
        path, place = self.path(ref), self.places[ref.key]
        if place.nodes == 0:
            return [place.first, place.first + 1, place.first + 2]
        if not 0 <= ref.segment < len(path.kinds) or path.kinds[ref.segment] != ARC:
            raise TruingError("a relation of arcs and circles names what is none")
        return [*self._ends(ref), place.bulges[ref.segment]]

    def is_line(self, ref: Ref) -> bool:
        """Return whether a ref is a line."""
        path = self.path(ref)
        return (
            self.places[ref.key].nodes > 0
            and 0 <= ref.segment < len(path.kinds)
            and path.kinds[ref.segment] == LINE
        )

    def extra(self, values: list[float]) -> list[int]:
        """Return the columns of further variables that begin at these values."""
        first = len(self._start)
        self._start += values
        return list(range(first, first + len(values)))

    def value(self, column: int) -> float:
        """Return what a variable is before anything moves."""
        return self._start[column]

    def centre(self, columns: list[int]) -> tuple[float, float]:
        """Return the centre of an arc or circle by its columns."""
        from silhueta.core.truing.equations import arc_circle

        values = [self._start[column] for column in columns]
        if len(columns) == 3:
            return values[0], values[1]
        x, y, _ = arc_circle(np.array([values]))
        return float(x[0]), float(y[0])

    def middle(self, ref: Ref) -> tuple[float, float]:
        """Return the middle of a line, or the centre of a round."""
        if not self.is_line(ref):
            return self.centre(self.round(ref))
        ax, ay, bx, by = (self._start[column] for column in self.line(ref))
        return (ax + bx) / 2, (ay + by) / 2

    def _put(self, function: Function, columns: list[int], values: list[float], n: int) -> None:
        self._rows.setdefault(function, []).append((columns, values, n))

    # relations as equations

    def _add(self, relation: Relation, n: int) -> None:
        from silhueta.core.truing.meaning import equations_of

        for function, columns, values in equations_of(relation, self):
            self._put(function, columns, values, n)

    # what the outline is held near

    @cached_property
    def edges(self) -> list[Group]:
        """The distances of the present edges' points, that are to stay small."""
        return [*self._edges(), *self._held_firm()]

    def _edges(self) -> list[Group]:
        from silhueta.core.truing import equations as e

        rows: dict[Function, list[tuple[list[int], list[float]]]] = {}
        for key, i in self._contours.items():
            path, place = self.outline.contours[i].path, self.places[key]
            if place.nodes == 0:
                x, y, radius = self._start[place.first : place.first + 3]
                weight = [np.sqrt(np.pi * radius), np.sqrt(2 * np.pi * radius), x, y, radius]
                columns = [place.first + k for k in range(3)]
                rows.setdefault(e.held_circle, []).append((columns, weight))
                continue
            for k, kind in enumerate(path.kinds.tolist()):
                if kind == CUBIC:
                    continue
                ref = Ref(key, k)
                a, b = path.starts[k], path.ends[k]
                for share in (np.arange(_SAMPLES) + 0.5) / _SAMPLES:
                    bulge = float(path.bulges[k])
                    x, y, size = _along(a, b, bulge, float(share))
                    weight = [float(np.sqrt(size / _SAMPLES)), x, y]
                    if kind == LINE:
                        rows.setdefault(e.off_line, []).append((self._ends(ref), weight))
                    else:
                        rows.setdefault(e.off_arc, []).append(
                            ([*self._ends(ref), place.bulges[k]], [*weight, _radius(a, b, bulge)])
                        )
        return [
            Group(
                function,
                np.array([c for c, _ in found], np.int64),
                np.array([v for _, v in found], np.float64),
                np.full(len(found), -1),
            )
            for function, found in rows.items()
        ]

    def _held_firm(self) -> list[Group]:
        from silhueta.core.truing.equations import held_node

        rows, weights = [], []
        for key, node in self._firm:
            place = self.places.get(key)
            if place is None or node >= place.nodes:
                continue
            path = self.outline.contours[self._contours[key]].path
            size = float(np.hypot(*(path.ends - path.starts).T).sum())
            column = place.first + 2 * node
            rows.append([column, column + 1])
            weights.append([_FIRM * math.sqrt(size), *path.nodes[node].tolist()])
        if not rows:
            return []
        none = np.full(len(rows), -1)
        return [Group(held_node, np.array(rows, np.int64), np.array(weights), none)]

    def scales(self) -> Floats:
        """Return how much each variable moves the outline, (n,): mm for one of it."""
        scale = np.ones(len(self.start))
        for key, i in self._contours.items():
            path = self.outline.contours[i].path
            chords = np.hypot(*(path.ends - path.starts).T)
            for k, column in self.places[key].bulges.items():
                scale[column] = max(chords[k] / 2, 1e-6)
        return scale

    def made(self, values: Floats) -> Outline:
        """Return the outline with these values."""
        contours = list(self.outline.contours)
        for key, i in self._contours.items():
            contour, place = contours[i], self.places[key]
            contours[i] = replace(contour, path=_path(contour.path, place, values))
        return Outline(tuple(contours))


def _laid_out(path: Path, start: list[float]) -> _Place:
    first = len(start)
    circle = full_circle(path)
    if circle is not None:
        (x, y), radius = circle
        start += [float(x), float(y), float(radius)]
        return _Place(first, 0, {})
    start += path.nodes.ravel().tolist()
    bulges = {}
    for k in np.flatnonzero(path.kinds == ARC).tolist():
        bulges[k] = len(start)
        start.append(float(path.bulges[k]))
    return _Place(first, len(path.nodes), bulges)


def _path(path: Path, place: _Place, values: Floats) -> Path:
    first = place.first
    if place.nodes == 0:
        x, y, radius = values[first : first + 3].tolist()
        if not radius > 0:
            raise TruingError("a hole would have no size left; release one of its relations")
        loop = circle_loop((x, y), radius)
        return loop if path.bulges[0] > 0 else Loop(loop.nodes, loop.kinds, -loop.bulges)
    nodes = values[first : first + 2 * place.nodes].reshape(-1, 2)
    bulges = path.bulges.copy()
    for k, column in place.bulges.items():
        bulges[k] = values[column]
    flat = (path.kinds == ARC) & (np.abs(bulges) < 1e-9)
    kinds = np.where(flat, LINE, path.kinds).astype(np.uint8)
    controls = path.controls.copy()
    if (path.kinds == CUBIC).any():
        moved = nodes - path.nodes
        after = np.roll(moved, -1, axis=0) if path.closed else moved[1:]
        before = moved if path.closed else moved[:-1]
        curve = path.kinds == CUBIC
        controls[curve, 0] += before[curve]
        controls[curve, 1] += after[curve]
    return type(path)(nodes, kinds, np.where(flat, 0.0, bulges), controls)


def _along(a: Floats, b: Floats, bulge: float, share: float) -> tuple[float, float, float]:
    """Return a place of a segment, and the segment's length."""
    from silhueta.core.fitting.fit import along

    x, y = along(a, b, bulge, share)
    chord = float(np.hypot(*(b - a)))
    turn = 4 * np.arctan(abs(bulge))
    size = chord if turn < 1e-9 else chord / 2 / np.sin(turn / 2) * turn
    return float(x), float(y), float(size)


def _radius(a: Floats, b: Floats, bulge: float) -> float:
    chord = float(np.hypot(*(b - a)))
    return chord * (1 + bulge * bulge) / (4 * abs(bulge))


def jacobian(group: Group, values: Floats) -> tuple[Floats, Floats]:
    """Return the group's equations (K, r) and their derivatives by its columns (K, r, m)."""
    here = values[group.columns]
    at = group.function(here, group.values)
    slopes = np.empty((*at.shape, here.shape[1]))
    for j in range(here.shape[1]):
        moved = here.astype(np.complex128)
        moved[:, j] += 1j * _H
        slopes[..., j] = group.function(moved, group.values).imag / _H
    return np.asarray(at, np.float64), slopes

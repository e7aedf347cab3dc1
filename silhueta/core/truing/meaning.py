"""What a relation means: which equations of which variables."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from silhueta.core.errors import TruingError
from silhueta.core.geometry.path import Floats
from silhueta.core.relations import Relation
from silhueta.core.truing import equations as e

if TYPE_CHECKING:
    from silhueta.core.truing.system import Function, System

_PARALLEL = 1e-3  # sine of an angle between lines that is none
Made = tuple["Function", list[int], list[float]]


def equations_of(relation: Relation, system: System) -> Iterator[Made]:
    """Yield the equations of a relation: function, columns, values.

    Raises
    ------
    TruingError
        If it cannot hold for what it names.

    """
    kind, refs, value = relation.kind, relation.refs, relation.value
    single: dict[str, Function] = {"level": e.level, "plumb": e.plumb}
    pairs: dict[str, Function] = {
        "parallel": e.parallel,
        "perpendicular": e.perpendicular,
        "collinear": e.collinear,
        "equal length": e.equal_length,
    }
    if kind in single:
        for ref in refs:
            yield single[kind], system.line(ref), []
    elif kind == "angle":
        turn = math.radians(_told(value, kind))
        for ref in refs:
            yield e.at_angle, system.line(ref), [math.cos(turn), math.sin(turn)]
    elif kind == "length":
        for ref in refs:
            yield e.length, system.line(ref), [_above_zero(value, kind)]
    elif kind in pairs:
        for one, two in zip(refs[:-1], refs[1:], strict=True):
            yield pairs[kind], system.line(one) + system.line(two), []
    elif kind == "radius":
        size = _above_zero(value, kind)
        for ref in refs:
            columns = system.round(ref)
            if len(columns) == 3:
                yield e.circle_radius, columns, [size]
            else:
                yield e.arc_radius, columns, [size, _sign(system, columns)]
    elif kind in ("equal radius", "concentric"):
        table = e.EQUAL if kind == "equal radius" else e.CONCENTRIC
        for one, two in zip(refs[:-1], refs[1:], strict=True):
            a, b = system.round(one), system.round(two)
            signs = [_sign(system, a), _sign(system, b)]
            yield table[len(a), len(b)], a + b, signs
    elif kind == "tangent":
        # the arcs of what has become a whole circle are tangent whatever its size and place
        if system.places[relation.refs[0].key].nodes:
            yield _joint(relation, system)
    elif kind == "distance":
        yield _distance(relation, system)
    elif kind == "between":
        yield _between(relation, system)
    elif kind == "regular":
        yield from _regular(relation, system)
    elif kind == "symmetric":
        yield from _mirror(relation, system)
    else:
        yield from _pattern(relation, system)


def _told(value: float | None, kind: str) -> float:
    if value is None or not math.isfinite(value):
        raise TruingError(f"the size of a relation ({kind}) is missing")
    return value


def _above_zero(value: float | None, kind: str) -> float:
    if not 0 < _told(value, kind) < 1e6:
        raise TruingError(f"a {kind} must be above 0 mm, got {value:g}")
    assert value is not None
    return value


def _sign(system: System, columns: list[int]) -> float:
    """Return the way round of an arc: 1 or -1; circles go 1."""
    return 1.0 if len(columns) == 3 or system.value(columns[4]) > 0 else -1.0


def _joint(relation: Relation, system: System) -> Made:
    one, two = relation.refs
    path = system.path(one)
    if one.key != two.key or two.segment != (one.segment + 1) % len(path.kinds):
        raise TruingError("tangent segments must follow each other")
    lines = [system.is_line(ref) for ref in (one, two)]
    if all(lines):
        raise TruingError("two lines are tangent only where they are one")
    columns = [
        system.line(ref) if is_line else system.round(ref)
        for ref, is_line in zip((one, two), lines, strict=True)
    ]
    return e.TANGENT[not lines[0], not lines[1]], columns[0] + columns[1], []


def _distance(relation: Relation, system: System) -> Made:
    one, two = relation.refs
    far = _above_zero(relation.value, "distance")
    if system.is_line(two) and not system.is_line(one):
        one, two = two, one
    if system.is_line(one):
        base = system.line(one)
        start, end = ([system.value(c) for c in base[k : k + 2]] for k in (0, 2))
        if system.is_line(two):
            other = system.line(two)
            ends = [system.value(c) for c in other]
            x, y = (ends[0] + ends[2]) / 2, (ends[1] + ends[3]) / 2
        else:
            other = system.round(two)
            x, y = system.centre(other)
        side = (end[0] - start[0]) * (y - start[1]) - (end[1] - start[1]) * (x - start[0])
        function = e.apart_lines if system.is_line(two) else e.FROM_LINE[len(other)]
        return function, base + other, [far, 1.0 if side > 0 else -1.0]
    a, b = system.round(one), system.round(two)
    return e.APART[len(a), len(b)], a + b, [far]


def _pattern(relation: Relation, system: System) -> Iterator[Made]:
    """Yield the equations of holes in a pattern, which gets variables of its own."""
    holes = [system.round(ref) for ref in relation.refs]
    centres = np.array([system.centre(columns) for columns in holes])
    count = len(holes)
    if count < 3:
        raise TruingError("a pattern needs three holes")
    if relation.kind == "in a row":
        step = (centres[-1] - centres[0]) / (count - 1)
        extra = system.extra([*centres[0].tolist(), *step.tolist()])
        for k, columns in enumerate(holes):
            yield e.IN_ROW[len(columns)], columns + extra, [float(k)]
        return
    if relation.kind == "in a grid":
        yield from _grid(system, holes, centres, round(_told(relation.value, relation.kind)))
        return
    middle = centres.mean(axis=0)
    away = centres - middle
    angles = np.arctan2(away[:, 1], away[:, 0])
    way = 1.0 if math.remainder(float(angles[1] - angles[0]), 2 * math.pi) > 0 else -1.0
    turns = way * 2 * np.pi * np.arange(count) / count
    first = float(np.angle(np.exp(1j * (angles - turns)).sum()))
    extra = system.extra([*middle.tolist(), float(np.hypot(*away.T).mean()), first])
    for columns, turn in zip(holes, turns.tolist(), strict=True):
        yield e.ON_CIRCLE[len(columns)], columns + extra, [math.cos(turn), math.sin(turn)]


def _grid(system: System, holes: list[list[int]], centres: Floats, wide: int) -> Iterator[Made]:
    """Yield the equations of holes in rows of `wide`, evenly spaced and square to each other."""
    rows, rest = divmod(len(holes), max(wide, 1))
    if wide < 2 or rows < 2 or rest:
        raise TruingError("a grid needs two rows at least, of as many holes each")
    along = (centres[wide - 1] - centres[0]) / (wide - 1)
    up = (centres[(rows - 1) * wide] - centres[0]) / (rows - 1)
    other = float(along[0] * up[1] - along[1] * up[0]) / max(float(np.hypot(*along)), 1e-12)
    extra = system.extra([*centres[0].tolist(), *along.tolist(), other])
    for k, columns in enumerate(holes):
        row, column = divmod(k, wide)
        yield e.IN_GRID[len(columns)], columns + extra, [float(column), float(row)]


def _between(relation: Relation, system: System) -> Made:
    """Return the equation of an angle between two lines, on the side where it is now."""
    one, two = (system.line(ref) for ref in relation.refs)
    ends = [np.array([system.value(c) for c in line]).reshape(2, 2) for line in (one, two)]
    signed = signed_between(*ends)
    size = math.radians(_told(relation.value, relation.kind))
    if signed is None or not 0 < size < math.pi:
        raise TruingError("an angle is between two edges that are not parallel, 0 to 180 degrees")
    turn = math.copysign(size, signed)
    return e.between, one + two, [math.cos(turn), math.sin(turn)]


def signed_between(one: Floats, two: Floats) -> float | None:
    """Return the angle from one line to another, each run from where they would meet, radians.

    Lines as their ends (2, 2); None where they are parallel.
    """
    u, v = one[1] - one[0], two[1] - two[0]
    across = float(u[0] * v[1] - u[1] * v[0])
    if abs(across) < _PARALLEL * float(np.hypot(*u) * np.hypot(*v)):
        return None
    off = two[0] - one[0]
    meet = one[0] + float(off[0] * v[1] - off[1] * v[0]) / across * u
    a, b = one.mean(axis=0) - meet, two.mean(axis=0) - meet
    u = u if float(u @ a) >= 0 else -u
    v = v if float(v @ b) >= 0 else -v
    return math.atan2(float(u[0] * v[1] - u[1] * v[0]), float(u @ v))


def _regular(relation: Relation, system: System) -> Iterator[Made]:
    """Yield the equations of a regular polygon; its last two sides follow, as it is closed."""
    refs = relation.refs
    count = len(refs)
    path = system.path(refs[0])
    if count < 3 or len(path.kinds) != count or [r.segment for r in refs] != [*range(count)]:
        raise TruingError("a regular polygon needs all sides of its loop, one after the other")
    sides = [system.line(ref) for ref in refs]
    (ax, ay), (bx, by) = (
        (system.value(s[2]) - system.value(s[0]), system.value(s[3]) - system.value(s[1]))
        for s in sides[:2]
    )
    turn = math.copysign(2 * math.pi / count, ax * by - ay * bx)
    for one, two in zip(sides[:-2], sides[1:-1], strict=True):
        yield e.turned_on, one + two, [math.cos(turn), math.sin(turn)]


def _mirror(relation: Relation, system: System) -> Iterator[Made]:
    """Yield the equations of what answers each other over an axis, which is moved as well."""
    pairs = list(zip(relation.refs[::2], relation.refs[1::2], strict=True))
    if not pairs:
        raise TruingError("what is symmetric needs two sides")
    places = [np.mean([system.middle(one), system.middle(two)], axis=0) for one, two in pairs]
    middle = np.mean(places, axis=0)
    angle = math.radians(_told(relation.value, relation.kind))
    axis = system.extra([float(middle[0]), float(middle[1]), angle])
    for one, two in pairs:
        same = one.key == two.key and one.segment == two.segment
        if system.is_line(one):
            columns = system.line(one)
            if same:
                yield e.mirrored_line, columns + axis, []
            else:
                yield e.mirrored_lines, columns + system.line(two) + axis, []
            continue
        a = system.round(one)
        if same:
            yield e.ON_AXIS[len(a)], a + axis, []
        else:
            b = system.round(two)
            yield e.MIRRORED[len(a), len(b)], a + b + axis, [_sign(system, a), _sign(system, b)]

"""What each relation asks for, as equations that are 0 where it holds.

Each takes variables (K, m) and values (K, v), and returns (K, r) in mm; no branches, so that they
can be worked out for complex numbers.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from silhueta.core.geometry.path import Floats

if TYPE_CHECKING:
    from silhueta.core.truing.system import Function, Rows


def _columns(rows: Rows, *names: int) -> tuple[Rows, ...]:
    return tuple(rows[:, k] for k in names)


def _one(value: Rows) -> Rows:
    return value[:, None]


def _size(x: Rows, y: Rows) -> Rows:
    size: Rows = np.sqrt(x * x + y * y)
    return size


# where the outline is now


def held_circle(v: Rows, w: Floats) -> Rows:
    """Hold centre and radius: values weight of centre, weight of radius, x, y, radius."""
    return np.stack(
        [
            w[:, 0] * (v[:, 0] - w[:, 2]),
            w[:, 0] * (v[:, 1] - w[:, 3]),
            w[:, 1] * (v[:, 2] - w[:, 4]),
        ],
        axis=1,
    )


def held_node(v: Rows, w: Floats) -> Rows:
    """Hold a node: values weight, x, y."""
    return np.stack([w[:, 0] * (v[:, 0] - w[:, 1]), w[:, 0] * (v[:, 1] - w[:, 2])], axis=1)


def off_line(v: Rows, w: Floats) -> Rows:
    """Hold a point (values weight, x, y) on a line."""
    ax, ay, bx, by = _columns(v, 0, 1, 2, 3)
    dx, dy = bx - ax, by - ay
    return _one(w[:, 0] * (dx * (w[:, 2] - ay) - dy * (w[:, 1] - ax)) / _size(dx, dy))


def off_arc(v: Rows, w: Floats) -> Rows:
    """Hold a point (values weight, x, y, radius it had) on an arc's circle."""
    x, y, radius = arc_circle(v)
    off = ((w[:, 1] - x) ** 2 + (w[:, 2] - y) ** 2 - radius**2) / (2 * w[:, 3])
    return _one(w[:, 0] * off)


# circles of arcs


def arc_circle(v: Rows) -> tuple[Rows, Rows, Rows]:
    """Return centre and radius (below zero for one that turns right) of arcs in five columns."""
    ax, ay, bx, by, b = _columns(v, 0, 1, 2, 3, 4)
    dx, dy = bx - ax, by - ay
    aside = (1 - b * b) / (4 * b)
    x = (ax + bx) / 2 - dy * aside
    y = (ay + by) / 2 + dx * aside
    return x, y, _size(dx, dy) * (1 + b * b) / (4 * b)


def _circle(v: Rows, first: int, columns: int) -> tuple[Rows, Rows, Rows]:
    """Return centre and radius of a circle (3 columns) or an arc (5)."""
    if columns == 3:
        return v[:, first], v[:, first + 1], v[:, first + 2]
    return arc_circle(v[:, first : first + 5])


def _direction(v: Rows, first: int) -> tuple[Rows, Rows]:
    return v[:, first + 2] - v[:, first], v[:, first + 3] - v[:, first + 1]


# relations of one


def level(v: Rows, _: Floats) -> Rows:
    """Put both ends as high."""
    return _one(v[:, 3] - v[:, 1])


def plumb(v: Rows, _: Floats) -> Rows:
    """Put both ends above each other."""
    return _one(v[:, 2] - v[:, 0])


def at_angle(v: Rows, w: Floats) -> Rows:
    """Give a line a direction (values cosine, sine)."""
    dx, dy = _direction(v, 0)
    return _one(dx * w[:, 1] - dy * w[:, 0])


def length(v: Rows, w: Floats) -> Rows:
    """Make a line so long."""
    return _one(_size(*_direction(v, 0)) - w[:, 0])


def arc_radius(v: Rows, w: Floats) -> Rows:
    """Give an arc this radius (values radius, its sign)."""
    return _one(arc_circle(v)[2] * w[:, 1] - w[:, 0])


def circle_radius(v: Rows, w: Floats) -> Rows:
    """Give a circle this radius."""
    return _one(v[:, 2] - w[:, 0])


# relations of two lines


def parallel(v: Rows, _: Floats) -> Rows:
    """Let two lines run the same way."""
    (ax, ay), (bx, by) = _direction(v, 0), _direction(v, 4)
    return _one((ax * by - ay * bx) / np.sqrt(_size(ax, ay) * _size(bx, by)))


def perpendicular(v: Rows, _: Floats) -> Rows:
    """Put two lines square to each other."""
    (ax, ay), (bx, by) = _direction(v, 0), _direction(v, 4)
    return _one((ax * bx + ay * by) / np.sqrt(_size(ax, ay) * _size(bx, by)))


def collinear(v: Rows, _: Floats) -> Rows:
    """Put both ends of the second line on the first."""
    dx, dy = _direction(v, 0)
    far = _size(dx, dy)
    ends = [(dx * (v[:, k + 1] - v[:, 1]) - dy * (v[:, k] - v[:, 0])) / far for k in (4, 6)]
    return np.stack(ends, axis=1)


def equal_length(v: Rows, _: Floats) -> Rows:
    """Make two lines as long."""
    return _one(_size(*_direction(v, 0)) - _size(*_direction(v, 4)))


def turned_on(v: Rows, w: Floats) -> Rows:
    """Let the second line be the first one, turned (values cosine, sine)."""
    (ax, ay), (bx, by) = _direction(v, 0), _direction(v, 4)
    c, s = w[:, 0], w[:, 1]
    return np.stack([bx - c * ax + s * ay, by - s * ax - c * ay], axis=1)


def between(v: Rows, w: Floats) -> Rows:
    """Let the second line run as the first one turned (values cosine, sine), either way."""
    (ax, ay), (bx, by) = _direction(v, 0), _direction(v, 4)
    c, s = w[:, 0], w[:, 1]
    across = (c * ax - s * ay) * by - (s * ax + c * ay) * bx
    return _one(across / np.sqrt(_size(ax, ay) * _size(bx, by)))


def apart_lines(v: Rows, w: Floats) -> Rows:
    """Put the middle of the second line so far (values distance, side) from the first."""
    dx, dy = _direction(v, 0)
    x, y = (v[:, 4] + v[:, 6]) / 2 - v[:, 0], (v[:, 5] + v[:, 7]) / 2 - v[:, 1]
    return _one((dx * y - dy * x) / _size(dx, dy) * w[:, 1] - w[:, 0])


# relations of circles, by how many columns each has


def _of_rounds(
    what: Callable[[tuple[Rows, Rows, Rows], tuple[Rows, Rows, Rows], Floats], Rows],
    one: int,
    two: int,
) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        return what(_circle(v, 0, one), _circle(v, one, two), w)

    return equation


def _same_radius(a: tuple[Rows, Rows, Rows], b: tuple[Rows, Rows, Rows], w: Floats) -> Rows:
    return _one(a[2] * w[:, 0] - b[2] * w[:, 1])


def _same_centre(a: tuple[Rows, Rows, Rows], b: tuple[Rows, Rows, Rows], _: Floats) -> Rows:
    return np.stack([a[0] - b[0], a[1] - b[1]], axis=1)


def _centres_apart(a: tuple[Rows, Rows, Rows], b: tuple[Rows, Rows, Rows], w: Floats) -> Rows:
    return _one(_size(a[0] - b[0], a[1] - b[1]) - w[:, 0])


def _line_to_centre(columns: int) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        dx, dy = _direction(v, 0)
        x, y, _ = _circle(v, 4, columns)
        far = (dx * (y - v[:, 1]) - dy * (x - v[:, 0])) / _size(dx, dy)
        return _one(far * w[:, 1] - w[:, 0])

    return equation


EQUAL = {(a, b): _of_rounds(_same_radius, a, b) for a in (3, 5) for b in (3, 5)}
CONCENTRIC = {(a, b): _of_rounds(_same_centre, a, b) for a in (3, 5) for b in (3, 5)}
APART = {(a, b): _of_rounds(_centres_apart, a, b) for a in (3, 5) for b in (3, 5)}
FROM_LINE = {a: _line_to_centre(a) for a in (3, 5)}


# joints


def _way(v: Rows, first: int, bulge: Rows | None, at_end: bool) -> tuple[Rows, Rows]:
    """Return the direction of a segment at one end: its chord, turned by half an arc's angle."""
    dx, dy = _direction(v, first)
    if bulge is None:
        return dx, dy
    over = 1 + bulge * bulge
    c, s = (1 - bulge * bulge) / over, 2 * bulge / over
    s = s if at_end else -s
    return c * dx - s * dy, s * dx + c * dy


def _tangent(one_is_arc: bool, two_is_arc: bool) -> Function:
    def equation(v: Rows, _: Floats) -> Rows:
        second = 5 if one_is_arc else 4
        ax, ay = _way(v, 0, v[:, 4] if one_is_arc else None, at_end=True)
        bulge = v[:, second + 4] if two_is_arc else None
        bx, by = _way(v, second, bulge, at_end=False)
        return _one((ax * by - ay * bx) / np.sqrt(_size(ax, ay) * _size(bx, by)))

    return equation


TANGENT = {(a, b): _tangent(a, b) for a in (False, True) for b in (False, True)}


# patterns of centres


def _on_circle(columns: int) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        """Columns of a hole, then x, y, radius, angle of the pattern; values cosine, sine."""
        x, y, _ = _circle(v, 0, columns)
        px, py, radius, angle = (v[:, columns + k] for k in range(4))
        c, s = np.cos(angle), np.sin(angle)
        across = radius * (c * w[:, 0] - s * w[:, 1])
        up = radius * (s * w[:, 0] + c * w[:, 1])
        return np.stack([x - px - across, y - py - up], axis=1)

    return equation


def _in_row(columns: int) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        """Columns of a hole, then x, y and step x, y of the row; values its number."""
        x, y, _ = _circle(v, 0, columns)
        px, py, dx, dy = (v[:, columns + k] for k in range(4))
        return np.stack([x - px - w[:, 0] * dx, y - py - w[:, 0] * dy], axis=1)

    return equation


def _in_grid(columns: int) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        """Columns of a hole, then x, y, step x, y and the other step of the grid; values its place.

        The other step is square to the first.
        """
        x, y, _ = _circle(v, 0, columns)
        px, py, dx, dy, other = (v[:, columns + k] for k in range(5))
        far = _size(dx, dy)
        across = w[:, 0] * dx - w[:, 1] * other * dy / far
        up = w[:, 0] * dy + w[:, 1] * other * dx / far
        return np.stack([x - px - across, y - py - up], axis=1)

    return equation


def _folded(x: Rows, y: Rows, axis: tuple[Rows, ...]) -> tuple[Rows, Rows]:
    """Return a place on the other side of an axis (x, y, angle)."""
    ax, ay, angle = axis
    c, s = np.cos(2 * angle), np.sin(2 * angle)
    dx, dy = x - ax, y - ay
    return ax + c * dx + s * dy, ay + s * dx - c * dy


def mirrored_lines(v: Rows, _: Floats) -> Rows:
    """Put both ends of a line, folded over the axis in the last columns, on another line."""
    axis = tuple(v[:, 8 + k] for k in range(3))
    dx, dy = _direction(v, 4)
    ends = []
    for k in (0, 2):
        x, y = _folded(v[:, k], v[:, k + 1], axis)
        ends.append((dx * (y - v[:, 5]) - dy * (x - v[:, 4])) / _size(dx, dy))
    return np.stack(ends, axis=1)


def mirrored_line(v: Rows, _: Floats) -> Rows:
    """Put a line square to the axis in the last columns."""
    dx, dy = _direction(v, 0)
    return _one(dx * np.cos(v[:, 6]) + dy * np.sin(v[:, 6]))


def _mirrored_rounds(one: int, two: int) -> Function:
    def equation(v: Rows, w: Floats) -> Rows:
        a, b = _circle(v, 0, one), _circle(v, one, two)
        axis = tuple(v[:, one + two + k] for k in range(3))
        x, y = _folded(a[0], a[1], axis)
        return np.stack([x - b[0], y - b[1], a[2] * w[:, 0] - b[2] * w[:, 1]], axis=1)

    return equation


def _on_axis(columns: int) -> Function:
    def equation(v: Rows, _: Floats) -> Rows:
        x, y, _r = _circle(v, 0, columns)
        ax, ay, angle = (v[:, columns + k] for k in range(3))
        return _one((y - ay) * np.cos(angle) - (x - ax) * np.sin(angle))

    return equation


MIRRORED = {(a, b): _mirrored_rounds(a, b) for a in (3, 5) for b in (3, 5)}
ON_AXIS = {a: _on_axis(a) for a in (3, 5)}
ON_CIRCLE = {a: _on_circle(a) for a in (3, 5)}
IN_GRID = {a: _in_grid(a) for a in (3, 5)}
IN_ROW = {a: _in_row(a) for a in (3, 5)}

"""Paths of svgelements as paths of ours, in mm with y up."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, Path, circle_loop
from silhueta.core.units import MM_PER_INCH

MM_PER_PX = MM_PER_INCH / 96  # CSS's px
_FLAT = 1e-6  # radians, under which an arc is a line
_SAME = 1e-6  # mm between a path's ends that make it closed in fact


def _is_even(by: Any) -> bool:
    """Return whether a matrix keeps circles round, but for their size."""
    across, up = math.hypot(by.a, by.b), math.hypot(by.c, by.d)
    even = abs(across - up) <= 1e-9 * max(across, up)
    return even and abs(by.a * by.c + by.b * by.d) <= 1e-9 * across * up


def stretch(by: Any) -> float:
    """Return how many times longer a matrix makes what it lengthens most than what least."""
    most, least = np.linalg.svd([[by.a, by.c], [by.b, by.d]], compute_uv=False)
    return float(most / least) if least > 0 else math.inf


STRETCHED = 1.02  # from which a stroke is seen to be wider one way than the other
_ToPage = tuple[float, float, float, float, float, float]  # a matrix, px to mm with y up


def laid_out(path: Any, height: float) -> tuple[Any, _ToPage]:
    """Return a path of svgelements, and what takes its numbers to where it lies on the page.

    Arcs are laid out there at once; one that is skewed or stretched is no arc of the same kind any
    more: it goes as cubics.
    """
    import svgelements as svg

    k, by = MM_PER_PX, path.transform
    if any(isinstance(segment, svg.Arc) for segment in path):
        if not _is_even(by):
            path.approximate_arcs_with_cubics()
        path.reify()
        return path, (k, 0.0, 0.0, -k, 0.0, k * height)
    numbers = (by.a, -by.b, by.c, -by.d, by.e, height - by.f)
    a, b, c, d, e, f = (k * float(number) for number in numbers)
    return path, (a, b, c, d, e, f)


def stroke_width(path: Any) -> float:
    """Return how wide a path's stroke is, mm; 0 where there is none."""
    width = getattr(path, "implicit_stroke_width", None)
    return float(width) * MM_PER_PX if width is not None and np.isfinite(float(width)) else 0.0


_Point = tuple[float, float]


def _towards(end: _Point, control: _Point) -> _Point:
    """Return the control point of the cubic that is a quadratic curve, at one of its ends."""
    return end[0] + (control[0] - end[0]) * 2 / 3, end[1] + (control[1] - end[1]) * 2 / 3


def path_of(piece: Any, to_page: _ToPage) -> Path | None:
    """Return a subpath in mm, y up; None when nothing is left of it."""
    import svgelements as svg

    a, b, c, d, e, f = to_page

    def at(point: Any) -> _Point:
        x, y = float(point.x), float(point.y)
        return a * x + c * y + e, b * x + d * y + f

    nodes: list[_Point] = []
    kinds: list[int] = []
    bulges: list[float] = []
    controls: list[tuple[_Point, _Point]] = []
    none = (0.0, 0.0), (0.0, 0.0)
    closed = False

    def add(
        kind: int, end: _Point, bulge: float = 0.0, control: tuple[_Point, _Point] = none
    ) -> None:
        if kind == LINE and max(abs(end[0] - nodes[-1][0]), abs(end[1] - nodes[-1][1])) < 1e-9:
            return
        nodes.append(end)
        kinds.append(kind)
        bulges.append(bulge)
        controls.append(control)

    for each in piece:
        segment: Any = each
        if isinstance(each, svg.Move):
            nodes = [at(segment.end)]
        elif isinstance(each, svg.Close):
            closed = True
            add(LINE, nodes[0])
        elif isinstance(each, svg.Line):
            add(LINE, at(segment.end))
        elif isinstance(each, svg.CubicBezier):
            add(CUBIC, at(segment.end), 0.0, (at(segment.control1), at(segment.control2)))
        elif isinstance(each, svg.QuadraticBezier):
            start, middle, end = at(segment.start), at(segment.control), at(segment.end)
            add(CUBIC, end, 0.0, (_towards(start, middle), _towards(end, middle)))
        elif isinstance(each, svg.Arc):
            sweep = float(segment.sweep)
            if abs(sweep) < _FLAT or not (segment.rx and segment.ry):
                add(LINE, at(segment.end))  # as SVG 1.1, section F.6.2, has it
                continue
            if (
                abs(segment.rx - segment.ry) <= 1e-9 * max(segment.rx, segment.ry)
                and abs(sweep) < 6.2831
            ):
                add(ARC, at(segment.end), -np.tan(sweep / 4))
                continue
            for cubic in segment.as_cubic_curves():
                add(CUBIC, at(cubic.end), 0.0, (at(cubic.control1), at(cubic.control2)))
    if not kinds:
        return None
    arrays = (np.array(kinds, np.uint8), np.array(bulges), np.array(controls))
    if not np.isfinite(nodes).all():
        raise GeometryError("a path holds a number that is not finite; draw it again")
    ends_meet = np.abs(np.subtract(nodes[0], nodes[-1])).max() < _SAME
    if closed or (ends_meet and len(kinds) > 1):
        if len(nodes) - 1 < (2 if any(kinds) else 3):
            return None
        loop = Loop(np.array(nodes[:-1]), *arrays)
        circle = full_circle(loop)
        return circle_loop(*circle) if circle is not None and len(loop.kinds) > 2 else loop
    return OpenPath(np.array(nodes), *arrays)

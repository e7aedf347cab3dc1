"""Plain shapes of typed size, and plates round what is there."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np

from silhueta.core.build.offset import offset
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.nesting import nest
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.geometry.region.region import covered, cut_away

LARGEST = 100_000.0  # mm
_SHORT = 1e-3  # mm, that a plate may be too small by: of a size told in full or rounded
MOST_HOLES = 10_000
PlateKind = Literal["rectangle", "circle", "outline"]
Point = tuple[float, float]


def _told(*sizes: float) -> None:
    if not all(0 < size <= LARGEST for size in sizes):
        raise EditError(f"sizes must be above 0 and up to {LARGEST / 1000:,.0f} m")


def above_zero(size: float) -> float:
    """Return a size, mm.

    Raises
    ------
    EditError
        If it is none.

    """
    _told(size)
    return size


def rectangle(wide: float, high: float, radius: float = 0.0, centre: Point = (0, 0)) -> Loop:
    """Return a rectangle, its corners rounded by a radius, mm, counter-clockwise.

    Raises
    ------
    EditError
        If a size is none, or the radius is more than half of the shorter side.

    """
    _told(wide, high)
    if not 0 <= radius <= min(wide, high) / 2:
        raise EditError(
            f"corners of a plate of {wide:g} × {high:g} mm can be rounded by up to "
            f"{min(wide, high) / 2:g} mm, not {radius:g} mm"
        )
    x, y = wide / 2, high / 2
    corners = np.array([(x, -y), (x, y), (-x, y), (-x, -y)])
    if radius == 0:
        return Loop(corners + centre)
    inner = corners - np.sign(corners) * radius
    nodes, kinds, bulges = [], [], []
    for k, (cx, cy) in enumerate(inner.tolist()):
        for turn, kind in ((-90 + 90 * k, ARC), (90 * k, LINE)):
            angle = math.radians(turn)
            nodes.append((cx + radius * math.cos(angle), cy + radius * math.sin(angle)))
            kinds.append(kind)
            bulges.append(math.tan(math.pi / 8) if kind == ARC else 0.0)
    shape = Loop(np.array(nodes) + centre, np.array(kinds, np.uint8), np.array(bulges))
    return _without_short(shape)


def _without_short(loop: Loop) -> Loop:
    """Return a loop without lines of no length, as between the arcs of a slot or a circle."""
    long = np.hypot(*(loop.ends - loop.starts).T) > 1e-9
    return loop if long.all() else Loop(loop.nodes[long], loop.kinds[long], loop.bulges[long])


def slot(long: float, wide: float, centre: Point = (0, 0)) -> Loop:
    """Return a slot, its length over all, mm, lying level."""
    _told(long, wide)
    if wide >= long:
        raise EditError("a slot is longer than wide; take a circle instead")
    return rectangle(long, wide, wide / 2, centre)


def polygon(sides: int, across: float, centre: Point = (0, 0)) -> Loop:
    """Return a regular polygon, a side below; `across` is the circle that it goes round, mm.

    Of a hexagon that is the size across flats.
    """
    _told(across)
    if not 3 <= sides <= 100:
        raise EditError("a regular polygon has from 3 to 100 sides")
    corner = across / 2 / math.cos(math.pi / sides)
    angles = -math.pi / 2 + math.pi / sides * (2 * np.arange(sides) + 1)
    return Loop(np.array(centre) + corner * np.column_stack([np.cos(angles), np.sin(angles)]))


def ring(outer: float, inner: float, centre: Point = (0, 0)) -> list[Loop]:
    """Return a disc with a hole, by their diameters, mm."""
    _told(outer, inner)
    if inner >= outer:
        raise EditError("the hole of a ring is smaller than the ring")
    hole = circle_loop(centre, inner / 2)
    return [circle_loop(centre, outer / 2), Loop(hole.nodes, hole.kinds, -hole.bulges)]


def holes_on_circle(count: int, diameter: float, circle: float, centre: Point) -> list[Loop]:
    """Return so many holes evenly on a circle, the first on the right, mm."""
    _told(diameter, circle)
    _many(count)
    angles = 2 * np.pi * np.arange(count) / count
    x, y = centre
    return [
        circle_loop((x + circle / 2 * math.cos(a), y + circle / 2 * math.sin(a)), diameter / 2)
        for a in angles.tolist()
    ]


def holes_in_grid(
    across: int, up: int, diameter: float, step: tuple[float, float], centre: Point
) -> list[Loop]:
    """Return holes in rows and columns so far apart, about a middle, mm."""
    _told(diameter)
    _many(across * up)
    if min(across, up) < 1 or not all(0 <= s <= LARGEST for s in step):
        raise EditError("rows and columns of holes are counted from 1, their steps from 0 mm")
    x, y = centre
    return [
        circle_loop(
            (x + (i - (across - 1) / 2) * step[0], y + (j - (up - 1) / 2) * step[1]), diameter / 2
        )
        for j in range(up)
        for i in range(across)
    ]


def _many(count: int) -> None:
    if not 1 <= count <= MOST_HOLES:
        raise EditError(f"from 1 to {MOST_HOLES:,} holes can be made, not {count:,}")


def corner_holes(plate: Loop, diameter: float, margin: float) -> list[Loop]:
    """Return four holes near the corners of a plate's box, their edges `margin` mm from its sides.

    Raises
    ------
    EditError
        If they would meet.

    """
    _told(diameter)
    left, bottom, right, top = bounding_box([plate])
    inside = margin + diameter / 2
    if min(right - left, top - bottom) < 2 * inside + diameter:
        raise EditError("the plate is too small for four such holes; make them smaller")
    return [
        circle_loop((x, y), diameter / 2)
        for y in (bottom + inside, top - inside)
        for x in (left + inside, right - inside)
    ]


def plate_round(
    loops: Sequence[Loop],
    kind: PlateKind = "rectangle",
    size: tuple[float, float] | None = None,
    radius: float = 0.0,
    margin: float = 10.0,
) -> list[Loop]:
    """Return a plate behind loops, their middle its own.

    Parameters
    ----------
    loops : sequence of Loop, mm
    kind : {"rectangle", "circle", "outline"}
        outline: their outer line, grown by the margin.
    size : (width, height), mm
        Of a rectangle; without it, the loops and the margin all round.
    radius, margin : float, mm

    Raises
    ------
    EditError
        If the plate is smaller than what lies on it and its margin.

    """
    left, bottom, right, top = bounding_box(loops)
    if not 0 <= margin <= LARGEST:
        raise EditError("the margin must be 0 mm or more")
    centre = ((left + right) / 2, (bottom + top) / 2)
    needed = (right - left + 2 * margin, top - bottom + 2 * margin)
    if kind == "outline":
        grown = offset(list(loops), margin)
        return [loop for loop, deep in zip(grown, nest(grown).depth, strict=True) if deep == 0]
    if kind == "circle":
        far = max(
            math.dist(centre, corner)
            for corner in ((left, bottom), (right, bottom), (left, top), (right, top))
        )
        return [circle_loop(centre, far + margin)]
    wide, high = size or needed
    if wide < needed[0] - _SHORT or high < needed[1] - _SHORT:
        # rounded up: whoever types what is told here must get the plate
        least = [math.ceil(side * 10 - 10 * _SHORT) / 10 for side in needed]
        raise EditError(
            f"the plate of {wide:g} × {high:g} mm is smaller than what lies on it: with a margin "
            f"of {margin:g} mm it needs {least[0]:.1f} × {least[1]:.1f} mm"
        )
    return [rectangle(wide, high, radius, centre)]


def negative(loops: Sequence[Loop], plate: Sequence[Loop]) -> list[Loop]:
    """Return a plate with loops cut out of it: what goes and what stays exchanged."""
    return cut_away(list(plate), covered(list(loops), "evenodd"), "nonzero")

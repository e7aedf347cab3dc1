"""Strokes with a width as what they cover: the outline round them, in place of their middle."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

import numpy as np

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.tidy.offers.thin import fitted

if TYPE_CHECKING:
    from shapely import Polygon
    from shapely.geometry.base import BaseGeometry

BROAD = 0.5  # mm: a stroke that is wider may be meant as what it covers
_CHORD = 0.004  # of a stroke's width, that its outline may be off
_SMOOTH = 0.05  # radians: a turn of less is none
_FIT = 0.01  # of it, within which the outline becomes lines and arcs


def broad(widths: Sequence[float], least: float = BROAD) -> list[int]:
    """Return which strokes are wider than `least` mm."""
    return [i for i, width in enumerate(widths) if width > least]


class Pen(NamedTuple):
    """How a stroke ends and turns: SVG 1.1, section 11.4, and what it has where nothing is said."""

    cap: Literal["butt", "round", "square"] = "butt"
    join: Literal["miter", "round", "bevel"] = "miter"
    limit: float = 4.0  # a miter's length over the width, at most


_PLAIN = Pen()
_CAPS: dict[str, Literal["flat", "round", "square"]] = {
    "butt": "flat",
    "round": "round",
    "square": "square",
}


def widened(path: Path, width: float, pen: Pen = _PLAIN) -> list[Loop]:
    """Return the outline of a stroke `width` mm wide along `path`: its loops, lines and arcs."""
    import shapely

    points = flatten(path, _CHORD * width)
    line = shapely.LinearRing(points) if path.closed else shapely.LineString(points)
    around: BaseGeometry = shapely.buffer(
        line,
        width / 2,
        quad_segs=32,
        cap_style=_CAPS[pen.cap],
        join_style="round" if pen.join == "round" else "bevel",
    )
    if pen.join == "miter":
        around = shapely.union_all([around, *_miters(points, path.closed, width / 2, pen.limit)])
    loops: list[Loop] = []
    for part in shapely.get_parts(around):
        for ring in (part.exterior, *part.interiors):
            made = fitted(Loop(np.array(ring.coords)[:-1]), _FIT * width)
            assert isinstance(made, Loop)
            loops.append(made)
    return loops


def _miters(points: Floats, closed: bool, half: float, limit: float) -> list[Polygon]:
    """Return the tips of corners: those longer than the limit are cut off whole, as SVG has it."""
    import shapely

    before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)
    one, two = points - before, after - points
    with np.errstate(divide="ignore", invalid="ignore"):
        one, two = one / np.hypot(*one.T)[:, None], two / np.hypot(*two.T)[:, None]
        turn = np.arctan2(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0], (one * two).sum(1))
        corner = (np.abs(turn) > _SMOOTH) & (1 / np.cos(turn / 2) <= limit)
    if not closed:
        corner[[0, -1]] = False
    side = -np.sign(turn)[:, None] * half  # outwards is to the right of a turn to the left
    first = points + side * np.column_stack([-one[:, 1], one[:, 0]])
    second = points + side * np.column_stack([-two[:, 1], two[:, 0]])
    middle = 0.5 * (first + second)
    tip = points + (middle - points) / np.cos(turn / 2)[:, None] ** 2
    return [
        shapely.Polygon([points[k], first[k], tip[k], second[k]])
        for k in np.flatnonzero(corner).tolist()
    ]


def with_broad_widened(
    paths: Sequence[Path], widths: Sequence[float], least: float = BROAD
) -> list[Path]:
    """Return `paths` with each stroke that is wider than `least` mm as its outline."""
    found: list[Path] = []
    for i, path in enumerate(paths):
        width = widths[i] if i < len(widths) else 0.0
        found.extend(widened(path, width) if width > least else [path])
    return found

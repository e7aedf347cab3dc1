"""A ragged loop as the plain shape that it was meant to be: a circle, a slot, a rectangle."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.geometry.path import reverse as reversed_path
from silhueta.core.job import Job
from silhueta.core.relations import Ref, Relation
from silhueta.core.truing.edits import with_truth

Shape = Literal["circle", "slot", "rectangle"]
_STEP = 0.2  # mm between points that stand for a loop
_LEAST = 1.02  # times as long as wide, that a slot is at least


def shaped(job: Job, key: int, shape: Shape) -> Job:
    """Return the job with a loop as a circle, slot or rectangle, on its own centre and axis.

    As large as what it takes the place of encloses, and held in that shape: a typed size leaves it
    a slot or a rectangle.

    Raises
    ------
    EditError
        If there is no such closed loop, or it is too round to be a slot.

    """
    place = next((i for i, c in enumerate(job.outline.contours) if c.key == key), None)
    if place is None or not isinstance(job.outline.contours[place].path, Loop):
        raise EditError("choose a closed loop first")
    contour = job.outline.contours[place]
    path = contour.path
    assert isinstance(path, Loop)
    relations: tuple[Relation, ...] = ()
    if shape == "circle":
        made = _circle(path)
    else:
        made, relations = _long(path, key, shape)
    turned = signed_area(path) * signed_area(made) < 0
    contours = list(job.outline.contours)
    contours[place] = replace(contour, path=_turned(made) if turned else made)
    kept = tuple(r for r in job.relations if all(ref.key != key for ref in r.refs))
    return with_truth(job, Outline(tuple(contours)), (*kept, *relations))


def _points(path: Loop) -> np.ndarray:
    points = flatten(path, 0.005)
    closed = np.vstack([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], max(int(along[-1] / _STEP), 24), endpoint=False)
    return np.column_stack([np.interp(at, along, closed[:, k]) for k in range(2)])


def _circle(path: Loop) -> Loop:
    points = _points(path)
    middle = points.mean(axis=0)
    x, y, radius, _, _ = fit_circle(np.ascontiguousarray(points - middle))
    if not radius > 0:
        raise EditError("no circle fits this loop")
    return circle_loop(middle + (x, y), radius)


def _long(path: Loop, key: int, shape: Shape) -> tuple[Loop, tuple[Relation, ...]]:
    """Return a slot or rectangle with as much area and as long an axis, and what holds in it."""
    import shapely

    points = _points(path)
    box = shapely.get_coordinates(shapely.minimum_rotated_rectangle(shapely.MultiPoint(points)))
    sides = np.diff(box[:3], axis=0)
    lengths = np.hypot(*sides.T)
    along = sides[int(lengths.argmax())]
    way = along / np.hypot(*along)
    aside = np.array([-way[1], way[0]])
    middle = box[:4].mean(axis=0)
    long, wide = float(lengths.max()), float(lengths.min())
    area = abs(signed_area(path))
    if shape == "rectangle":
        wide = area / long
        corners = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
        nodes = [middle + a * long / 2 * way + b * wide / 2 * aside for a, b in corners]
        made = Loop(np.array(nodes))
    else:
        # long w - (4 - pi) / 4 w² = area
        share = (4 - math.pi) / 4
        root = long * long - 4 * share * area
        wide = (long - math.sqrt(max(root, 0.0))) / (2 * share)
        if long < _LEAST * wide or root < 0:
            raise EditError("this loop is as wide as it is long: make it a circle")
        half, radius = (long - wide) / 2, wide / 2
        corners = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
        nodes = [middle + a * half * way + b * radius * aside for a, b in corners]
        made = Loop(np.array(nodes), np.array([LINE, ARC, LINE, ARC]), np.array([0, 1.0, 0, 1.0]))
    mid = (made.starts + made.ends) / 2

    def ref(k: int) -> Ref:
        return Ref(key, k, (float(mid[k, 0]), float(mid[k, 1])))

    if shape == "rectangle":
        square = tuple(Relation("perpendicular", (ref(k), ref(k + 1))) for k in range(3))
        return made, square
    smooth = tuple(Relation("tangent", (ref(k), ref((k + 1) % 4))) for k in range(4))
    return made, (
        *smooth,
        Relation("parallel", (ref(0), ref(2))),
        Relation("equal radius", (ref(1), ref(3))),
    )


def _turned(loop: Loop) -> Loop:
    """Return the loop run the other way, its segments by their old numbers where it has four."""
    if len(loop.kinds) != 4:
        return Loop(loop.nodes, loop.kinds, -loop.bulges)
    back = reversed_path(loop)
    # of nodes 0, 3, 2, 1: segments 3, 2, 1, 0; from node 3 on they are lines and arcs as before
    nodes = np.roll(back.nodes, 1, axis=0)
    kinds, bulges = np.roll(back.kinds, 1), np.roll(back.bulges, 1)
    return Loop(nodes, kinds, bulges)

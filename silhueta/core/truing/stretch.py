"""An outline brought to its caliper list by one factor across and one up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from scipy.optimize import least_squares

from silhueta.core.errors import EditError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Loop, Path, circle_loop
from silhueta.core.job import Job
from silhueta.core.relations import Dimension, Relation
from silhueta.core.truing.calipers import APART, MOST, Row, Shape, round_or_line, says
from silhueta.core.truing.edits import with_truth

_MOST_APART = 0.05  # between the two factors: more is no picture's fault
_TOLD = 0.2  # of what all rows weigh, that must tell of each way


class Stretch(NamedTuple):
    """Factors across and up, what is left of each row, mm, and whether the rows fit together."""

    across: float
    up: float
    left: tuple[float, ...]
    together: bool


def fit_stretch(outline: Outline, found: Sequence[Row]) -> Stretch:
    """Return the two factors that bring an outline to its list, by least squares over the rows.

    A row counts for each factor by the way it runs; a diameter for both alike.

    Raises
    ------
    EditError
        If the rows do not tell of both ways, or the factors cannot be meant.

    """
    told = [row for row in found if row.off is not None and row.dimension.kind != "angle"]
    ways = np.array([_way(outline, row.dimension) for row in told]).reshape(-1, 2) ** 2
    if not told or ways.sum(axis=0).min() < _TOLD * len(told) or len(told) < 2:
        raise EditError(
            "measure at least one dimension that runs across and one that runs up, for a factor "
            "each"
        )
    said = np.array([row.says for row in told], np.float64)
    measured = np.array([row.dimension.measured for row in told], np.float64)
    sigma = np.array([max(row.sigma, 1e-3) for row in told])

    def left(factors: Floats) -> Floats:
        off: Floats = (said * np.sqrt(ways @ factors**2) - measured) / sigma
        return off

    across, up = least_squares(left, np.ones(2)).x.tolist()
    if not max(abs(across - 1), abs(up - 1)) <= MOST:
        raise EditError(
            f"the list would scale the part by {across:.3g} across and {up:.3g} up: check the unit "
            "of what was typed"
        )
    if abs(across - up) > _MOST_APART:
        raise EditError(
            f"the two ways differ by {100 * abs(across - up):.1f} %, which no scanner does: check "
            "the rows, or the datum at Scale"
        )
    off = left(np.array([across, up]))
    return Stretch(
        across, up, tuple((off * sigma).tolist()), bool(np.abs(off).max(initial=0) <= APART)
    )


def _way(outline: Outline, dimension: Dimension) -> tuple[float, float]:
    """Return how far a dimension runs across and up, as the sides of a right angle of size 1."""
    if dimension.kind in ("width", "height"):
        return (1.0, 0.0) if dimension.kind == "width" else (0.0, 1.0)
    shapes = [round_or_line(outline, ref) for ref in dimension.refs]
    lines = [shape for shape in shapes if shape is not None and shape.radius is None]
    if dimension.kind in ("diameter", "radius"):
        return math.sqrt(0.5), math.sqrt(0.5)
    if lines:
        x, y = _unit(lines[0].start, lines[0].end)
        return (x, y) if dimension.kind == "length" else (-y, x)  # apart: square to the edge
    rounds = [shape for shape in shapes if isinstance(shape, Shape)]
    return _unit(rounds[0].start, rounds[1].start)


def _unit(a: tuple[float, float], b: tuple[float, float]) -> tuple[float, float]:
    far = max(math.dist(a, b), 1e-12)
    return (b[0] - a[0]) / far, (b[1] - a[1]) / far


def stretched(job: Job, across: float, up: float) -> Job:
    """Return the job so many times as wide and as high; circles and arcs stay what they are.

    A round of the real part is round: the picture's own stretch, which is undone here, was what
    its circle was fitted through. Sizes that hold become what they are then.
    """
    factors = np.array([across, up])
    contours = tuple(replace(c, path=_path(c.path, factors)) for c in job.outline.contours)
    made = Outline(contours)
    return with_truth(job, made, tuple(_sized(made, r) for r in job.relations))


def _path(path: Path, factors: Floats) -> Path:
    circle = full_circle(path)
    if circle is None:
        return type(path)(path.nodes * factors, path.kinds, path.bulges, path.controls * factors)
    centre, radius = circle
    made = circle_loop(np.asarray(centre) * factors, radius * math.sqrt(factors.prod()))
    return made if path.bulges[0] > 0 else Loop(made.nodes, made.kinds, -made.bulges)


def _sized(outline: Outline, relation: Relation) -> Relation:
    if relation.value is None or relation.kind not in ("length", "distance", "radius"):
        return relation
    kind = "diameter" if relation.kind == "radius" else relation.kind
    size = says(outline, Dimension(kind, relation.refs))
    if size is None:
        return relation
    return replace(relation, value=size / 2 if relation.kind == "radius" else size)

"""The caliper list: what was measured on the real part, held against the outline.

Words used here
    says     what the outline says of a dimension, mm
    factor   by which the whole outline is scaled so that it agrees with the list as well as may be
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import EditError, TruingError
from silhueta.core.geometry.arcs import arc_centres, full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, LINE
from silhueta.core.geometry.transform import scale
from silhueta.core.job import Job
from silhueta.core.relations import WHOLE, Dimension, Ref, Relation
from silhueta.core.truing.edits import parted, with_truth
from silhueta.core.truing.features import Feature, Noise
from silhueta.core.truing.meaning import signed_between
from silhueta.core.truing.solve import solve

_PARALLEL = math.radians(3.0)  # between edges whose distance is measured
MOST = 0.25  # of itself, that an outline is scaled by at most: more is another unit
APART = 3.0  # uncertainties, that rows may be off after scaling and still fit together


class Row(NamedTuple):
    """A dimension held against the outline: what it says, and its uncertainty, mm; None: gone."""

    dimension: Dimension
    says: float | None
    sigma: float

    @property
    def off(self) -> float | None:
        """By how much the outline is larger than what was measured, mm."""
        measured = self.dimension.measured
        return None if self.says is None or measured is None else self.says - measured


class Fit(NamedTuple):
    """A factor, its uncertainty, what is left of each row after it, mm, and whether they fit."""

    factor: float
    sigma: float
    left: tuple[float, ...]
    together: bool


def rows(job: Job, noise: Noise) -> list[Row]:
    """Return the list of a job held against its outline."""
    return [
        Row(dimension, says(job.outline, dimension), _sigma(job.outline, dimension, noise))
        for dimension in job.calipers
    ]


def says(outline: Outline, dimension: Dimension) -> float | None:
    """Return what an outline says of a dimension, mm; None where what it names is gone."""
    if not outline.taken:
        return None
    left, bottom, right, top = outline.bounds
    if dimension.kind in ("width", "height"):
        return right - left if dimension.kind == "width" else top - bottom
    shapes = [round_or_line(outline, ref) for ref in dimension.refs]
    if None in shapes:
        return None
    found = [shape for shape in shapes if shape is not None]
    if dimension.kind in ("diameter", "radius"):
        radius = found[0].radius
        return radius if radius is None or dimension.kind == "radius" else 2 * radius
    if dimension.kind == "angle":
        signed = signed_between(*(np.array([shape.start, shape.end]) for shape in found))
        return None if signed is None else abs(math.degrees(signed))
    if dimension.kind == "length":
        return math.dist(found[0].start, found[0].end)
    return _between(*found)


class Shape(NamedTuple):
    """A line's ends, or a round's centre (twice) and its radius."""

    start: tuple[float, float]
    end: tuple[float, float]
    radius: float | None


def round_or_line(outline: Outline, ref: Ref) -> Shape | None:
    """Return the line, arc or circle that a ref names; None where it is gone."""
    contour = next((c for c in outline.contours if c.key == ref.key), None)
    if contour is None:
        return None
    path = contour.path
    circle = full_circle(path)
    if ref.segment == WHOLE or circle is not None:
        if circle is None:
            return None
        (x, y), radius = circle
        return Shape((float(x), float(y)), (float(x), float(y)), radius)
    if not 0 <= ref.segment < len(path.kinds) or path.kinds[ref.segment] not in (LINE, ARC):
        return None
    k = ref.segment
    if path.kinds[k] == ARC:
        one = slice(k, k + 1)
        centres, radii = arc_centres(path.starts[one], path.ends[one], path.bulges[one])
        centre = (float(centres[0, 0]), float(centres[0, 1]))
        return Shape(centre, centre, float(radii[0]))
    (ax, ay), (bx, by) = path.starts[k].tolist(), path.ends[k].tolist()
    return Shape((ax, ay), (bx, by), None)


def _between(one: Shape, two: Shape) -> float:
    """Return the distance of centres, or of a line and the middle of what lies beside it."""
    if one.radius is not None and two.radius is None:
        one, two = two, one
    x, y = (two.start[0] + two.end[0]) / 2, (two.start[1] + two.end[1]) / 2
    if one.radius is not None:
        return math.dist(one.start, (x, y))
    dx, dy = one.end[0] - one.start[0], one.end[1] - one.start[1]
    return abs(dx * (y - one.start[1]) - dy * (x - one.start[0])) / math.hypot(dx, dy)


def _sigma(outline: Outline, dimension: Dimension, noise: Noise) -> float:
    """Return the standard uncertainty of what an outline says: both edges, and the scale.

    In mm, of an angle in degrees.
    """
    if dimension.kind == "angle":
        shapes = [round_or_line(outline, ref) for ref in dimension.refs]
        short = min((math.dist(s.start, s.end) for s in shapes if s is not None), default=1.0)
        return math.degrees(2 * math.hypot(noise.point, noise.whole) / max(short, 1e-6))
    edges = math.sqrt(2) * math.hypot(noise.point / 2, noise.whole)
    return math.hypot(edges, noise.scale * (dimension.measured or 0.0))


def dimension_of(features: Sequence[Feature]) -> Dimension:
    """Return the dimension that one or two picked features mean.

    Raises
    ------
    EditError
        If there is none between them.

    """
    if len(features) == 1:
        (one,) = features
        kinds = {"line": "length", "arc": "radius", "circle": "diameter"}
        return Dimension(kinds[one.kind], (one.ref,))  # type: ignore[arg-type]
    one, two = features
    if one.ref == two.ref:
        raise EditError("pick two different edges or holes to measure between")
    if one.kind == two.kind == "line":
        turn = abs(math.remainder(one.angle - two.angle, math.pi))
        if turn > _PARALLEL:
            return Dimension("angle", (one.ref, two.ref))
    return Dimension("distance", (one.ref, two.ref))


def fit_scale(found: Sequence[Row]) -> Fit:
    """Return the factor that brings an outline to its list: least squares over the rows.

    Raises
    ------
    EditError
        If nothing was measured, or the factor cannot be meant.

    """
    told = [row for row in found if row.off is not None and row.dimension.kind != "angle"]
    if not told:
        raise EditError("type what the calipers say of at least one dimension first")
    measured = np.array([row.dimension.measured for row in told], np.float64)
    said = np.array([row.says for row in told], np.float64)
    weight = 1 / np.array([max(row.sigma, 1e-3) for row in told]) ** 2
    factor = float((weight * measured * said).sum() / (weight * said * said).sum())
    if not abs(factor - 1) <= MOST:
        raise EditError(
            f"the list would scale the part by {factor:.3g}: check the unit of what was typed"
        )
    left = factor * said - measured
    sigma = float(1 / np.sqrt((weight * said * said).sum()))
    worst = float(np.abs(left * np.sqrt(weight)).max())
    return Fit(factor, sigma, tuple(left.tolist()), worst <= APART)


def scaled(job: Job, factor: float) -> Job:
    """Return the job with its outline so many times as large, relations and their sizes with it."""
    contours = tuple(replace(c, path=scale(c.path, factor)) for c in job.outline.contours)
    relations = tuple(
        r
        if r.value is None or r.kind in ("angle", "between")
        else replace(r, value=r.value * factor)
        for r in job.relations
    )
    return with_truth(job, Outline(contours), relations)


def driven(job: Job) -> Job:
    """Return the job with every measured size exact, beside what holds already.

    Raises
    ------
    TruingError
        If they cannot hold together.
    EditError
        If nothing was measured that can be driven.

    """
    wanted = [
        d for d in job.calipers if d.measured is not None and d.kind not in ("width", "height")
    ]
    if not wanted:
        raise EditError(
            "type what the calipers say of a hole, an edge or a distance first; width and height "
            "are for scaling"
        )
    for dimension in wanted:
        said = says(job.outline, dimension)
        number = job.calipers.index(dimension)
        assert dimension.measured is not None
        if said is None:
            raise TruingError(f"what row {number + 1} of the list names is gone", number)
        if abs(said - dimension.measured) > MOST * said:
            raise TruingError(
                f"row {number + 1} of the list says {dimension.measured:.2f}"
                f"{'°' if dimension.kind == 'angle' else ' mm'} where the outline says "
                f"{said:.2f}: check the row and its unit",
                number,
            )
    sizes = [_relation(dimension) for dimension in wanted]
    named = {(r.kind, r.refs) for r in sizes}
    before, idle = ([r for r in some if (r.kind, r.refs) not in named] for some in parted(job))
    try:
        made = solve(job.outline, [*before, *sizes]).outline
    except TruingError as error:
        place = -1 if error.relation is None else error.relation - len(before)
        if place < 0:
            raise
        row = job.calipers.index(wanted[place])
        raise TruingError(
            f"row {row + 1} of the list cannot hold together with the others", row
        ) from error
    return with_truth(job, made, (*idle, *before, *sizes))


def _relation(dimension: Dimension) -> Relation:
    assert dimension.measured is not None
    if dimension.kind in ("diameter", "radius"):
        size = dimension.measured / (2 if dimension.kind == "diameter" else 1)
        return Relation("radius", dimension.refs, size)
    if dimension.kind == "angle":
        return Relation("between", dimension.refs, dimension.measured)
    kind = "length" if dimension.kind == "length" else "distance"
    return Relation(kind, dimension.refs, dimension.measured)  # type: ignore[arg-type]

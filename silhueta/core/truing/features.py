"""Lines, arcs and circles of an outline, and how sure their sizes are.

Words used here
    noise     how far a point of the traced edge is off, over which length together, and what goes
              along a whole edge
    feature   a line, an arc or a full circle, with its size, its direction and both uncertainties
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.arcs import arc_centres, full_circle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, Path, circle_loop
from silhueta.core.relations import WHOLE, Ref

Kind = Literal["line", "arc", "circle"]
_ROUND_OFF = 3.0  # of the noise, that a circle's points may be off at most
_ROUND_RMS = 1.6  # of the noise, on the whole
_FEWEST_SEGMENTS = 3  # of a loop, from which it is tried as a circle
_SHORTEST = 1e-6  # mm
_STEP = 0.25  # mm between points that stand for an edge
_LEAST_SWEEP = 0.2  # radians of an arc, whose radius tells nothing


class Noise(NamedTuple):
    """How far an edge is off.

    point : float, mm
        Standard deviation of a point across the edge.
    along : float, mm
        Length over which points are off together.
    whole : float, mm
        Standard uncertainty of a whole edge, as a wrong model of light makes.
    scale : float
        Relative standard uncertainty of all sizes.
    corner : float, mm
        Of segments across a corner, that blur may have made of a sharp one.
    own : bool
        Whether the outline is a file's own: then no runs are put together.
    """

    point: float
    along: float
    whole: float = 0.0
    scale: float = 0.0
    corner: float = 0.0
    own: bool = False


@dataclass(frozen=True)
class Feature:
    """A line, an arc or a full circle.

    Parameters
    ----------
    kind : {"line", "arc", "circle"}
    contour : int
        Its place in the outline.
    ref : Ref
    place : (x, y), mm
        Middle of a line or an arc, centre of a circle.
    size : float, mm
        Length of a line, radius of an arc, diameter of a circle.
    sigma : float, mm
        Standard uncertainty of the size.
    angle, angle_sigma : float, radians
        Direction of a line, 0 to pi.
    centre : (x, y), mm
        Of an arc or circle; for a line its middle.
    offset_sigma : float, mm
        Standard uncertainty of where it lies: of a line across it, of a centre.
    reach : float, mm
        Length of its edge.

    """

    kind: Kind
    contour: int
    ref: Ref
    place: tuple[float, float]
    size: float
    sigma: float
    angle: float = 0.0
    angle_sigma: float = math.pi
    centre: tuple[float, float] = (0.0, 0.0)
    offset_sigma: float = 0.0
    reach: float = 0.0

    @property
    def radius(self) -> float:
        """Of an arc or circle, mm."""
        return self.size / 2 if self.kind == "circle" else self.size

    @property
    def radius_sigma(self) -> float:
        """Standard uncertainty of the radius, mm."""
        return self.sigma / 2 if self.kind == "circle" else self.sigma


def rounded(outline: Outline, noise: Noise) -> Outline:
    """Return the outline with loops of several segments that are circles within noise as such."""
    contours = []
    for contour in outline.contours:
        circle = None if contour.locked else _as_circle(contour.path, noise)
        contours.append(contour if circle is None else replace(contour, path=circle))
    same = all(a is b for a, b in zip(contours, outline.contours, strict=True))
    return outline if same else Outline(tuple(contours))


def _as_circle(path: Path, noise: Noise) -> Loop | None:
    if not isinstance(path, Loop) or len(path.kinds) < _FEWEST_SEGMENTS or full_circle(path):
        return None
    points = _evenly(flatten(path, min(0.2 * noise.point, 0.01)), _STEP)
    if len(points) < 8:
        return None
    middle = points.mean(axis=0)
    x, y, radius, square, worst = fit_circle(np.ascontiguousarray(points - middle))
    most = max(noise.point, 1e-4)
    if radius <= 0 or worst > _ROUND_OFF * most:
        return None
    if math.sqrt(square / len(points)) > _ROUND_RMS * most:
        return None
    turned = points[:, 0] @ np.roll(points[:, 1], -1) - np.roll(points[:, 0], -1) @ points[:, 1]
    loop = circle_loop(middle + (x, y), radius)
    return loop if turned > 0 else Loop(loop.nodes, loop.kinds, -loop.bulges)


def _evenly(points: Floats, step: float) -> Floats:
    closed = np.vstack([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    count = max(int(along[-1] / step), 12)
    at = np.linspace(0, along[-1], count, endpoint=False)
    return np.column_stack([np.interp(at, along, closed[:, k]) for k in range(2)])


def features(outline: Outline, noise: Noise) -> list[Feature]:
    """Return the features of all that is worked, contour by contour, segment by segment."""
    found: list[Feature] = []
    for i, contour in enumerate(outline.contours):
        if contour.taken:
            found += _of_contour(contour, i, noise)
    return found


def _of_contour(contour: Contour, i: int, noise: Noise) -> list[Feature]:
    path = contour.path
    circle = full_circle(path)
    if circle is not None:
        (x, y), radius = circle
        return [_circle(contour, i, (float(x), float(y)), radius, noise)]
    found = []
    starts, ends = path.starts, path.ends
    arcs = path.kinds == ARC
    centres, radii = np.zeros_like(starts), np.zeros(len(starts))
    centres[arcs], radii[arcs] = arc_centres(starts[arcs], ends[arcs], path.bulges[arcs])
    for k, kind in enumerate(path.kinds.tolist()):
        if kind == LINE:
            made = _line(contour, i, k, (starts[k], ends[k]), noise)
        elif kind == ARC:
            sweep = 4 * abs(math.atan(path.bulges[k]))
            place = _middle(starts[k], ends[k], float(path.bulges[k]))
            middle = (float(centres[k, 0]), float(centres[k, 1]))
            made = _arc(contour, i, k, place, (middle, float(radii[k]), sweep), noise)
        else:
            assert kind == CUBIC
            continue
        if made.reach > _SHORTEST:
            found.append(made)
    return found


def _middle(start: Floats, end: Floats, bulge: float) -> tuple[float, float]:
    """Return the middle of an arc: half its bulge times its chord off the chord's middle."""
    x, y = (start + end) / 2
    dx, dy = (end - start) / 2
    return float(x + bulge * dy), float(y - bulge * dx)


def _line(contour: Contour, i: int, k: int, ends: tuple[Floats, Floats], noise: Noise) -> Feature:
    (ax, ay), (bx, by) = ends
    long = math.hypot(bx - ax, by - ay)
    place = (float(ax + bx) / 2, float(ay + by) / 2)
    apart = max(long / max(noise.along, 1e-9), 1.0)  # points that tell for themselves
    across = math.hypot(noise.point / math.sqrt(apart), noise.whole)
    # what goes along a whole edge may differ from one of its ends to the other
    slow = math.sqrt(2) * noise.whole
    turn = math.hypot(noise.point * math.sqrt(12 / apart), slow) / max(long, 1e-9)
    return Feature(
        "line",
        i,
        Ref(contour.key, k, place),
        place,
        long,
        math.hypot(math.sqrt(2) * noise.point, noise.scale * long),
        math.atan2(by - ay, bx - ax) % math.pi,
        max(turn, 1e-9),
        place,
        across,
        long,
    )


def _arc(
    contour: Contour,
    i: int,
    k: int,
    place: tuple[float, float],
    circle: tuple[tuple[float, float], float, float],
    noise: Noise,
) -> Feature:
    centre, radius, sweep = circle
    sigma, off = _round_sigmas(radius, sweep, noise)
    return Feature(
        "arc",
        i,
        Ref(contour.key, k, place),
        place,
        radius,
        sigma,
        centre=centre,
        offset_sigma=off,
        reach=radius * sweep,
    )


def _circle(
    contour: Contour, i: int, centre: tuple[float, float], radius: float, noise: Noise
) -> Feature:
    sigma, off = _round_sigmas(radius, 2 * math.pi, noise)
    ref = Ref(contour.key, WHOLE, centre)
    reach = 2 * math.pi * radius
    return Feature(
        "circle",
        i,
        ref,
        centre,
        2 * radius,
        2 * sigma,
        centre=centre,
        offset_sigma=off,
        reach=reach,
    )


def _round_sigmas(radius: float, sweep: float, noise: Noise) -> tuple[float, float]:
    """Return the standard uncertainties of a radius and of where its centre lies.

    Of a circle fitted to evenly spread points of an arc: the inverse of what they tell of centre
    and radius together (Gander, Golub and Strebel, BIT 34, 1994, 558-578, for the Jacobian).
    """
    apart = max(radius * sweep / max(noise.along, 1e-9), 1.0)
    angle = np.linspace(-sweep / 2, sweep / 2, 64)
    rows = np.column_stack([np.cos(angle), np.sin(angle), np.ones_like(angle)])
    told = rows.T @ rows * (max(apart, 3.0) / len(angle))
    if sweep < _LEAST_SWEEP:
        return radius, radius
    spread = np.linalg.inv(told + 1e-12 * np.eye(3)) * noise.point**2
    sigma = math.sqrt(spread[2, 2] + noise.whole**2 + (noise.scale * radius) ** 2)
    return min(sigma, radius), min(math.sqrt(spread[0, 0] + spread[1, 1]), radius)


def apart(one: Sequence[float], two: Sequence[float]) -> float:
    """Return the distance of two places."""
    return math.hypot(one[0] - two[0], one[1] - two[1])

"""Regions: what two outlines cover together, against GEOS on the same outlines in fine chords."""

from __future__ import annotations

import time
from collections.abc import Iterator
from functools import reduce
from typing import Any

import numpy as np
import shapely

from benchmarks.shapes import every_shape
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import ARC, Loop, circle_loop
from silhueta.core.geometry.region.region import common, covered, cut_away, united
from silhueta.core.geometry.transform import transform

FINE = 2e-5  # mm, of the chords that the judge sees: of 1e-4 a disc of 100 mm lacks 2.7e-6
Pair = tuple[list[Loop], list[Loop]]


def pairs(count: int, seed: int = 0) -> Iterator[tuple[str, Pair]]:
    """Yield pairs of outlines of some 100 mm and how the second lies to the first."""
    rng = np.random.default_rng(seed)
    shapes = [_sized(loops) for loops in every_shape().values()]
    kinds = ("anywhere", "same", "mirrored", "moved", "discs", "sectors", "inside")
    for number in range(count):
        kind = kinds[number % len(kinds)]
        one = shapes[rng.integers(len(shapes))]
        if kind == "anywhere":
            other = _moved(shapes[rng.integers(len(shapes))], rng.uniform(-60, 60, 2), rng)
        elif kind == "same":
            other = [_shifted(loop, int(rng.integers(len(loop.nodes)))) for loop in one]
        elif kind == "mirrored":  # both have an edge on x = 100, if the shape has one there
            other = [transform(loop, np.diag([-1.0, 1.0]), (200.0, 0.0)) for loop in one]
        elif kind == "moved":  # straight edges come to lie on each other
            other = [transform(loop, np.eye(2), (float(rng.integers(1, 40)), 0.0)) for loop in one]
        elif kind == "discs":
            one = [circle_loop((0.0, 0.0), 50.0), _disc(rng)]
            other = [circle_loop((float(rng.choice([0, 30, 100])), 0.0), 50.0), _disc(rng)]
            one, other = covered(one), covered(other)
        elif kind == "sectors":  # of one circle: their arcs lie on each other
            one, other = [_sector(rng)], [_sector(rng)]
        else:
            other = [transform(loop, 0.2 * np.eye(2), (40.0, 40.0)) for loop in one]
        yield kind, (one, other)


def _sized(loops: list[Loop]) -> list[Loop]:
    left, bottom, right, top = bounding_box(loops)
    share = 100 / max(right - left, top - bottom)
    return [transform(loop, share * np.eye(2), (-share * left, -share * bottom)) for loop in loops]


def _moved(loops: list[Loop], way: Any, rng: np.random.Generator) -> list[Loop]:
    c, s = np.cos(turn := rng.uniform(0, 2 * np.pi)), np.sin(turn)
    turned = rng.uniform(0.3, 1.5) * np.array([[c, -s], [s, c]])
    return [transform(loop, turned, tuple(way + 50)) for loop in loops]


def _shifted(loop: Loop, first: int) -> Loop:
    """Return the same loop from another node on."""
    order = np.roll(np.arange(len(loop.nodes)), -first)
    return Loop(loop.nodes[order], loop.kinds[order], loop.bulges[order], loop.controls[order])


def _disc(rng: np.random.Generator) -> Loop:
    return circle_loop(rng.uniform(-50, 50, 2), float(rng.uniform(5, 40)))


def _sector(rng: np.random.Generator) -> Loop:
    low, turn = rng.uniform(0, 2 * np.pi), rng.uniform(0.3, 5.5)
    ends = [50 * np.array([np.cos(angle), np.sin(angle)]) for angle in (low, low + turn)]
    nodes = np.array([np.zeros(2), *ends])
    return Loop(nodes, np.array([0, ARC, 0], np.uint8), np.array([0, np.tan(turn / 4), 0]))


def geos(loops: list[Loop], fine: float = FINE) -> Any:
    """Return what loops cover by the even-odd rule, as GEOS has it."""
    rings = [shapely.make_valid(shapely.Polygon(flatten(loop, fine))) for loop in loops]
    return reduce(shapely.symmetric_difference, rings, shapely.Polygon())


def area(loops: list[Loop]) -> float:
    """Return what loops enclose, holes running the other way, mm²."""
    return sum(signed_area(loop) for loop in loops)


def judged(pair: Pair) -> dict[str, float]:
    """Return errors of one pair: areas against GEOS, sums, idempotence, segments too many."""
    one, other = pair
    first, second = geos(one), geos(other)
    made = {
        "or": united(one, other, "evenodd"),
        "and": common(one, other, "evenodd"),
        "less": cut_away(one, other, "evenodd"),
        "back": cut_away(other, one, "evenodd"),
    }
    true = {
        "or": shapely.union(first, second),
        "and": shapely.intersection(first, second),
        "less": shapely.difference(first, second),
        "back": shapely.difference(second, first),
    }
    size = shapely.area(true["or"])
    areas = {name: area(loops) for name, loops in made.items()}
    again = covered(made["or"])
    crossings = _crossed(first, second)
    return {
        "area": max(abs(areas[name] - shapely.area(shape)) for name, shape in true.items()) / size,
        "sum": abs(areas["or"] - areas["and"] - areas["less"] - areas["back"]) / size,
        "again": abs(area(again) - areas["or"]) / size,
        "loops again": abs(len(again) - len(made["or"])),
        "segments": max(map(_segments, made.values()))
        - _segments(one)
        - _segments(other)
        - 2 * crossings,
    }


def _segments(loops: list[Loop]) -> int:
    return sum(len(loop.kinds) for loop in loops)


def _crossed(first: Any, second: Any) -> int:
    """Return in how many places two outlines meet: points, and both ends of what they share."""
    met = shapely.intersection(shapely.boundary(first), shapely.boundary(second))
    merged = shapely.get_parts(shapely.line_merge(met) if met.geom_type != "Point" else met)
    return sum(1 if part.geom_type == "Point" else 2 for part in shapely.get_parts(merged))


def right(count: int = 1000) -> dict[str, float]:
    """Return the worst errors over random pairs, and how many are beyond what is wanted."""
    found = [judged(pair) for _, pair in pairs(count)]
    names = ("area", "sum", "again", "loops again")
    rows = {f"worst {name}": max(row[name] for row in found) for name in names}
    rows["area wrong by over 1e-6"] = sum(row["area"] > 1e-6 for row in found)
    rows["more segments than given and two a crossing"] = sum(row["segments"] > 0 for row in found)
    return rows


def speed(segments: int = 20_000) -> dict[str, float]:
    """Return the time of a union of two ragged outlines over GEOS's on 0.01 mm chords."""
    one, other = ragged(segments, 1), ragged(segments, 2)
    chords = [shapely.Polygon(flatten(loop, 0.01)) for loop in (one, other)]
    united([ragged(200, 1)], [ragged(200, 2)])
    ours = min(_timed(lambda: united([one], [other])) for _ in range(3))
    theirs = min(_timed(lambda: shapely.union(*chords)) for _ in range(3))
    return {"s": ours, "ratio to GEOS": ours / theirs}


def ragged(segments: int, seed: int) -> Loop:
    """Return a closed wave of so many arcs and lines round a circle of 300 mm."""
    rng = np.random.default_rng(seed)
    turn = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    reach = (
        300 + rng.uniform(-3, 3) + 2 * np.sin(turn * 40 + seed) + rng.uniform(-0.02, 0.02, segments)
    )
    nodes = reach[:, None] * np.column_stack([np.cos(turn), np.sin(turn)])
    kinds = np.where(np.arange(segments) % 2, ARC, 0).astype(np.uint8)
    return Loop(nodes, kinds, np.where(kinds == ARC, 0.2, 0.0))


def _timed(work: Any) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start

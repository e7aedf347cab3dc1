"""Loops that are plain shapes: slots, rectangles sharp or rounded, regular polygons."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from silhueta.core.geometry.outline import Outline
from silhueta.core.relations import Relation
from silhueta.core.truing.features import Feature
from silhueta.core.truing.offer import BEFORE, TruingOffer

_MOST_SIDES = 12  # of a regular polygon
_BEND = math.radians(10)  # from square or even, that is looked at at all


class _Check(NamedTuple):
    """How far off what holds in the shape is, its uncertainty, and how far off it could be."""

    off: float
    sigma: float
    spread: float


def plain_shapes(outline: Outline, found: Sequence[Feature]) -> Iterator[TruingOffer]:
    """Yield an offer for each loop that is a slot, a rectangle or a regular polygon."""
    mine: dict[int, list[int]] = {}
    for i, feature in enumerate(found):
        mine.setdefault(feature.contour, []).append(i)
    for c, places in mine.items():
        path = outline.contours[c].path
        kinds = [found[i].kind for i in places]
        if not path.closed or len(places) != len(path.kinds) or len(places) > 2 * _MOST_SIDES:
            continue
        sides = [found[i] for i in places]
        if kinds in (["line", "arc"] * 2, ["arc", "line"] * 2):
            made = _slot(sides)
        elif kinds == ["line"] * 4 or kinds in (["line", "arc"] * 4, ["arc", "line"] * 4):
            made = _rectangle(sides)
        elif set(kinds) == {"line"} and 3 <= len(kinds) <= _MOST_SIDES:
            made = _polygon(sides)
        else:
            continue
        if made is None:
            continue
        what, checks, relations = made
        share = _share(checks)
        if share >= 0.5:
            x = sum(side.place[0] for side in sides) / len(sides)
            y = sum(side.place[1] for side in sides) / len(sides)
            text = f"this loop is a {what}"
            yield TruingOffer("plain shape", relations, share, text, (x, y), tuple(places))


_Made = tuple[str, list[_Check], tuple[Relation, ...]]


def _slot(sides: list[Feature]) -> _Made | None:
    lines = [s for s in sides if s.kind == "line"]
    arcs = [s for s in sides if s.kind == "arc"]
    wide = _apart(lines[0], lines[1])
    long = math.dist(arcs[0].centre, arcs[1].centre)
    if abs(_turn(lines[0], lines[1], 0.0)) > _BEND or wide > 2 * long + wide / 2:
        return None
    checks = [_parallel(*lines), _equal(arcs[0], arcs[1])]
    across = math.hypot(lines[0].offset_sigma, lines[1].offset_sigma)
    checks += [
        _Check(2 * a.radius - wide, math.hypot(2 * a.radius_sigma, across), wide) for a in arcs
    ]
    size = f"slot, {long + wide:.2f} by {wide:.2f} mm"
    equal = Relation("equal radius", (arcs[0].ref, arcs[1].ref))
    parallel = Relation("parallel", (lines[0].ref, lines[1].ref))
    return size, checks, (*_joints(sides), parallel, equal)


def _rectangle(sides: list[Feature]) -> _Made | None:
    lines = [s for s in sides if s.kind == "line"]
    arcs = [s for s in sides if s.kind == "arc"]
    turns = [_turn(a, b, math.pi / 2) for a, b in zip(lines[:-1], lines[1:], strict=True)]
    if max(map(abs, turns)) > _BEND:
        return None
    checks = [
        _Check(turn, math.hypot(a.angle_sigma, b.angle_sigma), math.pi / 2)
        for turn, a, b in zip(turns, lines[:-1], lines[1:], strict=True)
    ]
    checks += [_equal(arcs[0], arc) for arc in arcs[1:]]
    high, wide = sorted((_apart(lines[0], lines[2]), _apart(lines[1], lines[3])))
    size = f"rectangle of {wide:.2f} by {high:.2f} mm"
    square = [
        Relation("perpendicular", (a.ref, b.ref))
        for a, b in zip(lines[:-1], lines[1:], strict=True)
    ]
    if not arcs:
        return size, checks, tuple(square)
    size += f", its corners rounded by {sum(a.radius for a in arcs) / 4:.2f} mm"
    equal = Relation("equal radius", tuple(arc.ref for arc in arcs))
    return size, checks, (*square, *_joints(sides), equal)


def _polygon(sides: list[Feature]) -> _Made | None:
    count = len(sides)
    even = 2 * math.pi / count
    turns = [
        min((_turn(a, b, way * even) for way in (1, -1)), key=abs)
        for a, b in zip(sides[:-1], sides[1:], strict=True)
    ]
    if max(map(abs, turns)) > _BEND:
        return None
    mean = sum(side.size for side in sides) / count
    checks = [
        _Check(side.size - mean, side.sigma * math.sqrt(2), mean) for side in sides[: count - 2]
    ]
    checks += [
        _Check(turn, math.hypot(a.angle_sigma, b.angle_sigma), math.pi / 2)
        for turn, a, b in zip(turns[:-1], sides[:-2], sides[1:-1], strict=True)
    ]
    flats = mean / math.tan(math.pi / count)
    refs = tuple(side.ref for side in sides)
    words = f"{flats:.2f} mm across flats" if count % 2 == 0 else f"sides of {mean:.2f} mm"
    return f"regular polygon of {count} sides, {words}", checks, (Relation("regular", refs),)


def _joints(sides: list[Feature]) -> tuple[Relation, ...]:
    following = [*sides[1:], sides[0]]
    return tuple(Relation("tangent", (a.ref, b.ref)) for a, b in zip(sides, following, strict=True))


def _turn(one: Feature, two: Feature, meant: float) -> float:
    return math.remainder(two.angle - one.angle - meant, math.pi)


def _parallel(one: Feature, two: Feature) -> _Check:
    sigma = math.hypot(one.angle_sigma, two.angle_sigma)
    return _Check(_turn(one, two, 0.0), sigma, math.pi / 2)


def _equal(one: Feature, two: Feature) -> _Check:
    sigma = math.hypot(one.radius_sigma, two.radius_sigma)
    return _Check(one.radius - two.radius, sigma, max(one.radius, two.radius))


def _apart(one: Feature, two: Feature) -> float:
    c, s = math.cos(one.angle), math.sin(one.angle)
    return abs(c * (two.place[1] - one.place[1]) - s * (two.place[0] - one.place[0]))


def _share(checks: list[_Check]) -> float:
    """Return the probability that all was meant: each could be off by as much as its spread."""
    before = BEFORE["plain shape"]
    log = math.log(before / (1 - before))
    total = 0.0
    for off, sigma, spread in checks:
        sigma = max(sigma, 1e-9)
        total += (off / sigma) ** 2
        log += math.log(spread / (sigma * math.sqrt(2 * math.pi)))
    log -= 0.5 * total
    # a chance fit is likely only to so many uncertainties: beyond, no number of checks helps
    if total > len(checks) + 4 * math.sqrt(2 * len(checks)) + 4:
        return 0.0
    return 1 / (1 + math.exp(-min(max(log, -50.0), 50.0)))

"""Truing offers: what a shape seems to mean, with its evidence and how sure that is."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Path
from silhueta.core.relations import Relation
from silhueta.core.truing.features import Feature, Noise, apart, features
from silhueta.core.truing.offer import BEFORE, KINDS, TruingOffer, same_share
from silhueta.core.truing.patterns import patterns
from silhueta.core.truing.plain import plain_shapes
from silhueta.core.truing.sizes import Table, near
from silhueta.core.truing.symmetry import symmetries
from silhueta.core.truing.worn import worn_edges

_MOST_TURN = math.radians(20)  # of a joint that may be tangent
_LEAST_LINE = 6.0  # times the noise, that a line is long at least to tell a direction
_TOLD = math.radians(1.0)  # of a line, that its direction is known to
_LEAST_SWEEP = 0.5  # radians of an arc whose radius and centre are compared


class Found(NamedTuple):
    """The features of an outline and what they seem to mean."""

    features: list[Feature]
    offers: list[TruingOffer]


def find_offers(outline: Outline, noise: Noise, table: Table = "mm") -> Found:
    """Return features and offers, the surest of each kind first."""
    found = features(outline, noise)
    lines = [i for i, f in enumerate(found) if f.kind == "line"]
    rounds = [i for i, f in enumerate(found) if f.kind != "line"]
    offers = [
        *worn_edges(outline),
        *_tangents(outline, found, noise),
        *_directions(found, lines, noise),
        *_equal_lengths(found, lines),
        *_equal_radii(found, rounds),
        *_concentric(found, rounds),
        *patterns(found, [i for i in rounds if found[i].kind == "circle"]),
        *plain_shapes(outline, found),
        *symmetries(outline, found, noise),
        *_sizes(found, table),
    ]
    order = {kind: place for place, kind in enumerate(KINDS)}
    return Found(found, sorted(offers, key=lambda offer: (order[offer.kind], -offer.share)))


# joints


def _tangents(outline: Outline, found: list[Feature], noise: Noise) -> Iterator[TruingOffer]:
    by_segment = {(f.contour, f.ref.segment): i for i, f in enumerate(found)}
    for c, contour in enumerate(outline.contours):
        path = contour.path
        many = len(path.kinds)
        for k in range(many if path.closed else many - 1):
            one, two = by_segment.get((c, k)), by_segment.get((c, (k + 1) % many))
            if one is None or two is None or one == two:
                continue
            if found[one].kind == "line" and found[two].kind == "line":
                continue
            turn = _turn(path, k)
            if abs(turn) > _MOST_TURN:
                continue
            sigma = math.hypot(_end_sigma(found[one], noise), _end_sigma(found[two], noise))
            share = same_share(turn, sigma, BEFORE["tangent"], math.pi / 2)
            x, y = path.ends[k].tolist()
            refs = (found[one].ref, found[two].ref)
            yield TruingOffer(
                "tangent",
                (Relation("tangent", refs),),
                share,
                f"arc and edge run into each other ({math.degrees(abs(turn)):.1f}° off)",
                (x, y),
                (one, two),
            )


def _turn(path: Path, k: int) -> float:
    """Return by how much a path turns from segment k to the next, radians."""

    def way(i: int, at_end: bool) -> float:
        dx, dy = (path.ends[i] - path.starts[i]).tolist()
        half = 2 * math.atan(path.bulges[i])
        return math.atan2(dy, dx) + (half if at_end else -half)

    return math.remainder(way((k + 1) % len(path.kinds), False) - way(k, True), 2 * math.pi)


def _end_sigma(feature: Feature, noise: Noise) -> float:
    """Return the standard uncertainty of a segment's direction at its end, radians.

    Of an arc four times that of a line as long: a parabola's slope at its end.
    """
    if feature.kind == "line":
        return feature.angle_sigma
    apart_ = max(feature.reach / max(noise.along, 1e-9), 1.0)
    return 4 * noise.point * math.sqrt(12 / apart_) / max(feature.reach, 1e-9)


# directions


def _directions(found: list[Feature], lines: list[int], noise: Noise) -> Iterator[TruingOffer]:
    """Yield level, parallel, square and in one line, each held against the longest of its way."""
    long = [
        i
        for i in lines
        if found[i].size > _LEAST_LINE * noise.point and found[i].angle_sigma < _TOLD
    ]
    long.sort(key=lambda i: -found[i].size)
    leaders: list[int] = []
    followers: dict[int, list[int]] = {}
    for i in long:
        best: tuple[float, int, str, float] | None = None
        for lead in leaders:
            off = math.remainder(found[i].angle - found[lead].angle, math.pi)
            square = math.remainder(found[i].angle - found[lead].angle - math.pi / 2, math.pi)
            kind, turn = ("parallel", off) if abs(off) < abs(square) else ("perpendicular", square)
            sigma = math.hypot(found[i].angle_sigma, found[lead].angle_sigma)
            share = same_share(turn, sigma, BEFORE[kind], math.pi)
            if best is None or share > best[0]:
                best = share, lead, kind, turn
        if best is None or best[0] < 0.5:
            leaders.append(i)
            yield from _level(found, i)
            continue
        share, lead, kind, turn = best
        if kind == "parallel":
            followers.setdefault(lead, [lead]).append(i)
        text = "is square to the" if kind == "perpendicular" else "runs along with the"
        yield TruingOffer(
            kind,  # type: ignore[arg-type]
            (Relation(kind, (found[lead].ref, found[i].ref)),),  # type: ignore[arg-type]
            share,
            f"edge of {found[i].size:.1f} mm {text} one of {found[lead].size:.1f} mm, "
            f"{math.degrees(abs(turn)):.2f}° off",
            found[i].place,
            (lead, i),
        )
    for group in followers.values():
        yield from _in_line(found, group)


def _level(found: list[Feature], i: int) -> Iterator[TruingOffer]:
    line = found[i]
    off = math.remainder(line.angle, math.pi / 2)
    upright = abs(math.remainder(line.angle, math.pi)) > math.pi / 4
    share = same_share(off, line.angle_sigma, BEFORE["level"], math.pi / 2)
    word = "plumb" if upright else "level"
    yield TruingOffer(
        "level",
        (Relation("plumb" if upright else "level", (line.ref,)),),
        share,
        f"edge of {line.size:.1f} mm is {math.degrees(abs(off)):.2f}° off {word}",
        line.place,
        (i,),
    )


def _in_line(found: list[Feature], group: list[int]) -> Iterator[TruingOffer]:
    """Yield pairs of parallel edges that lie in one line."""
    for n, i in enumerate(group):
        one = found[i]
        c, s = math.cos(one.angle), math.sin(one.angle)
        for j in group[n + 1 :]:
            two = found[j]
            dx, dy = two.place[0] - one.place[0], two.place[1] - one.place[1]
            off, far = c * dy - s * dx, abs(c * dx + s * dy)
            if far < (one.size + two.size) / 2:
                continue
            # where the first line would run at the second, and how sure that is
            sigma = math.sqrt(
                one.offset_sigma**2 + two.offset_sigma**2 + (far * one.angle_sigma) ** 2
            )
            share = same_share(off, sigma, BEFORE["collinear"], one.size + two.size)
            if share < 0.5:
                continue
            yield TruingOffer(
                "collinear",
                (Relation("collinear", (one.ref, two.ref)),),
                share,
                f"edges of {one.size:.1f} and {two.size:.1f} mm lie in one line within "
                f"{abs(off):.2f} mm",
                two.place,
                (i, j),
            )
            break


def _equal_lengths(found: list[Feature], lines: list[int]) -> Iterator[TruingOffer]:
    """Yield edges of one loop that are as long as a longer-known one of it."""
    by_loop: dict[int, list[int]] = {}
    for i in lines:
        if found[i].angle_sigma < _TOLD:
            by_loop.setdefault(found[i].contour, []).append(i)
    for mine in by_loop.values():
        mine.sort(key=lambda i: -found[i].size)
        for n, i in enumerate(mine[1:], 1):
            lead = mine[n - 1]
            off = found[lead].size - found[i].size
            sigma = math.hypot(found[lead].sigma, found[i].sigma)
            share = same_share(off, sigma, BEFORE["equal length"], found[lead].size)
            if share >= 0.5:
                yield TruingOffer(
                    "equal length",
                    (Relation("equal length", (found[lead].ref, found[i].ref)),),
                    share,
                    f"edges of {found[lead].size:.2f} and {found[i].size:.2f} mm are as long",
                    found[i].place,
                    (lead, i),
                )


# circles and arcs


def _told_by_sweep(feature: Feature) -> bool:
    return feature.kind == "circle" or feature.reach > _LEAST_SWEEP * feature.radius


def _equal_radii(found: list[Feature], rounds: list[int]) -> Iterator[TruingOffer]:
    """Yield each arc or circle with the surest one that is as large, circles among themselves."""
    for circles in (True, False):
        some = [
            i for i in rounds if (found[i].kind == "circle") == circles and _told_by_sweep(found[i])
        ]
        some.sort(key=lambda i: found[i].radius_sigma)
        leaders: list[int] = []
        groups: dict[int, list[tuple[int, float]]] = {}
        for i in some:
            best = (0.0, -1)
            for lead in leaders:
                off = found[i].radius - found[lead].radius
                sigma = math.hypot(found[i].radius_sigma, found[lead].radius_sigma)
                spread = max(found[i].radius, found[lead].radius)
                best = max(best, (same_share(off, sigma, BEFORE["equal radius"], spread), lead))
            if best[0] < 0.5:
                leaders.append(i)
            else:
                groups.setdefault(best[1], []).append((i, best[0]))
        for lead, members in groups.items():
            for i, share in members:
                what = "holes" if circles else "arcs"
                yield TruingOffer(
                    "equal radius",
                    (Relation("equal radius", (found[lead].ref, found[i].ref)),),
                    share,
                    f"{what} of radius {found[lead].radius:.2f} and {found[i].radius:.2f} mm "
                    "are as large",
                    found[i].place,
                    (lead, i),
                )


def _concentric(found: list[Feature], rounds: list[int]) -> Iterator[TruingOffer]:
    some = [i for i in rounds if _told_by_sweep(found[i])]
    some.sort(key=lambda i: found[i].offset_sigma)
    if not some:
        return
    import numpy as np
    from scipy.spatial import cKDTree

    centres = np.array([found[i].centre for i in some])
    near_by = cKDTree(centres).query_ball_point(centres, [found[i].radius for i in some])
    for n, i in enumerate(some):
        for j in (some[k] for k in sorted(near_by[n]) if k < n):
            one, two = found[j], found[i]
            if one.contour == two.contour and abs(one.radius - two.radius) < 1e-9:
                continue
            off = apart(one.centre, two.centre)
            if off > min(one.radius, two.radius):
                continue
            sigma = math.hypot(one.offset_sigma, two.offset_sigma) / math.sqrt(2)
            # in the plane: a bell of two dimensions against a disc
            before = BEFORE["concentric"]
            here = before * math.exp(-0.5 * (off / sigma) ** 2) / (2 * math.pi * sigma**2)
            other = (1 - before) / (math.pi * max(one.radius, two.radius) ** 2)
            share = here / (here + other)
            if share < 0.5:
                continue
            yield TruingOffer(
                "concentric",
                (Relation("concentric", (one.ref, two.ref)),),
                share,
                f"centres {off:.2f} mm apart are one",
                two.centre,
                (j, i),
            )
            break


# sizes


def _sizes(found: list[Feature], table: Table) -> Iterator[TruingOffer]:
    for i, feature in enumerate(found):
        if feature.kind != "circle":
            continue
        options = near(feature.size, feature.sigma, table)
        if not options:
            continue
        best = options[0]
        text = f"Ø {feature.size:.2f} ± {2 * feature.sigma:.2f} mm: {best.size.name} is near"
        if len(options) > 1 and options[1].share > 0.1:
            text += f", or {options[1].size.name}"
        yield TruingOffer(
            "size",
            (Relation("radius", (feature.ref,), best.size.mm / 2),),
            best.share,
            text,
            feature.centre,
            (i,),
        )

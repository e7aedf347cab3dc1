"""Taking truing offers together: the whole way from a traced outline to an exact one."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Literal, NamedTuple

import numpy as np

from silhueta.core.errors import TruingError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.transform import about
from silhueta.core.job import Job
from silhueta.core.relations import Relation
from silhueta.core.truing.features import Feature, Noise, apart, features
from silhueta.core.truing.foreign import noise_of_file
from silhueta.core.truing.merge import simpler
from silhueta.core.truing.offer import LIKELY, TruingOffer
from silhueta.core.truing.offers import find_offers
from silhueta.core.truing.sizes import Table
from silhueta.core.truing.solve import solve
from silhueta.core.truing.worn import without_wear, worn_edges
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.datum.rectify import Rectified

Mode = Literal["none", "safe", "all"]
_PHOTO_ALONG, _DRAWN_ALONG = 25.0, 3.0  # px over which points are off together (trace.edge.wobble)
_LEAST_PX = 0.02  # of a point: what tracing itself is off by on clean graphics (docs/figures.md)
_CORNER_PX = 6.0  # along a sharp corner, that blur and grain may have cut off
_INSIDE = 3.0  # uncertainties, that nothing may be moved beyond unasked
_TRIES = 12
_LEVEL_BY = 0.1  # of the outline's diagonal, that an edge must be long to be levelled by
_ROUNDS, _STILL = 6, 1e-7  # of offers on a file's outline, until nothing moves by more, mm


class Trued(NamedTuple):
    """An outline made exact.

    outline : Outline
    relations : tuple of Relation
        That hold in it.
    taken : dict
        How many offers of each kind were taken.
    left : tuple of (TruingOffer, str)
        Offers that could not be taken along, and why.
    """

    outline: Outline
    relations: tuple[Relation, ...]
    taken: dict[str, int]
    left: tuple[tuple[TruingOffer, str], ...]


def noise_of(job: Job, rectified: Rectified | None = None) -> Noise:
    """Return how far the edges of a job's outline are off, as its trace found them."""
    stamp = job.traced
    if stamp is None:
        return noise_of_file(job.outline)
    size = stamp.mm_per_px
    settings = stamp.inputs.settings
    photo = settings.mode == "part" or settings.light == "linear"
    point = max(stamp.noise_mm, _LEAST_PX * size)
    scale, whole = 0.0, stamp.whole_mm
    if rectified is not None and job.outline.taken:
        left, bottom, right, top = job.outline.bounds
        wide, high = rectified.size_sigma(job.outline.bounds)
        corners = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
        there = rectified.solution.relative_uncertainty(rectified.plane.to_px(corners))
        whole = math.hypot(whole, _open_wall(job, rectified))
        scale = max(wide / max(right - left, 1e-9), high / max(top - bottom, 1e-9), *there)
    told = (_PHOTO_ALONG if photo else _DRAWN_ALONG) * size
    along = max(stamp.along_mm, size) if stamp.along_mm else told
    return Noise(point, along, whole, scale, _CORNER_PX * size)


def _open_wall(job: Job, rectified: Rectified) -> float:
    """Return the standard uncertainty of a whole edge by walls of unknown height, mm.

    Walls on one side of a hole may have been taken for face: a circle that follows the rest is
    smaller by 2/pi of their width then, which is counted as the 95 % of its diameter.
    """
    share = rectified.open_wall(job.optics)
    if not share:
        return 0.0
    x, y, _ = rectified.plane.eye
    left, bottom, right, top = job.outline.bounds
    away = math.hypot(0.5 * (left + right) - x, 0.5 * (bottom + top) - y)
    spread = math.hypot(right - left, top - bottom) / math.sqrt(12)  # of places all over the part
    return 2 / math.pi * math.hypot(away, spread) * share / 4


def level_edge(outline: Outline, noise: Noise) -> Feature | None:
    """Return the straight edge that an outline is levelled by; None: none is long enough.

    A short stretch of a curve that was traced as a line is no edge that anybody meant.
    """
    lines = [f for f in features(outline, noise) if f.kind == "line"]
    if not lines:
        return None
    longest = max(lines, key=lambda f: f.size)
    left, bottom, right, top = outline.bounds
    return longest if longest.size >= _LEVEL_BY * math.hypot(right - left, top - bottom) else None


def level_turn(outline: Outline, noise: Noise) -> float:
    """Return by how much the longest straight edge is off level, radians; 0 where there is none."""
    longest = level_edge(outline, noise)
    if longest is None:
        return 0.0
    turn = -math.remainder(longest.angle, math.pi)
    if abs(turn) > math.pi / 4 and abs(abs(turn) - math.pi / 2) < math.radians(5):
        turn -= math.copysign(math.pi / 2, turn)  # upright already, as the picture has it
    return turn


def turned(outline: Outline, angle: float) -> Outline:
    """Return the outline turned about the middle of its box, radians anticlockwise."""
    if abs(angle) < 1e-12:
        return outline
    left, bottom, right, top = outline.bounds
    middle = np.array([(left + right) / 2, (bottom + top) / 2])
    c, s = math.cos(angle), math.sin(angle)
    matrix = np.array([[c, -s], [s, c]])
    contours = tuple(
        replace(contour, path=about(contour.path, matrix, middle)) for contour in outline.contours
    )
    return Outline(contours)


def trued(
    outline: Outline,
    noise: Noise,
    mode: Mode,
    table: Table = "mm",
    level: bool = False,
    work: Work | None = None,
) -> Trued:
    """Return the outline with all offers of a mode taken.

    Parameters
    ----------
    outline : Outline
        Each contour with its key.
    noise : Noise
    mode : {"none", "safe", "all"}
        safe: every offer of at least 95 % that moves nothing beyond its uncertainty. all: also worn
        edges, what is level or plumb, near sizes and patterns of at least 80 %.
    table : {"mm", "drill", "inch"}
    level : bool
        Turn it first so that the longest straight edge is level.

    """
    work = work or Work()
    straight: list[TruingOffer] = []
    if mode != "none" and outline.taken:
        outline = simpler(outline, noise)
    if mode == "all" and outline.taken:
        straight = [offer for offer in worn_edges(outline) if offer.share >= LIKELY]
        outline = without_wear(outline, straight)
    if level and outline.taken:
        outline = turned(outline, level_turn(outline, noise))
    if mode == "none" or not outline.taken:
        return Trued(outline, (), {}, ())
    held: tuple[Relation, ...] = ()
    counts: Counter[str] = Counter({"straight": len(straight)} if straight else {})
    left: tuple[tuple[TruingOffer, str], ...] = ()
    with work.stage("true up"):
        # what was made exact brings other offers within reach: on a file's own outline they are
        # taken along, so that a second time has nothing left to do
        for _ in range(_ROUNDS if noise.own else 1):
            found = find_offers(outline, noise, table)
            wanted = [
                o
                for o in found.offers
                if o.run is None
                and (o.safe or (mode == "all" and o.share >= LIKELY))
                and not set(o.relations) <= set(held)
            ]
            done = taken(outline, wanted, found.features, noise, work, held)
            far = _farthest(outline, done.outline)
            outline, left = done.outline, done.left
            held += done.relations
            counts.update(done.taken)
            if far < _STILL or not noise.own:
                break
            noise = noise_of_file(outline)
    return Trued(outline, held, dict(counts), left)


def _farthest(one: Outline, other: Outline) -> float:
    """Return by how much the farthest node moved, mm; the outlines have the same segments."""
    return max(
        (
            float(np.abs(a.path.nodes - b.path.nodes).max(initial=0.0))
            for a, b in zip(one.contours, other.contours, strict=True)
        ),
        default=0.0,
    )


def taken(
    outline: Outline,
    offers: Sequence[TruingOffer],
    before: list[Feature],
    noise: Noise,
    work: Work | None = None,
    held: Sequence[Relation] = (),
) -> Trued:
    """Return the outline with these offers taken, but such that contradict those before them.

    What is `held` holds already, and goes on to.
    """
    work = work or Work()
    kept = list(offers)
    left: list[tuple[TruingOffer, str]] = []
    made = outline
    for attempt in range(_TRIES + len(kept)):
        work.step(attempt / (_TRIES + len(offers)))
        relations = [*held, *(relation for offer in kept for relation in offer.relations)]
        owner = [None] * len(held) + [offer for offer in kept for _ in offer.relations]
        try:
            made = solve(outline, relations).outline
        except TruingError as error:
            if not kept:
                break
            named = owner[error.relation] if error.relation is not None else None
            culprit = named or kept[-1]
            left.append((culprit, str(error)))
            kept.remove(culprit)
            continue
        far = _moved_too_far(before, features(made, noise), kept, noise)
        if far is None:
            break
        left.append((far, "it would move an edge by more than its uncertainty"))
        kept.remove(far)
    counts = Counter(str(offer.kind) for offer in kept)
    fresh = tuple(relation for offer in kept for relation in offer.relations)
    return Trued(made, fresh, dict(counts), tuple(left))


def _moved_too_far(
    before: list[Feature], after: list[Feature], kept: list[TruingOffer], noise: Noise
) -> TruingOffer | None:
    """Return the least sure safe offer at a feature that was moved beyond its uncertainty."""
    now = {(f.contour, f.ref.segment): f for f in after}
    sized = {i for offer in kept if not offer.safe for i in offer.features}
    for i, feature in enumerate(before):
        other = now.get((feature.contour, feature.ref.segment))
        if other is None or i in sized or _inside(feature, other, noise):
            continue
        here = [offer for offer in kept if i in offer.features and offer.safe]
        if here:
            return min(here, key=lambda offer: offer.share)
    return None


def _inside(before: Feature, after: Feature, noise: Noise) -> bool:
    spare = 0.5 * noise.point
    if before.kind == "line":
        c, s = math.cos(before.angle), math.sin(before.angle)
        dx, dy = after.place[0] - before.place[0], after.place[1] - before.place[1]
        turn = abs(math.remainder(after.angle - before.angle, math.pi)) * before.size / 2
        room = _INSIDE * math.hypot(before.offset_sigma, before.angle_sigma * before.size / 2)
        return abs(c * dy - s * dx) <= room + spare and turn <= room + spare
    sized = abs(after.radius - before.radius) <= _INSIDE * before.radius_sigma + spare
    return sized and apart(after.centre, before.centre) <= _INSIDE * before.offset_sigma + spare

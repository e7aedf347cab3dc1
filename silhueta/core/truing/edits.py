"""Edits of a job at True up: offers taken, relations released, the part levelled."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal, NamedTuple

from silhueta.core.errors import EditError, TruingError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.job import Job
from silhueta.core.relations import Dimension, Relation
from silhueta.core.remembered import Remembered
from silhueta.core.truing.apply import Trued, level_turn, taken, turned
from silhueta.core.truing.features import Feature, Noise
from silhueta.core.truing.merge import simpler
from silhueta.core.truing.offer import SAFE, TruingOffer
from silhueta.core.truing.offers import find_offers
from silhueta.core.truing.one_edge import one_edge
from silhueta.core.truing.refs import found_again, renumbered
from silhueta.core.truing.sizes import Table
from silhueta.core.truing.solve import residuals, solve
from silhueta.core.truing.worn import edges_of
from silhueta.core.work import Work

_HOLDS = 1e-6  # mm
_TURNS = 4  # in which offers are taken that follow from others


class Held(NamedTuple):
    """A relation of a job, and whether it holds, is off by so much, or names what is gone."""

    relation: Relation
    state: Literal["holds", "off", "gone"]
    off: float = 0.0


def held(job: Job) -> list[Held]:
    """Return the job's relations, and whether each still holds after what was done since."""
    return _known(job)


def _held(job: Job) -> list[Held]:
    keys = {contour.key for contour in job.outline.contours}
    there = [r for r in job.relations if all(ref.key in keys for ref in r.refs)]
    try:
        every = iter(residuals(job.outline, there))
    except TruingError:  # one of them names an edge that is gone: which, is told one by one
        return [_alone(job, relation) for relation in job.relations]
    found = []
    for relation in job.relations:
        if all(ref.key in keys for ref in relation.refs):
            off = next(every)
            found.append(Held(relation, "holds" if off < _HOLDS else "off", off))
        else:
            found.append(Held(relation, "gone"))
    return found


def _alone(job: Job, relation: Relation) -> Held:
    named = {ref.key for ref in relation.refs}
    few = Outline(tuple(c for c in job.outline.contours if c.key in named))
    try:
        off = residuals(few, [relation])[0]
    except TruingError:
        return Held(relation, "gone")
    return Held(relation, "holds" if off < _HOLDS else "off", off)


_known: Remembered[Job, list[Held]] = Remembered(_held)


def parted(job: Job) -> tuple[tuple[Relation, ...], tuple[Relation, ...]]:
    """Return the relations that hold, and those that do not, which stay on the list."""
    every = held(job)
    return (
        tuple(one.relation for one in every if one.state == "holds"),
        tuple(one.relation for one in every if one.state != "holds"),
    )


def take_offers(
    job: Job, offers: Sequence[TruingOffer], found: list[Feature], noise: Noise, work: Work
) -> tuple[Job, Trued]:
    """Return the job with offers taken beside what holds already, and what came of it.

    Edges that become straight come alone: what else was found lay on the edges before.

    Raises
    ------
    TruingError
        If none of them could be taken.

    """
    base = simpler(job.outline, noise)
    before, idle = (found_again(some, job.outline, base) for some in parted(job))
    worn = [offer for offer in offers if offer.run is not None]
    if worn:
        made = _without_wear(with_truth(job, base, (*idle, *before)), worn)
        return made, Trued(made.outline, made.relations, {"straight": len(worn)}, ())
    fixed = [
        TruingOffer("fixed", (relation,), 1.0, relation.kind, (0, 0), ()) for relation in before
    ]
    done = taken(base, [*fixed, *offers], found, noise, work)
    if offers and len(done.left) == len(offers):
        offer, why = done.left[0]
        raise TruingError(f"{offer.text}: {why}; release one of the relations that hold already")
    return with_truth(job, done.outline, (*idle, *done.relations)), done


def take_all(job: Job, least: float, noise: Noise, table: Table, work: Work) -> tuple[Job, Trued]:
    """Return the job with all offers of at least such a share taken, also such as follow from them.

    At `SAFE` only such that move nothing beyond its uncertainty. Worn edges come first.

    Raises
    ------
    TruingError
        If none of them could be taken.

    """
    counts: Counter[str] = Counter()
    left: list[tuple[TruingOffer, str]] = []
    refused: set[tuple[object, ...]] = set()
    for turn in range(_TURNS):
        found = find_offers(simpler(job.outline, noise), noise, table)
        wanted = [
            offer
            for offer in not_held(found.offers, job)
            if offer.share >= least and (offer.safe or least < SAFE)
        ]
        worn = [offer for offer in wanted if offer.run is not None]
        wanted = [o for o in worn or wanted if _said(o) not in refused]
        if not wanted:
            break
        try:
            job, done = take_offers(job, wanted, found.features, noise, work)
        except TruingError:
            if not turn:
                raise
            break
        refused |= {_said(offer) for offer, _ in done.left}
        left += done.left
        counts.update({kind: n for kind, n in done.taken.items() if kind != "fixed"})
    return job, Trued(job.outline, job.relations, dict(counts), tuple(left))


def not_held(offers: Sequence[TruingOffer], job: Job) -> list[TruingOffer]:
    """Return the offers that say more than the job's relations do already."""
    known = {_meaning(relation) for relation in job.relations}
    return [
        offer
        for offer in offers
        if offer.run is not None or not all(_meaning(one) in known for one in offer.relations)
    ]


def _said(offer: TruingOffer) -> tuple[object, ...]:
    return offer.kind, tuple(_meaning(relation) for relation in offer.relations)


def _meaning(relation: Relation) -> tuple[object, ...]:
    """Return what a relation says, wherever its edges lie by now."""
    return relation.kind, frozenset((ref.key, ref.segment) for ref in relation.refs)


def hold_again(job: Job) -> Job:
    """Return the job with its relations made to hold anew; such that name what is gone are dropped.

    Raises
    ------
    TruingError
        If they cannot hold together any more.

    """
    relations = [one.relation for one in held(job) if one.state != "gone"]
    return with_truth(job, solve(job.outline, relations).outline, tuple(relations))


def release(job: Job, relation: Relation) -> Job:
    """Return the job without a relation; nothing moves."""
    kept = tuple(one for one in job.relations if one is not relation)
    return job if len(kept) == len(job.relations) else replace(job, relations=kept)


def level(job: Job, noise: Noise) -> Job:
    """Return the job turned so that its longest straight edge is level.

    Relations that say what is level are released.

    Raises
    ------
    EditError
        If there is no straight edge.

    """
    turn = level_turn(job.outline, noise)
    made = turned(job.outline, turn)
    if made is job.outline:
        raise EditError("there is no straight edge that is not level already")
    kept = tuple(
        replace(r, value=(r.value or 0.0) + math.degrees(turn)) if r.kind == "symmetric" else r
        for r in job.relations
        if r.kind not in ("level", "plumb", "angle")
    )
    return with_truth(job, made, kept)


def with_edge(job: Job, place: int, first: int, many: int) -> Job:
    """Return the job with `many` segments of a contour, from number `first` on, as one edge.

    What holds for one of them is let go; the rest points at its edges' new numbers.
    """
    contour = job.outline.contours[place]
    made, number = one_edge(contour.path, first, many)
    contours = list(job.outline.contours)
    contours[place] = replace(contour, path=made)
    run = {k % len(contour.path.kinds) for k in range(first, first + many)}
    moved = renumbered(job, contour.key, number)
    relations = tuple(
        after
        for before, after in zip(job.relations, moved.relations, strict=True)
        if not any(ref.key == contour.key and ref.segment in run for ref in before.refs)
    )
    return with_truth(moved, Outline(tuple(contours)), relations)


def _without_wear(job: Job, worn: Sequence[TruingOffer]) -> Job:
    for place, first, many in edges_of(job.outline, worn):
        job = with_edge(job, place, first, many)
    return job


def set_calipers(job: Job, calipers: tuple[Dimension, ...]) -> Job:
    """Return the job with another caliper list."""
    return job if job.calipers == calipers else replace(job, calipers=calipers)


def with_truth(job: Job, outline: Outline, relations: tuple[Relation, ...]) -> Job:
    """Return the job with an outline; what moved is a person's own, and outlives a new trace."""
    contours = tuple(
        now if now is was else _by_hand(now)
        for was, now in zip(job.outline.contours, outline.contours, strict=True)
    )
    same = all(a is b for a, b in zip(contours, job.outline.contours, strict=True))
    if same and relations == job.relations:
        return job
    return replace(job, outline=job.outline if same else Outline(contours), relations=relations)


def _by_hand(contour: Contour) -> Contour:
    return replace(contour, origin="edited") if contour.origin == "traced" else contour

"""Refs through changes of an outline: the same edge by its new number."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Path
from silhueta.core.job import Job
from silhueta.core.relations import WHOLE, Ref, Relation

_SAME = 1e-6  # mm, that the middle of an untouched segment has moved at most


def found_again(
    relations: Sequence[Relation], before: Outline, after: Outline
) -> tuple[Relation, ...]:
    """Return relations with each ref at the same segment of the outline `after` a change.

    Where a contour has as many segments as before they keep their numbers. Otherwise a segment is
    known by its middle; one that is gone gets a number that no segment has.
    """
    old = {c.key: c.path for c in before.contours}
    new = {c.key: c.path for c in after.contours}
    return tuple(replace(r, refs=tuple(_again(ref, old, new) for ref in r.refs)) for r in relations)


def followed(before: Job, after: Job) -> Job:
    """Return a job after an edit, its caliper list and zero point at the same edges as before.

    For edits that know nothing of either; what an edge of theirs became is found as for relations.
    """
    if after.outline is before.outline or not (after.calipers or after.zero):
        return after
    old = {c.key: c.path for c in before.outline.contours}
    new = {c.key: c.path for c in after.outline.contours}
    calipers = tuple(
        d
        if d not in before.calipers
        else replace(d, refs=tuple(_again(ref, old, new) for ref in d.refs))
        for d in after.calipers
    )
    zero = after.zero
    if zero == before.zero:
        zero = tuple(_again(ref, old, new) for ref in zero)
    if calipers == after.calipers and zero == after.zero:
        return after
    return replace(after, calipers=calipers, zero=zero)


def renumbered(job: Job, key: int, number: Callable[[int], int]) -> Job:
    """Return a job with what points at segments of one contour pointing at their new numbers."""

    def again(refs: tuple[Ref, ...]) -> tuple[Ref, ...]:
        return tuple(
            replace(ref, segment=number(ref.segment))
            if ref.key == key and ref.segment != WHOLE
            else ref
            for ref in refs
        )

    return replace(
        job,
        relations=tuple(replace(r, refs=again(r.refs)) for r in job.relations),
        calipers=tuple(replace(d, refs=again(d.refs)) for d in job.calipers),
        zero=again(job.zero),
    )


def _again(ref: Ref, old: dict[int, Path], new: dict[int, Path]) -> Ref:
    """Return a ref to the same segment by its new number."""
    was, now = old.get(ref.key), new.get(ref.key)
    if was is None or now is None or was is now or ref.segment == WHOLE:
        return ref
    if len(was.kinds) == len(now.kinds) or not ref.segment < len(was.kinds):
        return ref
    if full_circle(now) is not None:
        return ref
    middle = (was.starts[ref.segment] + was.ends[ref.segment]) / 2
    far = np.hypot(*((now.starts + now.ends) / 2 - middle).T)
    far[now.kinds != was.kinds[ref.segment]] = np.inf
    nearest = int(far.argmin())
    return replace(ref, segment=nearest) if far[nearest] < _SAME else replace(ref, segment=len(far))

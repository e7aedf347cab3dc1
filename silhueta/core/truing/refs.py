"""Refs through changes of an outline: the same edge by its new number."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Path
from silhueta.core.geometry.pieces import segment_of
from silhueta.core.job import Job
from silhueta.core.relations import WHOLE, Ref, Relation

_NEAR = 0.02  # mm: an edge that an edit did not mean to move has moved by less
_ALONG = 0.9  # cosine: an edge that runs another way than that is another edge
_AS_LONG = 2.0  # times as long, or as short, an edge may come out of a new trace
_WITHIN = 4.0  # tolerances, that an edge may lie off after a new trace


def found_again(
    relations: Sequence[Relation], before: Outline, after: Outline
) -> tuple[Relation, ...]:
    """Return relations with each ref at the same segment of the outline `after` a change.

    Where a contour has the same kinds of segments as before they keep their numbers. Otherwise a
    segment is known by where it lies; one that is gone gets a number that no segment has.
    """
    find = _Finder(before, after)
    return tuple(replace(r, refs=tuple(map(find, r.refs))) for r in relations)


def followed(before: Job, after: Job) -> Job:
    """Return a job after an edit, with all that points at edges pointing at the same as before.

    Relations, caliper list and zero point, those of them that the edit knew nothing of.
    """
    if after.outline is before.outline or not (after.calipers or after.zero or after.relations):
        return after
    return _pointed(before, after, _Finder(before.outline, after.outline))


def followed_trace(before: Job, after: Job) -> Job:
    """Return a job whose outline was traced anew, with all that points at edges at those again.

    An edge is known by where it lies, within some tolerances of either trace, and by the way it
    runs; numbers mean nothing. What is not there any more points at nothing, and is said.
    """
    if after.outline is before.outline or not (after.calipers or after.zero or after.relations):
        return after
    old, new = before.traced, after.traced
    if old is None or new is None or not old.mm_per_px > 0:
        return _pointed(before, after, _Finder(before.outline, after.outline))
    size = new.mm_per_px / old.mm_per_px
    off = _WITHIN * max(size * old.tolerance_mm, new.tolerance_mm, new.mm_per_px / 2)
    return _pointed(before, after, _Finder(before.outline, after.outline, off, size, anew=True))


def _pointed(before: Job, after: Job, find: _Finder) -> Job:
    """Return `after` with what is as it was before pointing at where `find` tells."""
    relations = after.relations
    if relations is before.relations:
        relations = tuple(replace(r, refs=tuple(map(find, r.refs))) for r in relations)
    calipers = tuple(
        replace(d, refs=tuple(map(find, d.refs))) if d in before.calipers else d
        for d in after.calipers
    )
    zero = tuple(map(find, after.zero)) if after.zero == before.zero else after.zero
    if (relations, calipers, zero) == (after.relations, after.calipers, after.zero):
        return after
    return replace(after, relations=relations, calipers=calipers, zero=zero)


class _Finder:
    """Finds a segment of an outline in the outline that came of it."""

    def __init__(
        self,
        before: Outline,
        after: Outline,
        off: float = _NEAR,
        size: float = 1.0,
        *,
        anew: bool = False,
    ) -> None:
        """Take how far an edge may lie `off`, mm, and by how much the new outline is larger."""
        self._old = {c.key: c.path for c in before.contours}
        self._new = {c.key: c.path for c in after.contours}
        self._off, self._size, self._anew = off, size, anew
        self._stand: dict[int, bool] = {}  # by a contour's key: whether its numbers stand

    def __call__(self, ref: Ref) -> Ref:
        """Return a ref to the same segment by its new number."""
        was, now = self._old.get(ref.key), self._new.get(ref.key)
        if was is None or now is None or was is now or ref.segment == WHOLE:
            return ref
        k = ref.segment
        if not 0 <= k < len(was.kinds):
            return ref
        if was.kinds[k] == ARC and full_circle(now) is not None:
            return ref
        likely = now.kinds == was.kinds[k]
        if self._anew:
            likely &= _ways(now) @ _ways(was)[k] > _ALONG
            away = self._traced(was, k, now, likely)
        else:
            if ref.key not in self._stand:
                self._stand[ref.key] = _numbers_stand(was, now)
            if self._stand[ref.key]:
                return ref
            away = self._untouched(was, k, now)
        away[~likely] = np.inf
        best = int(away.argmin())
        return replace(ref, segment=best if away[best] <= self._off else len(away))

    def _untouched(self, was: Path, k: int, now: Path) -> Floats:
        """Return how far each segment lies from one with the same ends and middle, mm."""
        start, end, middle = was.starts[k], was.ends[k], _middles(was)[k]

        def apart(one: Floats, two: Floats) -> Floats:
            pairs = ((one, now.starts), (two, now.ends), (middle, _middles(now)))
            return np.asarray(np.max([np.hypot(*(b - a).T) for a, b in pairs], axis=0))

        return np.minimum(apart(start, end), apart(end, start))  # a path may be turned round

    def _traced(self, was: Path, k: int, now: Path, likely: NDArray[np.bool_]) -> Floats:
        """Return how far each segment that is about as long lies from another's middle, mm."""
        place = self._size * _middles(was)[k]
        long = self._size * float(np.hypot(*(was.ends[k] - was.starts[k])))
        lengths = np.hypot(*(now.ends - now.starts).T)
        as_long = (lengths > long / _AS_LONG) & (lengths < long * _AS_LONG)
        # nothing of a segment is farther from its chord's middle than its ends, sagitta or handles
        middles = (now.starts + now.ends) / 2
        handles = np.hypot(*(now.controls - middles[:, None]).T).max(axis=0)
        reach = lengths * (0.5 + np.abs(now.bulges) / 2)
        reach = np.where(now.kinds == CUBIC, np.maximum(reach, handles), reach)
        near = np.hypot(*(middles - place).T) <= reach + self._off
        away = np.full(len(now.kinds), np.inf)
        for n in np.flatnonzero(likely & as_long & near).tolist():
            away[n] = _away(now, n, place)
        return away


def _numbers_stand(was: Path, now: Path) -> bool:
    """Return whether segments keep their numbers, also where their nodes were moved."""
    alike = len(was.kinds) == len(now.kinds) and bool((was.kinds == now.kinds).all())
    return alike and (np.array_equal(was.nodes, now.nodes) or not _same_nodes(was, now))


def _same_nodes(one: Path, two: Path) -> bool:
    """Return whether two paths have the very same nodes, in whatever order."""
    first, second = (path.nodes[np.lexsort(path.nodes.T)] for path in (one, two))
    return np.array_equal(first, second)


def _ways(path: Path) -> Floats:
    """Return the unit vectors from each segment's start to its end, (N, 2)."""
    chords = path.ends - path.starts
    return np.asarray(chords / np.maximum(np.hypot(*chords.T), 1e-12)[:, None])


def _middles(path: Path) -> Floats:
    """Return the places half-way along each segment, (N, 2) mm."""
    chords = path.ends - path.starts
    # to the right of the chord for a bulge above zero, which turns left
    aside = np.column_stack([chords[:, 1], -chords[:, 0]]) * (path.bulges / 2)[:, None]
    made = (path.starts + path.ends) / 2 + aside
    cubic = path.kinds == CUBIC
    if cubic.any():
        one, two = path.controls[cubic, 0], path.controls[cubic, 1]
        made[cubic] = (path.starts[cubic] + 3 * one + 3 * two + path.ends[cubic]) / 8
    return np.asarray(made)


def _away(path: Path, n: int, place: Floats) -> float:
    """Return how far a place lies from segment `n`, mm."""
    return float(nearest(segment_of(path, n), place[None]).distance[0])


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

"""Refs through changes of an outline: the same edge by its new number."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Path
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

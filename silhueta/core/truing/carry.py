"""What holds, carried through edits that know nothing of it: nodes moved, added and taken away."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from silhueta.core.errors import TruingError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.path import Path
from silhueta.core.job import Job, with_outline
from silhueta.core.relations import WHOLE, Ref
from silhueta.core.truing.edits import held
from silhueta.core.truing.solve import solve

_SAME = 1e-6  # mm, that the middle of an untouched segment has moved at most


def carried(before: Job, after: Job) -> Job:
    """Return a job after an edit, with what held before holding still where it can.

    Nodes that were moved stay where they were put; what is related to them moves along. A relation
    whose edge is gone, or that cannot hold any more, stays on the list and says so.
    """
    if not before.relations or after.outline is before.outline:
        return after
    old = {c.key: c.path for c in before.outline.contours}
    new = {c.key: c.path for c in after.outline.contours}
    relations = tuple(
        replace(r, refs=tuple(_found_again(ref, old, new) for ref in r.refs))
        for r in after.relations
    )
    made = replace(after, relations=relations)
    firm = [
        (key, int(k))
        for key, path in new.items()
        if key in old and len(old[key].nodes) == len(path.nodes)
        for k in np.flatnonzero(np.hypot(*(path.nodes - old[key].nodes).T) > _SAME)
    ]
    whole = [one.relation for one in held(made) if one.state != "gone"]
    if all(one.state != "off" for one in held(made)):
        return made
    try:
        return with_outline(made, solve(made.outline, whole, firm).outline)
    except TruingError:
        return made


def _found_again(ref: Ref, old: dict[int, Path], new: dict[int, Path]) -> Ref:
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

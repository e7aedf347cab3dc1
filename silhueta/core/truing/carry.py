"""What holds, carried through edits that know nothing of it: nodes moved, added and taken away."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from silhueta.core.errors import TruingError
from silhueta.core.job import Job, with_outline
from silhueta.core.truing.edits import held
from silhueta.core.truing.refs import found_again
from silhueta.core.truing.solve import solve

_SAME = 1e-6  # mm, that an untouched node has moved at most


def carried(before: Job, after: Job) -> Job:
    """Return a job after an edit, with what held before holding still where it can.

    Nodes that were moved stay where they were put; what is related to them moves along. A relation
    whose edge is gone, or that cannot hold any more, stays on the list and says so.
    """
    if not before.relations or after.outline is before.outline:
        return after
    old = {c.key: c.path for c in before.outline.contours}
    new = {c.key: c.path for c in after.outline.contours}
    relations = found_again(after.relations, before.outline, after.outline)
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

"""A ragged stretch of a loop as one straight edge."""

from __future__ import annotations

from collections.abc import Sequence

from silhueta.core.errors import EditError
from silhueta.core.job import Job
from silhueta.core.relations import Ref
from silhueta.core.truing.edits import with_edge
from silhueta.core.truing.one_edge import chord


def straightened(job: Job, refs: Sequence[Ref]) -> Job:
    """Return the job with all from one edge to another as one straight edge.

    The shorter way round; the line lies nearest to what it takes the place of (least squares
    across it). Straight neighbours are trimmed or drawn out to meet it.

    Raises
    ------
    EditError
        If the edges are not of one loop, or too little would be left of it.

    """
    if len(refs) != 2 or refs[0].key != refs[1].key or refs[0].segment == refs[1].segment:
        raise EditError("choose the first and the last edge of a stretch of one loop")
    place = next((i for i, c in enumerate(job.outline.contours) if c.key == refs[0].key), None)
    if place is None:
        raise EditError("that loop is not there any more")
    contour = job.outline.contours[place]
    path, count = contour.path, len(contour.path.kinds)
    first, last = sorted(ref.segment for ref in refs)
    if not 0 <= first < last < count:
        raise EditError("these edges are not there any more; choose them anew")
    if path.closed:
        around = [chord(path, k) for k in range(count)]
        if sum(around[first + 1 : last]) > sum(around) - sum(around[first : last + 1]):
            first, last = last, first + count  # the other way round is shorter
    many = last - first + 1
    if path.closed and count - many < 2:
        raise EditError("too little of the loop would be left beside one straight edge")
    return with_edge(job, place, first, many)

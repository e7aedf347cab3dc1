"""Where (0, 0) is in the cut file: on a hole's centre, or in a corner of the part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Outline
from silhueta.core.job import Job
from silhueta.core.relations import Ref
from silhueta.core.truing.calipers import round_or_line

_MEET = 0.05  # sine of the angle under which two edges meet at least, for a corner to be told

Point = tuple[float, float]


def zero_of(outline: Outline, refs: Sequence[Ref]) -> Point | None:
    """Return the place that refs mean, mm: a round's centre, or where two edges would meet.

    A corner is found where it is rounded, too. None where there is no such place any more.
    """
    shapes = [shape for ref in refs if (shape := round_or_line(outline, ref)) is not None]
    if not shapes or len(shapes) != len(refs):
        return None
    if len(shapes) == 1:
        return None if shapes[0].radius is None else shapes[0].start
    one, two = shapes[:2]
    if one.radius is not None or two.radius is not None:
        return None
    (ax, ay), (bx, by) = one.start, two.start
    ux, uy, vx, vy = one.end[0] - ax, one.end[1] - ay, two.end[0] - bx, two.end[1] - by
    across = ux * vy - uy * vx
    if abs(across) < _MEET * ((ux * ux + uy * uy) * (vx * vx + vy * vy)) ** 0.5:
        return None
    share = ((bx - ax) * vy - (by - ay) * vx) / across
    return ax + share * ux, ay + share * uy


def set_zero(job: Job, refs: Sequence[Ref]) -> Job:
    """Return the job with its zero point at a hole's centre or in a corner.

    Raises
    ------
    EditError
        If the refs mean no one place.

    """
    if zero_of(job.outline, refs) is None:
        raise EditError("choose one hole or arc, or two edges that meet in a corner, for the zero")
    made = replace(job.cut_file, origin="chosen")
    return replace(job, zero=tuple(refs), cut_file=made)

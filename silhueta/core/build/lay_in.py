"""Another job's outline, laid into the present one."""

from __future__ import annotations

from dataclasses import replace

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.transform import shifted
from silhueta.core.job import Job

_GAP = 10.0  # mm beside what is there: enough to see both, and a common web between parts


def laid_in(job: Job, other: Job) -> Job:
    """Return a job with another's worked outline beside its own, as one group, at the same size.

    Raises
    ------
    EditError
        If the other has none.

    """
    taken = [contour for contour in other.outline.contours if contour.taken]
    if not taken:
        raise EditError(f"“{other.name}” has no outline to lay in")
    left, bottom, _, _ = other.outline.bounds
    x, y = 0.0, 0.0
    if job.outline.taken:
        _, y, x, _ = job.outline.bounds
        x += _GAP
    group = max((contour.group for contour in job.outline.contours), default=0) + 1
    made = tuple(
        replace(
            contour,
            path=shifted(contour.path, (x - left, y - bottom)),
            origin="drawn",
            locked=False,
            key=0,
            group=group if len(taken) > 1 else 0,
        )
        for contour in taken
    )
    return replace(job, outline=Outline((*job.outline.contours, *made)))

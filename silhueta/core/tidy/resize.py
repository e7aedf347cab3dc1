"""Edit: an outline scaled as a whole, for those that came without a picture."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.transform import scale
from silhueta.core.job import Job, with_outline


def resized(job: Job, axis: Literal["width", "height"], mm: float) -> Job:
    """Return `job` with its outline scaled evenly so that what is cut is `mm` wide or high.

    Raises
    ------
    EditError
        If nothing is cut, it has no such extent, or `mm` is not above zero.

    """
    if not job.outline.taken:
        raise EditError("nothing is cut, so there is nothing to scale")
    left, bottom, right, top = job.outline.bounds
    present = right - left if axis == "width" else top - bottom
    if not (mm > 0 and present > 0):
        raise EditError(f"the outline cannot be made {mm:g} mm in {axis}")
    factor = mm / present
    if factor == 1:
        return job
    contours = tuple(replace(c, path=scale(c.path, factor)) for c in job.outline.contours)
    left, bottom, right, top = (factor * side for side in job.page or (0.0, 0.0, 0.0, 0.0))
    page = None if job.page is None else (left, bottom, right, top)
    return replace(with_outline(job, Outline(contours)), page=page)

"""What the Scale stop says of the size that came of all datums."""

from __future__ import annotations

import numpy as np

from silhueta.core.datum.fixing import describe, fixing_datum
from silhueta.core.datum.solve import Solution
from silhueta.core.datums import OverallDatum
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture
from silhueta.core.units import Unit, format_length
from silhueta.core.wording import leaned


def result_lines(job: Job, solution: Solution, picture: Picture) -> list[str]:
    """Return what is known of size and camera, a line each."""
    middle = np.array([[picture.width / 2, picture.height / 2]])
    size = float(solution.plane.mm_per_px(middle)[0])
    alone = isinstance(fixing_datum(job), OverallDatum)
    if alone:
        size = size if job.traced is None else job.traced.mm_per_px
    where = "" if solution.level else " in the middle"
    lines = [f"{size:.4g} mm per pixel{where}, from {describe(fixing_datum(job))}."]
    sure = float(solution.relative_uncertainty(middle)[0])
    if sure > 0 and not alone:
        lines.append(f"100 mm is good to ±{200 * sure:.2f} mm. {solution.remedy}".rstrip())
    if solution.camera_height is not None:
        lean = solution.lean
        how = f", and {leaned(lean.angle, lean.sure, lean.holes)}" if lean else ""
        lines.append(f"The camera stood {solution.camera_height:,.0f} mm above{how}.")
    if job.optics.thickness_open:
        lines.append("▲ Waiting for the part's thickness.")
    return lines


def outline_line(job: Job, unit: Unit) -> str:
    """Return how large the outline is."""
    left, bottom, right, top = job.outline.bounds
    wide, high = format_length(right - left, unit), format_length(top - bottom, unit)
    return f"The outline: {wide} × {high}."

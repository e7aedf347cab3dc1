"""What a job's drawings are told for people: its caliper list, its deviation, its picture."""

from __future__ import annotations

import math

import numpy as np

from silhueta.core.cutting.about import About, Measured, Under
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture
from silhueta.core.relations import Dimension
from silhueta.core.truing.calipers import round_or_line, says
from silhueta.core.units import MM_PER_INCH, Unit


def about_of(job: Job, picture: Picture | None = None, mm_per_px: float = 0.0) -> About:
    """Return what is told of a job's part.

    Parameters
    ----------
    job : Job
    picture : Picture or None
        That its outline lies on, flattened where it was a photo.
    mm_per_px : float
        Of the picture.

    """
    found = [_measured(job, dimension, job.cut_file.units) for dimension in job.calipers]
    stamp, under = job.traced, None
    if picture is not None:
        grey = np.array(picture.eight())
        grey.setflags(write=False)
        under = Under(grey, mm_per_px)
    off = None
    if stamp is not None and stamp.deviation_mm:
        off = (stamp.deviation_mean, stamp.deviation_p95, stamp.deviation_mm)
    return About(job.name, tuple(one for one in found if one is not None), off, under)


def told(length: float, units: Unit) -> str:
    """Return a length as the proof says it: to a hundredth of a mm, or a thousandth of an inch."""
    return f"{length:.2f} mm" if units == "mm" else f"{length / MM_PER_INCH:.3f} in"


def _measured(job: Job, dimension: Dimension, units: Unit) -> Measured | None:
    """Return a row of the caliper list with where it lies; None where what it names is gone."""
    value = says(job.outline, dimension)
    if value is None:
        return None
    angle = dimension.kind == "angle"
    text = f"{value:.2f}°" if angle else told(value, units)
    sign = {"diameter": "Ø ", "radius": "R "}.get(dimension.kind, "")
    text = sign + text
    if dimension.measured is not None:
        own = f"{dimension.measured:.2f}°" if angle else told(dimension.measured, units)
        text += f" (measured {own})"
    left, bottom, right, top = job.outline.bounds
    if dimension.kind in ("width", "height"):
        end = (right, bottom) if dimension.kind == "width" else (left, top)
        return Measured(text, (left, bottom), end)
    shapes = [round_or_line(job.outline, ref) for ref in dimension.refs]
    found = [shape for shape in shapes if shape is not None]
    one = found[0]
    if len(found) == 1:
        if one.radius is None:
            return Measured(text, one.start, one.end)
        return Measured(text, one.start, one.start)
    return Measured(text, _middle(one.start, one.end), _middle(found[1].start, found[1].end))


def _middle(a: tuple[float, float], b: tuple[float, float]) -> tuple[float, float]:
    return math.fsum((a[0], b[0])) / 2, math.fsum((a[1], b[1])) / 2

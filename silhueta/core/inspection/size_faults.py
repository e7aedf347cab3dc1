"""Findings on the size: what nobody checked, and what is not known well enough."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.job import is_stale

_AT_SCALE = Remedy("Check a length you know at Scale", stop="scale")


def _unconfirmed(scene: Scene) -> Iterator[Finding]:
    """Yield where one thing alone says how large all is: a slip in it would show nowhere."""
    job = scene.job
    if job.picture is None or not job.outline.taken:
        return
    checked = len(job.datums) > 1 or any(row.measured is not None for row in job.calipers)
    if checked or not job.datums:
        return
    left, bottom, right, top = job.outline.bounds
    yield Finding(
        "scale-unconfirmed",
        "look",
        ((left + right) / 2, bottom),
        (left, bottom, right, top),
        "the size hangs on one thing alone, and no second length was checked",
        remedies=(
            Remedy("Measure one size with calipers, at True up", stop="true_up"),
            _AT_SCALE,
        ),
    )


def _thickness(scene: Scene) -> Iterator[Finding]:
    job = scene.job
    if job.picture is None or not job.optics.thickness_open or not job.outline.taken:
        return
    left, bottom, right, top = job.outline.bounds
    yield Finding(
        "thickness-open",
        "hurt",
        ((left + right) / 2, top),
        (left, bottom, right, top),
        "how thick the part is was not told: a thick one stands nearer to the camera and comes out "
        "too large",
        remedies=(Remedy("Type its thickness at Scale", stop="scale"),),
    )


def _sizes(scene: Scene, code: str) -> Iterator[Finding]:
    """Yield the typed dimensions that are off by more than was asked, or are known less well."""
    yield from (one for one in _limited(scene) if one.code == code)


def _limited(scene: Scene) -> Iterator[Finding]:
    if is_stale(scene.job) or not any(row.within for row in scene.job.calipers):
        return
    from silhueta.core.inspection.job_faults import where
    from silhueta.core.truing.apply import noise_of
    from silhueta.core.truing.calipers import rows

    for row in rows(scene.job, noise_of(scene.job)):
        asked, off = row.dimension.within, row.off
        if asked is None or off is None:
            continue
        place, box = where(scene.job, row.dimension.refs)
        keys = tuple(dict.fromkeys(ref.key for ref in row.dimension.refs))
        remedy = Remedy("Look at it at True up", stop="true_up")
        doubt = 2 * row.sigma if row.sigma is not None else 0.0
        if abs(off) > asked:
            text = f"a {row.dimension.kind} is {abs(off):.2f} mm off, {asked:.2f} mm are allowed"
            yield Finding("size-off", "hurt", place, box, text, abs(off), asked, keys, (remedy,))
        elif doubt > asked:
            text = (
                f"a {row.dimension.kind} is known to ± {doubt:.2f} mm only, {asked:.2f} mm are "
                "allowed"
            )
            yield Finding("size-unsure", "hurt", place, box, text, doubt, asked, keys, (remedy,))


FINDERS = (
    Finder("thickness-open", "Thickness not told", "thicknesses that nobody told", _thickness),
    Finder("size-off", "Size off", "sizes that are off", partial(_sizes, code="size-off")),
    Finder(
        "size-unsure",
        "Size not sure enough",
        "sizes that are not known well enough",
        partial(_sizes, code="size-unsure"),
    ),
    Finder("scale-unconfirmed", "Size not checked", "sizes that nobody checked", _unconfirmed),
)

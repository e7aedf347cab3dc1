"""Findings on how a job came about: what its trace doubts, what no longer holds, what is gone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from silhueta.core.geometry.measure import Box, bounding_box
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene, Severity
from silhueta.core.job import Job, is_stale
from silhueta.core.relations import Ref
from silhueta.core.truing.calipers import round_or_line
from silhueta.core.truing.edits import Held, held, hold_again, release


def _doubts(scene: Scene) -> Iterator[Finding]:
    stamp = scene.job.traced
    if stamp is None or is_stale(scene.job):
        return
    for x, y, text in stamp.doubts:
        remedy = Remedy("Look at it at Trace", stop="trace")
        yield Finding("trace-doubt", "hurt", (x, y), (x, y, x, y), text, remedies=(remedy,))


def _not_held(scene: Scene) -> Iterator[Finding]:
    for one in held(scene.job):
        if one.state == "off":
            text = f"what was made {one.relation.kind} is {one.off:.2f} mm off since"
            again = Remedy("Make it hold again", hold_again)
            yield _of_relation(scene, one, "not-held", "hurt", text, again)


def _edge_gone(scene: Scene) -> Iterator[Finding]:
    for one in held(scene.job):
        if one.state == "gone":
            text = f"what was made {one.relation.kind} points at an edge that is gone"
            yield _of_relation(scene, one, "edge-gone", "look", text)


def _of_relation(
    scene: Scene, one: Held, code: str, severity: Severity, text: str, *first: Remedy
) -> Finding:
    place, box = where(scene.job, one.relation.refs)
    let_go = Remedy("Release it", partial(release, relation=one.relation))
    off = one.off if one.state == "off" else None
    return Finding(
        code,
        severity,
        place,
        box,
        text,
        off,
        None if off is None else 0.0,
        tuple(dict.fromkeys(ref.key for ref in one.relation.refs)),
        (*first, let_go),
    )


def _zero_gone(scene: Scene) -> Iterator[Finding]:
    from silhueta.core.truing.zero import zero_of

    job = scene.job
    if job.cut_file.origin != "chosen" or zero_of(job.outline, job.zero) is not None:
        return
    place, box = where(job, job.zero)
    text = "the edges that the zero point was put on are gone"
    remedy = Remedy("Choose it anew at True up", stop="true_up")
    yield Finding("zero-gone", "stop", place, box, text, remedies=(remedy,))


def where(job: Job, refs: tuple[Ref, ...]) -> tuple[tuple[float, float], Box]:
    """Return where the first of refs lies, and the box of the contours that are still there."""
    paths = {c.key: c.path for c in job.outline.contours}
    there = [paths[ref.key] for ref in refs if ref.key in paths]
    at = next((ref.at for ref in refs if ref.at is not None), None)
    shape = next((s for ref in refs if (s := round_or_line(job.outline, ref)) is not None), None)
    if shape is not None:
        at = shape.start
    if not there:
        x, y = at or (0.0, 0.0)
        return (x, y), (x, y, x, y)
    left, bottom, right, top = bounding_box(there)
    return at or ((left + right) / 2, (bottom + top) / 2), (left, bottom, right, top)


FINDERS = (
    Finder("zero-gone", "Zero point lost", "zero points without their edges", _zero_gone),
    Finder("trace-doubt", "Trace not sure", "places that the trace is not sure of", _doubts),
    Finder("not-held", "No longer holds", "relations that no longer hold", _not_held),
    Finder("edge-gone", "Edge gone", "relations whose edge is gone", _edge_gone),
)

"""Findings that a person lets pass, with a reason, until what they are about changes."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.inspect_settings import Waved
from silhueta.core.inspection.finding import Finding
from silhueta.core.job import Job

# mm to which a place and a size must be what they were: what moving a part about leaves of it in
# the last digits is far less, and an edit that matters to anybody is more
_SAME = 0.01  # mm
_MOST_REASON = 400  # letters of a reason that are kept


class Inspected(NamedTuple):
    """Findings that are open, and those that were waved through, each with its record."""

    open: tuple[Finding, ...]
    waved: tuple[tuple[Finding, Waved], ...]


def mark_of(job: Job, found: Finding) -> str:
    """Return what a finding is about, as a short text: its place on the part, its size, its limit.

    A part that is moved as a whole keeps its marks.
    """
    wanted = set(found.keys)
    paths = [c.path for c in job.outline.contours if c.key in wanted]
    zero = np.array(bounding_box(paths)[:2] if paths else (0.0, 0.0))
    corners = np.array([found.place, found.extent[:2], found.extent[2:]]) - zero
    sizes = [np.nan if v is None else v for v in (found.measured, found.limit)]
    whole = np.concatenate([corners.ravel(), sizes]) / _SAME
    text = " ".join("-" if np.isnan(v) else str(round(v)) for v in whole.tolist())
    return hashlib.sha256(f"{found.code} {text}".encode()).hexdigest()[:20]


def wave(job: Job, found: Finding, reason: str) -> Job:
    """Return the job with a finding waved through.

    Raises
    ------
    EditError
        If no reason is given.

    """
    said = " ".join(reason.split())[:_MOST_REASON]
    if not said:
        raise EditError("say why it may pass; it stands on the set-up list then")
    made = Waved(found.code, found.keys, mark_of(job, found), said, found.text)
    others = tuple(one for one in job.waved if not _same(one, made))
    return replace(job, waved=(*others, made))


def take_back(job: Job, waved: Waved) -> Job:
    """Return the job with a finding open again."""
    return replace(job, waved=tuple(one for one in job.waved if one != waved))


def parted(job: Job, found: Sequence[Finding]) -> Inspected:
    """Return which of a job's findings are open, and which were waved through."""
    known = {(one.code, one.keys, one.mark): one for one in job.waved}
    still: list[Finding] = []
    passed: list[tuple[Finding, Waved]] = []
    for one in found:
        record = known.get((one.code, one.keys, mark_of(job, one))) if known else None
        if record is None:
            still.append(one)
        else:
            passed.append((one, record))
    return Inspected(tuple(still), tuple(passed))


def _same(one: Waved, two: Waved) -> bool:
    return (one.code, one.keys, one.mark) == (two.code, two.keys, two.mark)

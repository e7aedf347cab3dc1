"""Findings mended without a window: the first remedy of each, one after the other."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from silhueta.core.errors import SilhuetaError
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.finding import Finding
from silhueta.core.inspection.registry import HEADS, findings
from silhueta.core.job import Job
from silhueta.core.truing.refs import followed
from silhueta.core.work import Work

# Each round looks anew and mends what does not touch what was mended in it. A part that still has
# findings of a kind after so many rounds gets new ones from its own remedies.
_ROUNDS = 20


class Mended(NamedTuple):
    """A job after its remedies.

    counts : dict
        How many findings of each code were mended.
    refused : tuple of str
        In words, what could not be.
    left : tuple of Finding
        All that is found now.
    """

    job: Job
    counts: dict[str, int]
    refused: tuple[str, ...]
    left: tuple[Finding, ...]


def mended(job: Job, codes: Collection[str], limits: Limits, work: Work | None = None) -> Mended:
    """Return a job after the first remedy of each finding of some codes.

    What only a person can do, at a stop, and what fails, is said and left.
    """
    work = work or Work()
    counts: dict[str, int] = {}
    refused: dict[str, None] = {}
    found = findings(job, limits, work)
    for _ in range(_ROUNDS):
        touched: set[int] = set()
        changed = False
        for one in found:
            if one.code not in codes or touched & set(one.keys):
                continue
            words = _refused(one)
            if not words:
                work.step(0.0)
                try:
                    after = one.remedies[0].edit(job)  # type: ignore[misc]
                except SilhuetaError as error:
                    words = f"{_named(one)}: {error}"
                else:
                    if after is not job:
                        job, changed = followed(job, after), True
                        counts[one.code] = counts.get(one.code, 0) + 1
                        touched |= set(one.keys)
                        if not one.keys:
                            break  # it is about all of the part
            if words:
                refused[words] = None
        if not changed:
            break
        found = findings(job, limits, work)
    return Mended(job, counts, tuple(refused), tuple(found))


def _refused(one: Finding) -> str:
    """Return why a finding cannot be mended here, or ""."""
    if not one.remedies:
        return f"{_named(one)}: nothing is known that mends it"
    if one.remedies[0].edit is None:
        return f"{_named(one)}: a person must do it ({one.remedies[0].text})"
    return ""


def _named(one: Finding) -> str:
    x, y = one.place
    return f"{HEADS[one.code].lower()} at {x:.2f}, {y:.2f} mm"

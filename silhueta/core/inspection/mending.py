"""Findings mended without a window: the first remedy of each, one after the other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from typing import NamedTuple

from silhueta.core.errors import EditError, SilhuetaError
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.finding import Finding
from silhueta.core.inspection.registry import HEADS, findings
from silhueta.core.job import Job
from silhueta.core.truing.refs import followed
from silhueta.core.work import Work

# Each round looks anew and mends what does not touch what was mended in it. A part that still has
# findings of a kind after so many rounds gets new ones from its own remedies.
_ROUNDS = 20  # most parts need two or three
# Where some of a round do harm, so many of it are tried one by one, each with a look at the part.
_ONE_BY_ONE = 100  # a look takes 0.2 s at 10,000 segments: half a minute at most
_PLACE = 0.2  # mm, within which a finding is where it was


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

    What only a person can do, at a stop, what fails, and what would not mend its fault or leave
    another that stops the cut, is said and left.
    """
    work = work or Work()
    counts: Counter[str] = Counter()
    refused: dict[str, None] = {}
    found = findings(job, limits, work)
    for _ in range(_ROUNDS):
        mine = [one for one in found if one.code in codes]
        for one in mine:
            if words := _refused(one):
                refused[words] = None
        mine = [one for one in mine if not _refused(one) and _words(one) not in refused]
        if not mine:
            break
        batch = _apart(mine)
        after, done = _taken(job, batch, refused)
        left = findings(after, limits, work)
        if not _worse(found, left, done):
            job, found = after, left
            counts.update(one.code for one in done)
            continue
        # one of them does harm: each on its own, and held against what was there before it
        for one in batch[:_ONE_BY_ONE]:
            work.step(0.0)
            after, done = _taken(job, [one], refused)
            left = findings(after, limits, work)
            if not done or _worse(found, left, done):
                refused.setdefault(_words(one), None)
            else:
                job, found = after, left
                counts[one.code] += 1
        if len(batch) > _ONE_BY_ONE:
            break
    said = tuple(words for words in refused if words)
    return Mended(job, dict(counts), said, tuple(found))


def mend_one(job: Job, one: Finding, which: int, limits: Limits) -> Job:
    """Return a job after one remedy of a finding.

    Raises
    ------
    EditError
        If the remedy cannot be taken, would not mend its fault, or would leave another one that
        stops the cut.

    """
    edit = one.remedies[which].edit
    if edit is None:
        raise EditError("this is done by hand")
    before = findings(job, limits)
    after = followed(job, edit(job))
    if _worse(before, findings(after, limits), [one]):
        raise EditError(_HARM)
    return after


_HARM = "that would leave the fault, or another one in its place; mend it by hand"


def _apart(found: Sequence[Finding]) -> list[Finding]:
    """Return findings that touch no contour in common: what is about all of a part stands alone."""
    touched: set[int] = set()
    batch: list[Finding] = []
    for one in found:
        if touched & set(one.keys):
            continue
        if not one.keys:
            return batch or [one]
        batch.append(one)
        touched |= set(one.keys)
    return batch


def _taken(
    job: Job, batch: Sequence[Finding], refused: dict[str, None]
) -> tuple[Job, list[Finding]]:
    """Return a job after the first remedies of findings, and those that could be taken."""
    done = []
    for one in batch:
        edit = one.remedies[0].edit
        assert edit is not None
        try:
            after = edit(job)
        except SilhuetaError as error:
            refused[f"{_named(one)}: {error}"] = None
            refused.setdefault(_words(one), None)
            continue
        if after is not job:
            job = followed(job, after)
            done.append(one)
    return job, done


def _worse(before: Sequence[Finding], after: Sequence[Finding], mended_: Sequence[Finding]) -> bool:
    """Return whether faults are still where they were, or there are more that stop the cut."""
    if not mended_:
        return False  # nothing was changed
    there = {(one.code, *_cell(one)) for one in after}
    if any((one.code, *_cell(one)) in there for one in mended_):
        return True
    stops = [sum(one.severity == "stop" for one in found) for found in (before, after)]
    codes = {one.code for one in mended_}
    kinds = [sum(one.code in codes for one in found) for found in (before, after)]
    return stops[1] > stops[0] or kinds[1] >= kinds[0]


def _cell(one: Finding) -> tuple[int, int]:
    return round(one.place[0] / _PLACE), round(one.place[1] / _PLACE)


def _words(one: Finding) -> str:
    return f"{_named(one)}: {_HARM}"


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

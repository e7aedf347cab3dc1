"""All that can be found wrong with a job. A new kind is a finder in its module, and a line there.

A new room of finders is a module with `FINDERS`, and a name in the list below.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from silhueta.core.inspection import (
    corners,
    falls,
    job_faults,
    outline_faults,
    sheet_faults,
    size_faults,
    thin,
    tidied,
)
from silhueta.core.inspection.finding import NONE, Finder, Finding, Scene
from silhueta.core.inspection.limits import Limits, limits_of
from silhueta.core.inspection.waving import Inspected, parted
from silhueta.core.job import Job
from silhueta.core.work import Work

FINDERS: tuple[Finder, ...] = (
    *outline_faults.FINDERS,
    *tidied.FINDERS,
    *job_faults.FINDERS,
    *size_faults.FINDERS,
    *falls.FINDERS,
    *thin.FINDERS,
    *corners.FINDERS,
    *sheet_faults.FINDERS,
)
TITLES = {finder.code: finder.title for finder in FINDERS}
HEADS = {finder.code: finder.one for finder in FINDERS}
_GRAVITY = {"stop": 0, "hurt": 1, "look": 2}


def findings(
    job: Job,
    limits: Limits = NONE,
    work: Work | None = None,
    left_out: Mapping[str, int] = MappingProxyType({}),
) -> list[Finding]:
    """Return all that would go wrong with a job, what stops the cut first.

    Without a process, sheet and the like in `limits`, only what is wrong with the outline itself.
    `left_out`: how much of the file that it came from is no outline, by kind.
    """
    scene, work = Scene(job, limits, left_out), work or Work()
    order = {code: number for number, code in enumerate(TITLES)}
    found: list[Finding] = []
    with work.stage("inspect"):
        for number, finder in enumerate(FINDERS):
            work.step(number / len(FINDERS))
            found += finder.find(scene)
    return sorted(found, key=lambda one: (_GRAVITY[one.severity], order[one.code]))


def inspected(job: Job, work: Work | None = None) -> Inspected:
    """Return what would go wrong with a job as it is set to be held, and what was waved through."""
    return parted(job, findings(job, limits_of(job), work))


def finding_report(found: Finding) -> dict[str, object]:
    """Return a finding under the names that reports use; JSON types only."""
    return {
        "code": found.code,
        "severity": found.severity,
        "at_mm": [round(v, 6) for v in found.place],
        "value": found.measured,
        "limit": found.limit,
        "text": found.text,
        "remedies": [remedy.text for remedy in found.remedies],
    }

"""The measured plane of a job, worked out once for the same datums, optics and picture.

With its spread it takes up to half a second, and is asked for by the trace, the worksheet and the
readout alike.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import replace

from silhueta.core.datum.fixing import leaves_lean
from silhueta.core.datum.solve import Facts, Solution, solve
from silhueta.core.errors import ScaleError
from silhueta.core.job import Job

_KEPT = 24  # answers: as many steps of undo are quick
_lock = threading.Lock()
_answers: OrderedDict[tuple[object, ...], Solution | ScaleError] = OrderedDict()


def known(job: Job, facts: Facts) -> Solution | ScaleError | None:
    """Return the plane, or what is wrong with the datums, where that was worked out before."""
    with _lock:
        return _answers.get(_asked(job, facts))


def solved(job: Job, facts: Facts) -> Solution:
    """Return the measured plane of a job, from all its datums; see :func:`solve`.

    Raises
    ------
    ScaleError
        As :func:`solve` does.

    """
    answer = known(job, facts)
    if answer is None:
        try:
            answer = solve(job, facts)
        except ScaleError as error:
            answer = ScaleError(str(error))
        with _lock:
            _answers[_asked(job, facts)] = answer
            while len(_answers) > _KEPT:
                _answers.popitem(last=False)
    if isinstance(answer, ScaleError):
        raise ScaleError(str(answer))
    return answer


def _asked(job: Job, facts: Facts) -> tuple[object, ...]:
    """Return all that the answer depends on."""
    told = replace(facts, lean=job.lean if leaves_lean(job) else None)
    return job.datums, job.optics, told, job.trace.read == "part"

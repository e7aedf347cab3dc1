"""Islands of a job tied, and ties moved along by hand afterwards."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from silhueta.core.build.bridges import Bridged, Tie, bridged, slid, tied_at, with_ties
from silhueta.core.build.edits import exchanged, loops_of
from silhueta.core.errors import EditError
from silhueta.core.job import Job


class Tied(NamedTuple):
    """A job with ties, and what it takes to move one of them.

    job, before : Job
        With the ties, and without.
    ties : tuple of Tie
    left : int
        Islands that no tie of that width can hold.
    """

    job: Job
    before: Job
    ties: tuple[Tie, ...]
    left: int = 0


def tie(job: Job, width: float, count: int, earlier: Tied | None = None) -> Tied:
    """Return the job with its islands tied.

    Parameters
    ----------
    job : Job
    width : float, mm
    count : int
        Ties an island.
    earlier : Tied or None
        What `job` came of, if ties were all that was done: those stay movable too.

    Raises
    ------
    EditError
        If there is no island, or width or count cannot be.

    """
    done = bridged(loops_of(job), width, count)
    if not done.ties and not done.left:
        raise EditError("there is no island: nothing would fall out")
    return _after(job, done, earlier)


def tie_at(
    job: Job, at: tuple[float, float], width: float, count: int, earlier: Tied | None = None
) -> Tied:
    """Return the job with the island nearest to a place, mm, tied there; else as `tie`."""
    return _after(job, tied_at(loops_of(job), at, width, count), earlier)


def move_tie(tied: Tied, which: int, at: tuple[float, float]) -> Tied:
    """Return the job with one of its ties moved along its island, as near to a place as it stands.

    Raises
    ------
    EditError
        If it finds no footing.

    """
    loops = loops_of(tied.before)
    new = slid(loops, tied.ties, which, at)
    ties = (*tied.ties[:which], new, *tied.ties[which + 1 :])
    job = exchanged(tied.before, (), with_ties(loops, ties))
    return tied._replace(job=replace(tied.job, outline=job.outline), ties=ties)


def _after(job: Job, done: Bridged, earlier: Tied | None) -> Tied:
    before, ties = job, tuple(done.ties)
    if earlier is not None and earlier.job.outline is job.outline:
        before, ties = earlier.before, (*earlier.ties, *ties)
    return Tied(exchanged(job, (), done.loops), before, ties, len(done.left))

"""What a window holds of its job, and what it tells its journal: light, as the window loads it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path as File
from typing import Literal, NamedTuple

from silhueta.core.job import Job

LONGEST = 500  # versions of a history that are kept, in the window and in its journal
What = Literal["began", "step", "amended", "went", "marked", "dropped", "saved"]


class Told(NamedTuple):
    """What became of the job.

    what : str
        "step": an edit; "amended": what was worked out was put into the job; "went": to another
        version of the history; "marked", "dropped": a mark; "saved": the file has it now.
    job : Job
        The present one; of a mark that which it keeps.
    label : str
        Of a step, or the mark.
    merged : bool
        Whether a step took the place of the version before it.
    version : int
        Which one is present, from 0.
    dirty : bool
        Whether there is something that is not saved.
    file : str
        Where the job was saved or opened; "": nowhere.
    """

    what: What
    job: Job
    label: str = ""
    merged: bool = False
    version: int = 0
    dirty: bool = False
    file: str = ""


class Version(NamedTuple):
    """A job in the history, and the step that led to it."""

    label: str
    job: Job


@dataclass(frozen=True, eq=False)
class History:
    """What a window holds: its versions, the present one, marks, and where it was saved.

    Parameters
    ----------
    versions : tuple of Version
        The oldest first.
    index : int
        Of the present one.
    marks : mapping of str to Job
    file : Path or None
    dirty : bool
        Whether there is something that is not saved.

    """

    versions: tuple[Version, ...]
    index: int
    marks: Mapping[str, Job]
    file: File | None = None
    dirty: bool = True

    @property
    def job(self) -> Job:
        """The present job."""
        return self.versions[self.index].job

    def shortened(self, count: int) -> History:
        """Return the same with so many versions up to the present one, and none after it."""
        first = max(0, self.index + 1 - count)
        kept = self.versions[first : self.index + 1]
        return History(kept, len(kept) - 1, self.marks, self.file, self.dirty)


def whole(history: History) -> list[Told]:
    """Return what to tell a new journal, so that it holds all of a history."""
    file = "" if history.file is None else str(history.file)
    first, *others = history.versions
    found = [Told("began", first.job, first.label, file=file)]
    found += [Told("step", one.job, one.label, version=k) for k, one in enumerate(others, 1)]
    found += [Told("marked", job, name) for name, job in history.marks.items()]
    return [*found, Told("went", history.job, "", False, history.index, history.dirty, file)]


def gathered(told: Sequence[Told]) -> list[Told]:
    """Return the same with steps left out that others took the place of at once.

    A drag is a step sixty times a second; on disk the last of those that wait is enough.
    """
    found: list[Told] = []
    for one in told:
        before = found[-1] if found else None
        if before is not None and before.what == "step":
            if one.what == "step" and one.merged:
                found[-1] = one._replace(merged=before.merged)
                continue
            if one.what == "amended":
                found[-1] = one._replace(what="step", label=before.label, merged=before.merged)
                continue
        found.append(one)
    return found

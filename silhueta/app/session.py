"""The one changing thing: which job is current, and how to step back.

Words used here
    version   one job in the history, with the label of the step that led to it
    amend     put what was worked out from the current job (its outline) into it, as no step of
              its own: undo goes back to the job before, which has its own outline
    mark      a job kept under a name, beside the history
    merge     steps of one drag share a key and make one step
    change    what was done, for a journal; that a job is to be shown anew is another signal
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path as File
from typing import NamedTuple

from PySide6.QtCore import QObject, Signal

from silhueta.core.job import Job, words_followed
from silhueta.core.keep.history import LONGEST, History, Version, What
from silhueta.core.units import Unit

Edit = Callable[[Job], Job]


class Change(NamedTuple):
    """What became of the session, for whoever keeps a record of it.

    what : {"began", "step", "amended", "went", "marked", "dropped", "saved"}
        "step": an edit; "amended": what was worked out was put into the job; "went": to another
        version of the history; "marked", "dropped": a mark.
    label : str
        Of a step, or the mark.
    merged : bool
        Whether the step took the place of the version before it.
    before, after : Job
        The current job; both the same where only a mark or the file changed.
    """

    what: What
    label: str
    before: Job
    after: Job
    merged: bool = False


@dataclass(frozen=True, eq=False)
class _Version:
    label: str
    job: Job
    key: str = ""


class Session(QObject):
    """Hold the current job; every change goes through :meth:`apply`."""

    job_changed = Signal(object)  # Job: something is to be shown anew
    changed = Signal(object)  # Change: what was done, once each, in order
    units_changed = Signal(str)

    def __init__(self, job: Job | None = None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._versions = [_Version("", job or Job())]
        self._at = 0
        self._saved: Job = self.job
        self.file: File | None = None
        self.number = 0  # of the jobs that were begun
        self.units: Unit = "mm"
        self.marks: dict[str, Job] = {}
        self._unsaved_mark = False

    @property
    def job(self) -> Job:
        """The current job."""
        return self._versions[self._at].job

    @property
    def dirty(self) -> bool:
        """Whether something changed since the job was opened or saved."""
        return self.job is not self._saved or self._unsaved_mark

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self._versions[self._at].label if self._at > 0 else None

    @property
    def redo_label(self) -> str | None:
        """What redo would bring back, or None."""
        return self._versions[self._at + 1].label if self._at + 1 < len(self._versions) else None

    @property
    def history(self) -> list[str]:
        """The label of each version kept, the oldest first; the first has none."""
        return [version.label for version in self._versions]

    @property
    def at(self) -> int:
        """Which of the history is the current job."""
        return self._at

    def jump(self, at: int) -> None:
        """Go to a version of the history."""
        if at != self._at:
            self._go(at)

    def mark(self, name: str) -> None:
        """Keep the current job under a name, whatever becomes of the history."""
        self.marks[name] = self.job
        self._unsaved_mark = True
        self._tell("marked", name, self.job)

    def go_to_mark(self, name: str) -> None:
        """Bring a marked job back, as a step of its own."""
        job = self.marks[name]
        self.apply(f"Back to “{name}”", lambda _: job)

    def drop_mark(self, name: str) -> None:
        """Forget a mark."""
        self.marks.pop(name, None)
        self._unsaved_mark = True
        self._tell("dropped", name, self.job)

    def apply(self, label: str, edit: Edit, merge: str = "") -> None:
        """Run `edit` as one step named `label`; a no-change adds none.

        Steps with the same `merge` key, one right after the other, become one. Raises whatever
        `edit` raises, with the current job left as it was.
        """
        before = self.job
        after = edit(before)
        if after is before:
            return
        if after.calipers or after.zero or after.relations:
            from silhueta.core.truing.refs import followed  # arrays: the window opens without them

            after = followed(before, after)
        if after.words:
            after = words_followed(before, after)
        del self._versions[self._at + 1 :]
        merged = bool(merge) and self._versions[self._at].key == merge and self._at > 0
        if merged:
            self._versions[self._at] = _Version(label, after, merge)
        else:
            self._versions.append(_Version(label, after, merge))
            self._versions = self._versions[-LONGEST:]
            self._at = len(self._versions) - 1
        self._tell("step", label, before, merged)

    def end_merge(self) -> None:
        """End a run of merged steps: the next one with the same key is a step of its own."""
        version = self._versions[self._at]
        self._versions[self._at] = replace(version, key="")

    def amend(self, edit: Edit) -> None:
        """Put what was worked out into the current job, as no step of its own."""
        version = self._versions[self._at]
        after = edit(version.job)
        if after is version.job:
            return
        if after.calipers or after.zero or after.relations:
            from silhueta.core.truing.refs import followed_trace

            after = followed_trace(version.job, after)
        if version.job is self._saved:
            self._saved = after
        self._versions[self._at] = replace(version, job=after)
        self._tell("amended", version.label, version.job)

    def undo(self) -> None:
        """Go back one step, if there is one."""
        self._go(self._at - 1)

    def redo(self) -> None:
        """Go forward one step, if there is one."""
        self._go(self._at + 1)

    def _go(self, at: int) -> None:
        if 0 <= at < len(self._versions):
            before, self._at = self.job, at
            self.end_merge()  # what is come back to is not drawn on
            self._tell("went", self._versions[at].label, before)

    def start(self, job: Job, file: File | None = None) -> None:
        """Begin anew with `job`, which counts as saved."""
        before = self.job
        self._versions, self._at = [_Version("", job)], 0
        self.number += 1
        self.marks, self._unsaved_mark = {}, False
        self._saved, self.file = job, file
        self._tell("began", "", before)

    @property
    def held(self) -> History:
        """All that there is: versions, marks, and where the job was saved."""
        versions = tuple(Version(one.label, one.job) for one in self._versions)
        return History(versions, self._at, dict(self.marks), self.file, self.dirty)

    def bring_back(self, history: History) -> None:
        """Begin anew with all that a journal gave back."""
        before = self.job
        self._versions = [_Version(one.label, one.job) for one in history.versions]
        self._at, self.file = history.index, history.file
        self.number += 1
        self.marks, self._unsaved_mark = dict(history.marks), history.dirty
        self._saved = self.job
        self._tell("began", "", before)

    def mark_saved(self, job: Job, file: File | None) -> None:
        """Note that `job`, with its marks, is what `file` holds."""
        self._saved, self.file, self._unsaved_mark = job, file, False
        self.end_merge()  # what was saved stays in the history
        self._tell("saved", "", self.job)

    def _tell(self, what: What, label: str, before: Job, merged: bool = False) -> None:
        self.changed.emit(Change(what, label, before, self.job, merged))
        self.job_changed.emit(self.job)

    def set_units(self, units: Unit) -> None:
        """Show lengths in `units`; the job does not change."""
        if units != self.units:
            self.units = units
            self.units_changed.emit(units)
            self.job_changed.emit(self.job)

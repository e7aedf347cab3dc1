"""The rehearsal of the present job's cut file, or of another file, run beside the interface."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING, Literal, NamedTuple
from weakref import WeakKeyDictionary

from PySide6.QtCore import QObject, Signal

from silhueta.app.planning import plan_of
from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.app.writes import LiesOn
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.rehearsal.course import Carving
    from silhueta.core.rehearsal.of_job import Rehearsal
    from silhueta.core.work import Work


# what the rehearsal of a job's own file came to, in a word or two, and how many events
_told: WeakKeyDictionary[Job, tuple[str, int]] = WeakKeyDictionary()


def rehearsed(job: Job) -> tuple[str, int]:
    """Return what a job's rehearsal came to, for the Traveller; "" where there was none."""
    return _told.get(job, ("", 0))


class Shown(NamedTuple):
    """A rehearsal, and what its bits leave, where they sink."""

    rehearsal: Rehearsal
    carving: Carving | None


class _Asked(NamedTuple):
    """What is rehearsed: of which job, which files as they lie there, how they are taken."""

    job: Job
    files: tuple[tuple[File, int, int], ...]  # with size and time of the last change
    other: bool
    units: Literal["mm", "in"] | None
    against: bool


class Rehearsing(QObject):
    """Rehearses what is asked for; what came of it is asked of `shown`."""

    changed = Signal()

    def __init__(
        self, session: Session, lies_on: Callable[[], LiesOn], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._lies_on = session, lies_on
        self.bench = Bench(self)
        self.bench.done.connect(self._take)
        self.bench.failed.connect(self._fail)
        self.other: File | None = None  # a file that a person chose, in place of the job's own
        self.units: Literal["mm", "in"] | None = None  # what it is taken as
        self.against = True  # whether another file is held against the part
        self._saved: tuple[Job, tuple[File, ...]] | None = None
        self._asked: _Asked | None = None
        self._have: tuple[_Asked, Shown | str] | None = None

    @property
    def job(self) -> Job:
        """The present job."""
        return self._session.job

    def keep_saved(self, job: Job, files: Sequence[File]) -> None:
        """Take note of where a job's cut file was saved: from now on that one is run."""
        self._saved = (job, tuple(files))

    def choose(self, file: File | None) -> None:
        """Rehearse another file, or (None) the job's own again."""
        self.other, self.units = file, None
        self.changed.emit()

    def take_as(self, units: Literal["mm", "in"]) -> None:
        """Say what the numbers of a file are that does not tell."""
        self.units = units
        self.changed.emit()

    def hold_against(self, part: bool) -> None:
        """Hold another file against the part, or against nothing."""
        self.against = part
        self.changed.emit()

    def shown(self, job: Job) -> Shown | str | None:
        """Return what a job's rehearsal came to, why there is none, or None: not yet."""
        if self._have is None or self._have[0] != self._wanted(job):
            return None
        return self._have[1]

    def ask(self, job: Job) -> None:
        """Have it rehearsed, unless it is already, or is being."""
        wanted = self._wanted(job)
        if self._have is not None and self._have[0] == wanted:
            return
        if wanted == self._asked and self.bench.busy:
            return
        self._asked = wanted
        made, on = plan_of(job), self._lies_on()
        plan = None if made is None else made.plan

        def run(work: Work) -> Shown:
            from silhueta.core.rehearsal.course import Carving, box_of
            from silhueta.core.rehearsal.of_job import rehearsed_file, rehearsed_job

            if wanted.other:
                held = (job, plan) if wanted.against and job.outline.taken else None
                found = rehearsed_file(wanted.files[0][0], wanted.units, held, work)
            else:
                saved = [file for file, _, _ in wanted.files]
                found = rehearsed_job(job, plan, on.frame, saved, work)
            course = found.course
            if course is None or course.scene.flat:
                return Shown(found, None)
            bench = course.scene.bench
            widest = max([bench.width, *(tool.diameter_mm for tool in bench.tools.values())])
            carving = Carving(course, bench.sheet or box_of(course.scene, 2 * widest))
            carving.at(course.seconds)  # so that going anywhere is quick
            return Shown(found, carving)

        self.bench.ask("Rehearsing", run, wanted)

    def _wanted(self, job: Job) -> _Asked:
        files: tuple[File, ...] = ()
        if self.other is not None:
            files = (self.other,)
        elif self._saved is not None and _same(self._saved[0], job):
            files = self._saved[1]
        stamped = tuple((file, *_stamp(file)) for file in files)
        if self.other is None and any(size < 0 for _, size, _ in stamped):
            stamped = ()  # it is gone: what would be saved is run
        other = self.other is not None
        return _Asked(job, stamped, other, self.units, self.against)

    def _take(self, found: Shown, asked: _Asked) -> None:
        self._have = (asked, found)
        course = found.rehearsal.course
        if not asked.other and course is not None:
            count = len(course.done.events)
            words = counted(count, "event") if count else "no event"
            _told[asked.job] = (f"rehearsed, {words}", count)
        self.changed.emit()

    def _fail(self, text: str) -> None:
        assert self._asked is not None
        self._have = (self._asked, text)
        self.changed.emit()


def _same(one: Job, other: Job) -> bool:
    """Return whether two jobs have the same cut file."""
    return (
        one.outline is other.outline
        and one.plan == other.plan
        and one.cut_file == other.cut_file
        and one.inspect == other.inspect
    )


def _stamp(file: File) -> tuple[int, int]:
    """Return a file's size and the time of its last change; -1 where there is none."""
    try:
        found = file.stat()
    except OSError:
        return -1, -1
    return found.st_size, found.st_mtime_ns

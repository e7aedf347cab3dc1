"""How the present job is cut, planned beside the interface while it is looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, Signal

from silhueta.app.inspecting import can_look
from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.core.job import Job
from silhueta.core.remembered import Remembered

if TYPE_CHECKING:
    from silhueta.core.cutting.plan import Plan
    from silhueta.core.cutting.timing import Times
    from silhueta.core.files.program_show import ProgramShown
    from silhueta.core.work import Work


class Planned(NamedTuple):
    """A job's plan, and how long it takes."""

    plan: Plan
    times: Times


def _planned(job: Job, work: Work | None = None) -> Planned:
    from silhueta.core.cutting.planned import planned  # arrays: the window opens without
    from silhueta.core.cutting.program import motions
    from silhueta.core.cutting.timing import times

    plan = planned(job, work)
    return Planned(plan, times(motions(plan), plan.machine))


def _program(job: Job) -> ProgramShown | str:
    from silhueta.core.errors import SilhuetaError
    from silhueta.core.files.program_show import program_shown

    try:
        return program_shown(job, _known(job).plan)
    except SilhuetaError as error:
        return str(error)


_known: Remembered[Job, Planned] = Remembered(_planned)


_programs: Remembered[Job, ProgramShown | str] = Remembered(_program)


def program_of(job: Job) -> ProgramShown | str | None:
    """Return a job's program, or why there can be none, where that has been worked out."""
    return _programs.known(job)


def plan_of(job: Job) -> Planned | None:
    """Return a job's plan, where it has been made."""
    return _known.known(job)


def planned_of(job: Job) -> Planned:
    """Return a job's plan, made now where it has not been; to be asked beside the interface."""
    return _known(job)


def can_plan(job: Job) -> bool:
    """Return whether there is something to plan, and the process is chosen."""
    return can_look(job) and bool(job.outline.taken) and job.inspect.process is not None


class Planning(QObject):
    """Plans the job that is asked for; what came of it is asked of `plan_of`."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._failed: tuple[Job, str] | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._take)
        self.bench.failed.connect(self._fail)
        self._asked: Job | None = None
        self.writing = Bench(self)
        self.writing.done.connect(self._take_program)

    def ask(self, job: Job) -> None:
        """Have a job planned, unless it is already, or is being planned."""
        if plan_of(job) is not None or not can_plan(job):
            return
        if (job is self._asked and self.bench.busy) or self.failure(job):
            return
        self._asked = job
        self.bench.ask("Planning", lambda work: _planned(job, work), job)

    def ask_program(self, job: Job) -> None:
        """Have the program of a job's plan written out, to be looked at, unless it is already."""
        if plan_of(job) is not None and program_of(job) is None and not self.writing.busy:
            self.writing.ask("Writing the program", lambda _: _program(job), job)

    def _take_program(self, found: ProgramShown | str, job: Job) -> None:
        _programs.keep([(job, found)])
        self.changed.emit()

    def failure(self, job: Job) -> str:
        """Return why a job could not be planned, or ""."""
        return self._failed[1] if self._failed is not None and self._failed[0] is job else ""

    def _take(self, found: Planned, job: Job) -> None:
        _known.keep([(job, found)])
        self.changed.emit()

    def _fail(self, text: str) -> None:
        assert self._asked is not None
        self._failed = (self._asked, text)
        self.changed.emit()

    def close(self) -> None:
        """End what is under way."""
        self.bench.close()
        self.writing.close()


def clock(seconds: float) -> str:
    """Return a time as people read it: 0:40, 1:05:00."""
    whole = round(seconds)
    hours, rest = divmod(whole, 3600)
    minutes, left = divmod(rest, 60)
    return f"{hours}:{minutes:02d}:{left:02d}" if hours else f"{minutes}:{left:02d}"

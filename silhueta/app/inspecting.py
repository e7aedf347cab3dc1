"""What would go wrong with the present job, looked for beside the interface after every change."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.core.datum.fixing import true_size
from silhueta.core.job import Job, is_stale
from silhueta.core.remembered import Remembered

if TYPE_CHECKING:
    from silhueta.core.inspection.waving import Inspected
    from silhueta.core.work import Work

_STILL = 80  # ms without a change, after which it is looked: nobody drags a slider slower


def _inspected(job: Job, work: Work | None = None) -> Inspected:
    from silhueta.core.inspection.registry import inspected  # arrays: the window opens without

    return inspected(job, work)


_known: Remembered[Job, Inspected] = Remembered(_inspected)


def found_in(job: Job) -> Inspected | None:
    """Return what was found in a job, where that has been looked for."""
    return _known.known(job)


def can_look(job: Job) -> bool:
    """Return whether there is an outline at its true size to look at."""
    return bool(job.outline.contours) and true_size(job) and not is_stale(job)


class Inspecting(QObject):
    """Looks at the job whenever it has come to rest; what was found is asked of `found_in`."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.failure = ""  # why the present job could not be looked at
        self.bench = Bench(self)
        self.bench.done.connect(self._take)
        self.bench.failed.connect(self._fail)
        self._rest = QTimer(self, singleShot=True, interval=_STILL)
        self._rest.timeout.connect(self._look)
        session.job_changed.connect(self._wait)

    def _wait(self, job: Job) -> None:
        if self.failure:
            self.failure = ""
        if found_in(job) is not None or not can_look(job):
            self.bench.stop()
            self._rest.stop()
        else:
            self._rest.start()

    def _look(self) -> None:
        job = self._session.job
        if found_in(job) is None and can_look(job):
            self.bench.ask("Inspecting", lambda work: _inspected(job, work), job)

    def _take(self, found: Inspected, job: Job) -> None:
        _known.keep([(job, found)])
        self.changed.emit()

    def _fail(self, text: str) -> None:
        self.failure = text
        self.changed.emit()

    def close(self) -> None:
        """End what is under way, and begin nothing more."""
        self._rest.stop()
        self.bench.close()

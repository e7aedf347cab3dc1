"""Keeps the outline in step with the job: traces anew beside the interface when it is stale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.core.job import Job, is_stale, set_outline
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.core.picture.decode import Picture


class Tracing(QObject):
    """Listens to the session; puts each finished trace into the job it was asked for."""

    changed = Signal()  # busy or failed or neither

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.bench = Bench(self)
        self.picture: Picture | None = None
        self.counts = [0] * 256
        self.failure = ""
        self._asked: Job | None = None
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(self._on_failed)
        self.bench.ended.connect(self.changed)
        session.job_changed.connect(self._refresh)

    def set_picture(self, picture: Picture | None) -> None:
        """Take the decoded picture of the job that follows."""
        self.bench.stop()
        self.picture, self.failure, self._asked = picture, "", None
        self.counts = [0] * 256
        if picture is not None:
            from silhueta.core.trace.threshold import histogram

            self.counts = histogram(picture.grey).tolist()

    def _refresh(self, job: Job) -> None:
        picture = self.picture
        if picture is None or not is_stale(job):
            if self.bench.busy:
                self.bench.stop()
            if picture is not None and self.failure:
                self.failure = ""
                self.changed.emit()
            return
        if self._asked is not None and _same_inputs(job, self._asked):
            return  # under way, or failed already
        self._asked, self.failure = job, ""
        self.bench.ask("Tracing", lambda work: _traced(job, picture, work), job)
        self.changed.emit()

    def _on_done(self, result: Job, asked: Job) -> None:
        stamp = result.traced
        if stamp is not None and _same_inputs(self._session.job, asked):
            self._session.amend(lambda job: set_outline(job, result.outline, stamp))
        self._asked = None

    def _on_failed(self, text: str) -> None:
        self.failure = text
        self.changed.emit()


def _traced(job: Job, picture: Picture, work: Work) -> Job:
    from silhueta.core.trace.job_trace import trace_job  # brings the compiler along

    return trace_job(job, picture, work)[0]


def _same_inputs(one: Job, two: Job) -> bool:
    return one.picture is two.picture and (one.datums, one.optics, one.clean, one.trace) == (
        two.datums,
        two.optics,
        two.clean,
        two.trace,
    )

"""Edits that may take long: made beside the interface one after the other, a step each.

An edit that is done at once becomes a step at once, so that a click on something small is answered
before the next one can come.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Any, NamedTuple

from PySide6.QtCore import QObject

from silhueta.app.session import Change, Session
from silhueta.app.work import Bench
from silhueta.core.job import Job
from silhueta.core.work import Work

_AT_ONCE = 0.03  # s that the interface waits for an edit: a pause that nobody sees


class _Order(NamedTuple):
    label: str | Callable[[Any], str]
    edit: Callable[[Job, Work], Any]
    before: Callable[[Any], None]
    done: Callable[[Any], None]
    failed: Callable[[Exception | str], None]


def _nothing(_: object) -> None:
    """Do nothing with it."""


class EditQueue(QObject):
    """Make edits on the job as it is when their turn comes; each is done, fails or is stopped.

    Where another edit, or a trace, came in between, the edit is made again from what that left.
    """

    def __init__(
        self,
        session: Session,
        words: str,
        parent: QObject | None = None,
        job_of: Callable[[Any], Job] = lambda made: made,
    ) -> None:
        """Call what is under way `words`; `job_of` takes the job out of what an edit gives."""
        super().__init__(parent)
        self._session, self._words, self._job_of = session, words, job_of
        self._orders: deque[_Order] = deque()  # the first is under way
        self._settled = False  # whether what has ended was done, or failed
        self.bench = Bench(self)
        self.bench.done.connect(self._take_done)
        self.bench.failed.connect(self._fail)
        self.bench.ended.connect(self._go_on)
        session.changed.connect(self._forget)

    def do(
        self,
        label: str | Callable[[Any], str],
        edit: Callable[[Job, Work], Any],
        before: Callable[[Any], None] = _nothing,
        done: Callable[[Any], None] = _nothing,
        failed: Callable[[Exception | str], None] = _nothing,
    ) -> None:
        """Make an edit once all that were asked for before are made.

        Parameters
        ----------
        label : str or callable
            What the step is called, or how to tell that from what the edit gives.
        edit : callable
            Of a job, and a Work that tells how far it is; called in another thread.
        before, done : callable
            Told what the edit gave, right before it becomes a step, and right after.
        failed : callable
            Told the error of the core, or in words what else went wrong.

        """
        self._orders.append(_Order(label, edit, before, done, failed))
        if len(self._orders) == 1:
            self._begin()

    def _begin(self) -> None:
        job, edit = self._session.job, self._orders[0].edit
        self.bench.ask(self._words, lambda work: edit(job, work), job, _AT_ONCE)

    def _forget(self, change: Change) -> None:
        """Stop where another job is opened: an edit was meant for the one that is gone."""
        if change.what == "began":
            self.bench.stop()

    def _take_done(self, made: Any, asked: Any) -> None:
        self._settled = True
        if self._session.job is not asked:
            return  # it is made again
        order = self._orders.popleft()
        order.before(made)
        label = order.label if isinstance(order.label, str) else order.label(made)
        self._session.apply(label, lambda _: self._job_of(made))
        order.done(made)

    def _fail(self, text: str) -> None:
        self._settled = True
        if self._orders:
            self._orders.popleft().failed(self.bench.error or text)

    def _go_on(self) -> None:
        """Go on with the next edit; where one was stopped, forget those that wait."""
        if not self._settled:
            self._orders.clear()
        self._settled = False
        if self._orders:
            self._begin()

"""The core's work beside the interface: of previews the newest wins, saving must finish."""

from __future__ import annotations

import logging
import threading
from collections import deque
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QCoreApplication, QObject, Qt, Signal

from silhueta.core.errors import SilhuetaError, StoppedError
from silhueta.core.work import Work

log = logging.getLogger(__name__)


class Bench(QObject):
    """Run functions of a Work in a thread; a new request stops the one before it.

    Results come back on the interface's thread, and only those of the newest request.
    """

    began = Signal(str)
    progressed = Signal(str, float)
    done = Signal(object, object)  # result, what was asked for
    failed = Signal(str)
    ended = Signal()
    _reported = Signal(int, str, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._number = 0
        self._work: Work | None = None
        self._threads: list[threading.Thread] = []
        self._asked: Any = None
        self.error: SilhuetaError | None = None  # of the last request that failed
        self._reported.connect(self._on_report, Qt.ConnectionType.QueuedConnection)

    @property
    def busy(self) -> bool:
        """Whether a request is under way."""
        return self._work is not None

    def ask(
        self,
        label: str,
        function: Callable[[Work], Any],
        asked: Any = None,
        at_once: float = 0.0,
    ) -> None:
        """Run `function` with a Work in a thread; `asked` comes back with its result.

        What is done within `at_once` seconds is told before this returns.
        """
        if self._work is not None:
            self._work.stop()
        self._number += 1
        number = self._number
        work = Work(lambda stage, share: self._reported.emit(number, "step", (stage, share)))
        self._work, self._asked, self.error = work, asked, None

        def run() -> None:
            try:
                result = function(work)
            except StoppedError:
                self._reported.emit(number, "stopped", None)
            except SilhuetaError as error:
                self._reported.emit(number, "failed", error)
            except MemoryError:
                self._reported.emit(number, "failed", "the memory ran out; open a smaller picture")
            except Exception as error:
                log.exception("a fault in the core")
                text = f"a fault in Silhueta ({type(error).__name__}); the log says more"
                self._reported.emit(number, "failed", text)
            else:
                self._reported.emit(number, "done", result)

        thread = threading.Thread(target=run, name=f"bench-{number}", daemon=True)
        self._threads = [t for t in self._threads if t.is_alive()] + [thread]
        self.began.emit(label)
        thread.start()
        if at_once:
            thread.join(at_once)
            if not thread.is_alive():
                QCoreApplication.sendPostedEvents(self)

    def stop(self) -> None:
        """Stop what is under way, and forget its result."""
        if self._work is not None:
            self._work.stop()
            self._number += 1
            self._work = None
            self.ended.emit()

    def close(self, seconds: float = 10.0) -> None:
        """Stop, and wait for the threads to end."""
        self.stop()
        for thread in self._threads:
            thread.join(seconds)

    def _on_report(self, number: int, what: str, value: Any) -> None:
        if number != self._number or self._work is None:
            return
        if what == "step":
            self.progressed.emit(*value)
            return
        self._work = None
        if what == "done":
            self.done.emit(value, self._asked)
        elif what == "failed":
            self.error = value if isinstance(value, SilhuetaError) else None
            self.failed.emit(str(value))
        self.ended.emit()


class Queue(Bench):
    """Run one request after the other: each is done, fails, or is stopped with all that wait."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: deque[tuple[str, Callable[[Work], Any], Any]] = deque()
        self.ended.connect(self._begin)

    def ask(
        self,
        label: str,
        function: Callable[[Work], Any],
        asked: Any = None,
        at_once: float = 0.0,
    ) -> None:
        """Run `function` once all that was asked for before has ended."""
        del at_once  # a queue never waits
        self._waiting.append((label, function, asked))
        self._begin()

    def stop(self) -> None:
        """Stop what is under way, and forget what waits."""
        self._waiting.clear()
        super().stop()

    def close(self, seconds: float = 10.0) -> None:
        """Let what is under way finish, for so long: what is half written helps nobody."""
        self._waiting.clear()
        for thread in self._threads:
            thread.join(seconds)
        super().close(0.0)

    def _begin(self) -> None:
        if not self.busy and self._waiting:
            super().ask(*self._waiting.popleft())

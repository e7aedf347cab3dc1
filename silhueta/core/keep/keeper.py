"""Keeps a journal beside whoever works: steps are handed over at once, and written in a thread.

Words used here
    to gather   to wait a moment for steps that follow, as of a drag the last one is enough
    anew        in another file, with all that the window holds: after a disk was full, or where
                the old one has grown large
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from pathlib import Path as File
from typing import TYPE_CHECKING

from silhueta.core.errors import FileError
from silhueta.core.keep.history import History, Told, gathered, whole

if TYPE_CHECKING:
    from silhueta.core.keep.journal import Journal

log = logging.getLogger(__name__)

_GATHER = 0.2  # s: a step is on disk well within 3 s, and a drag is few entries
_AGAIN = 5.0  # s after a disk refused, until it is tried anew
_LARGE = 256_000_000  # bytes, from which a journal is begun anew
_SHORT = 50  # versions that are taken along then: larger outlines are seldom undone farther
_LAST = 10.0  # s that an end waits for the disk


class Keeper:
    """Hands what a window tells to its journal.

    Parameters
    ----------
    folder : Path
        Of journals.
    failed : callable of str
        Told in a thread of ours when steps cannot be kept, in words, and "" when they can again.

    """

    def __init__(self, folder: File, failed: Callable[[str], None]) -> None:
        self._folder, self._failed = folder, failed
        self._waiting: queue.SimpleQueue[Told | History | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._idle = threading.Event()
        self._idle.set()
        self._all = True  # whether everything is to be told next
        self._refused = -_AGAIN  # when a disk did
        self._wrong = False  # whether that was said
        self._journal: Journal | None = None
        self._old: list[Journal] = []  # that a disk refused to go on with; good up to there
        self._most = _LARGE
        self._keep = False

    @property
    def wants_all(self) -> bool:
        """Whether the next thing to be told is everything (a History)."""
        return self._all and time.monotonic() - self._refused >= _AGAIN

    @property
    def refused(self) -> bool:
        """Whether a disk refused the last steps, and has not taken everything since."""
        return self._wrong

    def tell(self, told: Told | History) -> None:
        """Hand over what became of the job; this returns at once."""
        self._idle.clear()
        if isinstance(told, History):
            self._all = False
        self._waiting.put(told)
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="keeper", daemon=True)
            self._thread.start()

    def wait(self, seconds: float = _LAST) -> bool:
        """Return whether all that was told is dealt with, waiting so long at most."""
        return self._idle.wait(seconds)

    def end(self, *, keep: bool = False) -> None:
        """End the journal; without `keep` it is deleted, as its job is saved or given up."""
        if self._thread is not None:
            self._keep = keep
            self._waiting.put(None)
            self._thread.join(_LAST)
            self._thread = None
        self._all = True
        self._idle.set()

    def _run(self) -> None:
        while True:
            told = [self._waiting.get()]
            if told[0] is not None:
                time.sleep(_GATHER)
            while not self._waiting.empty():
                told.append(self._waiting.get())
            ends = told[-1] is None
            try:
                self._write([one for one in told if one is not None])
            except FileError as error:
                self._refuse(str(error))
            except Exception:
                log.exception("a fault while steps were kept")
                self._refuse("steps cannot be kept; save the job often")
            if ends:
                self._close()
                return
            if self._waiting.empty():
                self._idle.set()

    def _write(self, told: list[Told | History]) -> None:
        from silhueta.core.keep.journal import Journal

        for k, one in reversed(list(enumerate(told))):
            if isinstance(one, History):
                large = self._journal is not None and self._journal.size > self._most
                fresh = Journal(self._folder)
                self._old += [] if self._journal is None else [self._journal]
                self._journal = fresh
                fresh.write(whole(one.shortened(_SHORT) if large else one))
                self._most = max(_LARGE, 4 * fresh.size)
                for old in self._old:
                    old.close(keep=False)
                self._old.clear()
                if self._wrong:
                    self._wrong = False
                    self._failed("")
                told = told[k + 1 :]
                break
        if self._journal is not None:
            self._journal.write(gathered([one for one in told if isinstance(one, Told)]))
            self._all = self._all or self._journal.size > self._most

    def _refuse(self, why: str) -> None:
        """Say that steps are not kept, and ask for everything anew after a while."""
        if self._journal is not None:
            self._old.append(self._journal)
            self._journal = None
        self._refused, self._all = time.monotonic(), True
        if not self._wrong:
            self._wrong = True
            self._failed(why)

    def _close(self) -> None:
        for journal in (*self._old, self._journal):
            if journal is not None:
                journal.close(keep=self._keep)
        self._old, self._journal = [], None

"""What every long computation takes along: a place to tell progress, and to be told to stop."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from silhueta.core.errors import StoppedError

Listener = Callable[[str, float], None]


class Work:
    """Progress and stop token of one computation; safe to share between threads.

    Parameters
    ----------
    listener : callable of (str, float), optional
        Called with the stage's name and the fraction done, 0 to 1.

    """

    def __init__(self, listener: Listener | None = None) -> None:
        self._listener = listener
        self._stop = threading.Event()
        self._stage = ""
        self.seconds: dict[str, float] = {}

    def stop(self) -> None:
        """Ask the computation to end at its next step."""
        self._stop.set()

    @property
    def stopped(self) -> bool:
        """Whether a stop was asked for."""
        return self._stop.is_set()

    def step(self, fraction: float) -> None:
        """Tell that `fraction` (0 to 1) of the present stage is done.

        Raises
        ------
        StoppedError
            If a stop was asked for.

        """
        if self._stop.is_set():
            raise StoppedError("stopped")
        if self._listener is not None:
            self._listener(self._stage, fraction)

    @contextmanager
    def stage(self, name: str) -> Iterator[None]:
        """Name and time a stage; its seconds are added up in :attr:`seconds`."""
        self._stage = name
        self.step(0.0)
        start = time.perf_counter()
        try:
            yield
        finally:
            spent = time.perf_counter() - start
            self.seconds[name] = self.seconds.get(name, 0.0) + spent

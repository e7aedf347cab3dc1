"""What was worked out for a value that never changes, kept while somebody holds the value."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import Generic, TypeVar
from weakref import WeakKeyDictionary

K = TypeVar("K")
V = TypeVar("V")


class Remembered(Generic[K, V]):
    """Results by the value that they were worked out for; safe to ask from several threads.

    Parameters
    ----------
    make : callable of K
        Two threads that ask at once may both call it; one result is kept.

    """

    def __init__(self, make: Callable[[K], V]) -> None:
        self._make = make
        self._held: WeakKeyDictionary[K, V] = WeakKeyDictionary()
        self._lock = threading.Lock()

    def __call__(self, value: K) -> V:
        """Return what belongs to `value`."""
        with self._lock:
            if value in self._held:
                return self._held[value]
        made = self._make(value)
        with self._lock:
            return self._held.setdefault(value, made)

    def known(self, value: K) -> V | None:
        """Return what belongs to `value` if it was worked out already, else None."""
        with self._lock:
            return self._held.get(value)

    def keep(self, values: Iterable[tuple[K, V]]) -> None:
        """Keep (value, result) that were worked out elsewhere, such as many of them at once."""
        with self._lock:
            for value, result in values:
                self._held.setdefault(value, result)

"""Job files that are open: who holds one, and whether it changed since it was read."""

from __future__ import annotations

import fcntl
from contextlib import suppress
from pathlib import Path as File
from typing import IO, NamedTuple


class Stamp(NamedTuple):
    """By what a file is known to be as it was: when it was written, and how long it is."""

    written_ns: int
    size: int


def stamp_of(file: File) -> Stamp | None:
    """Return a file's stamp; None where there is none, or it cannot be asked."""
    try:
        found = file.stat()
    except (OSError, ValueError):
        return None
    return Stamp(found.st_mtime_ns, found.st_size)


class Hold:
    """Holds one job file at a time, so that other windows know.

    Parameters
    ----------
    folder : Path or None
        Of locks, on this machine; None: nobody is told. The job's own folder gets none: it may be
        somebody else's, or one that cannot be written to.

    """

    def __init__(self, folder: File | None) -> None:
        self._folder = folder
        self._file: File | None = None
        self._stream: IO[bytes] | None = None
        self._lock: File | None = None

    def take(self, file: File | None) -> bool:
        """Hold a file in place of the one before; return False where another window holds it."""
        if file is not None and self._stream is not None and self._same(file):
            return True
        stream, lock = None, None
        if file is not None and self._folder is not None:
            lock = self._lock_of(file)
            try:
                self._folder.mkdir(parents=True, exist_ok=True)
                stream = lock.open("ab")
                fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                if stream is not None:
                    stream.close()
                return False
            except OSError:  # a disk without locks, or one that is full: nobody is told then
                stream = None
        self.release()
        self._file, self._stream, self._lock = file, stream, lock
        return True

    def others(self, file: File) -> bool:
        """Return whether another window holds a file."""
        if self._folder is None or (self._stream is not None and self._same(file)):
            return False
        try:
            with self._lock_of(file).open("rb") as stream:
                fcntl.flock(stream, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except BlockingIOError:
            return True
        except OSError:
            return False
        return False

    def release(self) -> None:
        """Hold nothing."""
        if self._stream is not None:
            if self._lock is not None:
                with suppress(OSError):
                    self._lock.unlink()
            self._stream.close()
        self._file, self._stream, self._lock = None, None, None

    def _same(self, file: File) -> bool:
        return self._file is not None and self._file.resolve() == file.resolve()

    def _lock_of(self, file: File) -> File:
        import hashlib  # it takes as long as all the rest of this: the window opens without it

        assert self._folder is not None
        name = hashlib.sha256(str(file.resolve()).encode(errors="surrogateescape")).hexdigest()
        return self._folder / f"{name[:32]}.lock"

"""The journal of one window: every step on disk as it is taken, so that nothing is lost.

A journal is a file that only grows: a line that says what it is, then frames (keep.frames). The
first frame says by which program it was written, the others are entries, and the pictures that an
entry needs stand before it. While its window lives it is locked; whose lock is gone, stopped.

Words used here
    entry     what became of the session: a step, a mark, a way through the history, a file saved
    kept up   on disk, as far as the window has told
"""

from __future__ import annotations

import fcntl
import os
import secrets
import time
from collections.abc import Iterator, Sequence
from pathlib import Path as File
from typing import IO, NamedTuple

import msgspec

from silhueta import __version__
from silhueta.core.errors import FileError, reason_of
from silhueta.core.files.atomic import sync_folder
from silhueta.core.files.job_record import DAMAGED, FORMAT
from silhueta.core.keep.delta import Delta, Hearing, Kept, State, Telling
from silhueta.core.keep.frames import frame, frames
from silhueta.core.keep.history import LONGEST, History, Told, Version, What

SUFFIX = ".journal"
KIND = 1  # of journals; a newer one is left alone
_MAGIC = b"silhueta journal\n"
_PICTURE, _ENTRY = b"P", b"E"


class _Head(msgspec.Struct):
    kind: int
    form: int
    program: str
    begun: float


class Entry(msgspec.Struct, omit_defaults=True):
    """What became of the session.

    Parameters
    ----------
    what : str
        "dropped" is of a mark; the others are as the session has them.
    at : float
        Seconds since 1970, by this machine's clock.
    label : str
        Of a step, or the mark.
    delta : Delta
        From the job of the entry before to the present one.
    merged : bool
        Whether it took the place of the version before it.
    version : int
        Which one is present, from 0.
    dirty : bool
        Whether there is something that is not saved.
    file : str
        Where it was saved or opened; "": nowhere.

    """

    what: What
    at: float
    label: str = ""
    delta: Delta = msgspec.field(default_factory=Delta)
    merged: bool = False
    version: int = 0
    dirty: bool = False
    file: str = ""


class Journal:
    """Writes one window's journal.

    Parameters
    ----------
    folder : Path
        Made where it is missing.

    Raises
    ------
    FileError
        If it cannot be written there.

    """

    def __init__(self, folder: File) -> None:
        self._telling = Telling()
        try:
            folder.mkdir(parents=True, exist_ok=True)
            name = f"{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}-{secrets.token_hex(3)}"
            self.file = folder / f"{name}{SUFFIX}"
            self._stream = self.file.open("xb")
            fcntl.flock(self._stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
            head = msgspec.msgpack.encode(
                _Head(KIND, FORMAT, f"Silhueta {__version__}", time.time())
            )
            self._stream.write(_MAGIC + frame(head))
        except OSError as error:
            raise _cannot(folder, error) from error
        sync_folder(folder)
        self.size = 0  # bytes of steps that were written

    def write(self, told: Sequence[Told]) -> None:
        """Put entries on disk, and return once they are there.

        Raises
        ------
        FileError
            If they cannot be written; the journal is good up to what was written before.

        """
        whole = b"".join(self._framed(one) for one in told)
        try:
            self._stream.write(whole)
            self._stream.flush()
            os.fsync(self._stream.fileno())
        except OSError as error:
            raise _cannot(self.file, error) from error
        self.size += len(whole)

    def _framed(self, told: Told) -> bytes:
        delta = self._telling.tell(told.job)
        pictures = [frame(_PICTURE + data, pack=False) for data in self._telling.pictures]
        self._telling.pictures.clear()
        entry = Entry(
            told.what,
            time.time(),
            told.label,
            delta,
            told.merged,
            told.version,
            told.dirty,
            told.file,
        )
        return b"".join(pictures) + frame(_ENTRY + msgspec.msgpack.encode(entry))

    def close(self, *, keep: bool) -> None:
        """End the journal; without `keep` it goes, as nothing of it is needed any more."""
        if not keep:
            self.file.unlink(missing_ok=True)
        self._stream.close()


def _cannot(where: File, error: OSError) -> FileError:
    return FileError(
        f"steps cannot be kept in {where}: {reason_of(error)}; save the job often meanwhile"
    )


class Found(NamedTuple):
    """A journal that nobody writes any more.

    newer : bool
        Whether a newer program wrote it: it is left alone.
    """

    file: File
    newer: bool = False


def stopped(folder: File) -> Iterator[Found]:
    """Yield the journals in a folder whose windows are gone, the newest first."""
    try:
        files = sorted(folder.glob(f"*{SUFFIX}"), reverse=True)
    except OSError:
        return
    for file in files:
        try:
            with file.open("rb") as stream:
                if not _free(stream):
                    continue
                head = _head(stream)
        except OSError:
            continue
        if head is not None:
            yield Found(file, head.kind > KIND or head.form > FORMAT)


def _free(stream: IO[bytes]) -> bool:
    """Return whether no window holds a journal."""
    try:
        fcntl.flock(stream, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError:  # a disk that knows no locks
        return True
    fcntl.flock(stream, fcntl.LOCK_UN)
    return True


def _head(stream: IO[bytes]) -> _Head | None:
    """Return what a journal says of itself; None: it is none, or was stopped before it did."""
    stream.seek(0)
    if stream.read(len(_MAGIC)) != _MAGIC:
        return None
    size = os.fstat(stream.fileno()).st_size
    try:
        return msgspec.msgpack.decode(next(frames(stream, size), (0, b""))[1], type=_Head)
    except msgspec.MsgspecError:
        return None


class Back(NamedTuple):
    """What a journal gives back.

    history : History
    last : str
        The last step's label.
    at : float
        When it was, seconds since 1970.
    steps : int
        How many there were.
    torn : bool
        Whether the journal ends in the midst of an entry, which is left out.
    """

    history: History
    last: str
    at: float
    steps: int
    torn: bool


def read_journal(file: File) -> Back | None:
    """Return what a journal holds, up to its last whole entry; None: nothing to bring back.

    Raises
    ------
    FileError
        If it cannot be read, is no journal, or is a newer program's.

    """
    try:
        with file.open("rb") as stream:
            head = _head(stream)
            if head is None:
                return None
            if head.kind > KIND or head.form > FORMAT:
                raise FileError(
                    f"{file.name} was written by a newer Silhueta; start that one to bring it back"
                )
            return _replayed(stream, head.form, os.fstat(stream.fileno()).st_size)
    except OSError as error:
        raise FileError(f"cannot read {file}: {reason_of(error)}") from error
    except FileError:
        raise
    except (msgspec.MsgspecError, *DAMAGED) as error:
        raise FileError(f"the journal {file.name} is damaged; nothing of it can be read") from error


def _replayed(stream: IO[bytes], form: int, size: int) -> Back | None:
    def contours(at: int) -> dict[int, Kept]:
        stream.seek(at)
        data = next(frames(stream, size))[1]
        return msgspec.msgpack.decode(data[1:], type=Entry).delta.contours

    hearing = Hearing(form, contours)
    state = State(hearing)
    versions: list[tuple[str, State]] = []
    marks: dict[str, State] = {}
    index, steps, last, good = 0, 0, None, stream.tell()
    saved, label = "", ""
    for at, data in frames(stream, size):
        if data[:1] == _PICTURE:
            hearing.pictures.append(data[1:])
            continue
        entry = msgspec.msgpack.decode(data[1:], type=Entry)
        state = hearing.hear(state, entry.delta, at)
        good, last = stream.tell(), entry
        saved = entry.file or saved
        if entry.what == "marked":
            marks[entry.label] = state
        elif entry.what == "dropped":
            marks.pop(entry.label, None)
        elif entry.what == "began":
            versions, index, saved = [(entry.label, state)], 0, entry.file
        elif entry.what == "step":
            steps += 1
            label = entry.label
            del versions[index + 1 :]
            if entry.merged and versions:
                versions[-1] = (entry.label, state)
            else:
                versions.append((entry.label, state))
                versions = versions[-LONGEST:]
            index = len(versions) - 1
        elif versions:  # amended, went, saved: the version that is present now
            index = min(max(entry.version, 0), len(versions) - 1)
            versions[index] = (versions[index][0], state)
    if last is None or not versions or not last.dirty:
        return None
    history = History(
        tuple(Version(name, one.job()) for name, one in versions),
        index,
        {name: one.job() for name, one in marks.items()},
        File(saved) if saved else None,
    )
    return Back(history, label, last.at, steps, good < size)

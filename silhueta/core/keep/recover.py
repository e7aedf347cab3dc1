"""What stopped windows left behind, and bringing it back."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path as File
from typing import IO

from silhueta.core.errors import FileError, reason_of
from silhueta.core.files.job_file import SUFFIX, save_job
from silhueta.core.files.names import file_name, free_name
from silhueta.core.files.preview import preview
from silhueta.core.keep.journal import Back, read_journal, stopped


@dataclass(frozen=True, eq=False)
class Left:
    """A journal that a stopped window left.

    Parameters
    ----------
    file : Path
    back : Back or None
        None: it cannot be brought back.
    wrong : str
        Why not, in words.
    picture : bytes
        A small PNG of its job; empty where there is none.
    asked : bool
        Whether somebody was asked about it and put it off.

    """

    file: File
    back: Back | None
    wrong: str = ""
    picture: bytes = b""
    asked: bool = False


def left_behind(folder: File) -> list[Left]:
    """Return what can be brought back, the newest first, and what cannot, with the reason.

    Journals in which everything is saved are deleted: nothing of them is needed.
    """
    found = []
    for one in stopped(folder):
        if one.newer:
            wrong = f"{one.file.name} was written by a newer Silhueta; it is left for that one"
            found.append(Left(one.file, None, wrong))
            continue
        try:
            back = read_journal(one.file)
        except FileError as error:
            found.append(Left(one.file, None, str(error)))
            continue
        if back is None:
            with suppress(OSError):
                one.file.unlink()
        else:
            picture, asked = preview(back.history.job), _put_off(one.file).exists()
            found.append(Left(one.file, back, "", picture, asked))
    return found


def _put_off(file: File) -> File:
    """Return what says that somebody put an answer off."""
    return file.with_suffix(".later")


def put_off(file: File) -> None:
    """Note that somebody was asked about a journal and wants to answer later."""
    with suppress(OSError):
        _put_off(file).touch()


def throw_away(file: File) -> None:
    """Delete a journal.

    Raises
    ------
    FileError
        If it cannot be deleted.

    """
    try:
        file.unlink(missing_ok=True)
        _put_off(file).unlink(missing_ok=True)
    except OSError as error:
        raise FileError(f"cannot delete {file}: {reason_of(error)}") from error


class Taken:
    """Journals held by one window while it asks about them, so that no other asks as well."""

    def __init__(self) -> None:
        self._streams: list[IO[bytes]] = []

    def take(self, file: File) -> bool:
        """Return whether a journal is ours to ask about now."""
        try:
            stream = file.open("rb")
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            stream.close()
            return False
        except OSError:
            return False
        self._streams.append(stream)
        return os.path.exists(file)  # noqa: PTH110 - another window may have deleted it meanwhile

    def release(self) -> None:
        """Let others ask."""
        for stream in self._streams:
            stream.close()
        self._streams.clear()


def save_all_left(left: Sequence[Left], folder: File) -> list[tuple[Left, File | None, str]]:
    """Write each job into a folder under its own name, and return where, or why not.

    The journals stay until they are thrown away.
    """
    done: list[tuple[Left, File | None, str]] = []
    for one in left:
        if one.back is None:
            done.append((one, None, one.wrong))
            continue
        history = one.back.history
        target = free_name(folder / f"{file_name(history.job.name)}{SUFFIX}")
        try:
            folder.mkdir(parents=True, exist_ok=True)
            save_job(history.job, target, dict(history.marks))
            done.append((one, target, ""))
        except OSError as error:
            done.append((one, None, f"cannot write into {folder}: {reason_of(error)}"))
        except FileError as error:
            done.append((one, None, str(error)))
    return done

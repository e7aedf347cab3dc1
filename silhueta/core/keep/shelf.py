"""A shelf: a plain folder of job files, and an index by which they are found.

The folder is what counts. The index is worked out from it, elsewhere on this machine, whenever it
is missing, of another form, or damaged; files may come and go by other hands at any time.

Words used here
    index     an SQLite file with what each job file says of itself (keep.entry)
    look      to hold the index against the folder, and to read what is new
"""

from __future__ import annotations

import hashlib
import os
import re
import sqlite3
import time
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path as File
from typing import NamedTuple

from silhueta.core.errors import FileError, reason_of
from silhueta.core.files.atomic import finish_stopped, read_bytes, write_whole
from silhueta.core.files.job_file import SUFFIX, job_from_bytes
from silhueta.core.files.names import free_name
from silhueta.core.keep.entry import Entry, entry_of
from silhueta.core.keep.places import usual
from silhueta.core.keep.shelf_index import (
    TEXTS,
    Order,
    forget,
    has_fts,
    prepared,
    put,
    select,
)
from silhueta.core.work import Work

_PATIENCE = 20.0  # s that one writer waits for another
_AT_ONCE = 40  # files that are read between two writes: a search waits for none of them
_ALIKE_MM, _ALIKE = 1.0, 0.02  # mm, or of a size, that a size which was searched may be off
_SIZE = re.compile(
    r"(?<![\w.,])(\d+(?:[.,]\d+)?)\s*(?:mm)?\s*[x×*]\s*(\d+(?:[.,]\d+)?)\s*(?:mm)?(?!\w)",
    re.IGNORECASE,
)


class Looked(NamedTuple):
    """What looking into the folder came to: files that are new or changed, gone, and unreadable."""

    new: int
    gone: int
    wrong: int


class Shelf:
    """Finds jobs in a folder.

    Parameters
    ----------
    folder : Path
    index : Path or None
        Where the index is kept; None: its usual place.

    """

    def __init__(self, folder: File, index: File | None = None) -> None:
        self.folder = folder.expanduser()
        self.index = index or index_in(usual().indexes, self.folder)
        self._memory: sqlite3.Connection | None = None

    # the index

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        """Give the index, made where it is missing or no good; in memory if no disk takes it."""
        if self._memory is not None:
            yield self._memory
            return
        try:
            self.index.parent.mkdir(parents=True, exist_ok=True)
            found = self._connected()
        except (OSError, sqlite3.Error):
            self._memory = prepared(sqlite3.connect(":memory:", check_same_thread=False))
            yield self._memory
            return
        try:
            yield found
        finally:
            found.close()

    def _connected(self) -> sqlite3.Connection:
        try:
            return prepared(sqlite3.connect(self.index, timeout=_PATIENCE))
        except sqlite3.OperationalError:
            raise
        except sqlite3.DatabaseError:  # no index, or a damaged one: nothing in it is needed
            self._drop()
            return prepared(sqlite3.connect(self.index, timeout=_PATIENCE))

    def _drop(self) -> None:
        for ending in ("", "-wal", "-shm", "-journal"):
            with suppress(OSError):
                File(f"{self.index}{ending}").unlink()

    def rebuild(self, work: Work | None = None) -> Looked:
        """Work the index out anew from the folder.

        Raises
        ------
        FileError
            If the folder cannot be read.

        """
        try:
            with self._open() as index, index:  # others may be searching in it meanwhile
                index.execute("UPDATE jobs SET written = -1")
        except sqlite3.DatabaseError as error:
            self._damaged(error)
        return self.look(work)

    def _damaged(self, error: sqlite3.DatabaseError) -> None:
        """Drop a damaged index.

        Raises
        ------
        FileError
            If it is sound, and only cannot be used now.

        """
        if isinstance(error, sqlite3.OperationalError):
            raise FileError(f"the shelf's index cannot be used now: {error}") from error
        self._memory = None
        self._drop()

    def look(self, work: Work | None = None) -> Looked:
        """Bring the index up to what is in the folder, and return what that came to.

        Raises
        ------
        FileError
            If the folder cannot be read.
        StoppedError
            When the work is stopped; what was read by then stays.

        """
        try:
            return self._look(work or Work())
        except sqlite3.DatabaseError as error:
            self._damaged(error)
        try:
            return self._look(work or Work())
        except sqlite3.DatabaseError as error:
            raise FileError(f"the shelf's index cannot be used: {error}") from error

    def _look(self, work: Work) -> Looked:
        finish_stopped(self.folder)
        there = self._there()
        with self._open() as index:
            (sound,) = index.execute("PRAGMA quick_check(1)").fetchone()
            if sound != "ok":
                raise sqlite3.DatabaseError(sound)
            known = {
                name: (written, size)
                for name, written, size in index.execute("SELECT file, written, bytes FROM jobs")
            }
            gone = [name for name in known if name not in there]
            new = [name for name, stamp in there.items() if known.get(name) != stamp]
            with index:
                for name in gone:
                    forget(index, name)
            for first in range(0, len(new), _AT_ONCE):
                work.step(first / len(new))
                some = new[first : first + _AT_ONCE]
                read = [entry_of(self.folder / name) for name in some]
                with index:
                    index.execute("BEGIN IMMEDIATE")
                    for name, entry in zip(some, read, strict=True):
                        saved = there[name][0] / 1e9
                        put(index, entry._replace(saved=saved), there[name])
            (wrong,) = index.execute("SELECT count(*) FROM jobs WHERE wrong != ''").fetchone()
        return Looked(len(new), len(gone), wrong)

    def _there(self) -> dict[str, tuple[int, int]]:
        """Return the job files in the folder, with when they were written and how long they are."""
        found: dict[str, tuple[int, int]] = {}
        try:
            with os.scandir(self.folder) as entries:
                for one in entries:
                    if not one.name.endswith(SUFFIX) or one.name.startswith("."):
                        continue
                    with suppress(OSError, UnicodeEncodeError):
                        one.name.encode()
                        if one.is_file():
                            told = one.stat()
                            found[one.name] = (told.st_mtime_ns, told.st_size)
        except FileNotFoundError:
            return {}
        except OSError as error:
            raise FileError(f"cannot read the shelf {self.folder}: {reason_of(error)}") from error
        return found

    # finding

    def find(self, text: str = "", order: Order = "used", most: int = 1000) -> list[Entry]:
        """Return the jobs with all words of a text, the beginning of each being enough.

        A size ("120 x 80") finds what is as large, either way round. Their pictures are left out
        (`picture`), and files that cannot be read are not among them (`unreadable`).
        """
        try:
            return self._find(text, order, most)
        except sqlite3.DatabaseError as error:  # damaged meanwhile
            self._damaged(error)
        self.look()
        return self._find(text, order, most)

    def _find(self, text: str, order: Order, most: int) -> list[Entry]:
        where, values = ["wrong = ''"], list[object]()
        size = _SIZE.search(text)
        if size is not None:
            text = text[: size.start()] + " " + text[size.end() :]
            low, high = sorted(float(one.replace(",", ".")) for one in size.groups())
            for column, wanted in (("min(width, height)", low), ("max(width, height)", high)):
                off = max(_ALIKE_MM, _ALIKE * wanted)
                where.append(f"abs({column} - ?) <= ?")
                values += [wanted, off]
        words = re.findall(r"[^\W_]+", text)
        with self._open() as index:
            rows: list[tuple[object, ...]] = []
            if words and has_fts(index):
                query = " AND ".join(f'"{word}"*' for word in words)
                inside = "rowid IN (SELECT rowid FROM texts WHERE texts MATCH ?)"
                rows = select(index, [*where, inside], [*values, query], order, most)
            if words and not rows:  # within words, and in scripts that put no spaces
                inner = "(" + " || ' ' || ".join(TEXTS) + ") LIKE ? ESCAPE '\\'"
                like = [f"%{word}%" for word in words]
                rows = select(index, where + [inner] * len(like), [*values, *like], order, most)
            elif not words:
                rows = select(index, where, values, order, most)
        return [Entry(*row) for row in rows]  # type: ignore[arg-type]

    def picture(self, file: str) -> bytes:
        """Return the small PNG of a job; empty where there is none."""
        with self._open() as index, suppress(sqlite3.Error):
            row = index.execute("SELECT picture FROM jobs WHERE file = ?", (file,)).fetchone()
            return row[0] if row else b""
        return b""

    def unreadable(self) -> list[Entry]:
        """Return the files that cannot be read, each with the reason."""
        with self._open() as index:
            rows = select(index, ["wrong != ''"], [], "name", 10_000)
        return [Entry(*row) for row in rows]  # type: ignore[arg-type]

    def count(self) -> int:
        """Return how many jobs there are that can be read."""
        with self._open() as index:
            (count,) = index.execute("SELECT count(*) FROM jobs WHERE wrong = ''").fetchone()
        return int(count)

    def named(self, name: str) -> Entry:
        """Return the job of a file's name, with or without its ending, or of its own name.

        Raises
        ------
        FileError
            If there is none, or several have that name.

        """
        entries = self.find(order="name", most=10**9)
        for same in (
            [one for one in entries if name in (one.file, one.file.removesuffix(SUFFIX))],
            [one for one in entries if one.name.casefold() == name.casefold()],
        ):
            if len(same) == 1:
                return same[0]
            if same:
                files = ", ".join(one.file for one in same[:4])
                raise FileError(f"“{name}” is the name of several jobs: {files}; take one of these")
        raise FileError(f"there is no “{name}” on the shelf; `silhueta shelf list` shows what is")

    def opened(self, file: str) -> None:
        """Note that a job was opened from the shelf just now."""
        with self._open() as index, suppress(sqlite3.Error), index:
            index.execute("UPDATE jobs SET used = ? WHERE file = ?", (time.time(), file))

    # putting in and taking out

    def add(self, source: File) -> File:
        """Copy a job file onto the shelf under its own name, and return where it is.

        One that is there already byte for byte stays; of another with the same name both stay.

        Raises
        ------
        FileError
            If it is no job file, or cannot be written.

        """
        return self._keep(source.name, read_bytes(source))

    def _keep(self, name: str, data: bytes) -> File:
        """Put the bytes of a job file onto the shelf, and return where they are; see `add`."""
        job_from_bytes(data, name)
        target = self.folder / (name if name.endswith(SUFFIX) else name + SUFFIX)
        if target.is_file() and target.read_bytes() == data:
            return target
        target = free_name(target)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileError(f"cannot make the shelf {self.folder}: {reason_of(error)}") from error
        write_whole(target, data)
        return target

    def take_in(self, archive: File) -> list[File]:
        """Copy all jobs of an exported shelf (a ZIP) onto this one, and return where they are.

        Raises
        ------
        FileError
            If it is no such archive; jobs in it that are none are left out.

        """
        done = []
        try:
            with zipfile.ZipFile(archive) as packed:
                names = [one for one in packed.namelist() if one.endswith(SUFFIX)]
                for name in names:
                    own = File(name).name  # whatever folders it names
                    if packed.getinfo(name).file_size > _MOST_JOB_FILE:
                        continue
                    with suppress(FileError):
                        done.append(self._keep(own, packed.read(name)))
        except (OSError, zipfile.BadZipFile) as error:
            raise FileError(f"{archive.name} is no exported shelf") from error
        return done

    def export(self, target: File) -> int:
        """Pack all jobs into a ZIP, and return how many there are.

        Raises
        ------
        FileError
            If it cannot be written.

        """
        names = sorted(self._there())
        part = target.with_name(f".{target.name}.part")
        try:
            with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as packed:
                for name in names:
                    packed.write(self.folder / name, name)
            part.replace(target)
        except OSError as error:
            raise FileError(f"cannot write {target}: {reason_of(error)}") from error
        finally:
            part.unlink(missing_ok=True)
        return len(names)


def index_in(folder: File, shelf: File) -> File:
    """Return where a shelf's index is kept in a folder of indexes."""
    key = hashlib.sha256(str(shelf.expanduser().absolute()).encode(errors="surrogateescape"))
    return folder / f"shelf-{key.hexdigest()[:16]}.sqlite"


_MOST_JOB_FILE = 1_100_000_000  # bytes: a picture of one gigabyte and the job

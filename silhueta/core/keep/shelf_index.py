"""The index of a shelf: an SQLite file with what each job file says of itself.

SQLite's FTS5 (its documentation, "SQLite FTS5 Extension") finds words by their beginnings; one that
was built without it is searched by LIKE.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import suppress
from typing import Literal

from silhueta.core.keep.entry import Entry

Order = Literal["used", "name", "size", "saved"]
_FORM = 1  # of the index; another one is worked out anew
_COLUMNS = Entry._fields
_SHOWN = ["x''" if name == "picture" else name for name in _COLUMNS]  # pictures are asked for
TEXTS = ("file", "name", "description", "words", "maker", "customer", "material", "process")
_ORDERS = {
    "used": "max(used, saved) DESC, name",
    "name": "name COLLATE NOCASE, file",
    "size": "max(width, height) DESC, name",
    "saved": "saved DESC, name",
}


def prepared(index: sqlite3.Connection) -> sqlite3.Connection:
    """Return an index with its tables; raises DatabaseError where it is damaged."""
    try:
        (form,) = index.execute("PRAGMA user_version").fetchone()
        if form == _FORM:
            index.execute(f"SELECT {', '.join(_COLUMNS)} FROM jobs LIMIT 1").fetchone()
            return index
        with index:
            index.execute("BEGIN IMMEDIATE")
            index.execute("DROP TABLE IF EXISTS jobs")
            index.execute("DROP TABLE IF EXISTS texts")
            index.execute(
                "CREATE TABLE jobs (file TEXT PRIMARY KEY, name TEXT, description TEXT, words TEXT,"
                " maker TEXT, customer TEXT, material TEXT, process TEXT, width REAL, height REAL,"
                " picture BLOB, wrong TEXT, saved REAL, used REAL, written INTEGER, bytes INTEGER)"
            )
            with suppress(sqlite3.OperationalError):  # built without FTS5: found by LIKE
                index.execute(
                    f"CREATE VIRTUAL TABLE texts USING fts5({', '.join(TEXTS)}, "
                    "tokenize = 'unicode61 remove_diacritics 2', prefix = '2 3')"
                )
            index.execute(f"PRAGMA user_version = {_FORM}")
    except BaseException:
        index.close()
        raise
    return index


def has_fts(index: sqlite3.Connection) -> bool:
    """Return whether words are found by FTS5."""
    found = index.execute("SELECT 1 FROM sqlite_master WHERE name = 'texts'").fetchone()
    return found is not None


def put(index: sqlite3.Connection, entry: Entry, stamp: tuple[int, int]) -> None:
    """Put a job into an index, in place of what was known of its file; `stamp`: written, bytes."""
    used = index.execute("SELECT used FROM jobs WHERE file = ?", (entry.file,)).fetchone()
    forget(index, entry.file)
    values = entry._replace(used=used[0] if used else 0.0)
    marks = ", ".join("?" * (len(values) + 2))
    row = index.execute(f"INSERT INTO jobs VALUES ({marks})", (*values, *stamp))
    if has_fts(index):
        texts = [getattr(entry, name) for name in TEXTS]
        index.execute(
            f"INSERT INTO texts(rowid, {', '.join(TEXTS)}) VALUES (?{', ?' * len(texts)})",
            (row.lastrowid, *texts),
        )


def forget(index: sqlite3.Connection, file: str) -> None:
    """Take a file out of an index."""
    if has_fts(index):
        index.execute(
            "DELETE FROM texts WHERE rowid IN (SELECT rowid FROM jobs WHERE file = ?)", (file,)
        )
    index.execute("DELETE FROM jobs WHERE file = ?", (file,))


def select(
    index: sqlite3.Connection,
    where: Sequence[str],
    values: Sequence[object],
    order: Order,
    most: int,
) -> list[tuple[object, ...]]:
    """Return the jobs that fulfil all conditions, without their pictures."""
    found: list[tuple[object, ...]] = index.execute(
        f"SELECT {', '.join(_SHOWN)} FROM jobs WHERE {' AND '.join(where)} "
        f"ORDER BY {_ORDERS[order]} LIMIT ?",
        (*values, most),
    ).fetchall()
    return found

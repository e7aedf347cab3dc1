"""Where things are kept and how they are found, against what is published.

freedesktop.org XDG Base Directory Specification 0.8 (variables, defaults, relative paths ignored);
SQLite's documentation of FTS5 (bareword and prefix queries, implicit AND, unicode61 with
remove_diacritics 2) and of PRAGMA integrity_check. Both quoted from memory.
"""

from __future__ import annotations

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from silhueta.core.card import Card
from silhueta.core.files.job_file import save_job
from silhueta.core.job import Job
from silhueta.core.keep.places import usual
from silhueta.core.keep.shelf import Shelf

VARIABLES = ("XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME")


def test_folders_are_those_of_the_specification(monkeypatch, tmp_path):
    for name in VARIABLES:
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("HOME", str(tmp_path))
    found = usual()
    # "If $XDG_STATE_HOME is either not set or empty, a default equal to $HOME/.local/state should
    # be used", and so on
    assert found.journals == tmp_path / ".local/state/silhueta/journals"
    assert found.log == tmp_path / ".local/state/silhueta/log"
    assert found.shelf == tmp_path / ".local/share/silhueta/shelf"
    assert found.indexes == tmp_path / ".cache/silhueta"
    for name in VARIABLES:
        monkeypatch.setenv(name, str(tmp_path / name.lower()))
    found = usual()
    assert found.journals == tmp_path / "xdg_state_home/silhueta/journals"
    assert found.shelf == tmp_path / "xdg_data_home/silhueta/shelf"
    assert found.indexes == tmp_path / "xdg_cache_home/silhueta"
    monkeypatch.setenv("XDG_STATE_HOME", "")
    assert usual().journals == tmp_path / ".local/state/silhueta/journals"


# the documents of section 3 of SQLite's page on FTS5 are "one two three" and their like: a query
# of several words is their AND, a word with a star after it any word that begins so
DOCUMENTS = {
    "a": ("one two three", ()),
    "b": ("one three", ("Lume",)),
    "c": ("two", ("Élan",)),
    "d": ("threefold ONE", ("naïve",)),
}


@pytest.fixture
def shelf(tmp_path):
    (tmp_path / "shelf").mkdir()
    for name, (text, words) in DOCUMENTS.items():
        job = replace(Job(name * 3), card=Card(text, words))
        save_job(job, tmp_path / "shelf" / f"{name}.silhueta")
    made = Shelf(tmp_path / "shelf", tmp_path / "index.sqlite")
    made.look()
    return made


@pytest.mark.parametrize(
    ("query", "found"),
    [
        ("one", "abd"),
        ("one two", "a"),  # implicit AND
        ("two one", "a"),  # in any order
        ("thr", "abd"),  # prefix: "thr"*
        ("threef", "d"),
        ("elan", "c"),  # remove_diacritics: É and E are one
        ("naive", "d"),
        ("NAÏVE", "d"),  # folded
        ("AND", ""),  # an operator's name is a word like any other, as nothing is an operator here
        ('one" OR "two', ""),
        ("one NOT three", ""),
    ],
)
def test_words_are_found_as_fts5_is_documented_to(shelf, query, found):
    assert {one.file[0] for one in shelf.find(query)} == set(found)


def test_the_index_is_sound_by_sqlites_own_checks(shelf):
    with sqlite3.connect(shelf.index) as index:
        assert index.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
        assert index.execute("PRAGMA foreign_key_check").fetchall() == []
        # FTS5's own: raises SQLITE_CORRUPT_VTAB where index and content do not agree
        index.execute("INSERT INTO texts(texts) VALUES ('integrity-check')")
    index.close()
    (shelf.folder / "a.silhueta").unlink()
    save_job(Job("other"), shelf.folder / "b.silhueta")
    shelf.look()
    with sqlite3.connect(shelf.index) as index:
        index.execute("INSERT INTO texts(texts) VALUES ('integrity-check')")
        assert index.execute("SELECT count(*) FROM texts").fetchone() == (3,)
        assert index.execute("SELECT count(*) FROM jobs").fetchone() == (3,)
    index.close()
    assert Path(shelf.index).parent != shelf.folder  # nothing of ours lies among somebody's files

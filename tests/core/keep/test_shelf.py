"""A shelf is its folder: whatever becomes of the index, or of the files, what is there is found."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
import textwrap
from dataclasses import replace
from pathlib import Path

import pytest

from silhueta.core.card import Card, words_typed
from silhueta.core.errors import FileError
from silhueta.core.files.job_file import save_job
from silhueta.core.files.names import file_name, free_name
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.job import Job
from silhueta.core.keep.shelf import Shelf
from tests.conftest import square


def job(name: str, width: float = 80, height: float = 50, **card: object) -> Job:
    plate = square(1).nodes * [width, height]
    made = replace(Job(name), outline=Outline((Contour(Loop(plate)),)))
    return replace(made, card=Card(**card))  # type: ignore[arg-type]


@pytest.fixture
def shelf(tmp_path):
    """A shelf of four jobs."""
    folder = tmp_path / "shelf"
    folder.mkdir()
    save_job(
        job("Heron", 400, 260, words=("garden", "bird"), customer="Cais Novo"),
        folder / "heron.silhueta",
    )
    save_job(
        job("Rudder strap", 120, 80.4, description="Bends over the pintle"),
        folder / "strap.silhueta",
    )
    save_job(job("Placa do portão", 80.2, 119.8, maker="Oficina"), folder / "portão.silhueta")
    save_job(job("錨の飾り", 30, 30), folder / "錨.silhueta")  # fmt: skip
    made = Shelf(folder, tmp_path / "index.sqlite")
    made.look()
    return made


def names(shelf: Shelf, text: str) -> set[str]:
    return {one.name for one in shelf.find(text)}


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("", {"Heron", "Rudder strap", "Placa do portão", "錨の飾り"}),
        ("gard", {"Heron"}),  # as one types
        ("novo heron", {"Heron"}),  # all words, wherever they stand
        ("heron strap", set()),
        ("portao", {"Placa do portão"}),  # accents are left out
        ("PINTLE", {"Rudder strap"}),
        ("飾", {"錨の飾り"}),  # within a word, where scripts put no spaces
        ("120 x 80", {"Rudder strap", "Placa do portão"}),  # either way round, about as large
        ("120x80 strap", {"Rudder strap"}),
        ("400 × 260 mm", {"Heron"}),
        ('"; DROP TABLE jobs; --', set()),
        ("%", {"Heron", "Rudder strap", "Placa do portão", "錨の飾り"}),  # no word at all
        ("her_x", set()),
    ],
)
def test_jobs_are_found_by_words_and_by_size(shelf, text, found):
    assert names(shelf, text) == found


def test_order_and_last_use(shelf):
    assert shelf.find(order="size")[0].file == "heron.silhueta"
    by_name = [one.name for one in shelf.find(order="name")]
    assert by_name == sorted(by_name, key=str.casefold)
    shelf.opened("strap.silhueta")
    assert shelf.find(order="used")[0].file == "strap.silhueta"
    assert shelf.picture("strap.silhueta").startswith(b"\x89PNG")


def test_files_come_and_go_by_other_hands(shelf):
    (shelf.folder / "heron.silhueta").unlink()
    save_job(job("Anchor"), shelf.folder / "new.silhueta")
    save_job(job("Strap, wider"), shelf.folder / "strap.silhueta")
    os.utime(shelf.folder / "strap.silhueta", (1, 1))  # by a clock that went back
    (shelf.folder / "broken.silhueta").write_bytes(b"PK\x03\x04 no more")
    (shelf.folder / "foreign.txt").write_text("a shopping list")
    (shelf.folder / "folder.silhueta").mkdir()
    looked = shelf.look()
    assert (looked.new, looked.gone, looked.wrong) == (3, 1, 1)
    assert names(shelf, "") == {"Anchor", "Strap, wider", "Placa do portão", "錨の飾り"}
    assert names(shelf, "pintle") == set()
    (wrong,) = shelf.unreadable()
    assert wrong.file == "broken.silhueta"
    assert "no job file" in wrong.wrong
    assert shelf.look()[:2] == (0, 0)


@pytest.mark.parametrize("harm", ["gone", "garbage", "cut", "empty", "older", "middle"])
def test_whatever_becomes_of_the_index_all_is_found_again(shelf, harm):
    data = shelf.index.read_bytes()
    ruined = {
        "garbage": b"no index" * 900,
        "cut": data[: len(data) // 2],
        "empty": b"",
        "middle": data[:4096] + bytes(4096) + data[8192:],
    }
    if harm == "gone":
        shelf.index.unlink()
    elif harm == "older":
        with sqlite3.connect(shelf.index) as index:
            index.execute("PRAGMA user_version = 0")
        index.close()
    else:
        shelf.index.write_bytes(ruined[harm])
    shelf.look()
    assert names(shelf, "") == {"Heron", "Rudder strap", "Placa do portão", "錨の飾り"}
    assert names(shelf, "gard") == {"Heron"}
    with sqlite3.connect(shelf.index) as index:
        assert index.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    index.close()


def test_a_place_that_cannot_be_written_to_is_searched_all_the_same(shelf, tmp_path):
    (tmp_path / "in the way").write_text("")
    other = Shelf(shelf.folder, tmp_path / "in the way" / "index.sqlite")
    other.look()
    assert {one.name for one in other.find("gard")} == {"Heron"}
    assert other.count() == 4


def test_adding_keeps_names_and_never_writes_over_another(shelf, tmp_path):
    save_job(job("Heron, other"), tmp_path / "heron.silhueta")
    assert shelf.add(tmp_path / "heron.silhueta").name == "heron-2.silhueta"
    assert shelf.add(tmp_path / "heron.silhueta").name == "heron-3.silhueta"
    assert shelf.add(shelf.folder / "heron.silhueta").name == "heron.silhueta"
    (tmp_path / "x.silhueta").write_bytes(b"nothing")
    with pytest.raises(FileError, match="no job file"):
        shelf.add(tmp_path / "x.silhueta")
    assert shelf.export(tmp_path / "all.zip") == 6
    other = Shelf(tmp_path / "other", tmp_path / "other.sqlite")
    assert len(other.take_in(tmp_path / "all.zip")) == 6
    other.look()
    assert other.named("strap").name == "Rudder strap"
    with pytest.raises(FileError, match="several"):
        other.named("Heron, other")
    with pytest.raises(FileError, match="there is no"):
        other.named("gull")


WRITER = """
    import sys
    from pathlib import Path
    from silhueta.core.keep.shelf import Shelf
    shelf = Shelf(Path(sys.argv[1]), Path(sys.argv[2]))
    for k in range(12):
        shelf.rebuild() if k % 4 == 3 else shelf.look()
        shelf.opened("heron.silhueta")
        shelf.find("strap")
"""


def test_two_writers_at_once(shelf):
    command = [sys.executable, "-c", textwrap.dedent(WRITER), shelf.folder, shelf.index]
    writers = [subprocess.Popen(command, stderr=subprocess.PIPE, text=True) for _ in range(3)]
    for one in writers:
        _, told = one.communicate(timeout=120)
        assert (one.returncode, told) == (0, "")
    shelf.look()
    assert shelf.count() == 4
    with sqlite3.connect(shelf.index) as index:
        assert index.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    index.close()


@pytest.mark.parametrize(
    ("name", "safe"),
    [
        ("Heron", "Heron"),
        ('a/b:c"', "a_b_c_"),
        (" . ", "Untitled"),
        ("CON", "CON_"),
        ("é" * 99, 0),
    ],
)
def test_names_that_every_disk_takes(tmp_path, name, safe):
    made = file_name(name)
    assert safe in (0, made)
    assert len(made.encode()) <= 120
    (tmp_path / f"{made}.silhueta").write_text("")
    assert free_name(tmp_path / f"{made}.silhueta") == tmp_path / f"{made}-2.silhueta"
    assert words_typed("a, b; a,,") == ("a", "b")


def test_the_command_line_keeps_finds_and_shows(call, shelf, tmp_path):
    there = ("--shelf", shelf.folder)
    code, listed, _ = call("shelf", "list", *there)
    assert code == 0
    assert [line.split("  ")[0] for line in listed.splitlines()] == [
        one.file.removesuffix(".silhueta") for one in shelf.find(order="name")
    ]
    assert call("shelf", "find", "gard", *there)[1].startswith("heron  Heron  400.0 x 260.0 mm")
    code, told, _ = call("shelf", "show", "strap", *there)
    assert "description: Bends over the pintle" in told
    save_job(job("Gull"), tmp_path / "gull.silhueta")
    assert call("shelf", "add", tmp_path / "gull.silhueta", Path("/no.silhueta"), *there)[0] == 1
    assert call("shelf", "find", "gull", *there)[1].startswith("gull")
    assert call("shelf", "rebuild", *there)[:2] == (0, "5 jobs\n")
    assert call("shelf", "export", tmp_path / "a.zip", *there)[1].startswith("5 jobs")
    assert call("shelf", "show", "nobody", *there)[0] == 1
    assert call("shelf", "list", "--shelf", tmp_path / "none")[:2] == (0, "")

"""Broken files of every kind, for a while; what was found once; and that the harness can find."""

import os
import time

import pytest

from fuzz import harness
from fuzz.corpus import KINDS
from silhueta.core.errors import FileError

_SECONDS = float(os.environ.get("FUZZ_SECONDS", "60"))


@pytest.mark.timeout(300)
@pytest.mark.filterwarnings("ignore")  # of forked children, what they write counts
def test_broken_files_are_read_or_refused_in_a_sentence():
    found = [f"{f.kind} {f.name}: {f.what}" for f in harness.run(_SECONDS, seed=20261127)]
    assert found == []


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        (lambda: 1 / 0, "ZeroDivisionError"),
        (lambda: os.abort(), "died"),
        (lambda: bytearray(3_000_000_000), "1.5 GB"),
        (lambda: os.write(2, b"libthing: bad tag"), "on stderr: libthing"),
        (lambda: (_ for _ in ()).throw(FileError("bad file")), "no advice"),
    ],
)
def test_the_harness_finds(monkeypatch, wrong, said):
    def read(*_):
        result = wrong()
        return list(result) if hasattr(result, "send") else result

    monkeypatch.setattr(harness, "read", read)
    found = harness.batch("jobs", [("a", b""), ("b", b"")])
    assert [said in f.what for f in found] == [True, True]


def test_a_file_that_takes_for_ever_is_found(monkeypatch):
    monkeypatch.setattr(harness, "_LIMIT_S", 1)
    monkeypatch.setattr(harness, "read", lambda *_: time.sleep(30))
    assert "over" in harness.batch("jobs", [("a", b"")])[0].what


def test_every_kind_has_files():
    assert all(len(files()) > 0 for files in KINDS.values())

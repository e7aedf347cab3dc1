"""The command recover: what was left is listed, and written under the jobs' own names."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from silhueta.core.files.job_file import load_job, load_marks
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.job import Job
from silhueta.core.keep.history import Told
from silhueta.core.keep.journal import Journal
from tests.conftest import square


@pytest.fixture
def journals(tmp_path, monkeypatch):
    """Three journals that were left, two of jobs with one name, and one that is cut in its head."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    folder = tmp_path / "state" / "silhueta" / "journals"
    for k, name in enumerate(("Heron", "Heron", "Strap 3/4")):
        job = replace(Job(name), outline=Outline((Contour(square(10 + k)),)))
        journal = Journal(folder)
        journal.write(
            [
                Told("began", Job(name)),
                Told("step", job, f"Draw {k}", False, 1, True),
                Told("marked", job, "rough", version=1, dirty=True),
            ]
        )
        journal.close(keep=True)
    (folder / "torn.journal").write_bytes(b"silhueta journal\n\x00")
    return folder


def test_what_is_left_is_listed_and_stays(call, journals, tmp_path):
    code, told, _ = call("recover", "--list", "--report", tmp_path / "r.json")
    assert code == 0
    lines = sorted(told.splitlines())
    assert [line.split(", ")[0] for line in lines] == ["Heron", "Heron", "Strap 3/4"]
    assert "last step Draw 2" in lines[2]
    rows = json.loads((tmp_path / "r.json").read_text())["jobs"]
    assert {row["steps"] for row in rows} == {1}
    assert len(list(journals.glob("*.journal"))) == 4
    assert call("recover")[1].count("\n") == 3  # without --to nothing is written


def test_jobs_are_written_under_their_names_and_journals_stay(call, journals, tmp_path):
    code, told, _ = call("recover", "--to", tmp_path / "back")
    assert code == 0
    assert told.count(" -> ") == 3
    found = {one.name: load_job(one) for one in (tmp_path / "back").iterdir()}
    assert found.keys() == {"Heron.silhueta", "Heron-2.silhueta", "Strap 3_4.silhueta"}
    sizes = {name: job.outline.bounds[2] for name, job in found.items()}
    assert sizes["Strap 3_4.silhueta"] == 12
    assert {sizes["Heron.silhueta"], sizes["Heron-2.silhueta"]} == {10, 11}
    assert load_marks(tmp_path / "back" / "Heron.silhueta").keys() == {"rough"}
    assert len(list(journals.glob("*.journal"))) == 4


def test_what_makes_no_sense_or_cannot_be_done_is_said(call, journals, tmp_path):
    assert call("recover", "--list", "--to", tmp_path)[0] == 2
    assert call("recover", "--report", tmp_path / "r.txt")[0] == 2
    (tmp_path / "file").write_text("")
    code, _, said = call("recover", "--to", tmp_path / "file" / "below")
    assert code == 3
    assert said.count("cannot write") == 3
    for one in journals.iterdir():
        one.unlink()
    assert call("recover") == (0, "nothing was left: every job was saved, or given up\n", "")

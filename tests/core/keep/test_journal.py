"""Journals: every step comes back, torn ends cost the last one, what is saved leaves nothing."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.errors import FileError
from silhueta.core.files.job_record import record_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, PictureFile, set_trace
from silhueta.core.keep import journal as journals
from silhueta.core.keep.history import LONGEST, History, Told, Version, gathered, whole
from silhueta.core.keep.journal import Journal, read_journal, stopped
from silhueta.core.keep.keeper import Keeper
from silhueta.core.keep.recover import left_behind, save_all_left
from tests.conftest import square


def with_loops(job: Job, *loops) -> Job:
    kept = job.outline.contours
    return replace(job, outline=Outline((*kept, *map(Contour, loops))))


def random_history(rng: np.random.Generator, steps: int) -> list[Told]:
    """What a window might tell: steps, some merged, results put in, undo, marks, saves."""
    picture = PictureFile(rng.bytes(5000), "photo.jpg")
    job = replace(Job("Heron"), picture=picture)
    versions, at = [Version("", job)], 0
    told = [Told("began", job)]
    for k in range(steps):
        kind = rng.choice(["draw", "drop", "move", "merge", "undo", "mark", "amend", "saved"])
        job = versions[at].job
        if kind in ("undo", "saved") or (kind != "draw" and not job.outline.contours):
            if kind == "undo":
                at = max(0, at - int(rng.integers(1, 4)))
            told.append(Told("saved" if kind == "saved" else "went", versions[at].job,
                             version=at, dirty=True, file="/x/heron.silhueta"))  # fmt: skip
            continue
        if kind == "mark":
            told.append(Told("marked", job, f"mark {k % 3}", version=at, dirty=True))
            continue
        contours = list(job.outline.contours)
        which = int(rng.integers(len(contours))) if contours else 0
        if kind == "draw":
            contours.append(Contour(circle_loop(tuple(rng.uniform(0, 99, 2)), rng.uniform(1, 9))))
        elif kind == "drop":
            del contours[which]
        else:
            contours[which] = replace(contours[which], taken=bool(k % 2), path=square(k % 7 + 1))
        job = replace(job, outline=Outline(tuple(contours)))
        if kind == "amend":
            versions[at] = versions[at]._replace(job=job)
            told.append(Told("amended", job, versions[at].label, version=at, dirty=True))
            continue
        merged = kind == "merge" and at > 0
        del versions[at + 1 :]
        if merged:
            versions[at] = Version(f"step {k}", job)
        else:
            versions.append(Version(f"step {k}", job))
            at += 1
        told.append(Told("step", job, f"step {k}", merged, at, dirty=True))
    return told


def replayed(told: list[Told]) -> tuple[list[tuple[str, Job]], int, dict[str, Job]]:
    """The same as the window has it, worked out by these few lines."""
    versions, at, marks = [("", told[0].job)], 0, {}
    for one in told[1:]:
        if one.what == "marked":
            marks[one.label] = one.job
        elif one.what == "step":
            versions = versions[: at + 1 - one.merged] + [(one.label, one.job)]
            at = one.version
        else:
            at = one.version
            versions[at] = (versions[at][0], one.job)
    return versions, at, marks


def same(one: Job, two: Job) -> bool:
    pictures = (one.picture and one.picture.data, two.picture and two.picture.data)
    return record_bytes(one) == record_bytes(two) and pictures[0] == pictures[1]


def written(folder, told: list[Told]):
    journal = Journal(folder)
    journal.write(told)
    journal.close(keep=True)
    return journal.file


@pytest.mark.parametrize("seed", range(6))
def test_a_history_comes_back_as_it_was(tmp_path, seed):
    told = random_history(np.random.default_rng(seed), 120)
    back = read_journal(written(tmp_path, told))
    assert back is not None
    versions, at, marks = replayed(told)
    assert [one.label for one in back.history.versions] == [label for label, _ in versions]
    assert back.history.index == at
    pairs = zip(back.history.versions, versions, strict=True)
    assert all(same(one.job, job) for one, (_, job) in pairs)
    assert back.history.marks.keys() == marks.keys()
    assert all(same(back.history.marks[name], job) for name, job in marks.items())
    assert not back.torn
    # and once more from all of it at once, as after a disk was full
    again = read_journal(written(tmp_path, whole(back.history)))
    assert again is not None
    assert [one.label for one in again.history.versions] == [label for label, _ in versions]
    assert (again.history.index, again.history.marks.keys()) == (at, marks.keys())
    assert same(again.history.job, versions[at][1])
    # what did not change is shared, so that a history is no larger than its steps
    alive = {id(c) for one in again.history.versions for c in one.job.outline.contours}
    assert len(alive) < sum(len(one.job.outline.contours) for one in again.history.versions)


def test_a_torn_end_costs_no_more_than_the_last_entry(tmp_path):
    told = random_history(np.random.default_rng(9), 12)
    file = written(tmp_path, told)
    data = file.read_bytes()
    most = 0
    for size in range(0, len(data), 37):
        file.write_bytes(data[:size])
        back = read_journal(file)
        steps = 0 if back is None else back.steps
        assert steps >= most  # never fewer than from a shorter one
        most = steps
        if back is not None:
            assert any(same(back.history.job, one.job) for one in told)
    assert most == sum(one.what == "step" for one in told)
    # a byte that turned over on the way ends it there, and nothing later is believed
    k = len(data) * 2 // 3
    file.write_bytes(data[:k] + bytes([data[k] ^ 255]) + data[k + 1 :])
    back = read_journal(file)
    assert back is None or (back.torn and any(same(back.history.job, one.job) for one in told))


def test_a_journal_of_a_newer_program_is_left_alone_and_others_are_none(tmp_path, monkeypatch):
    told = [Told("began", Job()), Told("step", Job("a"), "Name", False, 1, dirty=True)]
    monkeypatch.setattr(journals, "FORMAT", journals.FORMAT + 1)
    file = written(tmp_path, told)
    monkeypatch.undo()
    (tmp_path / "x.journal").write_bytes(b"no journal at all")
    (tmp_path / "y.journal").write_bytes(b"")
    assert [(one.file, one.newer) for one in stopped(tmp_path)] == [(file, True)]
    with pytest.raises(FileError, match="newer"):
        read_journal(file)
    (left,) = left_behind(tmp_path)
    assert left.back is None
    assert "newer" in left.wrong
    assert file.exists()


def test_a_journal_of_an_older_program_opens(tmp_path, monkeypatch):
    job = set_trace(Job("old"), replace(Job().trace, tolerance=0.3))
    told = [Told("began", job), Told("step", with_loops(job, square(3)), "Draw", False, 1, True)]
    monkeypatch.setattr(journals, "FORMAT", journals.FORMAT - 1)
    file = written(tmp_path, told)
    monkeypatch.undo()
    back = read_journal(file)
    assert back is not None
    assert same(back.history.job, told[1].job)


def test_steps_that_others_replace_at_once_are_not_written():
    a, b, c = (Job(name) for name in "abc")
    drag = [Told("step", one, "Drag", k > 0, 1) for k, one in enumerate((a, b, c))]
    assert gathered(drag) == [Told("step", c, "Drag", False, 1)]
    settled = gathered([drag[0], Told("amended", b, "Drag", False, 1)])
    assert settled == [Told("step", b, "Drag", False, 1)]
    apart = [Told("step", a, "One", False, 1), Told("step", b, "Two", False, 2)]
    assert gathered(apart) == apart


def test_what_is_saved_leaves_nothing_and_what_is_alive_is_not_asked_about(tmp_path):
    job = with_loops(Job("Strap"), square(5))
    told = [Told("began", Job()), Told("step", job, "Draw", False, 1, dirty=True)]
    file = written(tmp_path, [*told, Told("saved", job, file="/x/strap.silhueta", version=1)])
    assert left_behind(tmp_path) == []
    assert not file.exists()
    alive = Journal(tmp_path)
    alive.write(told)
    assert left_behind(tmp_path) == []
    alive.close(keep=True)
    (left,) = left_behind(tmp_path)
    assert left.back is not None
    assert left.back.last == "Draw"
    ((_, target, why),) = save_all_left([left], tmp_path / "out")
    assert (target, why) == (tmp_path / "out" / "Strap.silhueta", "")
    assert save_all_left([left], tmp_path / "out")[0][1] == tmp_path / "out" / "Strap-2.silhueta"
    assert left.file.exists()


def test_a_history_keeps_its_last_versions(tmp_path):
    told = [Told("began", Job())]
    for k in range(LONGEST + 40):
        at = min(k + 1, LONGEST - 1)
        told.append(Told("step", Job(str(k)), f"s{k}", False, at, dirty=True))
    back = read_journal(written(tmp_path, told))
    assert back is not None
    assert len(back.history.versions) == LONGEST
    assert (back.history.job.name, back.history.index) == (str(LONGEST + 39), LONGEST - 1)


WORKER = """
    import sys, time
    from pathlib import Path
    from dataclasses import replace
    from silhueta.core.job import Job
    from silhueta.core.keep.history import History, Told, Version
    from silhueta.core.keep.keeper import Keeper
    keeper = Keeper(Path(sys.argv[1]), print)
    first = Version("", Job("begun"))
    keeper.tell(History((first,), 0, {}))
    for k in range(1, 10_000):
        keeper.tell(Told("step", Job(f"job {k}"), f"step {k}", False, k, True))
        print(k, flush=True)
        time.sleep(0.01)
"""


def test_a_killed_writer_loses_what_came_in_the_last_moment_only(tmp_path):
    command = [sys.executable, "-c", textwrap.dedent(WORKER), str(tmp_path)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as worker:
        assert worker.stdout is not None
        for line in worker.stdout:
            done = int(line)
            if done == 150:
                os.kill(worker.pid, signal.SIGKILL)
                break
    (left,) = left_behind(tmp_path)
    assert left.back is not None
    assert 1 <= left.back.steps <= 151 + 20  # it went on while it was being killed
    assert left.back.history.job.name == f"job {left.back.steps}"


def test_a_journal_that_has_grown_large_is_begun_anew_with_the_last_versions(tmp_path, monkeypatch):
    monkeypatch.setattr("silhueta.core.keep.keeper._LARGE", 20_000)
    monkeypatch.setattr("silhueta.core.keep.keeper._SHORT", 3)
    keeper = Keeper(tmp_path, print)
    rng = np.random.default_rng(4)
    versions = [Version("", Job("begun"))]
    keeper.tell(History(tuple(versions), 0, {"rough": versions[0].job}))
    assert keeper.wait()
    for k in range(12):
        far = circle_loop((k, 0), 3)
        wide = type(far)(rng.uniform(0, 99, (400, 2)))
        job = with_loops(Job(f"job {k}"), wide)
        versions.append(Version(f"step {k}", job))
        told = Told("step", job, f"step {k}", False, k + 1, True)
        keeper.tell(History(tuple(versions), k + 1, {"rough": versions[0].job}) if keeper.wants_all
                    else told)  # fmt: skip
        assert keeper.wait()
    assert len(list(tmp_path.glob("*.journal"))) == 1  # the old one went once the new one was whole
    assert next(tmp_path.glob("*.journal")).stat().st_size < 12 * 6400
    keeper.end(keep=True)
    (left,) = left_behind(tmp_path)
    assert left.back is not None
    history = left.back.history
    assert history.job.name == "job 11"
    assert 3 <= len(history.versions) < 12
    assert same(history.job, versions[-1].job)
    assert history.marks["rough"].name == "begun"


def test_a_disk_that_refuses_is_said_once_and_all_is_kept_once_it_takes_again(
    tmp_path, monkeypatch
):
    said: list[str] = []
    keeper = Keeper(tmp_path / "journals", said.append)
    (tmp_path / "journals").write_text("in the way")  # no folder can be made there
    history = History((Version("", Job()), Version("Draw", Job("b"))), 1, {})
    keeper.tell(history)
    assert keeper.wait()
    assert len(said) == 1
    assert "cannot be kept" in said[0]
    assert not keeper.wants_all  # not at once again
    assert keeper.refused
    monkeypatch.setattr("silhueta.core.keep.keeper._AGAIN", 0.0)
    assert keeper.wants_all
    (tmp_path / "journals").unlink()
    keeper.tell(history)
    assert keeper.wait()
    assert said[1:] == [""]
    assert not keeper.refused
    keeper.end(keep=True)
    (left,) = left_behind(tmp_path / "journals")
    assert left.back is not None
    assert left.back.history.job.name == "b"

"""Files that appear whole, together, or not at all: whatever stops their writer."""

import json
import os
import signal
import stat
import time
from contextlib import suppress
from pathlib import Path as File

import numpy as np
import pytest

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import all_or_none, finish_stopped, write_whole


def test_the_file_appears_whole_with_usual_rights(tmp_path):
    target = tmp_path / "part.dxf"
    write_whole(target, b"new")
    assert target.read_bytes() == b"new"
    mask = os.umask(0)
    os.umask(mask)
    assert stat.S_IMODE(target.stat().st_mode) == 0o666 & ~mask
    assert list(tmp_path.iterdir()) == [target]


def test_a_file_that_fails_its_proof_leaves_the_old_one_as_it_was(tmp_path):
    target = tmp_path / "part.dxf"
    target.write_bytes(b"old")

    def refuse(data: bytes) -> None:
        assert data == b"new"
        raise FileError("not what was meant")

    with pytest.raises(FileError, match="not what was meant"):
        write_whole(target, b"new", refuse)
    assert target.read_bytes() == b"old"
    assert list(tmp_path.iterdir()) == [target]


@pytest.mark.parametrize("name", ["gone/part.dxf", "."])
def test_a_target_that_cannot_be_written_says_where_and_why(tmp_path, name):
    with pytest.raises(FileError) as caught:
        write_whole(tmp_path / name, b"new")
    assert str(tmp_path) in str(caught.value)
    assert "\n" not in str(caught.value)


def together(data, *targets, then=None):
    with all_or_none():
        for target in targets:
            write_whole(target, data)
        if then is not None:
            then()


def test_of_several_files_all_are_put_in_place_or_none(tmp_path):
    first, second = tmp_path / "a.dxf", tmp_path / "b.svg"
    first.write_bytes(b"old")
    with pytest.raises(FileError):
        together(b"new", first, tmp_path / "gone" / "b.svg")
    assert first.read_bytes() == b"old"
    seen = []
    together(b"new", first, second, then=lambda: seen.append(first.read_bytes()))
    assert seen == [b"old"]
    assert (first.read_bytes(), second.read_bytes()) == (b"new", b"new")

    def put_a_folder_there():
        second.unlink()
        second.mkdir()

    with pytest.raises(FileError):  # as it is put in place
        together(b"newer", first, second, then=put_a_folder_there)
    assert first.read_bytes() == b"new"
    assert sorted(file.name for file in tmp_path.iterdir()) == ["a.dxf", "b.svg"]


def test_links_are_written_through_and_what_is_read_only_stays(tmp_path):
    real, link = tmp_path / "real.dxf", tmp_path / "link.dxf"
    real.write_bytes(b"old")
    link.symlink_to(real)
    write_whole(link, b"new")
    assert link.is_symlink()
    assert real.read_bytes() == b"new"
    real.chmod(0o444)
    with pytest.raises(FileError, match="read only"):
        write_whole(real, b"newer")
    assert real.read_bytes() == b"new"


def test_what_a_stopped_writer_left_is_cleared_away(tmp_path):
    left, fresh = tmp_path / ".part.dxf.abc.part", tmp_path / ".part.dxf.def.part"
    for file in (left, fresh):
        file.write_bytes(b"half")
    os.utime(left, (0, 0))
    write_whole(tmp_path / "part.dxf", b"new")
    assert not left.exists()
    assert fresh.exists()


def test_a_disk_without_hard_links_or_modes_will_do(tmp_path, monkeypatch):
    def refuse(*_args, **_more):
        raise PermissionError(1, "Operation not permitted")

    first, second = tmp_path / "a.dxf", tmp_path / "b.svg"
    first.write_bytes(b"old")
    monkeypatch.setattr(os, "link", refuse)
    monkeypatch.setattr(os, "chmod", refuse)
    together(b"new", first, second)
    assert first.read_bytes() == second.read_bytes() == b"new"
    assert sorted(file.name for file in tmp_path.iterdir()) == ["a.dxf", "b.svg"]


def _stopped(pause, targets, data, begin=None):
    """Write files together in a child that is killed after so many seconds."""
    child = os.fork()
    if child == 0:
        with suppress(BaseException):
            if begin is not None:
                begin()
            together(data, *targets)
        os._exit(0)
    time.sleep(pause)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)


def test_whoever_is_killed_leaves_all_old_or_all_new(tmp_path):
    targets = [tmp_path / name for name in ("part.dxf", "part.svg", "part.silhueta")]
    shares = np.random.default_rng(11).uniform(0.0, 1.2, 300)
    long = 0.01  # s that writing takes; more where the machine has other things to do
    for turn, share in enumerate(shares.tolist()):
        pause = share * long
        long *= 1.0 if any(target.exists() for target in targets) else 1.02
        _stopped(pause, targets, str(turn).encode() * 20_000)
        finish_stopped(tmp_path)
        found = {target.read_bytes() for target in targets if target.exists()}
        assert len(found) <= 1
        assert sum(target.exists() for target in targets) in (0, 3)
    assert found


def test_what_was_ready_is_put_in_place_by_the_next_that_comes(tmp_path):
    first, second = tmp_path / "a.dxf", tmp_path / "b.svg"
    together(b"old", first, second)

    def stop_after_one():
        real = File.replace

        def replace(self, target):
            made = real(self, target)
            if target == first:
                os.kill(os.getpid(), signal.SIGKILL)
            return made

        File.replace = replace

    _stopped(1.0, [first, second], b"new", stop_after_one)
    assert (first.read_bytes(), second.read_bytes()) == (b"new", b"old")
    write_whole(tmp_path / "c.dxf", b"other")
    assert (first.read_bytes(), second.read_bytes()) == (b"new", b"new")
    assert not list(tmp_path.glob("*.plan"))


def test_a_plan_from_a_stranger_moves_nothing(tmp_path):
    mine, bait = tmp_path / "mine.txt", tmp_path / "bait.part"
    mine.write_bytes(b"mine")
    bait.write_bytes(b"theirs")
    says = {"writer": 99_999_999, "files": [[str(bait), str(mine)]]}
    for words in (json.dumps(says), "[1", '{"writer": "x", "files": 3}', '{"files": [[1, 2]]}'):
        (tmp_path / ".a.plan").write_text(words)
        finish_stopped(tmp_path)
    assert mine.read_bytes() == b"mine"
    assert bait.exists()

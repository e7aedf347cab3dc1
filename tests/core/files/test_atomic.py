import os
import stat

import pytest

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import all_or_none, write_whole


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

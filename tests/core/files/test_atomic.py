import os
import stat

import pytest

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole


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

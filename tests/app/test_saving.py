"""Saving: nobody's work is written over, what a disk refuses is said, and the steps are kept."""

from __future__ import annotations

import errno
import os
from dataclasses import replace

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QMessageBox

from silhueta.app.main import work_done
from silhueta.app.window import Window
from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.job import Job
from silhueta.core.keep.places import under
from silhueta.core.keep.recover import left_behind
from tests.conftest import square


@pytest.fixture
def shown(qapp, tmp_path):
    """A function that shows a window; all of them share a folder for journals and locks."""
    windows = []

    def show(file=None) -> Window:
        window = Window(None, under(tmp_path / "state"))
        windows.append(window)
        window.show()
        if file is not None:
            window.filing.open_file(file)
            work_done(window)
        return window

    yield show
    for window in windows:
        window.session.mark_saved(window.session.job, window.session.file)
        window.close()
        window.deleteLater()


@pytest.fixture
def strap(tmp_path):
    """A job file."""
    job = replace(Job("Strap"), outline=Outline((Contour(square(40)),)))
    save_job(job, tmp_path / "strap.silhueta")
    return tmp_path / "strap.silhueta"


def edit(window: Window, name: str) -> None:
    window.session.apply(f"Name it {name}", lambda job: replace(job, name=name))


def save(window: Window) -> None:
    window.actions_.run("save")
    work_done(window)


def answer(button: str) -> None:
    """Press this button of the question that comes next."""

    def press() -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        next(one for one in box.buttons() if one.text() == button).click()

    QTimer.singleShot(100, press)


def test_two_windows_on_one_job(shown, strap):
    first, second = shown(strap), shown(strap)
    assert "open in another window" in second.notice.text
    edit(first, "first")
    save(first)
    assert load_job(strap).name == "first"
    assert not first.session.dirty
    assert "\nsaved " in first.traveller._about.text()  # told when it is done
    assert second.session.file is None  # it has a copy
    edit(first, "first again")
    assert "saved" not in first.traveller._about.text()
    first.session.undo()
    edit(second, "second")
    second.filing.saving.save_to(strap)
    assert "under another name" in second.notice.text
    assert load_job(strap).name == "first"
    second.filing.saving.save_to(strap.with_name("copy.silhueta"))
    work_done(second)
    assert load_job(strap.with_name("copy.silhueta")).name == "second"
    # once the first is closed the file is anybody's
    first.close()
    third = shown(strap)
    assert third.session.file == strap


@pytest.mark.parametrize(
    ("button", "mine", "theirs"),
    [
        ("Save mine beside it", "strap-2.silhueta", "strap.silhueta"),
        ("Put theirs aside", "strap.silhueta", "strap-theirs.silhueta"),
        ("Go on working", None, "strap.silhueta"),
    ],
)
def test_what_somebody_else_wrote_meanwhile_is_never_lost(shown, strap, button, mine, theirs):
    window = shown(strap)
    edit(window, "mine")
    save_job(Job("theirs"), strap)
    os.utime(strap, (1, 1))
    answer(button)
    save(window)
    assert load_job(strap.with_name(theirs)).name == "theirs"
    assert window.session.dirty is (mine is None)
    if mine is not None:
        assert load_job(strap.with_name(mine)).name == "mine"
        edit(window, "once more")
        save(window)  # nobody is asked again
        assert load_job(strap.with_name(mine)).name == "once more"


def test_a_disk_that_is_full_is_said_and_the_work_goes_on(shown, strap, monkeypatch):
    window = shown(strap)
    edit(window, "kept")
    assert window.keeping.wait()

    def full(_: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    with monkeypatch.context() as patch:
        patch.setattr("silhueta.core.files.atomic.os.fsync", full)
        save(window)
    assert "make room on that disk" in window.notice.text
    assert "your steps are kept" in window.notice.text
    assert load_job(strap).name == "Strap"
    assert [one.name for one in strap.parent.glob(".strap*")] == []
    assert window.session.dirty
    window.keeping.close(keep=True)  # as if it were killed now
    (left,) = left_behind(strap.parent / "state" / "journals")
    assert left.back is not None
    assert left.back.history.job.name == "kept"
    save(window)
    assert load_job(strap).name == "kept"


@pytest.mark.parametrize(
    ("number", "remedy"),
    [
        (errno.EROFS, "only be read"),
        (errno.ENAMETOOLONG, "shorter name"),
        (errno.EINVAL, "leave out"),
        (errno.EIO, "taken out"),
    ],
)
def test_what_a_disk_refuses_is_said_with_what_helps(tmp_path, monkeypatch, number, remedy):
    def refuse(*_: object, **__: object) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr("silhueta.core.files.atomic.tempfile.mkstemp", refuse)
    with pytest.raises(FileError, match=remedy):
        write_whole(tmp_path / "x.silhueta", b"x")

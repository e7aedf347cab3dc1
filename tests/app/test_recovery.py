"""A killed window: what it left is asked about once, and comes back with history and marks."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from silhueta.app.main import work_done
from silhueta.app.window import Window
from silhueta.core.files.job_file import load_job
from silhueta.core.keep.places import under
from silhueta.core.keep.recover import left_behind

LEAVER = """
    import os, sys
    from dataclasses import replace
    from pathlib import Path
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from silhueta.app.main import application, work_done
    from silhueta.app.window import Window
    application()
    from silhueta.core.keep.places import under
    window = Window(None, under(Path(sys.argv[1]).parent))
    window.show()
    window.filing.open_demo()
    work_done(window)
    session = window.session
    for name in ("first", "second", "third"):
        session.apply(f"Name it {name}", lambda job: replace(job, name=name))
        session.mark("before") if name == "first" else None
    session.undo()
    assert window.keeping.wait()
    print("ready", flush=True)
    window.keeping.wait(), __import__("time").sleep(60)
"""


@pytest.fixture
def left(tmp_path):
    """The folder in which a window that was killed has left its journal."""
    command = [sys.executable, "-c", textwrap.dedent(LEAVER), str(tmp_path / "journals")]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as window:
        assert window.stdout is not None
        assert window.stdout.readline() == "ready\n"
        os.kill(window.pid, signal.SIGKILL)
    return tmp_path / "journals"


@pytest.fixture
def shown(qapp):
    """A function that shows a window with a folder for its journal."""
    windows = []

    def show(folder) -> Window:
        window = Window(None, under(folder.parent))
        windows.append(window)
        window.show()
        return window

    yield show
    for window in windows:
        if window.recovery.dialog is not None:
            window.recovery.dialog.close()
        window.session.mark_saved(window.session.job, window.session.file)
        window.close()
        window.deleteLater()


@pytest.fixture
def start(shown, left):
    """A function that starts a window that looks for what was left."""

    def begin() -> Window:
        window = shown(left)
        window.recovery.look()
        work_done(window)
        return window

    return begin


def press(window: Window, name: str) -> None:
    dialog = window.recovery.dialog
    assert dialog is not None
    button = dialog.findChild(QPushButton, name)
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    QTest.qWait(50)
    work_done(window)


def test_going_on_where_a_window_was_killed(left, start):
    window = start()
    press(window, "left-go-on")
    session = window.session
    assert session.job.name == "second"
    assert (session.undo_label, session.redo_label) == ("Name it second", "Name it third")
    assert session.marks["before"].name == "first"
    assert session.dirty
    assert window.table.isVisible()
    assert window.recovery.dialog is None
    session.undo()
    assert session.job.name == "first"
    # it is kept from the first moment on, under a journal of this window's own
    assert window.keeping.wait()
    assert left_behind(left) == []  # held by this window
    assert len(list(left.glob("*.journal"))) == 1
    other = start()
    assert other.recovery.dialog is None  # and nobody is asked twice


def test_later_is_asked_no_more_and_shown_when_wanted(left, start, tmp_path, monkeypatch):
    window = start()
    press(window, "left-later")
    again = start()
    assert again.recovery.dialog is None
    again.actions_.run("recover")
    work_done(again)
    monkeypatch.setattr(
        "silhueta.app.recovery.QFileDialog.getSaveFileName",
        lambda *_: (str(tmp_path / "kept"), ""),
    )
    press(again, "left-save")
    kept = load_job(tmp_path / "kept.silhueta")
    assert (kept.name, len(kept.outline.contours) > 3) == ("second", True)
    assert left_behind(left) == []


def test_throwing_away_is_asked_once_more(left, start):
    window = start()
    press(window, "left-drop")
    assert len(left_behind(left)) == 0  # held while it is asked about
    assert list(left.glob("*.journal"))
    press(window, "left-drop")
    assert not list(left.glob("*.journal"))
    assert window.recovery.dialog is None


def test_a_window_that_is_closed_or_saved_leaves_nothing(shown, tmp_path):
    window = shown(tmp_path / "journals")
    window.filing.open_demo()
    work_done(window)
    assert not (tmp_path / "journals").exists()  # nothing yet that could be lost
    window.session.apply("Name it", lambda job: replace(job, name="kept"))
    assert window.keeping.wait()
    assert len(list((tmp_path / "journals").glob("*.journal"))) == 1
    window.session.mark_saved(window.session.job, tmp_path / "x.silhueta")
    window.close()
    assert not list((tmp_path / "journals").iterdir())

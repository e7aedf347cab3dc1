"""A fault of ours: said in plain words, the job safe, the log without names."""

from __future__ import annotations

import sys
from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from silhueta.app.fault import Faults
from silhueta.app.window import Window
from silhueta.core.keep.places import under
from silhueta.core.keep.recover import left_behind


@pytest.fixture
def window(qapp, tmp_path, monkeypatch):
    """A window that catches faults."""
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    made = Window(None, under(tmp_path))
    made.faults = Faults(made, tmp_path / "log" / "silhueta.log")
    made.show()
    yield made
    made.session.mark_saved(made.session.job, made.session.file)
    made.close()
    made.deleteLater()


def fail(window: Window, caplog) -> object:
    try:
        raise RuntimeError("heron.png in /home/ana is odd")
    except RuntimeError as error:
        window.faults.caught(type(error), error, error.__traceback__)
    assert "a fault in the window" in caplog.text
    caplog.clear()
    return window.faults.dialog


def press(dialog, name: str) -> None:
    QTest.mouseClick(dialog.findChild(QPushButton, name), Qt.MouseButton.LeftButton)


def test_one_can_go_on_and_copy_the_log(window, caplog):
    dialog = fail(window, caplog)
    assert dialog.isVisible()
    assert fail(window, caplog) is dialog  # no heap of dialogs
    press(dialog, "fault-copy")
    copied = QGuiApplication.clipboard().text()
    assert "RuntimeError" in copied
    assert "ana" not in copied
    assert "heron" not in copied
    dialog.names.setChecked(True)
    press(dialog, "fault-copy")
    assert "heron.png in /home/ana" in QGuiApplication.clipboard().text()
    press(dialog, "fault-go-on")
    assert not dialog.isVisible()


def test_starting_anew_keeps_the_journal(window, caplog, tmp_path, monkeypatch):
    window.session.apply("Name it", lambda job: replace(job, name="kept"))
    assert window.keeping.wait()
    started = []
    monkeypatch.setattr("silhueta.app.fault.QProcess.startDetached", lambda *a: started.append(a))
    monkeypatch.setattr(QApplication, "exit", lambda *_: None)
    press(fail(window, caplog), "fault-anew")
    assert started[0][1] == ["-m", "silhueta.app.main"]
    (left,) = left_behind(under(tmp_path).journals)
    assert left.back.history.job.name == "kept"

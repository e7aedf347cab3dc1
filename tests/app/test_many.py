"""Many at once in the window: begun, stopped, gone on with, and the bad one opened."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from silhueta.app.main import work_done
from silhueta.app.window import Window
from silhueta.core.keep.places import under


@pytest.fixture
def window(qapp, tmp_path):
    """A window, 29 scans and a file that is none, and a recipe."""
    (tmp_path / "scans").mkdir()
    for k in range(29):
        picture = np.full((300, 500), 255, np.uint8)
        picture[50:250, 50 : 250 + 6 * k] = 0
        cv2.imwrite(str(tmp_path / "scans" / f"scan{k}.png"), picture)
    (tmp_path / "scans" / "bad.png").write_bytes(b"none")
    (tmp_path / "recipe.toml").write_text("[trace]\ndpi = 254\n")
    made = Window(None, under(tmp_path / "places"))
    made.show()
    yield made
    made.session.mark_saved(made.session.job, made.session.file)
    made.close()
    made.deleteLater()


def test_thirty_scans_and_the_one_that_needs_a_hand(window, tmp_path, qtbot):
    window.actions_.run("many")
    dialog = window.many.dialog
    assert not dialog.begin.isEnabled()
    assert "Choose a folder of pictures" in dialog.begin.toolTip()
    dialog.sources.setText(str(tmp_path / "scans"))
    dialog.recipe.setText(str(tmp_path / "recipe.toml"))
    dialog.folder.setText(str(tmp_path / "out"))
    QTest.mouseClick(dialog.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: dialog.rows.rowCount() >= 2, timeout=60_000)
    QTest.mouseClick(dialog.end, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not dialog.busy, timeout=60_000)
    QTest.mouseClick(dialog.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not dialog.busy, timeout=60_000)
    assert dialog.note.text() == "30 pictures done; 1 needs a hand, a double click opens it"
    told = [[dialog.rows.item(r, c).text() for c in range(6)] for r in range(30)]
    assert told[0][0] == "bad.png"
    assert told[0][1].startswith("▲")
    assert sorted(row[0] for row in told[1:]) == sorted(f"scan{k}.png" for k in range(29))
    assert {row[1] for row in told[1:]} == {"✓ done"}
    assert next(row for row in told if row[0] == "scan10.png")[2].startswith("26.0")
    assert dialog.page.isEnabled()
    row = next(k for k in range(30) if told[k][0] == "scan3.png")
    dialog.open_job(row)
    work_done(window)
    assert window.session.file == tmp_path / "out" / "scan3.silhueta"
    # one that cannot be read is opened as the picture it is, and says why
    dialog.open_job(0)
    work_done(window)
    assert "not a picture" in window.notice.text


def test_the_present_jobs_steps_become_a_recipe(window, tmp_path, monkeypatch):
    window.filing.open_file(tmp_path / "scans" / "scan1.png")
    work_done(window)
    monkeypatch.setattr(
        "silhueta.app.many.QFileDialog.getSaveFileName", lambda *_: (str(tmp_path / "mine"), "")
    )
    window.actions_.run("recipe")
    assert "[trace]" in (tmp_path / "mine.toml").read_text()

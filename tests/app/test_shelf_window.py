"""The shelf in the window: last month's heron found by a word, laid in, opened, kept anew."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from silhueta.app.card_dialog import CardDialog
from silhueta.app.main import work_done
from silhueta.app.window import Window
from silhueta.core.card import Card
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job
from silhueta.core.keep.places import under
from tests.conftest import square


@pytest.fixture
def window(qapp, tmp_path):
    """A window with a shelf of two jobs and a file that is none."""
    places = under(tmp_path)
    places.shelf.mkdir()
    heron = (square(200), circle_loop((100, 100), 30))
    for name, loops, words in (
        ("heron", heron, ("garden", "bird")),
        ("strap", (square(40),), ("rudder",)),
    ):
        job = replace(Job(name.capitalize()), outline=Outline(tuple(map(Contour, loops))))
        save_job(replace(job, card=Card(words=words)), places.shelf / f"{name}.silhueta")
    (places.shelf / "broken.silhueta").write_bytes(b"none")
    made = Window(None, places)
    made.show()
    yield made
    made.session.mark_saved(made.session.job, made.session.file)
    made.close()
    made.deleteLater()


def shown(window: Window):
    window.actions_.run("shelf")
    work_done(window)
    dialog = window.shelving.dialog
    assert dialog is not None
    return dialog


def press(window: Window, dialog, name: str) -> None:
    QTest.mouseClick(dialog.findChild(QPushButton, name), Qt.MouseButton.LeftButton)
    work_done(window)


def test_a_job_is_found_by_a_word_and_opened(window):
    dialog = shown(window)
    assert [one.name for one in dialog.jobs.entries] == ["Strap", "Heron"]
    assert "2 jobs; 1 file cannot be read" in dialog.found.text()
    QTest.keyClicks(dialog.search, "gard")
    assert [one.name for one in dialog.jobs.entries] == ["Heron"]
    assert dialog.chosen.name == "Heron"
    assert "200.0 × 200.0 mm" in dialog._about.text()
    QTest.keyClicks(dialog.search, "en x")
    assert dialog.chosen is None
    assert "nothing is found" in dialog.found.text()
    button = dialog.findChild(QPushButton, "shelf-open")
    assert not button.isEnabled()
    assert button.toolTip()  # it says why
    dialog.search.setText("200 x 200")
    press(window, dialog, "shelf-open")
    assert window.session.job.name == "Heron"
    assert window.session.file == window.shelving.shelf().folder / "heron.silhueta"
    assert shown(window).jobs.entries[0].name == "Heron"  # it was used last


def test_a_copy_is_saved_elsewhere(window):
    dialog = shown(window)
    QTest.keyClicks(dialog.search, "heron")
    press(window, dialog, "shelf-copy")
    assert window.session.job.name == "Heron"
    assert window.session.file is None


def test_an_outline_is_laid_beside_the_present_one_as_one_step(window):
    dialog = shown(window)
    QTest.keyClicks(dialog.search, "strap")
    press(window, dialog, "shelf-open")
    dialog = shown(window)
    QTest.keyClicks(dialog.search, "heron")
    press(window, dialog, "shelf-lay-in")
    job = window.session.job
    assert window.present == "build"
    assert len(job.outline.contours) == 3
    assert job.outline.bounds == pytest.approx((0, 0, 40 + 10 + 200, 200))
    assert len({contour.key for contour in job.outline.contours}) == 3
    assert len({contour.group for contour in job.outline.contours[1:]}) == 1
    window.session.undo()
    assert len(window.session.job.outline.contours) == 1


def test_the_present_job_is_kept_with_its_card(window):
    dialog = shown(window)
    QTest.keyClicks(dialog.search, "strap")
    press(window, dialog, "shelf-copy")

    def fill() -> None:
        card = QApplication.activeModalWidget()
        assert isinstance(card, CardDialog)
        for name, text in (("name", 'Strap 3/4"'), ("words", "boat, wide"), ("customer", "Cais")):
            field = card.findChild(QLineEdit, f"card-{name}")
            field.selectAll()
            QTest.keyClicks(field, text)
        QTest.mouseClick(card.findChild(QPushButton, "card-keep"), Qt.MouseButton.LeftButton)

    QTimer.singleShot(100, fill)
    window.actions_.run("keep")
    work_done(window)
    kept = load_job(window.shelving.shelf().folder / "Strap 3_4_.silhueta")
    assert kept.name == 'Strap 3/4"'
    assert kept.card == Card("", ("boat", "wide"), "", "Cais")
    assert not window.session.dirty
    assert [one.name for one in shown(window).jobs.entries if one.customer] == ['Strap 3/4"']
    QTimer.singleShot(100, fill)
    window.actions_.run("keep")  # where it is already
    work_done(window)
    assert len(list(window.shelving.shelf().folder.glob("Strap*"))) == 1

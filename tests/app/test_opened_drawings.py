"""Drawings that are opened: SVG with outlines, pictures, both, or nothing."""

from collections import Counter
from dataclasses import replace

import ezdxf
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDialog, QLabel, QMessageBox, QPushButton

from silhueta.core.files.job_file import load_job
from tests.conftest import encoded

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">'
    '<path d="M5 5H55V35H5Z"/><circle cx="30" cy="20" r="8"/>{more}</svg>'
)
from tests.app.conftest import size


def test_the_outlines_of_an_svg_are_taken_at_their_own_size(hand, tmp_path):
    file = tmp_path / "plate.svg"
    file.write_text(SVG.format(more=""))
    hand.open(file)
    assert hand.window.present == "tidy"
    assert size(hand) == pytest.approx((50, 30))
    hand.window.go("trace")
    assert "no picture to work on" in hand.window.sheets["trace"].result.text()
    hand.window.go("tidy")
    hand.click("next")
    assert hand.window.present == "true_up"
    hand.click("next")
    assert hand.window.present == "build"
    hand.click("next")
    assert hand.window.present == "inspect"
    hand.click("next")
    hand.answer = tmp_path / "plate.dxf"
    hand.click("next")
    hand.settle()
    assert "2 loops closed" in hand.window.sheets["cut_file"].result.text()
    hand.answer = tmp_path / "plate.silhueta"
    hand.key(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    hand.open(tmp_path / "plate.silhueta")
    assert size(hand) == pytest.approx((50, 30))


@pytest.mark.parametrize("outlines", [True, False])
def test_an_svg_with_both_asks_which(hand, tmp_path, monkeypatch, outlines):
    import base64

    grey = np.full((80, 120), 240, np.uint8)
    grey[20:60, 30:90] = 20
    inside = base64.b64encode(encoded(Image.fromarray(grey), "PNG").data).decode()
    file = tmp_path / "both.svg"
    file.write_text(SVG.format(more=f'<image href="data:image/png;base64,{inside}"/>'))
    asked = []

    def answer(box):
        asked.append(box.text())
        next(b for b in box.buttons() if ("outlines" in b.text()) == outlines).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    hand.open(file)
    assert asked == ["“both.svg” holds 2 outlines, and a picture as well."]
    assert (hand.window.session.job.picture is None) == outlines


def answered(monkeypatch, choice):
    """Answer every question with one of its buttons; return what was asked."""
    asked = []

    def answer(box):
        asked.append(box.text())
        next(b for b in box.buttons() if b.text() == choice).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return asked


@pytest.mark.parametrize(
    ("choice", "loops", "high"),
    [("Take what is to be seen", 2, 40), ("Take all lines", 4, 40), ("Do not open it", 0, None)],
)
def test_filled_shapes_come_as_they_look_or_with_all_their_lines(
    hand, tmp_path, monkeypatch, choice, loops, high
):
    file = tmp_path / "handle.svg"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" viewBox="0 0 90 60">'
        '<g fill="#223"><rect x="5" y="20" width="60" height="20"/><circle cx="65" cy="30" r="20"/>'
        '<rect x="10" y="25" width="9" height="9"/></g>'
        '<circle cx="65" cy="30" r="9" fill="white"/></svg>'
    )
    asked = answered(monkeypatch, choice)
    hand.open(file)
    assert asked == ["“handle.svg” has a shape that others hide."]
    assert len(hand.window.session.job.outline.contours) == loops
    if high:
        assert size(hand) == pytest.approx((80, high))


@pytest.mark.parametrize(("choice", "loops"), [("Open it all the same", 2), ("Do not open it", 0)])
def test_a_drawing_that_takes_long_is_asked_about(hand, tmp_path, monkeypatch, choice, loops):
    from silhueta.core.files import drawing_open

    monkeypatch.setattr(drawing_open, "MANY_SHAPES", 1)
    file = tmp_path / "plates.svg"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" viewBox="0 0 90 60">'
        '<rect x="5" y="20" width="20" height="20"/><rect x="45" y="20" width="20" height="20"/>'
        "</svg>"
    )
    asked = answered(monkeypatch, choice)
    hand.open(file)
    told = "8 lines and curves in 2 paths, which may take a minute or more"
    assert asked == [f"“plates.svg” holds {told}."]
    assert len(hand.window.session.job.outline.contours) == loops


def test_an_svg_with_nothing_in_it_is_explained(hand, tmp_path):
    file = tmp_path / "empty.svg"
    file.write_text('<svg xmlns="http://www.w3.org/2000/svg"><text>x</text></svg>')
    hand.open(file)
    assert "neither outlines nor a picture" in hand.window.notice.text


def test_what_is_edited_while_a_file_is_read_is_asked_about(hand, plate_png, monkeypatch):
    hand.open(plate_png)
    session = hand.window.session
    session.mark_saved(session.job, plate_png.with_suffix(".silhueta"))
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()))
    hand.window.filing.open_file(plate_png)
    session.apply("Rename", lambda job: replace(job, name="Edited meanwhile"))
    hand.settle()
    assert len(asked) == 1
    assert session.job.name == "Edited meanwhile"  # no answer: it stays


def test_a_file_is_not_replaced_under_a_name_that_the_dialog_did_not_know(
    hand, plate_png, monkeypatch
):
    hand.open(plate_png)
    there = plate_png.with_name("kept.silhueta")
    there.write_bytes(b"another's")
    hand.answer = there.with_suffix("")
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()))
    hand.window.filing.saving.save_as()
    hand.settle()
    assert asked == ["kept.silhueta exists already."]
    assert there.read_bytes() == b"another's"


def test_a_save_is_finished_whatever_is_opened_meanwhile(hand, plate_png, tmp_path):
    hand.open(plate_png)
    session = hand.window.session
    hand.answer = tmp_path / "kept.silhueta"
    hand.window.filing.saving.save_as()
    session.mark_saved(session.job, tmp_path / "before.silhueta")  # nothing to be asked about
    hand.window.filing.open_demo("gasket")
    hand.settle()
    hand.settle()
    assert load_job(tmp_path / "kept.silhueta").name == "Plate"
    assert session.file is None  # another job is open by then, or the save is its own


@pytest.mark.parametrize("opens", [True, False])
def test_layers_of_others_are_asked_about(hand, tmp_path, monkeypatch, opens):
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (80, 0), (80, 40), (0, 40)], close=True)
    for at in (20, 60):
        space.add_circle((at, 20), 5, dxfattribs={"layer": "Bores"})
    space.add_line((0, 20), (80, 20), dxfattribs={"layer": "Centre lines"})
    space.add_line((10, 5), (70, 5), dxfattribs={"layer": "MARK"})
    document.saveas(tmp_path / "strap.dxf")
    asked = []

    def answer(dialog):
        asked.extend(label.text() for label in dialog.findChildren(QLabel))
        ways = {way.accessibleName(): way for way in dialog.findChildren(QComboBox)}
        assert ways["How MARK is worked"].currentText() == "Mark"
        QTest.keyClicks(ways["How Bores is worked"], "Eng")
        QTest.keyClicks(ways["How Centre lines is worked"], "Sk")
        words = "Open it so" if opens else "Do not open it"
        buttons = dialog.findChildren(QPushButton)
        QTest.mouseClick(next(b for b in buttons if b.text() == words), Qt.MouseButton.LeftButton)
        return dialog.result()

    monkeypatch.setattr(QDialog, "exec", answer)
    hand.open(tmp_path / "strap.dxf")
    assert asked[0] == "“strap.dxf” has 4 layers. How is each worked?"
    outline = hand.window.session.job.outline
    found = Counter((c.operation, c.taken, c.path.closed) for c in outline.contours)
    assert found == (
        {
            ("cut", True, True): 1,
            ("engrave", True, True): 2,
            ("cut", False, False): 1,
            ("mark", True, False): 1,
        }
        if opens
        else {}
    )

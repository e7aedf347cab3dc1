"""A whole job: a picture in, true size, traced, a cut file out, by mouse and keys."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from silhueta.app.main import run_demo
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box
from silhueta.demo.gasket import BOLT_MM, BORE_MM, PICTURE

ALT = Qt.KeyboardModifier.AltModifier


def test_the_gasket_from_the_demo_to_both_files_in_six_actions(hand, tmp_path):
    window = hand.window
    hand.click("start-demo")  # 1
    hand.settle()
    assert window.session.job.name == "Capstan gasket"
    assert window.present == "trace"
    hand.key(Qt.Key.Key_8, ALT)  # 2: straight on to Cut file
    assert window.present == "cut_file"
    hand.answer = tmp_path / "gasket.dxf"
    hand.click("next")  # 3: save DXF
    hand.settle()
    assert "Saved gasket.dxf and read back" in window.sheets["cut_file"].result.text()
    hand.click("choice-svg")  # 4
    hand.click("choice-in")  # 5
    hand.answer = tmp_path / "gasket"  # the ending is put on
    hand.click("next")  # 6
    hand.settle()
    tagged = read_tags((tmp_path / "gasket.dxf").read_bytes())
    circles = [full_circle(path) for path in tagged.paths]
    diameters = sorted(2 * c[1] for c in circles if c is not None)
    assert diameters == pytest.approx([BOLT_MM] * 6 + [BORE_MM], abs=0.01)
    svg = inspect_file(tmp_path / "gasket.svg")
    assert svg["file_units"] == "in"
    box = bounding_box(tagged.paths)
    assert svg["size_mm"] == pytest.approx([box[2], box[3]], abs=0.01)
    assert svg["open_paths"] == 0


def test_a_picture_of_ones_own_with_its_width_known(hand, tmp_path):
    from PIL import Image

    Image.open(PICTURE).save(tmp_path / "photo.webp", lossless=True)  # a WebP says no dpi
    hand.open(tmp_path / "photo.webp")
    window = hand.window
    assert window.present == "scale"
    hand.type(window.sheets["scale"].pages.overall, "111.98")
    hand.settle()
    hand.click("next")
    assert window.present == "trace"
    QTest.keyClick(window.fade.slider, Qt.Key.Key_End)  # look at it as lines only
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "part.dxf"
    hand.click("next")
    hand.settle()
    box = bounding_box(read_tags((tmp_path / "part.dxf").read_bytes()).paths)
    assert box[2] == pytest.approx(111.98, abs=1e-4)
    assert box[3] == pytest.approx(101.19, abs=0.02)


def test_a_change_after_saving_is_said_and_undo_takes_it_back(hand, tmp_path):
    window = hand.window
    hand.click("start-demo")
    hand.settle()
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "gasket.dxf"
    hand.click("next")
    hand.settle()
    hand.key(Qt.Key.Key_3, ALT)
    hand.click("choice-outer")
    hand.settle()
    hand.key(Qt.Key.Key_8, ALT)
    assert "changed since" in window.sheets["cut_file"].result.text()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert "changed since" not in window.sheets["cut_file"].result.text()
    assert len(window.session.job.outline.taken) == 8


def test_a_file_that_cannot_be_written_is_said_and_nothing_is_lost(hand, tmp_path):
    hand.click("start-demo")
    hand.settle()
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "gone" / "gasket.dxf"
    hand.click("next")
    hand.settle()
    assert "Cannot write" in hand.window.notice.text
    assert "choose a folder" in hand.window.notice.text
    assert len(hand.window.session.job.outline.taken) == 8


def test_the_demo_without_a_display_leaves_a_picture(qapp, tmp_path):
    assert run_demo(tmp_path / "out" / "demo.png") == 0
    assert (tmp_path / "out" / "demo.png").stat().st_size > 50_000

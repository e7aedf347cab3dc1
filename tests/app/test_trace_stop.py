"""The worksheet of Trace, driven by hand."""

import io

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt

from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import Loop


@pytest.fixture
def two_colours(tmp_path):
    rgb = np.full((300, 400, 3), 240, np.uint8)
    rgb[60:140, 60:180] = (200, 30, 40)
    rgb[160:240, 220:340] = (30, 60, 200)
    file = tmp_path / "two.png"
    stored = io.BytesIO()
    Image.fromarray(rgb).save(stored, "PNG", dpi=(254, 254))
    file.write_bytes(stored.getvalue())
    return file


def trace_sheet(hand):
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    return hand.window.sheets["trace"]


def box(hand):
    return bounding_box(hand.window.session.job.outline.taken)


def test_the_part_is_told_apart_by_a_colour_clicked_in_the_picture(hand, two_colours):
    hand.open(two_colours)
    sheet = trace_sheet(hand)
    assert len(hand.window.session.job.outline.loops) == 2
    hand.click("choice-colour")
    hand.click_picture(280, 200)
    hand.settle()
    hand.settle()
    assert hand.window.session.job.trace.mode == "colour"
    assert box(hand) == pytest.approx((22, 6, 34, 14), abs=0.1)
    hand.type(sheet.modes.distance, "900")
    assert "differences" in sheet.fault.text()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert len(hand.window.session.job.outline.loops) == 2


@pytest.mark.parametrize("mode", ["band", "local", "part"])
def test_each_mode_shows_its_own_controls_and_traces(hand, plate_png, mode):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    before = box(hand)
    hand.click(f"choice-{mode}")
    hand.settle()
    if mode == "band":
        hand.type(sheet.modes.low, "0")
        hand.type(sheet.modes.high, "127")
        hand.settle()
    assert sheet.modes.low.isVisible() == (mode == "band")
    assert sheet.modes.window_side.isVisible() == (mode == "local")
    assert sheet.threshold.isVisible() is False
    assert box(hand) == pytest.approx(before, abs=0.15)


def test_a_patch_is_two_clicks_and_can_be_taken_away(hand, plate_png):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    hand.click("more")
    holes = len(hand.window.session.job.outline.loops)
    assert holes == 2
    sheet.more.patch_box.click()
    hand.click_picture(230, 130)  # round the hole
    hand.click_picture(470, 370)
    hand.settle()
    rule = sheet.more.findChild(object, "patch-0")
    rule.setCurrentIndex(rule.findData("solid"))
    rule.activated.emit(rule.currentIndex())
    hand.settle()
    assert len(hand.window.session.job.outline.loops) == 1
    hand.window.table.grab()  # its border is painted
    assert "patches" in hand.window.table.overlays
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert not hand.window.session.job.trace.patches
    assert len(hand.window.session.job.outline.loops) == holes


def test_the_deviation_is_shown_and_its_worst_place_reached(hand, plate_png):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    assert "largest" in sheet.result.text()
    hand.click("show-deviation")
    hand.settle()
    assert "deviation" in hand.window.table.overlays
    hand.window.table.grab()
    hand.click("worst")
    table = hand.window.table
    assert table.view.px_per_mm * table.mm_per_px == pytest.approx(20, rel=0.01)
    x, y = hand.window.tracing.deviation.worst_place()
    assert (table.view.centre.x(), table.view.centre.y()) == pytest.approx((x, y))
    table.grab()
    hand.key(Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier)
    assert "deviation" not in table.overlays


def test_the_deviation_shown_is_that_of_the_outline_shown(hand, plate_png):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    hand.click("show-deviation")
    first = hand.window.tracing.deviation
    hand.type(sheet.tolerance, "2 mm")
    hand.settle()
    second = hand.window.tracing.deviation
    assert second is not first
    assert hand.window.table.overlays["deviation"].shows(second, "mm")
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    # the outline of before is back at once; what belongs to another is not laid over it
    assert hand.window.tracing.deviation is None
    assert "deviation" not in hand.window.table.overlays
    sheet.show_deviation.click()
    sheet.show_deviation.click()
    hand.settle()
    again = hand.window.tracing.deviation
    assert again.worst == pytest.approx(first.worst)
    assert hand.window.table.overlays["deviation"].shows(again, "mm")


def test_a_pen_line_becomes_one_loop(hand, tmp_path):
    grey = np.full((300, 400), 245, np.uint8)
    grey[60:240, 80:320] = 20
    grey[67:233, 87:313] = 245
    file = tmp_path / "line.png"
    Image.fromarray(grey).save(file, dpi=(254, 254))
    hand.open(file)
    sheet = trace_sheet(hand)
    assert len(hand.window.session.job.outline.loops) == 2
    hand.click("more")
    hand.click("choice-centre")
    hand.settle()
    (loop,) = hand.window.session.job.outline.taken
    assert isinstance(loop, Loop)
    assert box(hand) == pytest.approx((8.35, 6.35, 31.65, 23.65), abs=0.1)
    assert "0.7" in sheet.more.line_width.text()


def test_noise_is_asked_about_before_it_drowns_anybody(hand, tmp_path):
    grey = np.random.default_rng(2).integers(0, 256, (1200, 1200), np.uint8)
    grey[300:900, 300:900] = 0
    file = tmp_path / "noise.png"
    Image.fromarray(grey).save(file, dpi=(254, 254))
    hand.open(file)
    sheet = trace_sheet(hand)
    hand.type(sheet.speck, "0.04 mm²")
    hand.settle()
    assert "probably noise" in sheet.result.text()
    assert sheet.leave_specks.isVisible()
    hand.click("leave-specks")
    hand.settle()
    assert 1 <= len(hand.window.session.job.outline.loops) <= 1000
    assert not sheet.leave_specks.isVisible()


def test_the_emblem_comes_apart_into_its_colours(hand):
    hand.window.filing.open_demo("emblem")
    hand.settle()
    hand.settle()
    sheet = trace_sheet(hand)
    contours = hand.window.session.job.outline.contours
    assert len({c.colour for c in contours if c.taken}) == 4
    assert not sheet.modes.mode.isVisible()
    hand.click("more")
    hand.type(sheet.more.split, "99")
    assert "number of colours" in sheet.fault.text()
    hand.type(sheet.more.split, "0")
    hand.settle()
    hand.click("count-colours")
    hand.settle()
    hand.settle()
    assert hand.window.session.job.trace.split == 5
    hand.type(sheet.more.split, "0")
    hand.settle()
    assert all(c.colour is None for c in hand.window.session.job.outline.contours)

"""The worksheet of Trace, driven by hand."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QStyle, QStyleOptionSlider

from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.transform import transform
from silhueta.core.job import is_stale, set_outline


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


def shifted(path):
    return transform(path, np.eye(2), (3.0, 3.0))


def box(hand):
    return bounding_box(hand.window.session.job.outline.taken)


def test_the_part_is_told_apart_by_a_colour_clicked_in_the_picture(hand, two_colours):
    hand.open(two_colours)
    sheet = trace_sheet(hand)
    assert hand.window.session.job.trace.read == "colours"
    hand.click("choice-solid")
    hand.settle()
    hand.settle()
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
    assert hand.window.session.job.trace.read == "line"  # seen on opening
    hand.click("choice-solid")
    hand.settle()
    hand.settle()
    assert len(hand.window.session.job.outline.loops) == 2
    hand.click("choice-line")
    hand.settle()
    hand.settle()
    hand.click("more")
    (loop,) = hand.window.session.job.outline.taken
    assert isinstance(loop, Loop)
    assert box(hand) == pytest.approx((8.35, 6.35, 31.65, 23.65), abs=0.1)
    assert "0.7" in sheet.more.line_width.text()


def test_noise_is_asked_about_before_it_drowns_anybody(hand, tmp_path):
    grey = np.random.default_rng(2).integers(0, 256, (1500, 1500), np.uint8)
    grey[300:900, 300:900] = 0
    file = tmp_path / "noise.png"
    Image.fromarray(grey).save(file, dpi=(254, 254))
    hand.open(file)
    sheet = trace_sheet(hand)
    hand.click("choice-solid")
    hand.settle()
    hand.settle()
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


def part_of_the_screen(hand, x, y):
    """Whether the table shows a pixel of the picture as part, as a preview paints it."""
    at = hand.at(x, y)
    return hand.window.table.grab().toImage().pixelColor(at).name() == "#3d4348"


def press_and_drag(widget, start, end):
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(widget, end)


def test_a_band_is_dragged_on_the_hills_and_shown_at_once(hand, plate_png):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    hand.click("choice-band")
    hand.settle()
    hills, job = sheet.histogram, hand.window.session
    x = int(hills._x(64))  # the lower end, to the left over the plate's own black
    press_and_drag(hills, QPoint(x, 20), QPoint(0, 20))
    assert job.job.trace.band[0] == 0
    assert part_of_the_screen(hand, 120, 120)
    assert not part_of_the_screen(hand, 20, 20)
    QTest.mouseRelease(hills, Qt.MouseButton.LeftButton, pos=QPoint(0, 20))
    hand.settle()
    assert job.job.trace.band[1] == 192
    assert len(job.job.outline.loops) == 2
    assert not part_of_the_screen(hand, 120, 120)
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)  # the drag is one step
    assert job.job.trace.band[0] == 64


def held(slider):
    """Take hold of a slider, at the middle of its handle."""
    option = QStyleOptionSlider()
    slider.initStyleOption(option)
    style = slider.style()
    handle = style.subControlRect(
        QStyle.ComplexControl.CC_Slider, option, QStyle.SubControl.SC_SliderHandle, slider
    ).center()
    QTest.mousePress(slider, Qt.MouseButton.LeftButton, pos=handle)
    return handle


@pytest.mark.parametrize("mode", ["local", "colour"])
def test_sliding_a_window_or_a_distance_shows_what_it_takes(hand, two_colours, mode):
    hand.open(two_colours)
    sheet = trace_sheet(hand)
    hand.click("choice-solid")
    hand.settle()
    hand.settle()
    hand.click(f"choice-{mode}")
    if mode == "colour":
        hand.click_picture(100, 100)
        hand.settle()
    hand.settle()
    slider = sheet.modes.window_slider if mode == "local" else sheet.modes.distance_slider
    at = held(slider)
    QTest.mouseMove(slider, at + QPoint(-12, 0))
    assert part_of_the_screen(hand, 100, 100)
    assert part_of_the_screen(hand, 280, 200) is (mode == "local")
    QTest.mouseMove(slider, at + QPoint(200, 0))
    assert part_of_the_screen(hand, 280, 200)
    QTest.mouseRelease(slider, Qt.MouseButton.LeftButton, pos=at)
    hand.settle()
    assert not part_of_the_screen(hand, 100, 100)


def test_a_loop_under_the_speck_limit_pales_while_the_limit_is_slid(hand, two_colours):
    hand.open(two_colours)
    sheet = trace_sheet(hand)
    hand.window.tracing.bench.stop()
    at = held(sheet.speck_slider)
    QTest.mouseMove(sheet.speck_slider, at + QPoint(300, 0))
    table = hand.window.table
    assert table._outline.least > 96  # mm², each of the two
    ink = hand.window.table.grab().toImage()
    QTest.mouseRelease(sheet.speck_slider, Qt.MouseButton.LeftButton, pos=at)
    assert table._outline.least == 0
    assert table.grab().toImage() != ink


def test_one_patch_is_traced_again_also_where_a_hand_has_been(hand, plate_png):
    hand.open(plate_png)
    sheet, session = trace_sheet(hand), hand.window.session
    hand.click("more")
    hand.click("patch-area")
    for x, y in ((280, 140), (420, 140), (420, 170), (280, 170), (280, 140)):
        hand.click_picture(x, y)  # over the hole's top
    hand.settle()
    outer, hole = sorted(session.job.outline.contours, key=lambda c: bounding_box([c.path])[0])
    mine = [replace(c, path=shifted(c.path), origin="edited") for c in (outer, hole)]
    edited = Outline(tuple(mine))
    session.apply("edit", lambda job: set_outline(job, edited, job.traced))
    hand.type(sheet.tolerance, "0.04 mm")
    hand.settle()
    assert session.job.outline.contours == edited.contours
    assert "Kept as they were: 2" in sheet.result.text()
    hand.window.table.grab()
    assert hand.window.table.overlays["kept"].contours == edited.contours
    hand.click("again-0")
    hand.settle()
    assert session.job.outline.contours[0] is mine[0]
    assert bounding_box([session.job.outline.contours[1].path]) == pytest.approx(
        (25, 15, 45, 35), abs=0.05
    )
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.job.outline.contours == edited.contours


def test_the_deviation_of_each_loop_is_listed_and_leads_to_its_place(hand, plate_png):
    hand.open(plate_png)
    sheet = trace_sheet(hand)
    hand.click("show-deviation")
    hand.settle()
    rows = [sheet.by_loop.list.item(i).text() for i in range(sheet.by_loop.list.count())]
    assert sorted(row.split("\n")[0] for row in rows) == [
        "Hole 20.0 mm × 20.0 mm",
        "Loop 60.0 mm × 40.0 mm",
    ]
    loops = hand.window.tracing.deviation.by_loop()
    assert loops[0].worst > loops[1].worst
    place = sheet.by_loop.list.visualItemRect(sheet.by_loop.list.item(1)).center()
    QTest.mouseClick(sheet.by_loop.list.viewport(), Qt.MouseButton.LeftButton, pos=place)
    centre = hand.window.table.view.centre
    assert (centre.x(), centre.y()) == pytest.approx(loops[1].place)


def test_the_wheel_over_a_slider_changes_nothing(hand, plate_png):
    hand.open(plate_png)
    slider = trace_sheet(hand).speck_slider
    before, at = hand.window.session.job, QPointF(slider.rect().center())
    wheel = QWheelEvent(
        at,
        QPointF(slider.mapToGlobal(at.toPoint())),
        QPoint(0, 0),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(slider, wheel)
    assert hand.window.session.job is before


def test_only_the_worksheet_that_is_seen_is_refreshed(hand, plate_png, monkeypatch):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    scale = hand.window.sheets["scale"]
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    seen = []
    kept = scale.refresh
    monkeypatch.setattr(scale, "refresh", lambda job: (seen.append(job), kept(job)))
    hand.type(hand.window.sheets["trace"].speck, "7")
    assert seen == []
    hand.key(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier)
    assert seen[-1] is hand.window.session.job
    assert seen[-1].trace.speck == 7


def test_a_trace_that_was_undone_while_it_ran_is_made_when_it_is_done_again(hand, plate_png):
    hand.open(plate_png)
    trace_sheet(hand)
    hand.click("choice-solid")
    hand.settle()
    hand.settle()
    session = hand.window.session
    settings = replace(session.job.trace, threshold=90.0)
    session.apply("Threshold", lambda job: replace(job, trace=settings))
    assert is_stale(session.job)
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not is_stale(session.job)
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    hand.settle()
    hand.settle()
    assert session.job.trace.threshold == 90.0
    assert not is_stale(session.job)

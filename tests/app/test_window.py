"""The window by mouse and keys."""

from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QLineEdit,
    QMessageBox,
    QSlider,
    QWidget,
)

from silhueta.app.finder import Finder
from silhueta.app.stops.route import STOPS
from silhueta.core.datums import DpiDatum, LengthDatum, OverallDatum
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.job import is_stale

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def sizes(hand) -> tuple[float, float]:
    left, bottom, right, top = bounding_box(hand.window.session.job.outline.taken)
    return right - left, top - bottom


def test_an_empty_window_says_what_to_do(hand):
    window = hand.window
    assert window.start_card.isVisible()
    assert window.sheets["picture"].next.text() == "Open a picture…"
    assert not window.bar.buttons["save"].isEnabled()
    assert "there is no picture yet" in window.bar.buttons["save"].toolTip()
    assert "nothing was changed yet" in window.bar.buttons["undo"].toolTip()


def test_a_picture_with_its_dpi_is_traced_at_once(hand, plate_png):
    hand.open(plate_png)
    window = hand.window
    assert not window.start_card.isVisible()
    assert window.session.job.datums == (DpiDatum(254, "file"),)
    assert sizes(hand) == pytest.approx((60, 40), abs=0.02)
    assert window.present == "trace"
    states = {stop.key: stop.state(window.session.job) for stop in STOPS}
    assert states["picture"].result == "plate.png"
    assert states["scale"].result == "0.1 mm per pixel, from 254 dpi in the file"
    assert states["trace"].result == "2 loops, 5 segments"
    assert all(states[key].done for key in ("picture", "scale", "trace"))
    figures = {name: figure for group in window.readout.groups() for name, figure, _ in group}
    assert figures["width"] == "60.00"
    assert figures["loops"] == "2 closed"
    assert figures["segments"] == "5"


def test_a_picture_without_dpi_asks_for_its_size(hand, plate_png, tmp_path):
    Image.open(plate_png).save(tmp_path / "screen.png", dpi=(72, 72))
    hand.open(tmp_path / "screen.png")
    window = hand.window
    assert window.present == "scale"
    assert "Not true to size yet" in window.sheets["scale"].result.text()
    assert STOPS[1].state(window.session.job).wanted == 1
    units = {
        unit for group in window.readout.groups() for name, _, unit in group if name == "width"
    }
    assert units == {"px"}
    hand.key(Qt.Key.Key_8, ALT)
    cut = window.sheets["cut_file"]
    assert not cut.next.isEnabled()
    assert "the size is not known yet" in cut.next.toolTip()


@pytest.mark.parametrize(
    ("typed", "wide"),
    [("120", 120), ("120 mm", 120), ("7 in", 177.8), ("3 3/8 in", 85.725), ("12 cm", 120)],
)
def test_an_overall_width_in_any_unit(hand, plate_png, typed, wide):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-overall")
    hand.type(hand.window.sheets["scale"].pages.overall, typed)
    hand.settle()
    assert sizes(hand) == pytest.approx((wide, wide * 2 / 3), rel=1e-3)
    assert sizes(hand)[0] == pytest.approx(wide, rel=1e-9)
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.settle()
    assert sizes(hand) == pytest.approx((60, 40), abs=0.02)


def test_two_picked_points_and_their_distance(hand, plate_png):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-length")
    hand.click("pick-two-points")
    assert hand.window.table.pick is not None
    hand.click_picture(50, 250)
    hand.window.table.grab()  # the loupe is painted on the way
    hand.click_picture(650, 250)
    assert hand.window.table.pick is None
    sheet = hand.window.sheets["scale"]
    assert sheet.pages.length.hasFocus()
    hand.type(sheet.pages.length, "300 mm")
    hand.settle()
    datum = hand.window.session.job.datums[0]
    assert isinstance(datum, LengthDatum)
    assert datum.start == pytest.approx((50, 250), abs=1)
    assert sizes(hand)[0] == pytest.approx(300, rel=0.005)


def test_points_can_be_picked_by_keys_and_taken_back(hand, plate_png):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_K, CTRL)
    finder = hand.window.findChild(Finder)
    QTest.keyClicks(finder.field, "pick two")
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    table = hand.window.table
    tool = table.pick
    QTest.keyClick(table, Qt.Key.Key_Return)
    for _ in range(4):
        QTest.keyClick(table, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(table, Qt.Key.Key_Up)
    assert (tool.at.x() - tool.points[0][0], tool.at.y() - tool.points[0][1]) == pytest.approx(
        (80, -0.5), abs=0.01
    )
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert tool.points == []
    assert table.pick is tool
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.pick is None


@pytest.mark.parametrize(
    ("typed", "says"), [("abc", "not a length"), ("-5 mm", "negative"), ("0", "zero")]
)
def test_nonsense_lengths_are_explained_and_change_nothing(hand, plate_png, typed, says):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-overall")
    before = hand.window.session.job
    sheet = hand.window.sheets["scale"]
    hand.type(sheet.pages.overall, typed)
    assert hand.window.session.job is before
    assert says in sheet.fault.text()
    assert sheet.pages.overall.property("wrong")
    hand.type(sheet.pages.overall, "90")
    hand.settle()
    assert not sheet.pages.overall.property("wrong")
    assert not sheet.fault.isVisible()
    assert sizes(hand)[0] == pytest.approx(90)


def test_dragging_the_threshold_is_live_and_one_step(hand, plate_png):
    hand.open(plate_png)
    window, sheet = hand.window, hand.window.sheets["trace"]
    before = window.session.job
    bar = sheet.histogram
    y = bar.height() // 2
    QTest.mousePress(bar, Qt.MouseButton.LeftButton, pos=QPoint(int(bar._x(128)), y))
    for grey in (120, 100, 80, 60):
        QTest.mouseMove(bar, QPoint(int(bar._x(grey)), y))
    assert len(set(window.table.picture._levels[0].colorTable())) == 2  # part and ground, at once
    QTest.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=QPoint(int(bar._x(60)), y))
    assert len(set(window.table.picture._levels[0].colorTable())) == 256
    hand.settle()
    assert window.session.job.trace.threshold == pytest.approx(60, abs=1)
    assert not is_stale(window.session.job)
    hand.key(Qt.Key.Key_Z, CTRL)
    assert window.session.job.trace == before.trace
    hand.settle()
    assert not is_stale(window.session.job)


def test_settings_that_find_nothing_say_so_and_come_back(hand, plate_png):
    hand.open(plate_png)
    sheet = hand.window.sheets["trace"]
    hand.type(sheet.speck, "9000")
    hand.settle()
    assert "speck limit of 9000 mm²" in sheet.result.text()
    assert not sheet.next.isEnabled()
    assert hand.window.session.job.outline.loops  # the last good outline stays
    hand.key(Qt.Key.Key_8, ALT)
    assert "nothing is traced" in hand.window.sheets["cut_file"].next.toolTip()
    hand.key(Qt.Key.Key_3, ALT)
    hand.type(sheet.speck, "2 mm²")
    hand.settle()
    assert sheet.next.isEnabled()


def test_side_and_loops_to_cut(hand, plate_png):
    hand.open(plate_png)
    hand.click("choice-light")
    hand.settle()
    # what lies round the plate reaches the border and is no part: its hole is the light part
    assert sizes(hand) == pytest.approx((20, 20), abs=0.05)
    hand.click("choice-dark")
    hand.click("choice-outer")
    hand.settle()
    assert len(hand.window.session.job.outline.taken) == 1
    assert "1 skipped" in hand.window.sheets["trace"].result.text()
    hand.window.table.grab()  # a skipped loop is painted too


def test_tolerance_slider_moves_in_real_units(hand, plate_png):
    hand.open(plate_png)
    sheet = hand.window.sheets["trace"]
    sheet.tolerance_slider.setFocus()
    for _ in range(3):
        QTest.keyClick(sheet.tolerance_slider, Qt.Key.Key_PageUp)
    hand.settle()
    assert hand.window.session.job.trace.tolerance > 0.05
    assert sheet.tolerance.text().endswith(" mm")
    hand.click_units = hand.window.bar.units.button("in")
    QTest.mouseClick(hand.click_units, Qt.MouseButton.LeftButton)
    assert sheet.tolerance.text().endswith(" in")
    hand.type(sheet.tolerance, "0.004")
    hand.settle()
    assert hand.window.session.job.trace.tolerance == pytest.approx(0.1016)


def test_the_wheel_zooms_to_the_cursor_and_a_drag_moves(hand, plate_png):
    hand.open(plate_png)
    table = hand.window.table
    place = QPointF(300, 200)
    held = table.view.to_mm(place)
    wheel = QWheelEvent(
        place,
        table.mapToGlobal(place),
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    scale = table.view.px_per_mm
    QApplication.sendEvent(table, wheel)
    assert table.view.px_per_mm == pytest.approx(1.44 * scale)
    assert (table.view.to_mm(place) - held).manhattanLength() < 1e-9
    before = hand.window.session.job
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
    QTest.mouseMove(table, QPoint(360, 230))
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=QPoint(360, 230))
    assert (table.view.to_mm(QPointF(360, 230)) - held).manhattanLength() < 1e-6
    assert hand.window.session.job is before  # looking never edits
    hand.click("bar-find")
    hand.window.findChild(Finder).close()
    table.fit()
    shown = table.view.shown()
    assert shown.contains(table.picture_box())


def test_space_shows_the_bare_picture_while_held(hand, plate_png):
    hand.open(plate_png)
    table = hand.window.table
    hand.window.fade.slider.setValue(100)
    with_lines = table.grab().toImage()
    table.setFocus()
    QTest.keyPress(table, Qt.Key.Key_Space)
    bare = table.grab().toImage()
    QTest.keyRelease(table, Qt.Key.Key_Space)
    again = table.grab().toImage()
    middle = table.from_pixel(QPointF(100, 100)).toPoint()
    assert bare.pixelColor(middle).lightness() < 20  # the plate itself, dark
    assert with_lines.pixelColor(middle) != bare.pixelColor(middle)
    # the same but for the rounding of half-clear pixels, which may come from what was kept
    off = [
        abs(again.pixelColor(x, y).lightness() - with_lines.pixelColor(x, y).lightness())
        for x in range(0, again.width(), 7)
        for y in range(0, again.height(), 7)
    ]
    assert max(off) <= 3


def test_lines_only_is_a_deep_blue_ground(hand, plate_png):
    hand.open(plate_png)
    QTest.keyClick(hand.window.fade.slider, Qt.Key.Key_End)
    image = hand.window.table.grab().toImage()
    colours = {image.pixelColor(x, 300).name() for x in range(40, 700)}
    assert "#14344d" in colours


def test_the_picture_stays_in_view_when_its_scale_changes(hand, plate_png):
    hand.open(plate_png)
    table = hand.window.table
    before = table.from_pixel(QPointF(350, 250))
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-dpi")
    hand.type(hand.window.sheets["scale"].pages.dpi, "600")
    hand.settle()
    assert (table.from_pixel(QPointF(350, 250)) - before).manhattanLength() < 1e-6


@pytest.mark.parametrize("name", ["gone.png", "text.png", "cut.silhueta"])
def test_files_that_cannot_be_opened_leave_the_job_alone(hand, plate_png, tmp_path, name):
    hand.open(plate_png)
    before = hand.window.session.job
    (tmp_path / "text.png").write_text("no picture")
    (tmp_path / "cut.silhueta").write_bytes(b"PK\x03\x04 cut short")
    hand.open(tmp_path / name)
    assert hand.window.session.job is before
    assert name in hand.window.notice.text
    QTest.mouseClick(hand.window.notice.close_button, Qt.MouseButton.LeftButton)
    assert hand.window.notice.text == ""


def test_a_picture_dropped_on_the_window_is_opened(hand, plate_png):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(plate_png))])
    drop = QDropEvent(
        QPointF(500, 400),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    hand.window.dropEvent(drop)
    hand.settle()
    assert sizes(hand) == pytest.approx((60, 40), abs=0.02)


def test_a_job_is_saved_and_opened_again(hand, plate_png, tmp_path):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-overall")
    hand.type(hand.window.sheets["scale"].pages.overall, "90")
    hand.settle()
    assert hand.window.session.dirty
    assert "•" in hand.window.windowTitle()
    hand.answer = tmp_path / "plate"
    hand.key(Qt.Key.Key_S, CTRL)
    hand.settle()
    assert (tmp_path / "plate.silhueta").exists()
    assert not hand.window.session.dirty
    hand.open(plate_png)
    hand.open(tmp_path / "plate.silhueta")
    assert hand.window.session.job.datums == (OverallDatum("width", 90.0),)
    assert sizes(hand)[0] == pytest.approx(90)
    assert not hand.window.session.dirty


def test_leaving_unsaved_work_asks_first(hand, plate_png, monkeypatch):
    hand.open(plate_png)
    hand.click("choice-light")
    hand.settle()
    asked = []

    def answer(role):
        def execute(box):
            asked.append(box.text())
            button = next(b for b in box.buttons() if box.buttonRole(b) == role)
            box.clickedButton = lambda: button
            return 0

        return execute

    before = hand.window.session.job
    monkeypatch.setattr(QMessageBox, "exec", answer(QMessageBox.ButtonRole.RejectRole))
    hand.open(plate_png)
    assert hand.window.session.job is before
    monkeypatch.setattr(QMessageBox, "exec", answer(QMessageBox.ButtonRole.DestructiveRole))
    hand.open(plate_png)
    assert hand.window.session.job is not before
    assert len(asked) == 2
    assert "not saved" in asked[0]


def test_find_an_action_lists_keys_and_reasons(hand, plate_png):
    hand.key(Qt.Key.Key_K, CTRL)
    finder = hand.window.findChild(Finder)
    spoken = [
        finder.list.item(i).data(Qt.ItemDataRole.AccessibleTextRole)
        for i in range(finder.list.count())
    ]
    assert "Save a DXF, not now: there is no picture yet" in spoken
    assert len(spoken) == len(hand.window.actions_.all())
    QTest.keyClicks(finder.field, "go to trace")
    assert finder.list.count() == 1
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert hand.window.present == "trace"
    hand.key(Qt.Key.Key_K, CTRL)
    finder = hand.window.findChildren(Finder)[-1]
    QTest.keyClicks(finder.field, "xyzzy")
    assert "No action" in finder.list.item(0).text()
    finder.close()


@pytest.mark.parametrize(
    ("key", "stop"), [("1", "picture"), ("2", "scale"), ("3", "trace"), ("8", "cut_file")]
)
def test_alt_and_a_number_go_to_a_stop(hand, key, stop):
    hand.key(getattr(Qt.Key, f"Key_{key}"), ALT)
    assert hand.window.present == stop
    assert hand.window.sheets.currentWidget() is hand.window.sheets[stop]


def test_every_control_can_be_reached_and_has_a_name(hand, plate_png):
    hand.open(plate_png)
    for stop in (stop.key for stop in STOPS):
        hand.window.go(stop)
        for control in hand.window.findChildren(QWidget):
            if not control.isVisible() or not isinstance(
                control, QAbstractButton | QLineEdit | QSlider
            ):
                continue
            assert control.focusPolicy() & Qt.FocusPolicy.TabFocus, control
            text = control.text() if isinstance(control, QAbstractButton) else ""
            assert control.accessibleName() or text, control
            if isinstance(control, QAbstractButton | QLineEdit):
                assert control.height() >= 28, (stop, text, control.accessibleName())


def test_the_table_keeps_half_of_the_window_and_controls_are_not_cut_off(hand, plate_png):
    hand.open(plate_png)
    hand.window.resize(1280, 800)
    QTest.qWait(30)
    table = hand.window.table
    assert table.width() * table.height() >= 0.5 * 1280 * 800
    for stop, sheet in ((s.key, hand.window.sheets[s.key]) for s in STOPS):
        hand.window.go(stop)
        QTest.qWait(10)
        for button in sheet.findChildren(QAbstractButton):
            if button.isVisible() and button.text():
                assert button.width() >= button.sizeHint().width() - 12, (stop, button.text())


def test_work_can_be_stopped_and_started_again(hand, plate_png):
    hand.open(plate_png)
    window = hand.window
    hand.click("choice-light")
    window.progress._stop()
    assert not window.tracing.bench.busy
    hand.click("choice-dark")
    hand.settle()
    assert not is_stale(window.session.job)
    assert Path(plate_png).exists()

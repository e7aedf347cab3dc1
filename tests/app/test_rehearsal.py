"""The page Rehearsal, with mouse and keys: time runs, events are gone to, files are asked about."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from silhueta.app.stops.cut_file.player import Player, TimeStrip
from silhueta.core.cutting.edits import set_operation
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job, set_imported
from tests.conftest import square

LEFT = Qt.MouseButton.LeftButton


def opened(hand, process="plasma", **more):
    """A plate of 100 mm with a round and a square hole, planned, its program on the page."""
    loops = (square(100), circle_loop((25, 25), 10), square(30, (50, 50)))
    job = set_imported(Job(), Outline(tuple(map(Contour, loops))), "Plate")
    job = replace(job, inspect=Limits(process, 6.0, 1.5 if process == "plasma" else 6.0))
    job = replace(job, cut_file=replace(job.cut_file, format="nc", holds="plan"))
    if more.get("pocket"):
        job = set_operation(job, [job.outline.contours[2].key], "pocket")
    hand.window.session.start(job)
    hand.key(Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    hand.settle()
    hand.click("choice-rehearsal")
    sheet = hand.window.sheets["cut_file"]
    hand.wait(lambda: sheet.rehearsal_page.layer is not None)
    hand.settle()
    return sheet


def other(hand, sheet, text, tmp_path, name="theirs.nc"):
    """Rehearse another file with the button, and wait for what comes of it."""
    file = tmp_path / name
    file.write_text(text)
    hand.answer = file
    hand.click("other-file")
    page = sheet.rehearsal_page
    hand.wait(lambda: page.name.text() == name and page.about.text() != "Running it…")
    hand.settle()
    return page


def shown_text(sheet):
    """The program as it is run, without the page's line numbers."""
    return sheet.rehearsal_page._shown.rehearsal.text


def test_time_runs_stands_and_is_gone_through_by_hand(hand):
    sheet = opened(hand)
    player, page = sheet.player, sheet.rehearsal_page
    assert sheet.result.text().startswith("Cuts what was meant")
    strip = player.findChild(TimeStrip)
    middle = QPoint(strip.width() // 2, strip.height() // 2)
    QTest.mouseClick(strip, LEFT, pos=middle)
    assert player.now == pytest.approx(player.seconds / 2, rel=0.02)
    line = page.layer.moment.line
    assert page.text.textCursor().block().text().startswith(f"{line}  ")
    QTest.keyClick(strip, Qt.Key.Key_Right)
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert page.layer.moment.line > line
    QTest.keyClick(strip, Qt.Key.Key_End)
    assert (page.layer.moment.runs, page.layer.moment.pieces) == (3, 3)
    assert player.time.text().endswith("0:00 left")
    hand.click("faster")
    assert "times real time" in player.pace.text()
    hand.click("play")  # at the end it begins anew
    assert player.playing
    hand.wait(lambda: player.now > 0)
    hand.click("play")
    assert not player.playing
    there = player.now
    QTest.keyClick(strip, Qt.Key.Key_Home)
    assert player.now == 0 < there
    # a line of the file that is clicked is gone to
    rows = shown_text(sheet).splitlines()
    number = max(k for k, row in enumerate(rows, 1) if row.startswith("G2"))
    page.text.setFocus()
    page.text.choose(number)
    assert page.layer.moment.line == number
    # and the stop left in the middle stands still
    hand.click("play")
    hand.key(Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
    assert not player.playing
    assert hand.window.table.cover is None
    assert not hand.window.findChild(Player).isVisible()


def test_a_planted_mistake_is_caught_and_its_line_shown(hand, tmp_path):
    sheet = opened(hand)
    rows = shown_text(sheet).splitlines()
    off = next(k for k, row in enumerate(rows) if row == "M5")
    page = other(hand, sheet, "\n".join(rows[:off] + rows[off + 1 :]), tmp_path)
    assert "Not what was meant" in sheet.result.text()
    assert page.events.count() >= 1
    hand.click("next-event")
    event = page.layer.course.done.events[0]
    assert event.code == "left-on"
    assert page.layer.moment.line == event.line == page.text.textCursor().blockNumber() + 1
    assert event.text in page.asked.text()
    assert page.layer.event == 0
    hand.click("own-file")
    hand.wait(lambda: page.name.text() == "plate.nc")
    hand.settle()
    assert sheet.result.text().startswith("Cuts what was meant")


def test_a_strangers_program_runs_or_says_what_it_does_not_know(hand, tmp_path):
    sheet = opened(hand)
    text = shown_text(sheet)
    page = other(hand, sheet, text.replace("G21", ""), tmp_path, "bare.nc")
    assert "mm or inches" in page.asked.text()
    assert page.layer is None
    hand.click("choice-taken-in")
    hand.wait(lambda: page.layer is not None)
    hand.settle()
    assert page.layer.course.done.events[0].code == "unit-suspect"
    hand.click("choice-taken-mm")
    hand.wait(lambda: sheet.result.text().startswith("Cuts what was meant"))
    rows = text.splitlines()
    page = other(hand, sheet, "\n".join([*rows[:8], "#1 = 5", *rows[8:]]), tmp_path, "macro.nc")
    assert "Line 9 is not understood" in page.asked.text()
    assert page.text.textCursor().blockNumber() == 8
    assert "Nothing was run" in sheet.result.text()
    for name, what in (("cut.nc", text[:400] + "G1 X"), ("binary.nc", "\x7fELF\x02\x00G1")):
        page = other(hand, sheet, what, tmp_path, name)
        assert "is not understood" in page.asked.text()
    # held against nothing it is only looked at by itself
    hand.answer = tmp_path / "x.nc"
    small = "G21 G17 G90 G94\nG0 X0 Y0\nM3\nG1 X5 F500\nG1 Y5\nG1 X0\nG1 Y0\nM5\nM2\n"
    page = other(hand, sheet, small, tmp_path, "small.nc")
    assert any(one.code == "missed" for one in page.layer.course.done.events)
    hand.click("choice-held-nothing")
    hand.wait(lambda: "nothing was there" in sheet.result.text())
    assert page.layer.course.done.pieces == 1


def test_depth_is_told_under_the_cursor_and_a_drawing_is_run_in_its_own_order(hand, tmp_path):
    sheet = opened(hand, "router", pocket=True)
    page, player = sheet.rehearsal_page, sheet.player
    assert "pockets under 0.01 mm off their depth" in sheet.result.text()
    player.go(player.seconds)
    table = hand.window.table
    at = table.view.to_screen(table.view.to_mm(table.rect().center().toPointF())).toPoint()
    QTest.mouseMove(table, at)
    mm = table.view.to_mm(at.toPointF())
    wanted = page.layer.depth_at(mm.x(), mm.y())
    hand.wait(lambda: "at the cursor" in page.facts["depth"].text())
    assert f"{wanted:.2f} mm deep" in page.facts["depth"].text()
    assert page.layer.depth_at(65, 65) == pytest.approx(3.5, abs=0.01)
    hand.click("choice-file")
    hand.click("choice-dxf")
    hand.click("choice-rehearsal")
    hand.wait(lambda: page.name.text() == "plate.dxf" and page.layer is not None)
    assert page.layer.shown.carving is None


def test_what_lies_on_disk_is_run_once_it_was_saved(hand, tmp_path):
    sheet = opened(hand)
    page = sheet.rehearsal_page
    assert page.about.text() == "as it would be saved now"
    hand.click("choice-file")
    hand.answer = tmp_path / "mine.nc"
    hand.click("next")
    hand.wait(lambda: (tmp_path / "mine.nc").exists())
    hand.settle()
    hand.click("choice-rehearsal")
    hand.wait(lambda: page.about.text() == "as it was saved")
    assert page.name.text() == "mine.nc"
    # somebody edits it by hand meanwhile
    text = (tmp_path / "mine.nc").read_text()
    (tmp_path / "mine.nc").write_text(text.replace("M3\n", "", 1))
    hand.click("choice-file")
    hand.click("choice-rehearsal")
    hand.wait(lambda: "Not what was meant" in sheet.result.text())


def test_a_made_up_photo_is_opened_and_says_what_it_shows(hand, monkeypatch):
    monkeypatch.setattr("silhueta.core.practise.scene.new_seed", lambda: 1)
    hand.click("start-practise")
    hand.wait(lambda: hand.window.session.job.picture is not None)
    hand.settle()
    assert "laid a little askew, is 141.00 x 83.00 mm, 2 mm thick" in hand.window.notice.text
    assert hand.window.session.job.name == "Practise 1"
    assert hand.window.session.job.datums  # its sheet is found


def test_next_event_goes_round_and_speeds_end_at_both_ends(hand, tmp_path):
    sheet = opened(hand)
    rows = [row for row in shown_text(sheet).splitlines() if row != "M5"]
    page = other(hand, sheet, "\n".join(rows), tmp_path)
    every = page.layer.course.done.events
    assert len(every) > 2
    gone = []
    for _ in range(len(every) + 1):
        hand.click("next-event")
        gone.append(page.layer.event)
    assert gone == [*range(len(every)), 0]
    for _ in range(12):
        hand.click("slower")
    assert sheet.player.pace.text() == "real time"
    for _ in range(12):
        hand.click("faster")
    assert sheet.player.pace.text() == "1,000 times real time"

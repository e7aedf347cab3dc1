"""The stop Cut file: the plan proposed, changed by hand on table, list and card, and saved."""

from __future__ import annotations

from dataclasses import replace

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QMessageBox

from silhueta.app.planning import plan_of
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.files.job_file import load_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job, set_imported
from silhueta.core.shop import tools as shop_tools
from tests.conftest import hole, square

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier
PLASMA, ROUTER = 1, 3  # places in the list of processes


def started(hand, *loops, process=None, size=100.0):
    """Begin with a plate of an outline and some loops in it, and go to Cut file."""
    contours = (Contour(loop, origin="imported") for loop in (square(size), *loops))
    job = set_imported(Job(), Outline(tuple(contours)), "Plate")
    if process is not None:
        job = replace(job, inspect=Limits(process, 6.0, 1.5 if process == "plasma" else 6.0))
    hand.window.session.start(job)
    hand.key(Qt.Key.Key_8, ALT)
    planned(hand)
    return hand.window.sheets["cut_file"]


def planned(hand):
    """Wait until the present job is planned, and return the plan."""
    hand.settle()
    hand.settle()
    made = plan_of(hand.window.session.job)
    return None if made is None else made.plan


def on_table(hand, x, y) -> QPoint:
    return hand.window.table.view.to_screen(QPointF(x, y)).toPoint()


def drag(hand, start, end):
    table = hand.window.table
    QTest.mouseMove(table, start)
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(table, start + (end - start) * share)
        QTest.qWait(5)
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=end)
    planned(hand)


def keys(hand):
    plan = planned(hand)
    return [one.key for one in plan.entries]


def test_a_process_is_all_that_a_plan_waits_for(hand):
    sheet = started(hand, hole(circle_loop((50, 50), 10)))
    assert sheet.present == "file"  # as long as there is no plan to look at
    assert sheet.next.text() == "Save DXF…"
    hand.click("choice-plan")
    assert "Say how it is cut" in sheet.result.text()
    page = sheet.plan_page
    page.held.process.setFocus()
    QTest.keyClick(page.held.process, Qt.Key.Key_Down)
    plan = planned(hand)
    assert [one.side for one in plan.entries] == ["inside", "outside"]
    assert "2 cuts, 2 pierces" in sheet.result.text()
    names = {name for group in hand.window.readout.groups() for name, _, _ in group}
    assert {"pierces", "time", "between"} <= names
    assert "2 cuts" in hand.window.traveller.buttons["cut_file"].toolTip()
    for _ in range(2):
        QTest.keyClick(page.held.process, Qt.Key.Key_Down)
    planned(hand)
    assert "thickness is not told" in sheet.result.text()  # a bit must know how deep it goes
    hand.type(page.held.thickness, "12 mm")
    plan = planned(hand)
    assert plan.entries[-1].tabs >= 3
    hand.type(page.tabs, "6")
    assert planned(hand).entries[-1].tabs == 6
    hand.type(page.passes, "four")
    assert "is no number" in sheet.fault.text()
    hand.window.table.grab()


def test_a_cut_is_chosen_and_changed_on_the_table(hand):
    sheet = started(hand, hole(circle_loop((30, 50), 10)), process="plasma")
    at = on_table(hand, 30, 50 + 9.25)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=at)
    planned(hand)
    card = sheet.card
    assert card.isVisible()
    assert card.head.text() == "1. Hole, Ø 20.00 mm"
    assert not card.geometry().contains(on_table(hand, 30, 50))
    assert sheet.plan_page.list.findChild(object, "entry-1").isChecked()
    card.lead.setFocus()
    QTest.keyClick(card.lead, Qt.Key.Key_Down)  # from arc to line
    plan = planned(hand)
    lead = plan.entries[0].ways[0].lead_in
    assert lead is not None
    assert not lead.bulges.any()
    # where it begins, dragged to its left side
    start = plan.entries[0].begin
    drag(hand, on_table(hand, *start), on_table(hand, 20.75, 50))
    begun = planned(hand).entries[0].ways[0].path.nodes[0]
    assert begun == pytest.approx([20.75, 50], abs=0.5)
    hand.click("as-proposed")
    assert planned(hand).entries[0].begin != pytest.approx(begun)
    assert hand.window.session.job.plan.by_hand == ()
    hand.key(Qt.Key.Key_Z, CTRL)
    assert hand.window.session.job.plan.by_hand != ()


def test_tabs_are_put_moved_and_taken_away_on_the_table(hand):
    sheet = started(hand, process="router")
    plan = planned(hand)
    (rim,) = plan.entries
    tabs = [tab.at for tab in rim.ways[0].tabs]
    low = next(at for at in tabs if at[1] < 0)
    drag(hand, on_table(hand, *low), on_table(hand, low[0] + 12, -3))
    moved = [tab.at for tab in planned(hand).entries[0].ways[0].tabs]
    assert len(moved) == len(tabs)
    assert min(np.hypot(x - low[0] - 12, y + 3) for x, y in moved) < 0.6
    target = next(at for at in moved if at[1] > 100)
    QTest.mouseDClick(hand.window.table, Qt.MouseButton.LeftButton, pos=on_table(hand, *target))
    assert planned(hand).entries[0].tabs == len(tabs) - 1
    hand.click("entry-1")
    planned(hand)
    hand.click("no-tabs")
    assert planned(hand).entries[0].tabs == 0
    assert sheet.card.isVisible()


def test_the_order_is_changed_in_the_list_if_that_is_sound(hand):
    sheet = started(
        hand,
        hole(circle_loop((20, 20), 6)),
        hole(circle_loop((80, 20), 6)),
        hole(circle_loop((50, 80), 6)),
        process="plasma",
    )
    first = keys(hand)
    row = sheet.plan_page.list.findChild(object, "entry-3")
    row.setFocus()
    QTest.keyClick(row, Qt.Key.Key_Up, ALT)
    assert keys(hand) == [first[0], first[2], first[1], first[3]]
    row = sheet.plan_page.list.findChild(object, "entry-1")
    QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    QTest.mouseMove(row, QPoint(60, 20 + 60))
    QTest.mouseMove(row, QPoint(60, 20 + 88))
    QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=QPoint(60, 20 + 88))
    assert keys(hand) == [first[2], first[1], first[0], first[3]]
    row = sheet.plan_page.list.findChild(object, "entry-4")
    row.setFocus()
    QTest.keyClick(row, Qt.Key.Key_Up, ALT)
    assert keys(hand)[-1] == first[3]
    assert "cannot come that early" in sheet.plan_page.note.text()


def test_a_pocket_and_one_bit_under_two_numbers(hand, tmp_path, monkeypatch):
    monkeypatch.setattr(shop_tools, "own_folder", lambda: tmp_path / "own")
    sheet = started(hand, hole(square(50, (25, 25))), process="router")
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=on_table(hand, 28, 50))
    planned(hand)
    what = sheet.card.what
    what.setFocus()
    QTest.keyClick(what, Qt.Key.Key_Down)  # from cut through to pocket
    plan = planned(hand)
    assert [one.operation for one in plan.entries] == ["pocket", "cut"]
    hand.type(sheet.card.deep, "3.5 mm")
    assert planned(hand).entries[0].depth == 3.5
    hand.click("choice-tools")
    planned(hand)
    hand.click("same-bit")
    plan = planned(hand)
    assert [(one.tool.number, one.tool.zero) for one in plan.entries] == [(1, "top"), (3, "table")]
    hand.click("tool-3")
    hand.type(sheet.tools_page.feed, "900")
    assert planned(hand).entries[1].feed == 900
    hand.type(sheet.tools_page.diameter, "5 mm")
    plan = planned(hand)
    assert [one.tool.diameter_mm for one in plan.entries] == [5.0, 5.0]
    assert hand.window.session.job.inspect.width == 5.0  # Inspect holds it against the same bit
    hand.type(sheet.tools_page.feed, "fast")
    assert "no number" in sheet.fault.text()
    assert not sheet.tools_page.floor.isVisible()  # there is no groove
    hand.type(sheet.tools_page.stepover, "50 %")
    assert hand.window.session.job.plan.tools[-1].stepover == 0.5
    hand.click("keep-tools")
    assert len(shop_tools.known_tools()[0]) == 3
    # all of it is in the job
    hand.answer = tmp_path / "sign.silhueta"
    hand.key(Qt.Key.Key_S, CTRL)
    hand.settle()
    assert load_job(hand.answer).plan == hand.window.session.job.plan


def test_hatches_have_an_angle_and_drills_are_drawn_back(hand):
    sheet = started(hand, circle_loop((20, 20), 2.5), process="router")
    page = sheet.plan_page
    hand.click("plan-more")
    hand.type(page.drill, "6 mm")
    hand.type(page.peck, "2 mm")
    assert planned(hand).entries[0].steps == (2.0, 4.0, 6.0)
    hand.type(page.hatch_angle, "30")
    assert hand.window.session.job.plan.hatch_angle == 30.0
    assert page.hatch_angle.text() == "30°"
    hand.type(page.hatch_angle, "inf")
    assert "from -180° to 180°" in sheet.fault.text()


def test_the_plan_is_saved_and_read_back(hand, tmp_path):
    sheet = started(hand, hole(circle_loop((50, 50), 10)), process="plasma")
    hand.click("choice-file")
    assert sheet.next.text() == "Save outline as DXF…"
    hand.click("choice-holds-plan")
    planned(hand)
    assert sheet.next.text() == "Save cut plan as DXF…"
    hand.answer = tmp_path / "plan.dxf"
    hand.click("next")
    hand.settle()
    assert "Saved plan.dxf and read back" in sheet.result.text()
    layers = {one.dxf.layer for one in ezdxf.readfile(hand.answer).modelspace()}
    assert layers == {"LEAD_T1", "CUT_INSIDE_T1", "CUT_OUTSIDE_T1"}
    found = inspect_file(hand.answer)
    assert found["closed_paths"] == 2
    hand.click("choice-nc")
    planned(hand)
    assert sheet.next.text() == "Save cut plan as program…"
    hand.answer = tmp_path / "plan.nc"
    hand.click("next")
    hand.settle()
    assert "Saved plan.nc and read back" in sheet.result.text()
    assert hand.answer.read_text().count("M3") == 2
    hand.answer = tmp_path / "list.txt"
    sheet.pane.ensureWidgetVisible(sheet.file_page.setup)
    hand.click("save-setup")
    hand.settle()
    assert sheet.result.text() == "Saved list.txt."
    assert "Tool: 1, torch 1.5 mm, 2 cuts" in hand.answer.read_text()
    # a program holds nothing but the plan; another file can hold the outline as well
    assert not sheet.file_page.holds.isVisible()
    hand.click("choice-dxf")
    hand.click("choice-holds-outline")
    assert hand.window.session.job.cut_file.holds == "outline"
    hand.click("choice-holds-plan")
    hand.window.session.apply(
        "x", lambda job: replace(job, inspect=replace(job.inspect, process=None))
    )
    hand.settle()
    assert not sheet.next.isEnabled()
    assert "waits for the process" in sheet.next.toolTip()


def test_a_line_of_the_program_shows_its_move(hand):
    sheet = started(hand, hole(circle_loop((50, 50), 10)), process="plasma")
    hand.click("choice-file")
    hand.click("choice-nc")
    for _ in range(50):
        planned(hand)
        if not sheet.file_page.text.isHidden():
            break
    text = sheet.file_page.text
    lines = text.toPlainText().splitlines()
    k = [k for k, line in enumerate(lines) if line.startswith("G3")][1]  # the first leads in
    block = text.document().findBlockByNumber(k)
    text.setTextCursor(QTextCursor(block))  # so that it can be seen
    text.setTextCursor(QTextCursor(text.document().findBlockByNumber(k + 1)))
    place = text.cursorRect(QTextCursor(block)).center()
    QTest.mouseClick(text.viewport(), Qt.MouseButton.LeftButton, pos=place)
    assert f"Line {k + 1}: " in sheet.file_page.text_note.text()
    assert "mm/min" in sheet.file_page.text_note.text()
    layer = hand.window.table.overlays["move"]
    path = [layer.points.at(n) for n in range(layer.points.count())]
    assert len(path) > 10
    assert all(np.hypot(p.x() - 50, p.y() - 50) == pytest.approx(10 - 0.75, abs=0.01) for p in path)
    # of a machine that cannot do it there is no text, but the reason
    plan_page = sheet.plan_page
    hand.click("choice-plan")
    hand.click("choice-tools")
    hand.type(sheet.tools_page.feed, "90000")
    hand.click("choice-file")
    for _ in range(50):
        planned(hand)
        if sheet.file_page.text.isHidden():
            break
    assert "90000 mm/min is more than torch-table can do" in sheet.file_page.text_note.text()
    assert plan_page is sheet.plan_page


def test_all_is_saved_into_a_folder_and_told_in_one_list(hand, tmp_path, monkeypatch):
    sheet = started(hand, hole(circle_loop((50, 50), 10)), process="plasma")
    folder = tmp_path / "out"
    folder.mkdir()
    hand.window.session.apply("Name", lambda job: replace(job, name="Lid / No. 3"))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", staticmethod(lambda *_: str(folder)))
    hand.click("choice-file")
    planned(hand)
    hand.click("save-all")
    planned(hand)
    names = [
        "lid_no_3-plan.dxf", "lid_no_3-proof.pdf", "lid_no_3-setup.pdf", "lid_no_3.dxf",
        "lid_no_3.nc", "lid_no_3.png",
    ]  # fmt: skip
    assert sorted(one.name for one in folder.iterdir()) == names
    told = sheet.file_page.all_told.text().splitlines()
    assert len(told) == 6
    assert "read again line by line" in next(row for row in told if "lid_no_3.nc" in row)
    assert "Saved 6 files into out." in sheet.result.text()
    # what is there is asked about; one that fails harms no other
    before = (folder / "lid_no_3.dxf").read_bytes()
    asked: list[str] = []
    # nobody presses a button: as if it was left
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()))
    hand.click("choice-tools")
    hand.type(sheet.tools_page.feed, "90000")
    hand.click("choice-file")
    planned(hand)
    hand.click("save-all")
    planned(hand)
    assert (folder / "lid_no_3.dxf").read_bytes() == before
    assert "and 2 more exist already" in asked[0]
    for one in folder.iterdir():
        one.unlink()
    hand.click("save-all")
    planned(hand)
    assert "1 file could not be" in sheet.result.text()
    assert sorted(one.name for one in folder.iterdir()) == [n for n in names if ".nc" not in n]


@pytest.mark.parametrize("process", ["router", "plasma"])
@pytest.mark.parametrize("page", ["plan", "tools", "file"])
def test_pages_are_no_wider_than_their_pane(hand, page, process):
    sheet = started(hand, hole(circle_loop((50, 50), 10)), process=process)
    hand.window.resize(960, 620)
    hand.click(f"choice-{page}")
    if page == "plan":
        hand.click("plan-more")
    planned(hand)
    QTest.qWait(20)
    assert sheet.pane.widget().width() <= sheet.pane.viewport().width()

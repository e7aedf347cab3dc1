"""The worksheet of Tidy, driven by hand: loops, offers, steps and marks."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from silhueta.app.stops.tidy.loop_list import state_box
from silhueta.core.cutting.drawing import draw
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.export import export
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, circle_loop
from silhueta.core.job import Job, is_stale, set_imported
from silhueta.core.tidy.choose import set_taken
from tests.conftest import square

CTRL = Qt.KeyboardModifier.ControlModifier
# a plate of 60 mm with a bore, dust, and a slot cut open by 0.3 mm
MESSY = (
    square(60),
    circle_loop((20, 20), 8),
    circle_loop((70, 70), 0.3),
    circle_loop((75, 10), 0.2),
    OpenPath([[40, 10], [50, 10], [50, 50], [40, 50], [40, 10.3]]),
)


@pytest.fixture
def tidy(hand):
    contours = tuple(Contour(path, origin="imported") for path in MESSY)
    hand.window.session.start(set_imported(Job(), Outline(contours), "Plate"))
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.window.table.fit()
    hand.settle()
    return hand.window.sheets["tidy"]


def on_table(hand, x, y):
    """Where a place, mm, is on the table."""
    return hand.window.table.view.to_screen(QPointF(x, y)).toPoint()


def taken(hand):
    return [c.taken for c in hand.window.session.job.outline.contours]


def press_row(tidy, number, on_state):
    view = tidy.loops.list
    box = view.visualRect(view.model().index(number, 0))
    place = state_box(box).center() if on_state else box.topLeft() + QPoint(60, 20)
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=place)


def test_a_click_on_the_table_skips_and_brings_back(hand, tidy):
    rim = on_table(hand, 28, 20)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=rim)
    assert taken(hand) == [True, False, True, True, True]
    assert "1 skipped" in tidy.result.text()
    hand.window.table.grab()
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=rim)
    assert all(taken(hand))
    assert hand.window.session.undo_label == "Cut a loop"


def test_a_box_takes_all_that_lies_in_it_and_a_plain_drag_moves_the_table(hand, tidy):
    table = hand.window.table
    start, end = on_table(hand, 65, 75), on_table(hand, 80, 5)
    QTest.mousePress(table, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, start)
    QTest.mouseMove(table, end)
    table.grab()
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, end)
    assert taken(hand) == [True, True, False, False, True]
    before, job = QPointF(table.view.centre), hand.window.session.job
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(table, end)
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=end)
    assert table.view.centre != before
    assert hand.window.session.job is job


def test_the_list_and_the_table_point_at_each_other(hand, tidy):
    view, table = tidy.loops.list, hand.window.table
    QTest.mouseMove(table, on_table(hand, 28, 20))
    assert view.model_.rows[view.currentIndex().row()].index == 1
    assert table.overlays["lit"].paths == (MESSY[1],)
    QTest.mouseMove(view.viewport(), view.visualRect(view.model().index(0, 0)).center())
    assert table.overlays["lit"].paths == (MESSY[0],)
    table.grab()
    press_row(tidy, 3, on_state=False)  # dust: brought near
    assert table.view.px_per_mm > 20
    press_row(tidy, 3, on_state=True)
    assert taken(hand).count(False) == 1
    QTest.keyClick(view, Qt.Key.Key_Return)
    assert all(taken(hand))


def test_a_loop_is_engraved_by_its_menu_and_so_it_is_written(hand, tidy, tmp_path):
    view = tidy.loops.list
    place = view.visualRect(view.model().index(1, 0)).center()
    asked = QContextMenuEvent(
        QContextMenuEvent.Reason.Mouse, place, view.viewport().mapToGlobal(place)
    )
    QApplication.sendEvent(view.viewport(), asked)
    menu = view.findChild(QMenu, "loop-menu")
    wanted = next(action for action in menu.actions() if action.text() == "Engrave inside")
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(wanted).center())
    job = hand.window.session.job
    (contour,) = (c for c in job.outline.contours if c.operation == "engrave")
    assert contour.path is MESSY[1]
    assert "1 to engrave: no part, no hole" in tidy.result.text()
    assert hand.window.session.undo_label == "Engrave a loop"
    hand.window.table.grab()
    export(draw(job.outline), tmp_path / "plate.dxf")
    tagged = read_tags((tmp_path / "plate.dxf").read_bytes())
    assert tagged.layers.count("ENGRAVE") == 1
    assert "CUT_INSIDE" not in tagged.layers
    tidy.loops.cut.click()
    assert {c.operation for c in hand.window.session.job.outline.contours} == {"cut"}


def test_filters_orders_and_what_is_done_to_all_that_is_listed(hand, tidy):
    page = tidy.loops

    def choose(box, key):
        box.setCurrentIndex(box.findData(key))
        box.activated.emit(box.currentIndex())

    choose(page.show_only, "small")
    hand.type(page.limit, "1 mm²")
    assert sorted(page._listed()) == [2, 3]
    hand.click("skip-these")
    assert taken(hand) == [True, True, False, False, True]
    choose(page.show_only, "open")
    assert page._listed() == {4}
    choose(page.show_only, "all")
    choose(page.order, "nodes")
    assert [r.nodes for r in page.list.model_.rows] == [5, 4, 2, 2, 2]
    hand.click("swap")
    assert taken(hand) == [False, False, True, True, False]
    hand.click("largest")
    assert taken(hand) == [True, True, False, False, False]
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.key(Qt.Key.Key_Z, CTRL)
    assert all(taken(hand))


def test_offers_are_counted_shown_and_taken_one_by_one(hand, tidy):
    hand.click("choice-offers")
    hand.settle()
    assert {o.kind: o.count for o in tidy.offers.offers} == {"specks": 2, "gaps": 1}
    hand.click("show-specks")
    layer = hand.window.table.overlays["offers"]
    assert sorted(layer.places) == [pytest.approx((70, 70)), pytest.approx((75, 10))]
    hand.window.table.grab()
    hand.click("take-specks")
    hand.settle()
    assert hand.window.session.undo_label == "Left out 2 specks"
    assert len(hand.window.session.job.outline.contours) == 3
    assert "offers" not in hand.window.table.overlays
    hand.click("take-gaps")
    hand.settle()
    assert all(isinstance(path, Loop) for path in hand.window.session.job.outline.taken)
    # the plate is a rectangle round all that is left: asked about, never taken unasked
    assert [o.kind for o in tidy.offers.offers] == ["frame"]
    assert not tidy.offers.all.isEnabled()
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.settle()
    assert "gaps" in [o.kind for o in tidy.offers.offers]


def test_all_offers_go_in_one_step_within_the_limits_typed(hand, tidy):
    hand.click("choice-offers")
    hand.settle()
    hand.type(tidy.offers.gap, "0.2 mm")
    hand.settle()
    assert [o.kind for o in tidy.offers.offers] == ["specks"]
    hand.type(tidy.offers.gap, "-3")
    assert tidy.fault.text()
    hand.type(tidy.offers.gap, "0.5")
    hand.settle()
    hand.click("take-all")
    hand.settle()
    assert hand.window.session.undo_label == "Tidied: 2 specks, 1 gap"
    assert len(hand.window.session.job.outline.loops) == 3


@pytest.mark.parametrize(("way", "nodes"), [("extend", 4), ("straight", 5)])
def test_ends_are_run_on_or_joined_straight(hand, way, nodes):
    cut = OpenPath([[0, 0.3], [0, 50], [50, 50], [50, 0], [0.3, 0]])
    hand.window.session.start(
        set_imported(Job(), Outline((Contour(cut, origin="imported"),)), "Cut")
    )
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.click("choice-offers")
    hand.settle()
    hand.click(f"choice-{way}")
    hand.settle()
    hand.click("take-gaps")
    hand.settle()
    (loop,) = hand.window.session.job.outline.loops
    assert len(loop.nodes) == nodes


def test_steps_are_gone_back_to_and_marks_outlive_them(hand, tidy):
    press_row(tidy, 0, on_state=True)
    press_row(tidy, 1, on_state=True)
    hand.click("choice-steps")
    steps = tidy.steps
    assert [steps.steps.item(k).text() for k in range(3)] == [
        "▸ Skip a loop, now",
        "Skip a loop",
        "as it was opened",
    ]
    hand.type(steps.name, "two out")
    assert list(hand.window.session.marks) == ["two out"]
    hand.type(steps.name, "two out")
    assert "already" in steps.note.text()
    place = steps.steps.visualItemRect(steps.steps.item(2)).center()
    QTest.mouseClick(steps.steps.viewport(), Qt.MouseButton.LeftButton, pos=place)
    assert all(taken(hand))
    hand.click("choice-loops")
    hand.click("swap")  # the steps that were ahead are gone, the mark is not
    hand.click("choice-steps")
    steps.marks.setCurrentRow(0)
    hand.click("bring-back")
    assert taken(hand).count(False) == 2
    hand.key(Qt.Key.Key_Z, CTRL)
    assert not any(taken(hand))
    hand.click("drop-mark")
    assert not hand.window.session.marks


def test_marks_are_saved_with_the_job(hand, tidy, tmp_path):
    hand.click("choice-steps")
    hand.type(tidy.steps.name, "whole")
    assert hand.window.session.dirty
    hand.click("choice-loops")
    hand.click("swap")
    hand.answer = tmp_path / "plate.silhueta"
    hand.key(Qt.Key.Key_S, CTRL)
    hand.settle()
    assert not hand.window.session.dirty
    hand.open(tmp_path / "plate.silhueta")
    assert not any(taken(hand))
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.click("choice-steps")
    tidy.steps.marks.setCurrentRow(0)
    hand.click("bring-back")
    assert all(taken(hand))


def test_skipping_stays_when_the_picture_is_traced_again(hand, plate_png):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.window.table.fit()
    before = hand.window.session.job.outline
    hole = next(i for i, c in enumerate(before.contours) if np.ptp(c.path.nodes[:, 0]) < 30)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=on_table(hand, 35 + 10, 25))
    assert not hand.window.session.job.outline.contours[hole].taken
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    hand.type(hand.window.sheets["trace"].tolerance, "0.08 mm")
    hand.settle()
    after = hand.window.session.job.outline
    assert after is not before
    assert sorted(c.taken for c in after.contours) == [False, True]


def test_what_is_skipped_while_a_trace_is_under_way_stays_skipped(hand, plate_png):
    hand.open(plate_png)
    sheet, session = hand.window.sheets["trace"], hand.window.session
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    hand.type(sheet.tolerance, "0.08 mm")
    assert hand.window.tracing.bench.busy
    hole = next(
        i for i, c in enumerate(session.job.outline.contours) if np.ptp(c.path.nodes[:, 0]) < 30
    )
    session.apply("skip", lambda job: set_taken(job, [hole], False))
    hand.settle()
    hand.settle()
    assert not is_stale(session.job)
    assert sorted(c.taken for c in session.job.outline.contours) == [False, True]


def test_a_list_of_five_thousand_loops_shows_only_what_is_seen(hand):
    paths = [circle_loop((x, y), 0.4) for x in range(100) for y in range(50)]
    contours = tuple(Contour(path, origin="imported") for path in paths)
    hand.window.session.start(set_imported(Job(), Outline(contours), "Dots"))
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.settle()
    view = hand.window.sheets["tidy"].loops.list
    assert view.model().rowCount() == 5000
    from silhueta.app.stops.tidy import loop_list

    view.grab()
    drawn = sum(path in loop_list._PICTURES for path in paths)
    assert 1 <= drawn < 40

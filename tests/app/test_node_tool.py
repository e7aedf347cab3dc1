"""Nodes by hand: chosen, moved, deleted, added, bent; and nothing by accident."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, Loop, OpenPath, circle_loop
from silhueta.core.job import Job, set_imported, with_outline
from silhueta.core.tidy.index import Index
from tests.conftest import square

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
LEFT = Qt.MouseButton.LeftButton
PATHS = (square(60), circle_loop((30, 30), 10), OpenPath([[70, 0], [70, 60]]),
         OpenPath([[75, 60], [75, 0]]))  # fmt: skip


@pytest.fixture
def nodes(hand):
    contours = tuple(Contour(path, origin="imported") for path in PATHS)
    hand.window.session.start(set_imported(Job(), Outline(contours), "Plate"))
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.window.table.fit()
    hand.click("choice-nodes")
    hand.settle()
    return hand.window.sheets["tidy"].nodes


def at(hand, x, y):
    return hand.window.table.view.to_screen(QPointF(x, y)).toPoint()


def click(hand, x, y, keys=Qt.KeyboardModifier.NoModifier):
    QTest.mouseClick(hand.window.table, LEFT, keys, at(hand, x, y))


def drag(hand, start, end, keys=Qt.KeyboardModifier.NoModifier):
    table = hand.window.table
    QTest.mousePress(table, LEFT, keys, at(hand, *start))
    QTest.mouseMove(table, at(hand, *end))
    table.grab()
    QTest.mouseRelease(table, LEFT, keys, at(hand, *end))


def path(hand, contour=0):
    return hand.window.session.job.outline.contours[contour].path


def test_a_drag_moves_only_what_was_chosen_before(hand, nodes):
    job, centre = hand.window.session.job, QPointF(hand.window.table.view.centre)
    drag(hand, (60, 60), (70, 65))  # not chosen yet: this chooses
    assert hand.window.session.job is job
    assert nodes.tool.nodes == {(0, 2)}
    QTest.mousePress(hand.window.table, LEFT, pos=at(hand, 60, 60))
    QTest.mouseRelease(hand.window.table, LEFT, pos=at(hand, 60, 60) + QPoint(1, 1))
    assert hand.window.session.job is job  # a hand that shakes moves nothing
    drag(hand, (60, 60), (66, 64))
    assert path(hand).nodes[2] == pytest.approx([66, 64], abs=0.3)
    assert hand.window.session.undo_label == "Move a node"
    assert hand.window.table.view.centre == centre
    hand.key(Qt.Key.Key_Z, CTRL)
    assert path(hand) is PATHS[0]


def test_arrows_move_by_a_step_and_figures_put_it_there(hand, nodes):
    click(hand, 0, 0)
    hand.type(nodes.step, "0.5 mm")
    hand.window.table.setFocus()
    QTest.keyClick(hand.window.table, Qt.Key.Key_Left)
    QTest.keyClick(hand.window.table, Qt.Key.Key_Up, SHIFT)
    assert path(hand).nodes[0] == pytest.approx([-0.5, 5])
    hand.type(nodes.x_field, "2.5")
    hand.type(nodes.y_field, "-1 mm")
    assert path(hand).nodes[0] == pytest.approx([2.5, -1])
    hand.type(nodes.y_field, "0")
    assert path(hand).nodes[0] == pytest.approx([2.5, 0])
    hand.type(nodes.y_field, "up")
    assert hand.window.sheets["tidy"].fault.text()


def test_what_is_chosen_moves_by_figures_and_is_brought_into_view(hand, nodes):
    click(hand, 60, 60)
    click(hand, 0, 0, CTRL)
    hand.click("between")
    assert nodes.tool.nodes in ({(0, 0), (0, 1), (0, 2)}, {(0, 2), (0, 3), (0, 0)})
    hand.window.table.setFocus()
    QTest.keyClick(hand.window.table, Qt.Key.Key_Escape)
    assert not nodes._buttons["between"][0].isEnabled()
    click(hand, 60, 60)
    hand.type(nodes.dx_field, "2 mm")
    hand.type(nodes.dy_field, "-3")
    assert path(hand).nodes[2] == pytest.approx([62, 57])
    assert nodes.dx_field.text() == ""
    before = hand.window.table.view.px_per_mm
    hand.click("show-chosen")
    assert hand.window.table.view.px_per_mm > 2 * before
    assert hand.window.table.view.shown().contains(QPointF(62, 57))


def test_a_chosen_segment_is_bent_by_a_drag(hand, nodes):
    drag(hand, (30, 0), (30, -8))  # not chosen yet
    assert path(hand) is PATHS[0]
    drag(hand, (30, 0), (30, -8))
    assert path(hand).kinds[0] == ARC
    # 60 mm wide and 8 mm deep: the bulge is twice the depth over the width
    assert path(hand).bulges[0] == pytest.approx(16 / 60, abs=0.02)


def test_a_box_chooses_nodes_and_delete_takes_them(hand, nodes):
    drag(hand, (-4, 64), (64, 56), SHIFT)
    assert nodes.tool.nodes == {(0, 2), (0, 3)}
    click(hand, 60, 0, CTRL)
    assert len(nodes.tool.nodes) == 3
    click(hand, 60, 0, CTRL)
    click(hand, 0, 60, CTRL)
    hand.window.table.setFocus()
    QTest.keyClick(hand.window.table, Qt.Key.Key_Delete)
    assert len(path(hand).nodes) == 3
    assert not nodes.tool.nodes
    drag(hand, (55, 66), (85, 50), SHIFT)
    QTest.keyClick(hand.window.table, Qt.Key.Key_Escape)
    assert not nodes.tool.nodes


def test_a_lasso_chooses_what_lies_in_it(hand, nodes):
    table = hand.window.table
    around = [(-5, 30), (-5, 65), (65, 65), (65, 55), (5, 55)]  # both upper corners of the plate
    QTest.mousePress(table, LEFT, SHIFT | CTRL, at(hand, *around[0]))
    for place in around[1:]:
        QTest.mouseMove(table, at(hand, *place))
    table.grab()
    QTest.mouseRelease(table, LEFT, SHIFT | CTRL, at(hand, *around[-1]))
    assert nodes.tool.nodes == {(0, 2), (0, 3)}


def test_a_double_click_adds_a_node_and_segments_change_their_kind(hand, nodes):
    QTest.mouseDClick(hand.window.table, LEFT, pos=at(hand, 20, 0))
    assert path(hand).nodes[1] == pytest.approx([20, 0], abs=0.3)
    click(hand, 40, 0)
    assert nodes.tool.segments == {(0, 1)}
    hand.click("choice-arc")
    assert path(hand).kinds[1] == ARC
    hand.click("choice-curve")
    assert path(hand).kinds[1] == CUBIC
    hand.window.table.grab()
    (handle, x, y), _ = nodes.tool._handles()
    drag(hand, (x, y), (x, y + 9))
    assert path(hand).controls[1, handle.end, 1] == pytest.approx(y + 9, abs=0.3)
    hand.click("halve")
    assert len(path(hand).nodes) == 6
    click(hand, 0, 30)
    hand.click("drop-segment")
    assert not path(hand).closed


def test_nodes_become_smooth_and_sharp_and_start_the_loop(hand, nodes):
    assert "choose nodes" in nodes._buttons["smooth"][0].toolTip()
    click(hand, 60, 60)
    hand.click("smooth")
    assert (path(hand).kinds == CUBIC).sum() == 2
    hand.click("sharp")
    hand.click("start")
    assert path(hand).nodes[0].tolist() == [60, 60]
    assert nodes.tool.nodes == {(0, 0)}
    before = signed_area(path(hand))
    hand.click("reverse")
    assert signed_area(path(hand)) == pytest.approx(-before)
    hand.click("break")
    assert isinstance(path(hand), OpenPath)


def test_ends_are_joined_and_a_locked_loop_cannot_be_touched(hand, nodes):
    for where in ((70, 60), (75, 60)):
        click(hand, *where, CTRL)
    hand.click("join-line")
    joined = path(hand, 2)
    assert joined.nodes.tolist() in (
        [[70, 0], [70, 60], [75, 60], [75, 0]], [[75, 0], [75, 60], [70, 60], [70, 0]],
    )  # fmt: skip
    for where in ((70, 0), (75, 0)):
        click(hand, *where, CTRL)
    hand.click("join-merge")
    assert isinstance(path(hand, 2), Loop)
    assert len(path(hand, 2).nodes) == 3
    click(hand, 60, 60)
    hand.click("lock")
    drag(hand, (60, 60), (66, 64))
    assert path(hand) is PATHS[0]
    assert "locked" in hand.window.sheets["tidy"].fault.text()
    hand.click("lock")
    drag(hand, (60, 60), (66, 64))
    assert path(hand) is not PATHS[0]


def test_other_stops_take_the_tool_away_and_space_shows_the_bare_picture(hand, nodes):
    table = hand.window.table
    assert table.tool is nodes.tool
    hand.click("choice-loops")
    assert table.tool is hand.window.sheets["tidy"].tool
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    assert table.tool is None


def test_the_index_finds_what_the_hand_points_at():
    outline = Outline(tuple(Contour(path) for path in PATHS))
    index = Index(outline)
    on = index.on_path(40.05, 30, 1)
    assert (on.contour, on.distance) == (1, pytest.approx(0.05, abs=0.01))
    assert index.on_path(50, 30, 1) is None
    assert index.on_node(0.3, 0.4, 1) == (0, 0, pytest.approx(0.5))
    assert index.on_node(5, 5, 1) is None
    assert index.contours_in((65, -1), (80, 61)) == {2, 3}
    assert index.nodes_in((-1, -1), (1, 61)) == {(0, 0), (0, 3)}
    empty = Index(Outline())
    assert empty.on_path(0, 0, 1) is None
    assert empty.on_node(0, 0, 1) is None
    assert np.isfinite(index.nodes).all()


def test_what_is_chosen_stays_with_its_loop_when_another_one_goes(hand, nodes):
    click(hand, 70, 60)
    assert nodes.tool.nodes == {(2, 1)}
    session = hand.window.session
    gone = Outline(session.job.outline.contours[1:])
    session.apply("Delete a loop", lambda job: with_outline(job, gone))
    assert nodes.tool.nodes == {(1, 1)}
    assert path(hand, 1) is PATHS[2]
    session.undo()
    assert nodes.tool.nodes == {(2, 1)}
    session.apply("Delete it", lambda job: with_outline(job, Outline(job.outline.contours[:2])))
    assert nodes.tool.nodes == set()

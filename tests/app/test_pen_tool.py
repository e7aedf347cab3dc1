"""The edge pen by hand: clicks along the picture, and a stretch redone."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import CUBIC, OpenPath

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def nodes(hand, plate_png):
    # the plate lies from (5, 5) to (65, 45) mm, its hole of 20 mm about (35, 25)
    hand.open(plate_png)
    hand.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    hand.click("choice-nodes")
    hand.window.table.fit()
    hand.settle()
    return hand.window.sheets["tidy"].nodes


def at(hand, x, y):
    return hand.window.table.view.to_screen(QPointF(x, y)).toPoint()


def click(hand, x, y):
    QTest.mouseMove(hand.window.table, at(hand, x, y))
    QTest.mouseClick(hand.window.table, LEFT, pos=at(hand, x, y))


def newest(hand):
    return hand.window.session.job.outline.contours[-1]


def on_hole(degrees, out=0.0):
    angle = np.radians(degrees)
    return 35 + (10 + out) * np.cos(angle), 25 + (10 + out) * np.sin(angle)


def test_a_few_clicks_follow_the_edge_of_a_hole_and_close(hand, nodes):
    hand.click("edge-pen")
    for degrees in (0, 120, 240):
        click(hand, *on_hole(degrees, out=0.2))  # beside the edge: put on it
    QTest.mouseMove(hand.window.table, at(hand, *on_hole(180)))
    hand.window.table.grab()
    click(hand, *on_hole(0, out=0.2))
    drawn = newest(hand)
    assert drawn.origin == "drawn"
    assert drawn.path.closed
    assert abs(signed_area(drawn.path)) == pytest.approx(100 * np.pi, rel=0.01)
    assert bounding_box([drawn.path]) == pytest.approx((25, 15, 45, 35), abs=0.06)
    assert hand.window.session.undo_label == "Draw a line"


def test_the_way_changes_by_a_key_and_clicks_are_taken_back(hand, nodes):
    hand.click("edge-pen")
    table = hand.window.table
    click(hand, 10, 10)
    QTest.keyClick(table, Qt.Key.Key_L)
    click(hand, 20, 10)
    click(hand, 20, 15)
    QTest.keyClick(table, Qt.Key.Key_Backspace)
    click(hand, 20, 20)
    QTest.keyClick(table, Qt.Key.Key_C)
    click(hand, 12, 24)
    click(hand, 10, 40)
    QTest.keyClick(table, Qt.Key.Key_Return)
    drawn = newest(hand).path
    assert isinstance(drawn, OpenPath)
    assert drawn.nodes == pytest.approx(
        np.array([[10, 10], [20, 10], [20, 20], [12, 24], [10, 40]]), abs=0.3
    )
    assert drawn.kinds.tolist() == [0, 0, CUBIC, CUBIC]
    job = hand.window.session.job
    click(hand, 30, 30)
    QTest.keyClick(table, Qt.Key.Key_Escape)  # the click
    QTest.keyClick(table, Qt.Key.Key_Escape)  # the pen
    assert not nodes.draw.isChecked()
    assert table.tool is nodes.tool
    assert hand.window.session.job is job


def test_a_stretch_is_redone_from_the_line_to_the_line(hand, nodes):
    hand.click("redo-stretch")
    QTest.keyClick(hand.window.table, Qt.Key.Key_L)
    click(hand, 30, 30)  # not on a line
    assert "begins, on the line" in hand.window.sheets["tidy"].fault.text()
    before = hand.window.session.job.outline
    click(hand, 20, 45)
    click(hand, 50, 45)
    click(hand, 30, 42)
    click(hand, 40, 42)
    hand.window.table.grab()
    QTest.keyClick(hand.window.table, Qt.Key.Key_Escape)  # one back, and again
    click(hand, 40, 42)
    click(hand, 50, 45)
    after = hand.window.session.job.outline
    assert len(after.contours) == len(before.contours)
    (changed,) = [c for c in after.contours if c not in before.contours]
    assert changed.origin == "edited"
    assert signed_area(changed.path) == pytest.approx(2400 - 0.5 * (30 + 10) * 3, abs=8)
    assert len(changed.path.nodes) == 8
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert hand.window.session.job.outline is before
    # and a drawn stretch outlives a new trace
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    hand.key(Qt.Key.Key_3, Qt.KeyboardModifier.AltModifier)
    hand.type(hand.window.sheets["trace"].tolerance, "0.09 mm")
    hand.settle()
    assert changed in hand.window.session.job.outline.contours
    assert len(hand.window.session.job.outline.contours) == 2

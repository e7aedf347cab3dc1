"""True up, by mouse and keys: offers, what holds, the caliper list."""

import math

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Dimension
from silhueta.core.truing.edits import set_calipers
from tests.conftest import hole

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier
PLATE = Loop([[0.01, 0], [100, 0.02], [100.01, 60], [0, 60.01]])
HOLES = [(15, 30, 4.01), (50, 30.01, 3.99), (85, 30, 4.0)]


@pytest.fixture
def sheet(hand):
    holes = [hole(circle_loop((x, y), r)) for x, y, r in HOLES]
    contours = tuple(Contour(path, origin="imported") for path in (PLATE, *holes))
    hand.window.session.start(set_imported(Job(), Outline(contours), "Plate"))
    hand.key(Qt.Key.Key_5, ALT)
    hand.window.table.fit()
    hand.settle()
    return hand.window.sheets["true_up"]


def paths(hand):
    return [c.path for c in hand.window.session.job.outline.contours]


def press(hand, x, y):
    at = hand.window.table.view.to_screen(QPointF(x, y)).toPoint()
    QTest.mouseMove(hand.window.table, at)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=at)


def test_what_is_sure_is_taken_in_one_click_and_undone_by_one_key(hand, sheet):
    before = paths(hand)
    assert "sure offers" in sheet.offers.sure.text()
    hand.click("take-sure")
    hand.settle()
    edges = paths(hand)[0].ends - paths(hand)[0].starts
    unit = edges / np.hypot(*edges.T)[:, None]
    assert np.abs(np.sum(unit * np.roll(unit, 1, axis=0), axis=1)).max() < 1e-9
    radii = [full_circle(path)[1] for path in paths(hand)[1:]]
    assert np.ptp(radii) < 1e-9
    assert hand.window.session.undo_label.startswith("Trued up: ")
    assert "held exactly" in sheet.result.text()
    assert hand.window.traveller.buttons["true_up"].accessibleName().startswith("True up, done")
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.settle()
    assert all(a is b for a, b in zip(paths(hand), before, strict=True))


def test_offers_of_a_kind_are_shown_on_the_table_and_taken_one_by_one(hand, sheet):
    hand.click("show-size")
    hand.settle()
    layer = hand.window.table.overlays["offers"]
    assert np.array(sorted(layer.places)) == pytest.approx(np.array(HOLES)[:, :2])
    texts = [label.text() for label in sheet.offers.findChildren(QLabel)]
    assert any("8 mm is near" in text and "sure" in text for text in texts)
    hand.click("take-one-1")
    hand.settle()
    assert sorted(full_circle(path)[1] for path in paths(hand)[1:])[1] == pytest.approx(4, abs=1e-9)
    hand.click("take-in a row")
    hand.settle()
    centres = np.array([full_circle(path)[0] for path in paths(hand)[1:]])
    assert np.diff(centres, axis=0)[0] == pytest.approx(np.diff(centres, axis=0)[1], abs=1e-8)
    assert len(hand.window.session.job.relations) == 2
    # what is held is released by its own button; nothing moves
    before = paths(hand)
    free = [b for b in sheet.offers.findChildren(QPushButton) if b.text() == "Release"]
    QTest.mouseClick(free[0], Qt.MouseButton.LeftButton)
    assert len(hand.window.session.job.relations) == 1
    assert all(a is b for a, b in zip(paths(hand), before, strict=True))


def test_sizes_typed_one_after_the_other_become_exact(hand, sheet):
    hand.click("choice-calipers")
    for x, y, _ in HOLES[:2]:
        press(hand, x, y)
    hand.click("choice-two")
    press(hand, *HOLES[0][:2])
    press(hand, *HOLES[2][:2])
    page = sheet.calipers
    kinds = [d.kind for d in hand.window.session.job.calipers]
    assert kinds == ["diameter", "diameter", "distance"]
    page.fields[0].setFocus()
    for text in ("8.2", "8.3 mm", "70.5"):  # Enter goes on to the next row
        field = hand.window.focusWidget()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert [d.measured for d in hand.window.session.job.calipers] == [8.2, 8.3, 70.5]
    hand.click("drive")
    hand.settle()
    (a, ra), (_, rb), (c, _) = (full_circle(path) for path in paths(hand)[1:])
    assert (2 * ra, 2 * rb) == pytest.approx((8.2, 8.3), abs=1e-9)
    assert math.dist(a, c) == pytest.approx(70.5, abs=1e-9)


def test_the_part_is_scaled_to_its_list(hand, sheet):
    hand.click("choice-calipers")
    hand.click("choice-width")
    hand.type(sheet.calipers.fields[0], "4 in")
    assert "Scaled by +1.5" in sheet.calipers.about.text()
    hand.click("scale-to-list")
    hand.settle()
    left, _, right, _ = hand.window.session.job.outline.bounds
    assert right - left == pytest.approx(101.6, abs=1e-9)
    assert hand.window.session.undo_label.startswith("Scaled to the list: +1.5")


def test_what_cannot_be_is_said_in_words_with_its_row_marked(hand, sheet):
    hand.click("choice-calipers")
    press(hand, *HOLES[0][:2])
    hand.type(sheet.calipers.fields[0], "20")
    hand.click("drive")
    hand.settle()
    assert "check the row and its unit" in sheet.fault.text()
    marked = [label.text() for label in sheet.calipers.findChildren(QLabel)]
    assert any(text.startswith("▲ ") for text in marked)
    hand.type(sheet.calipers.fields[0], "8.1")
    hand.click("drive")
    hand.settle()
    assert not sheet.fault.isVisible()
    hand.click("choice-two")
    press(hand, *HOLES[0][:2])
    press(hand, *HOLES[0][:2])
    assert "two different" in sheet.fault.text()


def test_the_longest_edge_is_turned_level(hand, sheet):
    hand.click("level")
    hand.settle()
    nodes = paths(hand)[0].nodes
    edges = np.roll(nodes, -1, axis=0) - nodes
    longest = edges[np.hypot(*edges.T).argmax()]
    assert abs(longest[1]) < 1e-9


def test_by_hand_an_edge_is_level_a_hole_gets_its_size_and_a_corner_its_radius(hand, sheet):
    hand.click("choice-hand")
    page = sheet.by_hand
    assert "choose one edge first" in page.buttons["level"].toolTip()
    press(hand, 30, 0)
    hand.click("make-level")
    hand.settle()
    assert abs(np.diff(paths(hand)[0].nodes[:2, 1])[0]) < 1e-9
    press(hand, 30, 0)  # again: let go
    press(hand, *HOLES[0][:2])
    hand.type(page.extent, "8.4")
    hand.settle()
    assert 2 * full_circle(paths(hand)[1])[1] == pytest.approx(8.4, abs=1e-9)
    press(hand, *HOLES[1][:2])
    hand.click("make-equal-radius")
    hand.settle()
    assert full_circle(paths(hand)[2])[1] == pytest.approx(4.2, abs=1e-9)
    press(hand, 30, 0)
    press(hand, 100, 20)
    hand.type(page.fillet, "6")
    hand.settle()
    assert len(paths(hand)[0].nodes) == 5
    assert hand.window.session.undo_label == "Rounded a corner"
    press(hand, 30, 0)
    press(hand, 30, 60)
    hand.type(page.fillet, "6")
    hand.settle()
    assert "meet in a corner" in sheet.fault.text()
    assert [r.kind for r in hand.window.session.job.relations] == [
        "level",
        "radius",
        "equal radius",
    ]


def test_a_ragged_loop_is_made_a_slot_and_then_of_its_size(hand):
    half = np.linspace(-np.pi / 2, np.pi / 2, 12)
    end = 3 * np.column_stack([np.cos(half), np.sin(half)])
    ring = np.vstack([end + [60, 30], [[40, 30]] - end])
    ring += np.random.default_rng(2).normal(0, 0.08, ring.shape)
    contours = (Contour(PLATE, origin="imported"), Contour(hole(Loop(ring)), origin="imported"))
    hand.window.session.start(set_imported(Job(), Outline(contours), "Plate"))
    hand.key(Qt.Key.Key_5, ALT)
    hand.window.table.fit()
    hand.settle()
    hand.click("choice-hand")
    press(hand, 50, 33)
    hand.click("shape-slot")
    hand.settle()
    slot = paths(hand)[1]
    assert np.abs(slot.bulges) == pytest.approx([0, 1, 0, 1])
    assert hand.window.session.undo_label == "Made a slot"
    press(hand, 63, 30)
    hand.type(hand.window.sheets["true_up"].by_hand.extent, "3.5")
    hand.settle()
    slot = paths(hand)[1]
    assert np.hypot(*(slot.ends - slot.starts)[[1, 3]].T) == pytest.approx([7, 7], abs=1e-8)


def test_a_ragged_stretch_is_made_one_edge_and_the_zero_put_on_a_hole(hand, sheet, tmp_path):
    window = hand.window
    ragged = Loop([[0, 0.1], [30, -0.1], [70, 0.1], [100, -0.1], [100, 60], [0, 60.0]])
    contours = (Contour(ragged, origin="imported"), Contour(hole(circle_loop((50, 30), 4))))
    window.session.start(set_imported(Job(), Outline(contours), "Plate"))
    sheet.show_page("hand")
    hand.settle()
    for x in (15, 85):
        press(hand, x, 0)
    hand.click("straighten")
    hand.settle()
    assert len(paths(hand)[0].kinds) == 4
    assert window.session.undo_label == "Made one straight edge"
    press(hand, 46, 30)
    hand.click("zero-here")
    hand.settle()
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "plate.dxf"
    hand.click("next")
    hand.settle()
    (circle,) = ezdxf.readfile(tmp_path / "plate.dxf").modelspace().query("CIRCLE")
    assert tuple(circle.dxf.center)[:2] == pytest.approx((0, 0), abs=1e-9)


def test_the_list_scales_across_and_up_apart(hand, sheet):
    hand.window.session.apply("A list", with_list)
    sheet.show_page("calipers")
    hand.settle()
    hand.click("stretch-to-list")
    hand.settle()
    assert size(hand) == pytest.approx((101, 60.3), abs=0.01)
    assert "across" in hand.window.session.undo_label
    assert full_circle(paths(hand)[1]) is not None


def with_list(job):
    return set_calipers(job, (Dimension("width", (), 101.0), Dimension("height", (), 60.3)))


def size(hand):
    left, bottom, right, top = hand.window.session.job.outline.bounds
    return right - left, top - bottom


def test_offers_of_less_certainty_are_taken_when_asked_for(hand, sheet):
    few = len(sheet.offers._enough)
    hand.click("choice-60")
    many = len(sheet.offers._enough)
    assert many > few
    assert f"Take {many}" in sheet.offers.sure.text()


def test_offers_speak_in_inches_and_angles_in_degrees(hand, sheet):
    hand.window.session.set_units("in")
    hand.settle()
    hand.click("show-perpendicular")
    hand.settle()
    texts = [label.text() for label in sheet.offers.findChildren(QLabel)]
    told = next(text for text in texts if "is square to" in text)
    assert "2.362 in" in told or "3.937 in" in told
    assert "°" in told
    hand.window.session.set_units("mm")
    sheet.show_page("calipers")
    slanted = Loop([[0, 0], [100, 0], [80, 60], [0, 60.0]])
    hand.window.session.start(
        set_imported(Job(), Outline((Contour(slanted, origin="imported"),)), "Plate")
    )
    hand.settle()
    hand.window.table.fit()
    hand.click("choice-two")
    press(hand, 50, 0)
    press(hand, 90, 30)
    (field,) = sheet.calipers.fields
    hand.type(field, "70")
    hand.click("drive")
    hand.settle()
    edges = paths(hand)[0].ends - paths(hand)[0].starts
    turn = math.atan2(edges[1][1], edges[1][0]) - math.atan2(edges[0][1], edges[0][0])
    assert math.degrees(turn) == pytest.approx(110, abs=1e-6)

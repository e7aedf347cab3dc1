"""Build, by mouse and keys: shapes of typed size, pieces placed, parted, footed, laid out."""

import math
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.app.finder import Finder
from silhueta.core.build.edits import move
from silhueta.core.build.fonts import FOLDER
from silhueta.core.build.shapes import rectangle, ring
from silhueta.core.errors import EditError
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, set_imported

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def sheet(hand):
    boxes = (rectangle(60, 30), rectangle(20, 20, 0, (60, 10)), rectangle(10, 10, 0, (100, -3)))
    contours = tuple(Contour(loop, origin="imported") for loop in boxes)
    hand.window.session.start(set_imported(Job(), Outline(contours), "Three"))
    hand.key(Qt.Key.Key_6, ALT)
    hand.settle()
    hand.window.table.fit()
    return hand.window.sheets["build"]


def loops(hand):
    return list(hand.window.session.job.outline.loops)


def box(hand, key):
    return bounding_box([c.path for c in hand.window.session.job.outline.contours if c.key == key])


def press(hand, x, y):
    at = hand.window.table.view.to_screen(QPointF(x, y)).toPoint()
    QTest.mouseMove(hand.window.table, at)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=at)


def drag(hand, start, end):
    table = hand.window.table
    a, b = (table.view.to_screen(QPointF(*at)).toPoint() for at in (start, end))
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=a)
    QTest.mouseMove(table, (a + b) / 2)
    QTest.mouseMove(table, b)
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=b)
    hand.settle()


def do(hand, name):
    hand.click(name)
    hand.settle()


@pytest.mark.parametrize(
    ("shape", "sizes", "area"),
    [
        ("Rectangle", ("40", "20", "5"), 800 - (4 - math.pi) * 25),
        ("Circle", ("10",), math.pi * 25),
        ("Slot", ("30", "10"), 200 + math.pi * 25),
        ("Regular polygon", ("20",), 6 * 100 * math.tan(math.pi / 6)),
        ("Ring", ("20", "10"), math.pi * 75),
        ("Holes on a circle", ("4", "40"), 6 * math.pi * 4),
        ("Row of holes", ("4", "10"), 6 * math.pi * 4),
        ("Square grid of holes", ("4", "10"), 36 * math.pi * 4),
    ],
)
def test_a_shape_of_typed_size_is_put_in_the_middle(hand, shape, sizes, area):
    hand.key(Qt.Key.Key_6, ALT)
    hand.click("choice-shapes")
    page = hand.window.sheets["build"].shapes
    page.shape.setCurrentText(shape)
    page.shape.activated.emit(page.shape.currentIndex())
    for field, text in zip(page.fields, sizes, strict=False):
        hand.type(field, text)
    do(hand, "put-shape")
    assert sum(map(signed_area, loops(hand))) == pytest.approx(area, abs=1e-9)
    left, bottom, right, top = hand.window.session.job.outline.bounds
    assert (left + right, bottom + top) == pytest.approx((0, 0), abs=1e-9)


def test_chosen_pieces_are_moved_turned_mirrored_and_copied(hand, sheet):
    hand.click("choice-place")
    press(hand, 60, 10)
    page = sheet.place
    hand.type(page.right_by, "5")
    hand.type(page.up_by, "-2.5")
    do(hand, "move")
    assert box(hand, 2) == pytest.approx((55, -2.5, 75, 17.5))
    assert box(hand, 1) == pytest.approx((-30, -15, 30, 15))
    hand.type(page.angle, "45")
    hand.settle()
    assert box(hand, 2)[2] - box(hand, 2)[0] == pytest.approx(20 * math.sqrt(2))
    do(hand, "mirror-x")
    hand.type(page.across, "3")
    hand.type(page.gap, "2")
    do(hand, "copy")
    assert len(loops(hand)) == 5
    hand.key(Qt.Key.Key_Z, CTRL)
    assert len(loops(hand)) == 3
    do(hand, "mirrored-pair")
    pair = bounding_box([loops(hand)[-1]])
    assert pair[0] - box(hand, 2)[2] == pytest.approx(2)
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.type(page.across, "4")
    sheet.middle = (0.0, 0.0)
    do(hand, "copy-round")
    middles = [np.reshape(bounding_box([loop]), (2, 2)).mean(axis=0) for loop in loops(hand)[3:]]
    far = np.hypot(*np.reshape(box(hand, 2), (2, 2)).mean(axis=0))
    assert np.hypot(*np.transpose(middles)) == pytest.approx(np.full(3, far))


def test_pieces_are_scaled_grouped_and_told_to_be_mirrored(hand, sheet, tmp_path):
    hand.click("choice-place")
    page = sheet.place
    assert not page.one.isEnabled()
    press(hand, 60, 10)
    hand.type(page.percent, "50")
    hand.settle()
    assert box(hand, 2) == pytest.approx((55, 5, 65, 15))
    assert box(hand, 1) == pytest.approx((-30, -15, 30, 15))
    do(hand, "mirror-x")
    assert "mirrored" in sheet.result.text()
    assert hand.window.table.overlays["mirrored"].boxes[0] == pytest.approx(box(hand, 2))
    press(hand, 100, -3)
    do(hand, "group")
    sheet.let_go()
    press(hand, 100, -3)  # one of the two chooses both
    before = box(hand, 2)
    hand.type(page.right_by, "10")
    do(hand, "move")
    assert box(hand, 2)[0] - before[0] == pytest.approx(10)
    stored = tmp_path / "plates.silhueta"
    save_job(hand.window.session.job, stored)
    again = load_job(stored).outline.contours
    assert [c.mirrored for c in again] == [False, True, False]
    assert again[1].group == again[2].group > again[0].group
    do(hand, "mirror-x")  # both of the group: the first shows its own side again
    assert [c.mirrored for c in hand.window.session.job.outline.contours] == [False, False, True]
    do(hand, "ungroup")
    sheet.let_go()
    press(hand, *np.reshape(box(hand, 3), (2, 2)).mean(axis=0))
    assert sheet.keys == [3]


def test_pieces_are_put_in_line_once_enough_are_chosen(hand, sheet):
    hand.click("choice-place")
    press(hand, 0, 0)
    assert not sheet.place.aligned["centre"].isEnabled()
    press(hand, 60, 10)
    assert not sheet.place.aligned["space across"].isEnabled()
    assert "3 pieces" in sheet.place.aligned["space across"].toolTip()
    press(hand, 100, -3)
    do(hand, "align-space-across")
    gaps = box(hand, 2)[0] - box(hand, 1)[2], box(hand, 3)[0] - box(hand, 2)[2]
    assert gaps[0] == pytest.approx(gaps[1])
    do(hand, "align-bottom")
    assert {round(box(hand, key)[1], 9) for key in (1, 2, 3)} == {-15.0}


def test_a_piece_is_parted_where_it_was_clicked_and_gets_a_foot_and_its_slot(hand, sheet):
    hand.click("choice-place")
    page = sheet.place
    do(hand, "foot")
    assert "click the piece first" in sheet.fault.text()
    press(hand, -2, -14)
    hand.type(page.long, "20")
    hand.type(page.deep, "5")
    do(hand, "foot")
    assert box(hand, 1)[1] == pytest.approx(-20, abs=1e-9)
    hand.type(page.thick, "4")
    hand.type(page.spare, "0.2")
    do(hand, "foot-slot")
    slot = bounding_box([loops(hand)[-1]])
    assert (slot[2] - slot[0], slot[3] - slot[1]) == pytest.approx((20.4, 4.4))
    do(hand, "part-upright")
    widths = sorted(b[2] - b[0] for b in (bounding_box([loop]) for loop in loops(hand)))
    assert widths[-2:] == pytest.approx([28, 32], abs=0.5)
    hand.key(Qt.Key.Key_Z, CTRL)
    press(hand, 10, 5)
    hand.type(page.slanted, "30")  # through the click, on a slant
    hand.settle()
    ways = np.vstack([path.ends - path.starts for path in loops(hand)])
    slanted = np.abs(np.degrees(np.arctan2(ways[:, 1], ways[:, 0])) % 180 - 30) < 1e-9
    assert slanted.sum() == 2  # a side of each half


def test_words_in_a_font_of_ones_own_go_round_a_circle(hand):
    hand.key(Qt.Key.Key_6, ALT)
    page = hand.window.sheets["build"].letters
    own = str(FOLDER / "Barlow_400Regular.ttf")
    page.font_.insertItem(0, "own", own)
    page.font_.setCurrentIndex(0)
    page.text.setPlainText("MARE ALTA")
    assert not page.circle.isEnabled()
    hand.click("choice-under")
    assert page.circle.isEnabled()
    hand.type(page.circle, "150")
    hand.type(page.cap, "12")
    do(hand, "set-words")
    (words,) = hand.window.session.job.words
    assert (words.lettering.font, words.lettering.arc) == (own, -150)
    heights = [b[3] - b[1] for b in (bounding_box([loop]) for loop in loops(hand))]
    assert max(heights) > 12
    hand.window.session.set_units("in")
    hand.settle()
    assert page.cap.text() == "0.472 in"
    hand.type(page.cap, "1")
    assert page.values["Capitals high"] == pytest.approx(25.4)


def test_pieces_are_placed_on_a_sheet_and_how_full_it_is_is_told(hand, sheet):
    hand.click("choice-divide")
    hand.type(sheet.divide.wide, "150")
    hand.type(sheet.divide.high, "100")
    hand.type(sheet.divide.count, "2")
    do(hand, "place")
    assert len(loops(hand)) == 6
    left, bottom, right, top = hand.window.session.job.outline.bounds
    assert min(left, bottom) >= 5 - 1e-9
    assert right <= 145 + 1e-9
    assert top <= 95 + 1e-9
    full = 100 * 2 * (1800 + 400 + 100) / 15_000
    assert sheet.divide.about.text().endswith(f"1 sheet, {full:.0f} % full.")
    assert hand.window.table.overlays["beds"].boxes == ((0, 0, 150, 100),)
    hand.key(Qt.Key.Key_Z, CTRL)
    assert "beds" not in hand.window.table.overlays
    hand.key(Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "beds" in hand.window.table.overlays
    hand.type(sheet.divide.wide, "30")
    do(hand, "place")
    assert "do not fit the sheet" in sheet.fault.text()
    assert not sheet.divide.colours.isEnabled()
    assert "no colours" in sheet.divide.colours.toolTip()


def test_edges_are_grown_sharp_and_a_border_is_a_ring(hand, sheet):
    hand.click("choice-join")
    press(hand, 0, 0)
    hand.click("choice-sharp")
    hand.type(sheet.join.by, "3")
    do(hand, "grow")
    assert box(hand, 1) == pytest.approx((-33, -18, 33, 18))
    assert np.allclose([signed_area(loop) for loop in loops(hand)[:2]], [400, 100])
    hand.key(Qt.Key.Key_Z, CTRL)
    do(hand, "border")
    areas = sorted(signed_area(loop) for loop in loops(hand))
    assert areas == pytest.approx([-1800, 100, 400, 66 * 36])
    assert not any(full_circle(loop) for loop in loops(hand))


def test_pages_are_found_by_what_one_would_type(hand):
    hand.key(Qt.Key.Key_K, CTRL)
    finder = hand.window.findChild(Finder)
    QTest.keyClicks(finder.field, "stencil")
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    hand.settle()
    assert hand.window.present == "build"
    assert hand.window.sheets["build"].present == "letters"
    hand.window.actions_.run("true_up-hand")
    assert hand.window.sheets["true_up"].present == "hand"


def test_a_tie_is_put_where_the_island_was_clicked_and_a_copy_set_aside(hand):
    plate = [*ring(100, 60), circle_loop((0, 0), 20)]
    contours = tuple(Contour(loop, origin="imported") for loop in plate)
    hand.window.session.start(set_imported(Job(), Outline(contours), "Ring"))
    hand.key(Qt.Key.Key_6, ALT)
    hand.settle()
    hand.window.table.fit()
    hand.click("choice-shapes")
    press(hand, 7, 7)  # in the disc, whose centre is meant
    page = hand.window.sheets["build"].shapes
    page.shape.setCurrentText("Circle")
    hand.type(page.fields[0], "4")
    do(hand, "put-shape-there")
    assert full_circle(loops(hand)[-1])[0] == pytest.approx((0, 0), abs=1e-9)
    hand.key(Qt.Key.Key_Z, CTRL)
    hand.key(Qt.Key.Key_Escape)
    hand.window.sheets["build"].let_go()
    hand.window.sheets["build"].clicked = None
    hand.click("choice-place")
    do(hand, "set-aside")
    skipped = [c for c in hand.window.session.job.outline.contours if not c.taken]
    assert len(skipped) == 3
    hand.click("choice-join")
    do(hand, "tie-here")
    assert "click the island first" in hand.window.sheets["build"].fault.text()
    press(hand, 18, 1)
    do(hand, "tie-here")
    assert "fall out" not in hand.window.sheets["build"].result.text()
    assert len(loops(hand)) == 3  # the plate, and what is left of the gap on both sides
    for loop in loops(hand)[1:]:
        _, bottom, _, top = bounding_box([loop])
        assert (top < 0) or (bottom > 0)  # the tie runs across, where it was clicked
    for up in (1, -1):  # by its grip to above the disc; undone, by its old grip to below it
        drag(hand, (25, 0), (0, up * 40))
        quarter = min(loops(hand)[1:], key=lambda loop: abs(signed_area(loop)))
        _, bottom, right, top = bounding_box([quarter])
        assert right == pytest.approx(-2, abs=0.6)
        assert up * (bottom if up > 0 else top) == pytest.approx(2 + up, abs=0.3)
        assert "fall out" not in hand.window.sheets["build"].result.text()
        hand.key(Qt.Key.Key_Z, CTRL)


def test_two_quick_edits_are_both_made_and_one_that_cannot_be_is_said(hand, sheet):
    before = box(hand, 1)

    def refused(job):
        raise EditError("there is no room")

    sheet.do("Moved", lambda job: move(job, (1,), 5.0, 0.0))
    sheet.do("Refused", refused)
    sheet.do("Moved", lambda job: move(job, (1,), 0.0, 7.0))
    hand.settle()
    assert np.subtract(box(hand, 1), before) == pytest.approx([5, 7, 5, 7])
    assert hand.window.session.history[-2:] == ["Moved", "Moved"]


def test_an_edit_is_made_again_where_the_job_changed_meanwhile(hand, sheet):
    before = box(hand, 1)
    sheet.do("Moved", lambda job: move(job, (1,), 5.0, 0.0))
    hand.window.session.amend(lambda job: replace(job, name="Traced meanwhile"))
    hand.settle()
    assert hand.window.session.job.name == "Traced meanwhile"
    assert np.subtract(box(hand, 1), before) == pytest.approx([5, 0, 5, 0])

"""The stop Inspect: found, framed, mended, waved through; the three looks at a part."""

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.app.inspecting import found_in
from silhueta.core.files.job_file import load_job
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, set_imported
from tests.conftest import hole, square

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier
PLASMA, ROUTER = 1, 3  # places in the list of processes


def started(hand, *loops, size=100.0):
    """Begin with a plate of an outline and some loops in it, and go to Inspect."""
    contours = (Contour(loop, origin="imported") for loop in (square(size), *loops))
    hand.window.session.start(set_imported(Job(), Outline(tuple(contours)), "Plate"))
    hand.key(Qt.Key.Key_7, ALT)
    looked(hand)
    return hand.window.sheets["inspect"]


def looked(hand):
    """Wait until what is found in the present job is known and shown."""
    hand.settle()
    hand.wait(lambda: found_in(hand.window.session.job) is not None)
    hand.settle()


def cut_by(hand, sheet, which):
    """Choose a process with the keyboard."""
    sheet.held.process.setFocus()
    for _ in range(abs(which - sheet.held.process.currentIndex())):
        QTest.keyClick(sheet.held.process, Qt.Key.Key_Down)
    hand.settle()
    looked(hand)


def codes(sheet):
    return [one.code for one in sheet.found]


def test_a_web_is_found_framed_and_mended_in_one_click(hand):
    sheet = started(hand, hole(circle_loop((50, 92), 7)), hole(circle_loop((30, 40), 2)))
    assert codes(sheet) == []
    assert "Nothing was found" in sheet.result.text()
    cut_by(hand, sheet, PLASMA)
    hand.type(sheet.held.thickness, "6 mm")
    looked(hand)
    assert codes(sheet)[:2] == ["small-hole", "thin-web"]
    assert "2" in hand.window.traveller.buttons["inspect"].accessibleName()
    hand.click("finding-2")
    shown = hand.window.table.view.shown().normalized()
    assert shown.contains(QPointF(50, 99.5))
    assert shown.width() < 80
    card = sheet.card
    assert card.isVisible()
    assert "1.00 mm wide, 3.00 mm are asked" in card.text.text()
    place = hand.window.table.view.to_screen(QPointF(50, 99.5)).toPoint()
    assert not card.geometry().contains(place)  # it covers nothing that it speaks of
    assert sheet.next.text() == "Mend it: move the hole by 2.00 mm"
    hand.click("next")
    looked(hand)
    assert "thin-web" not in codes(sheet)
    kept = hand.window.session.job.outline.contours
    assert kept[1].path.nodes.mean(0) == pytest.approx([50, 90], abs=0.01)
    assert hand.window.session.undo_label == "Mended: web too thin"
    hand.key(Qt.Key.Key_Z, CTRL)
    looked(hand)
    assert "thin-web" in codes(sheet)


def test_what_is_waved_through_comes_back_when_it_changes(hand, tmp_path):
    window = hand.window
    sheet = started(hand, hole(circle_loop((50, 92), 7)))
    cut_by(hand, sheet, PLASMA)
    place = window.table.view.to_screen(QPointF(50, 99.5)).toPoint()
    sheet.choose(None)
    QTest.mouseClick(window.table, Qt.MouseButton.LeftButton, pos=place - QPointF(0, 22).toPoint())
    assert sheet.chosen == 0
    hand.click("let-pass")
    hand.click("wave-through")
    assert "say why" in sheet.fault.text().lower()
    hand.type(sheet.card.reason, "It is welded over there")
    looked(hand)
    assert codes(sheet) == []
    assert "1 waved through" in window.traveller.buttons["inspect"].accessibleName()
    hand.answer = tmp_path / "plate.silhueta"
    hand.key(Qt.Key.Key_S, CTRL)
    hand.settle()
    (kept,) = load_job(tmp_path / "plate.silhueta").waved
    assert (kept.code, kept.reason) == ("thin-web", "It is welded over there")
    from silhueta.core.build.edits import move

    window.session.apply("Moved", lambda job: move(job, (), 20.0, 5.0))
    looked(hand)
    assert codes(sheet) == []  # the part as a whole moved: the web is as it was
    window.session.apply("Moved", lambda job: move(job, (2,), 0.0, 0.5))
    looked(hand)
    assert codes(sheet) == ["thin-web"]
    window.session.undo()
    looked(hand)
    hand.click("open-again-0")
    looked(hand)
    assert codes(sheet) == ["thin-web"]


def test_the_looks_tell_what_goes_what_is_left_and_how_thick_it_is(hand):
    sheet = started(hand, hole(square(40, (20, 20))), square(10, (35, 35)))
    cut_by(hand, sheet, ROUTER)
    hand.type(sheet.held.tool, "6 mm")
    hand.click("inspect-more")
    hand.type(sheet.held.sheet, "200 x 150 mm")
    looked(hand)

    def told():
        hand.settle()
        return dict(sheet.views.told(hand.window.session.job, sheet.view, "mm"))

    hand.click("choice-goes")
    figures = told()
    assert figures["stays"].startswith("2 pieces, 8500")
    assert figures["goes"].startswith("1 slug, 1500")
    assert figures["scrap"] == "72 % of the sheet"
    assert "1 piece" in figures["loose"]
    hand.click("other-side")
    hand.click("choice-cut")
    # of a square hole the four corners: 4 r² (1 - pi / 4), and r (1 - 1 / sqrt 2) from the lines
    figures = told()
    assert figures["in all"].startswith(f"{4 * 9 * (1 - np.pi / 4):.2f}")
    assert figures["at most"].startswith("0.88 mm")
    hand.click("choice-widths")
    assert told()["thinnest"] == "20.00 mm"
    hand.click("choice-findings")
    assert {"island", "tight-corner"} <= set(codes(sheet))


def test_thousands_of_findings_are_grouped_and_wrong_limits_are_said(hand):
    holes = [hole(circle_loop((2 + 4 * x, 2 + 4 * y), 1.2)) for x in range(60) for y in range(60)]
    sheet = started(hand, *holes, size=260.0)
    cut_by(hand, sheet, ROUTER)
    assert len(sheet.found) > 3600
    rows = [w for w in sheet.list.findChildren(object) if w.objectName().startswith("finding-")]
    assert len(rows) < 10
    hand.click("more-small-hole")
    hand.click("inspect-more")
    hand.type(sheet.held.sheet, "30")
    assert "no sheet" in sheet.fault.text()
    hand.type(sheet.held.sheet, "300 x 300 mm")
    hand.type(sheet.held.margin, "150 mm")
    assert "leaves nothing" in sheet.fault.text()
    hand.type(sheet.held.web, "900 mm")
    hand.settle()
    hand.wait(lambda: bool(hand.window.inspecting.failure) or found_in(hand.window.session.job))
    hand.settle()


def test_an_empty_job_and_one_from_a_file(hand, tmp_path):
    hand.key(Qt.Key.Key_7, ALT)
    sheet = hand.window.sheets["inspect"]
    assert "no outline yet" in sheet.result.text()
    assert not sheet.next.isEnabled()
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (100, 0), (100, 100), (0, 100)], close=True)
    space.add_lwpolyline([(20, 20), (60, 20), (60, 60), (20, 60.0), (20, 24)])
    document.saveas(tmp_path / "open.dxf")
    hand.open(tmp_path / "open.dxf")
    hand.key(Qt.Key.Key_7, ALT)
    looked(hand)
    assert codes(sheet) == ["open-path"]
    assert "1 finding will hurt" in sheet.result.text()
    assert sheet.next.text() == "Mend it: close it straight across"
    hand.click("next")
    looked(hand)
    assert codes(sheet) == []

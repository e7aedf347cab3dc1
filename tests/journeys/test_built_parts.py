"""A nameplate, an emblem in colours, a gate panel: built, bridged, divided, saved."""

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QEnterEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from silhueta.core.build.bridges import islands
from silhueta.core.build.shapes import negative, rectangle, slot
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.job import Job, set_imported
from tests.journeys.conftest import all_saved, inspected, planned, rehearsed

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def typed(sheet, text):
    sheet.letters.text.setFocus()
    sheet.letters.text.selectAll()
    QTest.keyClicks(sheet.letters.text, text)


def press(hand, x, y):
    at = hand.window.table.view.to_screen(QPointF(x, y)).toPoint()
    QTest.mouseMove(hand.window.table, at)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=at)


def pointed(hand, name):
    """Hold the mouse over a button."""
    button = hand.window.sheets.currentWidget().findChild(object, name)
    place = QPointF(button.rect().center())
    QApplication.sendEvent(button, QEnterEvent(place, place, button.mapToGlobal(place)))
    hand.wait(lambda: "ahead" in hand.window.table.overlays)
    return button


def page(hand, key):
    hand.click(f"choice-{key}")


def loops(hand):
    return list(hand.window.session.job.outline.loops)


def test_journey_e_the_nameplate_in_fifteen_actions(hand, act, tmp_path, monkeypatch):
    window = hand.window
    act("build", hand.key, Qt.Key.Key_6, ALT)
    sheet = window.sheets["build"]
    act("the name", typed, sheet, "Andorinha")
    act("the font", sheet.letters.font_.setCurrentText, "Slab")
    act("cap height", hand.type, sheet.letters.cap, "60 mm")
    act("set", hand.click, "set-words")
    left, bottom, right, top = window.session.job.outline.bounds
    act("plate", page, hand, "shapes")
    act("radius", hand.type, sheet.shapes.radius, "6")
    act("four holes", hand.type, sheet.shapes.holes, "5")
    act("margin", hand.type, sheet.shapes.margin, "18")
    act("cut out", hand.click, "plate-cut-out")
    box = window.session.job.outline.bounds
    assert np.subtract(box, (left, bottom, right, top)) == pytest.approx([-18, -18, 18, 18])
    assert "4 islands would fall out" in sheet.result.text()
    act("join", page, hand, "join")
    act("tied", hand.click, "tie")
    assert "would fall out" not in sheet.result.text()
    assert not islands(loops(hand))
    assert act("inspect", inspected, hand) == []
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "name.dxf"
    act("save", hand.click, "next")
    assert len(act.done) <= 15
    found = inspect_file(tmp_path / "name.dxf")
    assert found["outer_loops"] == 1  # the plate is one piece
    assert found["self_crossings"] == 0
    plan = planned(hand, "laser", "3 mm", "0.2 mm", "plywood")
    assert plan.left_out == ()
    assert all(one.ways[0].lead_in is not None for one in plan.entries)
    assert plan.entries[-1].level == 0
    (tmp_path / "all").mkdir()
    assert len(all_saved(hand, tmp_path / "all", monkeypatch)) == 6
    done = rehearsed(hand)
    # one piece of scrap for each hole and letter, and the plate
    assert done.pieces == len(plan.entries)
    assert done.beyond_radius < 0.01


def test_words_stay_text_until_they_are_words_followed(hand):
    hand.key(Qt.Key.Key_6, ALT)
    sheet = hand.window.sheets["build"]
    typed(sheet, "Lume")
    hand.click("set-words")
    hand.settle()
    hand.window.table.fit()
    before = loops(hand)
    box = hand.window.session.job.outline.bounds
    press(hand, *before[0].nodes[0])
    assert len(sheet.keys) == len(before)
    assert sheet.letters.set.text() == "Set them anew"
    hand.type(sheet.letters.cap, "30 mm")
    hand.click("set-words")
    hand.settle()
    after = hand.window.session.job.outline.bounds
    assert (after[2] - after[0]) == pytest.approx((box[2] - box[0]) / 2)
    assert (after[0] + after[2]) == pytest.approx(box[0] + box[2])
    assert len(hand.window.session.job.words) == 1
    page(hand, "join")
    hand.click("grow")
    hand.settle()
    assert not hand.window.session.job.words
    hand.key(Qt.Key.Key_Z, CTRL)
    assert len(hand.window.session.job.words) == 1


def test_journey_f_the_emblem_in_layers(hand, act, tmp_path):
    window = hand.window
    window.filing.open_demo("emblem")
    hand.settle()
    hand.wait(lambda: len(window.session.job.outline.groups) >= 3)
    hand.settle()
    act("build", hand.key, Qt.Key.Key_6, ALT)
    act("divide", page, hand, "divide")
    act("mirrored", hand.click, "choice-back")
    assert not {"self-crossing", "loops-cross", "open-path"} & set(act("inspect", inspected, hand))
    act("build again", hand.key, Qt.Key.Key_6, ALT)
    hand.answer = tmp_path / "emblem.svg"
    act("save", hand.click, "save-colours")
    plan = planned(hand, "knife", "0.1 mm", material="vinyl")
    assert plan.left_out == ()
    assert {(one.side, one.ways[0].overcut) for one in plan.entries if one.ways[0].closed} == {
        ("on", 1.0)
    }
    files = sorted(file.name for file in tmp_path.glob("*.svg"))
    assert len(files) == len(window.session.job.outline.groups) + 1
    assert "emblem-base.svg" in files
    sizes = [inspect_file(file)["size_mm"] for file in tmp_path.glob("*.svg")]
    assert np.ptp(np.array(sizes), axis=0) == pytest.approx([0, 0], abs=1e-3)  # by their marks
    assert len(act.done) <= 12


def panel() -> Outline:
    places = [(x, y) for x in range(-560, 600, 160) for y in (-150, 0, 150)]
    whole = negative([slot(120, 40, at) for at in places], [rectangle(1400, 480, 10)])
    island = rectangle(30, 12, 0, (-560, 0))
    return Outline(tuple(Contour(loop, origin="imported") for loop in (*whole, island)))


def test_journey_g_the_gate_panel_in_sections(hand, act, tmp_path):
    window = hand.window
    window.session.start(set_imported(Job(), panel(), "Gate panel"))
    act("build", hand.key, Qt.Key.Key_6, ALT)
    sheet = window.sheets["build"]
    act("join", page, hand, "join")
    act("ties", hand.type, sheet.join.ties, "5")
    act("tied", hand.click, "tie")
    whole = sum(signed_area(loop) for loop in loops(hand))
    act("divide", page, hand, "divide")
    act("width", hand.type, sheet.divide.wide, "600")
    act("height", hand.type, sheet.divide.high, "500")
    act("tongues", hand.click, "choice-tongue")
    act("no clearance", hand.type, sheet.divide.clearance, "0")
    pointed(hand, "cut-sections")
    act("cut", hand.click, "cut-sections")
    assert act("inspect", inspected, hand) == []
    hand.key(Qt.Key.Key_6, ALT)
    assert sum(signed_area(loop) for loop in loops(hand)) == pytest.approx(whole, abs=1e-6)
    hand.answer = tmp_path / "gate.dxf"
    act("save", hand.click, "save-pieces")
    plan = planned(hand, "router", "12 mm", "6.35 mm", "plywood")
    assert plan.left_out == ()
    assert sum(one.tabs > 0 for one in plan.entries) >= 3  # each section is held
    hand.key(Qt.Key.Key_6, ALT)
    files = sorted(tmp_path.glob("gate-*.dxf"))
    assert [file.name for file in files] == ["gate-1.dxf", "gate-2.dxf", "gate-3.dxf"]
    assert window.present == "build"
    assert "3 files saved and read back" in sheet.divide.about.text()
    found = [inspect_file(file) for file in files]
    assert all(max(one["size_mm"]) <= 600 for one in found)
    for file in files:  # numbers and registration marks are marked, not cut
        marked = ezdxf.readfile(file).modelspace().query('*[layer=="MARK"]')
        assert len(marked) >= 2
    cut = sum(one["outer_loops"] + one["holes"] for one in found) - len(loops(hand))
    assert cut == 3  # the numbers, which enclose something as well
    assert len(act.done) <= 15
    # each of the files goes on a bed of its own: the first is planned and rehearsed
    window.session.mark_saved(window.session.job, tmp_path / "gate.silhueta")
    hand.open(files[0])
    assert window.session.job.name != "Gate panel"
    plan = planned(hand, "router", "12 mm", "6.35 mm", "plywood")
    hand.click("choice-file")
    hand.click("choice-nc")
    done = rehearsed(hand, saved=False)
    assert done.pieces == sum(not one.tabs for one in plan.entries if one.through) > 3
    assert done.beyond_radius < 0.01


def test_an_edit_is_shown_before_it_is_taken_and_pieces_are_chosen_and_dragged(hand):
    window = hand.window
    boxes = (rectangle(40, 40), rectangle(40, 40, 0, (30, 10)))
    contours = tuple(Contour(loop, origin="imported") for loop in boxes)
    window.session.start(set_imported(Job(), Outline(contours), "Two"))
    hand.key(Qt.Key.Key_6, ALT)
    hand.settle()
    window.table.fit()
    sheet = window.sheets["build"]
    page(hand, "join")
    assert not sheet.join.sets["subtract"].isEnabled()
    press(hand, -20, -5)
    press(hand, 50, 15)
    assert len(sheet.chosen) == 2
    pointed(hand, "subtract")
    layer = window.table.overlays["ahead"]
    assert sum(abs(signed_area(loop)) for loop in layer.goes) == pytest.approx(1600)
    assert not layer.comes
    hand.click("subtract")
    hand.settle()
    assert sum(signed_area(loop) for loop in loops(hand)) == pytest.approx(1600 - 30 * 10)
    assert window.session.undo_label == "Subtract"
    # drag the piece that came of it, which is chosen still
    assert len(sheet.chosen) == 1
    before = window.session.job.outline.bounds
    start = window.table.view.to_screen(QPointF(-20, -5)).toPoint()
    QTest.mousePress(window.table, Qt.MouseButton.LeftButton, pos=start)
    for step in (20, 60):
        QTest.mouseMove(window.table, start + QPoint(step, 0))
    QTest.mouseRelease(window.table, Qt.MouseButton.LeftButton, pos=start + QPoint(60, 0))
    hand.settle()
    moved = window.session.job.outline.bounds[0] - before[0]
    assert moved == pytest.approx(60 / window.table.view.px_per_mm, abs=0.1)
    hand.key(Qt.Key.Key_Escape)


def test_what_cannot_be_built_is_said_and_nothing_is_lost(hand):
    hand.key(Qt.Key.Key_6, ALT)
    sheet = hand.window.sheets["build"]
    hand.click("set-words")
    hand.settle()
    assert "no letters to set" in sheet.fault.text()
    typed(sheet, "A")
    hand.click("set-words")
    hand.settle()
    job = hand.window.session.job
    page(hand, "shapes")
    hand.type(sheet.shapes.wide, "3")
    hand.type(sheet.shapes.high, "3")
    hand.click("plate-cut-out")
    hand.settle()
    assert "is smaller than what lies on it" in sheet.fault.text()
    page(hand, "join")
    hand.type(sheet.join.by, "80")
    hand.click("shrink")
    hand.settle()
    assert "nothing is left" in sheet.fault.text().lower()
    page(hand, "divide")
    hand.type(sheet.divide.wide, "2")
    hand.click("choice-tongue")
    hand.click("cut-sections")
    hand.settle()
    assert "too small for this joint" in sheet.fault.text()
    assert hand.window.session.job is job
    leave = QEvent(QEvent.Type.Leave)
    QApplication.sendEvent(sheet.divide.cut, leave)
    assert "ahead" not in hand.window.table.overlays

"""The same hand as in the tests of the window; actions are counted."""

import numpy as np
import pytest
from pypdfium2 import PdfDocument
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from silhueta.app.inspecting import found_in
from silhueta.app.planning import plan_of
from silhueta.core.rs274.interpret import interpret
from tests.app.conftest import hand

__all__ = [
    "act",
    "all_saved",
    "hand",
    "inspected",
    "inspected_from_anywhere",
    "planned",
    "rehearsed",
]


def inspected(hand):
    """Go to Inspect, wait for what is found, and return the codes of what would go wrong."""
    hand.key(Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
    hand.wait(lambda: found_in(hand.window.session.job) is not None)
    hand.settle()
    found = found_in(hand.window.session.job).open
    shown = hand.window.sheets["inspect"].found
    assert len(shown) == len(found)
    return [one.code for one in found if one.severity != "look"]


def inspected_from_anywhere(hand):
    """Return what the Traveller says of Inspect, which nobody needs to visit for that."""
    hand.wait(lambda: found_in(hand.window.session.job) is not None)
    hand.settle()
    return hand.window.traveller.buttons["inspect"].toolTip().split("\n")[1]


def planned(hand, process, thickness="", tool="", material=""):
    """Go to Cut file, say how it is cut, and return the plan that is proposed whole."""
    hand.key(Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    hand.settle()
    page = hand.window.sheets["cut_file"].plan_page
    if not page.isVisible():
        hand.click("choice-plan")

    def choose(select, data):
        select.setFocus()
        way = select.findData(data) - select.currentIndex()
        for _ in range(abs(way)):
            QTest.keyClick(select, Qt.Key.Key_Down if way > 0 else Qt.Key.Key_Up)

    choose(page.held.process, process)
    hand.settle()
    for field, text in ((page.held.thickness, thickness), (page.held.tool, tool)):
        if text:
            hand.type(field, text)
    if material:
        choose(page.material, material)
    hand.wait(lambda: plan_of(hand.window.session.job) is not None)
    hand.settle()
    return plan_of(hand.window.session.job).plan


def all_saved(hand, folder, monkeypatch):
    """Save all into a folder; read program, paper proof and list back; return the files by name.

    The program is held against where the plan's tools go, by a reader that knows the standard
    alone; proof and list are opened by pdfium.
    """
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    plan = plan_of(hand.window.session.job).plan
    hand.click("choice-file")
    hand.settle()
    hand.click("save-all")
    hand.wait(lambda: bool(hand.window.sheets["cut_file"].file_page.all_told.text()))
    hand.settle()
    files = {one.name: one for one in folder.iterdir()}
    assert "could not be" not in hand.window.sheets["cut_file"].result.text()
    cuts = 0
    for name in [name for name in files if name.endswith(".nc")]:
        deeds = list(interpret(files[name].read_text()))
        cuts += sum(one.kind == "tool" for one in deeds)
        assert deeds[-1].kind == "end"
        low = np.min([one.end for one in deeds if one.kind == "feed"], axis=0)
        high = np.max([one.end for one in deeds if one.kind == "feed"], axis=0)
        assert (high - low)[:2].max() <= max(plan.machine.bed_mm)
    assert cuts == len(plan.tools)
    proof, listed = (
        PdfDocument(next(file for name, file in files.items() if name.endswith(end)))
        for end in ("-proof.pdf", "-setup.pdf")
    )
    assert "paper proof, 1:1" in proof[0].get_textpage().get_text_range()
    told = "\n".join(page.get_textpage().get_text_range() for page in listed)
    for word in ("Material:", "Thickness:", "Tool:", "Unit:", "Zero:", "Time:"):
        assert word in told
    return files


def rehearsed(hand, saved=True):
    """Rehearse the job's own file to its end, with the hand; return what came of it (Rehearsed)."""
    hand.key(Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    hand.settle()
    hand.click("choice-rehearsal")
    sheet = hand.window.sheets["cut_file"]
    page, player = sheet.rehearsal_page, sheet.player
    hand.wait(lambda: page.layer is not None or bool(page.asked.text()))
    assert page.asked.text() == ""
    hand.settle()
    assert page.about.text() == ("as it was saved" if saved else "as it would be saved now")
    assert player.now == 0
    hand.click("to-end")
    course = page.layer.course
    assert page.layer.moment.runs == len(course.runs)
    assert page.layer.moment.pieces == course.done.pieces
    assert hand.window.readout.groups()[-1][0][1] == player.time.text().split(" of ")[0]
    assert "rehearsed" in hand.window.traveller.buttons["cut_file"].toolTip()
    assert sheet.result.text().startswith("Cuts what was meant"), sheet.result.text()
    return course.done


@pytest.fixture
def act(hand):
    """Do something by mouse or key, wait until it is done, and note it."""
    done = []

    def do(name, what, *arguments):
        done.append(name)
        came = what(*arguments)
        hand.settle()
        hand.settle()
        return came

    do.done = done
    return do

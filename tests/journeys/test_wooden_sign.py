"""A wooden sign: fields as pockets, the name in a V-groove, the rim in six passes with tabs."""

from __future__ import annotations

import ezdxf
import numpy as np
import pytest
from pypdfium2 import PdfDocument
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.app.planning import plan_of
from silhueta.core.build.lettering import Lettering, lettered
from silhueta.core.build.shapes import rectangle
from silhueta.core.files.job_file import load_job
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.geometry.transform import shifted
from silhueta.core.job import Job, set_imported
from tests.journeys.conftest import all_saved, planned, rehearsed

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NO = Qt.KeyboardModifier.NoModifier


def sign() -> Outline:
    """Return a board of 680 x 400 mm with two fields, an island in one, and a name of 60 mm."""
    name = lettered(Lettering("Lume", 60.0, "Slab"))
    box = bounding_box(name)
    name = [shifted(loop, (-(box[0] + box[2]) / 2, -150 - box[1])) for loop in name]
    fields = [
        rectangle(260, 180, 0, (-150, 60)),
        circle_loop((-150, 60), 45),
        rectangle(240, 180, 0, (160, 60)),
    ]
    loops = [rectangle(680, 400, 40), *fields, *name]
    return Outline(tuple(Contour(loop, origin="imported") for loop in loops))


def _all_of_it(hand, folder, monkeypatch):
    """A program for each tool, all of it proven, and a proof on several sheets."""
    hand.click("choice-nc")
    hand.settle()
    hand.click("choice-yes")
    hand.settle()
    folder.mkdir()
    files = all_saved(hand, folder, monkeypatch)
    programs = sorted(name for name in files if name.endswith(".nc"))
    assert {name.split("-")[2] for name in programs} == {"pocket.nc", "groove.nc", "profile.nc"}
    assert programs[-1] == "wooden_sign-3-profile.nc"
    assert "set Z 0 on the table" in files[programs[-1]].read_text()
    done = rehearsed(hand)
    assert done.pieces == 0  # fifteen tabs hold it
    assert done.beyond_radius < 0.01
    assert done.depth_off < 0.02
    assert len(PdfDocument(files["wooden_sign-proof.pdf"])) >= 8


def test_journey_j_the_wooden_sign_in_eighteen_actions(hand, act, tmp_path, monkeypatch):
    window = hand.window
    window.session.start(set_imported(Job(), sign(), "Wooden sign"))

    def plan():
        hand.wait(lambda: plan_of(window.session.job) is not None)
        return plan_of(window.session.job).plan

    def click(x, y, keys=NO):
        at = window.table.view.to_screen(QPointF(x, y)).toPoint()
        QTest.mouseMove(window.table, at)
        QTest.mouseClick(window.table, Qt.MouseButton.LeftButton, keys, at)

    def operate(which):
        what = window.sheets["cut_file"].card.what
        what.setFocus()
        for _ in range(which - what.currentIndex()):
            QTest.keyClick(what, Qt.Key.Key_Down)

    act("cut file, process, thickness, bit", planned, hand, "router", "12 mm", "6.35 mm", "plywood")
    act.done += ["process", "thickness", "bit", "material"]
    sheet = window.sheets["cut_file"]
    # fields: a click on each cut, the bit's radius inside its line
    act("a field", click, -280 + 3.2, 60)
    act("its island", click, -150, 60 + 45 + 3.2, SHIFT)
    act("the other field", click, 40 + 3.2, 60, SHIFT)
    act("pockets", operate, 1)
    assert {one.operation for one in plan().entries if set(one.keys) & {2, 3, 4}} == {"pocket"}
    letters = [c for c in window.session.job.outline.contours if c.key > 4]

    def name():
        """Choose the letters, one after the other."""
        for k, contour in enumerate(letters):
            row = next(n for n, one in enumerate(plan().entries) if contour.key in one.keys)
            way = plan().entries[row].ways[0]
            at = way.path.nodes[len(way.path.nodes) // 3]
            click(*at.tolist(), SHIFT if k else NO)
            hand.settle()

    act("the name", name)
    act.done += ["a letter"] * (sum(1 for c in letters) - 1)
    assert len(sheet.chosen) == len(letters)
    act("V-groove", operate, 3)
    assert {one.operation for one in plan().entries if one.key > 4} == {"vgroove"}
    act("tools", hand.click, "choice-tools")
    act("the bit again", hand.click, "same-bit")
    assert len(act.done) <= 18, act.done
    made = plan()
    assert made.left_out == ()
    rim = made.entries[-1]
    assert (rim.tool.zero, len(rim.steps), rim.tab_height) == ("table", 6, 1.0)
    assert 12 <= rim.tabs <= 18
    pockets = [one for one in made.entries if one.operation == "pocket"]
    assert [(one.depth, one.tool.zero, one.tool.diameter_mm) for one in pockets] == [
        (3.5, "top", 6.35)
    ] * 2
    island = np.vstack([way.path.nodes for one in pockets for way in one.ways])
    assert np.hypot(*(island - [-150, 60]).T).min() >= 45 + 3.175 - 0.01
    hand.click("choice-file")
    hand.click("choice-holds-plan")
    hand.settle()
    hand.answer = tmp_path / "sign.dxf"
    hand.click("next")
    hand.settle()
    layers = {one.dxf.layer for one in ezdxf.readfile(hand.answer).modelspace()}
    assert {"POCKET_T1", "VGROOVE_T2", "CUT_OUTSIDE_T3", "TAB_T3"} <= layers
    _all_of_it(hand, tmp_path / "all", monkeypatch)
    hand.answer = tmp_path / "sign.silhueta"
    hand.key(Qt.Key.Key_S, CTRL)
    hand.settle()
    assert load_job(hand.answer).plan == window.session.job.plan
    assert window.session.job.inspect.width == pytest.approx(6.35)

"""The heron's whole way: from the scan to one clean closed line, 300 mm high, in two files."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from scipy.spatial import cKDTree

from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import Loop
from silhueta.demo.drawings import HERON_PICTURE, heron_outline
from tests.journeys.conftest import inspected

ALT = Qt.KeyboardModifier.AltModifier


def line_of(hand):
    loops = [p for p in hand.window.session.job.outline.taken if isinstance(p, Loop)]
    return max(loops, key=lambda path: abs(signed_area(path)))


def test_journey_b_in_twenty_actions(hand, tmp_path):
    window = hand.window
    actions = []

    def act(name, do, *arguments):
        actions.append(name)
        do(*arguments)
        hand.settle()
        hand.settle()

    act("open", hand.open, HERON_PICTURE)
    assert window.present == "trace"  # its 300 dpi are known
    sheet = window.sheets["trace"]
    act("more", hand.click, "more")
    act("middle of the pen line", hand.click, "choice-centre")
    act("close the break", hand.type, sheet.more.gaps, "2 mm")
    act("patch", sheet.more.patch_box.click)
    per_mm = 300 / 25.4
    act("a corner of it", hand.click_picture, 60 * per_mm, (210 - 125) * per_mm)
    act("the other", hand.click_picture, 115 * per_mm, (210 - 85) * per_mm)
    level = sheet.more.findChild(object, "patch-0").parent().findChildren(type(sheet.speck))[0]
    act("its threshold", hand.type, level, "150")
    assert window.session.job.trace.patches[0].threshold == 150
    act("tidy", hand.key, Qt.Key.Key_4, ALT)
    act("nodes", hand.click, "choice-nodes")
    act("redo a stretch", hand.click, "redo-stretch")
    table = window.table
    heron = line_of(hand)
    points = flatten(heron, 0.05)
    tip = int(np.argmin(points[:, 0]))  # of the beak, at the left
    table.fit()

    def click(at):
        place = table.view.to_screen(QPointF(*at)).toPoint()
        QTest.mouseMove(table, place)
        QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=place)

    count = len(points)
    act("where it begins", click, points[(tip + count // 40) % count])
    act("where it ends", click, points[(tip - count // 40) % count])
    QTest.keyClick(table, Qt.Key.Key_L)
    act("the tip", click, points[tip] + [0.4, 0.0])
    QTest.keyClick(table, Qt.Key.Key_Return)
    assert window.session.undo_label == "Redo a stretch"
    redone = line_of(hand)
    assert len(redone.nodes) < len(heron.nodes) + 4
    act("offers", hand.click, "choice-offers")
    act("take them all", hand.click, "take-all")
    act("scale", hand.key, Qt.Key.Key_2, ALT)
    window.sheets["scale"].show_page("overall")
    window.sheets["scale"].pages.axis.button("height").click()
    act("300 mm high", hand.type, window.sheets["scale"].pages.overall, "300 mm")
    _, bottom, _, top = window.session.job.outline.bounds
    assert top - bottom == pytest.approx(300, rel=0.02)
    assert set(inspected(hand)) <= {"open-path"}  # a stray line of the pencil: a mark is written
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "heron.dxf"
    act("save the DXF", hand.click, "next")
    hand.click("choice-svg")
    hand.answer = tmp_path / "heron.svg"
    act("save the SVG", hand.click, "next")
    assert len(actions) <= 20
    for name in ("heron.dxf", "heron.svg"):
        got = inspect_file(tmp_path / name)
        assert got["outer_loops"] >= 1
        assert got["size_mm"][1] == pytest.approx(top - bottom, abs=0.02)
    # the line is the heron's own, but at the beak, which was drawn anew
    line = line_of(hand)
    true = heron_outline()
    scaled = flatten(line, 0.05) * (np.ptp(true[:, 1]) / np.ptp(flatten(line, 0.05)[:, 1]))
    off = cKDTree(true - true.min(0)).query(scaled - scaled.min(0))[0]
    assert np.median(off) < 0.5

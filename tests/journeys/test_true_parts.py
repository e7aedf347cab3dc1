"""Worn parts become exact ones: the rudder strap on its sheet, the gasket on the gauge sheet."""

import math

import numpy as np
import pytest
from pypdfium2 import PdfDocument
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.truing.edits import held
from silhueta.demo.photos import COVER_PICTURE, PINTLE_MM, STRAP_PICTURE
from tests.journeys.conftest import (
    all_saved,
    inspected_from_anywhere,
    planned,
    rehearsed,
)

ALT = Qt.KeyboardModifier.AltModifier


def circles(hand):
    """Centres and radii of the holes, the largest first."""
    found = [full_circle(c.path) for c in hand.window.session.job.outline.contours if c.taken]
    return sorted((one for one in found if one is not None), key=lambda one: -one[1])


def press(hand, at):
    place = hand.window.table.view.to_screen(QPointF(*at)).toPoint()
    QTest.mouseMove(hand.window.table, place)
    QTest.mouseClick(hand.window.table, Qt.MouseButton.LeftButton, pos=place)


def begun(hand, act, picture, find, thickness):
    """Open a photo, have its datum found, say how thick the part is, and go to True up."""
    act("open", hand.open, picture)
    if hand.window.present != "scale":
        act("scale", hand.key, Qt.Key.Key_2, ALT)
    if not hand.window.session.job.datums:
        act("its datum is found", hand.click, find)
    act("how thick", hand.type, hand.window.sheets["scale"].thickness, thickness)
    act("true up", hand.key, Qt.Key.Key_5, ALT)
    hand.wait(lambda: bool(hand.window.session.job.outline.contours))
    hand.settle()


def made_exact(hand, act):
    """Take all that is likely, and turn the part level."""
    act("from 80 % on", hand.click, "choice-80")
    act("all of it", hand.click, "take-sure")
    act("level", hand.click, "level")


def outer(hand):
    return next(c.path for c in hand.window.session.job.outline.contours if not full_circle(c.path))


def off_tangent(path):
    """By how much a path turns at joints with an arc, radians."""
    ways = path.ends - path.starts
    angle, half = np.arctan2(ways[:, 1], ways[:, 0]), 2 * np.arctan(path.bulges)
    turn = np.roll(angle - half, -1) - (angle + half)
    curved = (path.bulges != 0) | (np.roll(path.bulges, -1) != 0)
    return np.abs(np.remainder(turn[curved] + np.pi, 2 * np.pi) - np.pi)


def test_the_strap_is_exact_in_under_ten_actions(hand, act, tmp_path):
    window = hand.window
    begun(hand, act, STRAP_PICTURE, "find-sheet", "6 mm")
    made_exact(hand, act)
    assert len(act.done) < 10, act.done
    (bore, *small), path = circles(hand), outer(hand)
    assert 2 * bore[1] == pytest.approx(PINTLE_MM, abs=1e-9)
    assert [2 * radius for _, radius in small] == pytest.approx([8.5] * 3, abs=1e-9)
    assert np.ptp([centre[1] for centre, _ in (bore, *small)]) < 0.05  # in line with the bore
    sides = (path.ends - path.starts)[path.bulges == 0]  # worn by 0.25 mm, and straight again
    sides = sides[np.hypot(*sides.T) > 100]
    assert len(sides) == 2
    assert np.abs(sides[:, 1]).max() < 1e-7
    assert np.sort(off_tangent(path))[:4].max() < 1e-7
    assert all(one.state == "holds" for one in held(window.session.job))
    act("cut file", hand.key, Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "strap.dxf"
    act("save", hand.click, "next")
    written = [full_circle(path) for path in read_drawing(tmp_path / "strap.dxf").paths]
    radii = sorted(circle[1] for circle in written if circle is not None)
    assert radii == pytest.approx([4.25] * 3 + [PINTLE_MM / 2], abs=1e-6)


def test_the_gasket_is_exact_in_under_ten_actions(hand, act):
    begun(hand, act, COVER_PICTURE, "find-gauge", "2 mm")
    made_exact(hand, act)
    assert len(act.done) < 10, act.done
    found = circles(hand)
    assert [2 * radius for _, radius in found] == pytest.approx([46.0] + [9.0] * 4, abs=1e-9)
    assert off_tangent(outer(hand)).max() < 1e-7


def folder(tmp_path):
    made = tmp_path / "all"
    made.mkdir()
    return made


def test_journey_a_in_twelve_actions(hand, act, tmp_path, monkeypatch):
    window = hand.window
    begun(hand, act, STRAP_PICTURE, "find-sheet", "6 mm")
    act("what is sure", hand.click, "take-sure")
    assert window.session.job.relations
    act("the row of holes", hand.click, "take-in a row")
    act("caliper list", hand.click, "choice-calipers")
    act("the pintle's bore", press, hand, circles(hand)[0][0])
    act("as measured", hand.type, window.sheets["true_up"].calipers.fields[0], "22.05")
    act("exact", hand.click, "drive")
    assert inspected_from_anywhere(hand) == "nothing found"
    act("cut file", hand.key, Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "strap.dxf"
    act("save", hand.click, "next")
    assert len(act.done) <= 12, act.done
    plan = planned(hand, "plasma", material="steel")  # the thickness was told of the photo
    assert [one.level for one in plan.entries] == [1, 1, 1, 1, 0]
    assert all(one.ways[0].lead_in is not None for one in plan.entries)
    assert (plan.left_out, plan.findings) == ((), ())
    (_, radius), *small = circles(hand)
    assert 2 * radius == pytest.approx(22.05, abs=1e-9)
    assert np.ptp([r for _, r in small]) < 1e-9  # equal holes
    centres = np.array(sorted((c for c, _ in small), key=lambda c: c[0]))
    assert np.diff(centres, axis=0)[0] == pytest.approx(np.diff(centres, axis=0)[1], abs=1e-8)
    written = [full_circle(path) for path in read_drawing(tmp_path / "strap.dxf").paths]
    assert max(r for _, r in filter(None, written)) == pytest.approx(22.05 / 2, abs=1e-6)
    files = all_saved(hand, folder(tmp_path), monkeypatch)
    proof = next(file for name, file in files.items() if name.endswith("-proof.pdf"))
    told = PdfDocument(proof)[0].get_textpage().get_text_range()
    assert "Ø 22.05 mm (measured 22.05 mm)" in told
    done = rehearsed(hand)
    assert done.pieces == 5  # four slugs, the strap last
    assert done.beyond_radius < 0.01


def test_journey_c_in_fourteen_actions(hand, act, tmp_path, monkeypatch):
    window = hand.window
    begun(hand, act, COVER_PICTURE, "find-gauge", "2 mm")
    act("what is sure", hand.click, "take-sure")
    act("caliper list", hand.click, "choice-calipers")
    one, two = circles(hand)[:2]
    act("a hole", press, hand, one[0])
    act("between two", hand.click, "choice-two")
    act("from here", press, hand, one[0])
    act("to there", press, hand, two[0])
    fields = window.sheets["true_up"].calipers.fields
    size, far = round(2 * one[1], 1), round(math.dist(one[0], two[0]), 1)
    act("its diameter", hand.type, fields[0], f"{size}")
    act("their distance", hand.type, window.sheets["true_up"].calipers.fields[1], f"{far}")
    act("exact", hand.click, "drive")
    assert inspected_from_anywhere(hand) == "nothing found"
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "gasket.dxf"
    act("save", hand.click, "next")
    assert len(act.done) <= 14, act.done
    after = circles(hand)
    assert min(abs(2 * r - size) for _, r in after) < 1e-9
    assert (tmp_path / "gasket.dxf").exists()
    planned(hand, "knife", "2 mm")
    files = all_saved(hand, folder(tmp_path), monkeypatch)
    proof = next(file for name, file in files.items() if name.endswith("-proof.pdf"))
    told = PdfDocument(proof)[0].get_textpage().get_text_range()
    assert f"Ø {size:.2f} mm (measured {size:.2f} mm)" in told
    assert f"{far:.2f} mm (measured {far:.2f} mm)" in told

"""The heron and the emblem, from the demo picture to files that are read back."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from scipy.spatial import cKDTree

from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.demo.drawings import heron_outline

ALT = Qt.KeyboardModifier.AltModifier


def opened(hand, which):
    hand.window.filing.open_demo(which)
    hand.settle()
    hand.settle()
    hand.key(Qt.Key.Key_3, ALT)
    return hand.window.sheets["trace"]


def feathers(hand):
    """Return how long the open lines are together, mm."""
    taken = hand.window.session.job.outline.taken
    return sum(length(path) for path in taken if isinstance(path, OpenPath))


def test_the_herons_feathers_get_a_patch_and_the_line_goes_to_a_dxf(hand, tmp_path):
    sheet = opened(hand, "heron")
    before = feathers(hand)
    hand.click("more")
    sheet.more.patch_box.click()
    per_mm = 300 / 25.4
    for x, y in (
        (70, 210 - 117),
        (105, 210 - 85),
    ):  # round most feathers
        hand.click_picture(x * per_mm, y * per_mm)
    hand.settle()
    rule = sheet.more.findChild(object, "patch-0")
    rule.setCurrentIndex(rule.findData("nothing"))
    rule.activated.emit(rule.currentIndex())
    hand.settle()
    assert feathers(hand) < 0.4 * before
    hand.key(Qt.Key.Key_8, ALT)
    hand.answer = tmp_path / "heron.dxf"
    hand.click("next")
    hand.settle()
    assert "read back" in hand.window.sheets["cut_file"].result.text()
    paths = read_tags((tmp_path / "heron.dxf").read_bytes()).paths
    line = max((p for p in paths if isinstance(p, Loop)), key=lambda p: abs(signed_area(p)))
    points = flatten(line, 0.01)
    true = heron_outline()
    # the file begins at its own corner
    off = cKDTree(true - true.min(0)).query(points - points.min(0))[0]
    assert np.median(off) < 0.2
    assert np.ptp(points, axis=0) == pytest.approx(np.ptp(true, axis=0), abs=0.8)


def test_the_emblem_goes_to_an_svg_with_each_colour_of_its_own(hand, tmp_path):
    opened(hand, "emblem")
    hand.key(Qt.Key.Key_8, ALT)
    hand.click("choice-svg")
    hand.answer = tmp_path / "emblem.svg"
    hand.click("next")
    hand.settle()
    assert "read back" in hand.window.sheets["cut_file"].result.text()
    text = (tmp_path / "emblem.svg").read_text()
    fills = {part.split('"')[0] for part in text.split('<path fill="')[1:]}
    assert len(fills) == 4
    found = inspect_file(tmp_path / "emblem.svg")
    job = hand.window.session.job
    left, bottom, right, top = bounding_box(job.outline.taken)
    assert found["size_mm"] == pytest.approx([right - left, top - bottom], abs=0.01)
    assert found["open_paths"] == 0

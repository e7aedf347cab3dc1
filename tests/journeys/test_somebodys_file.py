"""Somebody's SVG or DXF, messy and without a unit, to a clean file of the right size."""

import ezdxf
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox

from silhueta.core.files.inspect_file import inspect_file
from tests.journeys.conftest import inspected

# a frame, a plate in two pieces with a gap, drawn twice in part, a bore, dust, a text
MESSY = """<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 120 100"
 fill="none" stroke="black" stroke-width="0.01"><rect width="120" height="100"/>
 <path d="M20 20 H100 V80"/><path d="M100 80.3 H20 V20.2"/>
 <path d="M20 20 H100 V80" transform="translate(0.05,0.05)"/>
 <circle cx="60" cy="50" r="11"/><circle cx="10" cy="90" r="0.2"/>
 <text x="3" y="9">a</text></svg>"""
ALT = Qt.KeyboardModifier.AltModifier


@pytest.fixture
def answers(monkeypatch):
    """What is answered to questions: the button whose text holds these words."""
    words, asked = [], []

    def answer(box):
        asked.append([box.text(), *(button.text() for button in box.buttons())])
        next(b for b in box.buttons() if words and words[0] in b.text()).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return words, asked


def test_journey_d_in_six_actions(hand, tmp_path):
    file, target = tmp_path / "messy.svg", tmp_path / "plate.svg"
    file.write_text(MESSY.format(size='width="120mm" height="100mm"'))
    hand.open(file)  # 1
    assert "Left out of messy.svg: 1 text." in hand.window.notice.text
    hand.click("choice-offers")  # 2
    hand.settle()
    sheet = hand.window.sheets["tidy"]
    found = {o.kind: o.count for o in sheet.offers.offers}
    assert (found["frame"], found["specks"], found["doubles"]) == (1, 1, 1)
    hand.click("take-all")  # 3
    hand.settle()
    hand.key(Qt.Key.Key_2, ALT)
    hand.type(hand.window.sheets["scale"].pages.overall, "200 mm")  # 4
    assert "200" in hand.window.sheets["scale"].result.text()
    assert inspected(hand) == ["unconverted"]  # its text, which nobody misses
    hand.key(Qt.Key.Key_8, ALT)
    hand.click("choice-svg")  # 5
    hand.answer = target
    hand.click("next")  # 6
    hand.settle()
    got = inspect_file(target)
    assert (got["outer_loops"], got["holes"], got["open_paths"]) == (1, 1, 0)
    assert got["size_mm"] == pytest.approx([200, 200 * 60.3 / 80], abs=0.2)
    assert got["self_crossings"] == 0


@pytest.mark.parametrize(("words", "wide"), [("(mm)", 120), ("(inch)", 3048), ("px", 31.75)])
def test_a_unit_is_asked_for_with_the_sizes_that_come_of_it(hand, tmp_path, answers, words, wide):
    file = tmp_path / "plain.svg"
    file.write_text(MESSY.format(size=""))
    answers[0].append(words)
    hand.open(file)
    (asked,) = answers[1]
    assert "does not say its unit" in asked[0]
    assert "120.0 × 100.0 mm (mm)" in asked
    left, _, right, _ = hand.window.session.job.outline.bounds
    assert right - left == pytest.approx(wide, rel=1e-4)


def test_a_dxf_opens_and_can_be_left_again(hand, tmp_path, answers):
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (40, 0), (40, 20), (0, 20)], close=True)
    space.add_text("plate")
    document.saveas(tmp_path / "plate.dxf")
    hand.open(tmp_path / "plate.dxf")
    assert hand.window.session.job.outline.bounds == pytest.approx((0, 0, 40, 20))
    assert "1 text" in hand.window.notice.text
    document.header["$INSUNITS"] = 0
    document.saveas(tmp_path / "bare.dxf")
    answers[0].append("Do not open")
    job = hand.window.session.job
    hand.open(tmp_path / "bare.dxf")
    assert hand.window.session.job is job
    (tmp_path / "none.dxf").write_text("0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n")
    hand.open(tmp_path / "none.dxf")
    assert "no outline" in hand.window.notice.text


def test_without_a_picture_only_an_overall_size_can_be_given(hand, tmp_path):
    file = tmp_path / "messy.svg"
    file.write_text(MESSY.format(size='width="120mm" height="100mm"'))
    hand.open(file)
    job = hand.window.session.job
    hand.key(Qt.Key.Key_2, ALT)
    scale = hand.window.sheets["scale"]
    scale.show_page("dpi")
    hand.type(scale.pages.dpi, "300")
    assert "overall size" in scale.fault.text()
    assert hand.window.session.job is job


@pytest.mark.parametrize(("words", "closed"), [("middle", False), ("outline", True)])
def test_broad_strokes_are_asked_about(hand, tmp_path, answers, words, closed):
    file = tmp_path / "line.svg"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90">'
        '<path d="M10 10 H60 V40" fill="none" stroke="black" stroke-width="3"/></svg>'
    )
    answers[0].append(words)
    hand.open(file)
    assert "a line up to 3.00 mm wide" in answers[1][0][0]
    (path,) = hand.window.session.job.outline.taken
    assert path.closed is closed
    answers[0][0] = "Do not open"
    job = hand.window.session.job
    hand.open(file)
    assert hand.window.session.job is job

"""The stops Picture and Scale on a photo, by mouse and keys."""

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from benchmarks.photo import Part, Scene, render
from silhueta.core.datums import LengthDatum, PageDatum, RoundDatum, SheetDatum
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.job import set_datums, set_trace
from silhueta.core.steps import Crop, EvenLight
from silhueta.core.units import format_length
from tests import plates
from tests.app.conftest import size
from tests.conftest import encoded

ALT = Qt.KeyboardModifier.AltModifier
PART = Part(150, 100, 0.0, size=(120.0, 80.0), radius=10.0, holes=((0.0, 0.0, 30.0),))
SCENE = Scene(PART, pixels=(1200, 900), tilt=10.0, azimuth=30.0, seed=2)


@pytest.fixture(scope="module")
def grey() -> np.ndarray:
    return render(SCENE)


def stored(grey: np.ndarray, folder: Path, lens: int | None) -> Path:
    exif = Image.Exif()
    if lens:
        exif.get_ifd(0x8769)[0xA405] = lens
    file = folder / "strap.jpg"
    image = Image.fromarray(grey).convert("RGB")
    file.write_bytes(encoded(image, "JPEG", quality=95, exif=exif).data)
    return file


@pytest.fixture
def phone(grey, tmp_path) -> Path:
    return stored(grey, tmp_path, 26)


@pytest.fixture
def bare(grey, tmp_path) -> Path:
    """The same photo without a word about its camera."""
    return stored(grey, tmp_path, None)


def sheet_of(hand) -> SheetDatum:
    (found,) = [d for d in hand.window.session.job.datums if isinstance(d, SheetDatum)]
    return found


def test_a_phone_photo_is_scaled_by_the_sheet_in_it_on_opening(hand, phone):
    hand.open(phone)
    assert sheet_of(hand).name == "a4"
    assert size(hand) == pytest.approx((120, 80), abs=0.15)
    assert hand.window.present == "trace"
    assert not hand.window.table.tilted  # what is traced is the picture at true size
    hand.key(Qt.Key.Key_2, ALT)
    assert hand.window.table.tilted
    text = hand.window.sheets["scale"].result.text()
    assert "from the A4 sheet" in text
    assert "100 mm is good to ±" in text
    assert "The camera stood" in text


def test_a_sheet_is_found_on_request_and_undone(hand, bare):
    hand.open(bare)
    assert sheet_of(hand).name == "a4"  # also without a word about the camera
    hand.window.session.apply("Nothing known", lambda job: set_datums(job, ()))
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-sheet")
    hand.click("find-sheet")
    hand.settle()
    hand.settle()
    assert size(hand) == pytest.approx((120, 80), abs=0.15)
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert hand.window.session.job.datums == ()


def test_a_sheet_that_is_not_there_is_explained(hand, bare):
    hand.open(bare)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-gauge")
    hand.click("find-gauge")
    hand.settle()
    fault = hand.window.sheets["scale"].fault
    assert fault.isVisible()
    assert "gauge sheet is not to be seen" in fault.text()
    assert sheet_of(hand).name == "a4"  # what was found on opening stays


def test_four_corners_are_marked_with_the_loupe_and_one_is_dragged(hand, bare):
    hand.open(bare)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-sheet")
    hand.click("mark-sheet")
    for x, y in SCENE.corners().tolist():
        hand.click_picture(x, y)
    hand.settle()
    assert np.abs(np.array(sheet_of(hand).corners) - SCENE.corners()).max() < 1.5
    assert size(hand) == pytest.approx((120, 80), abs=0.5)
    before = sheet_of(hand).corners
    table = hand.window.table
    at = hand.at(*before[2])
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(table, at + QPoint(-30, -20))
    assert sheet_of(hand).corners == before  # the job waits until the hand lets go
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=at + QPoint(-30, -20))
    hand.settle()
    moved = sheet_of(hand).corners
    assert moved[:2] == before[:2]
    assert moved[2][0] < before[2][0] - 20
    assert size(hand)[0] != pytest.approx(120, abs=0.5)


def test_corners_dragged_across_each_other_are_refused(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_2, ALT)
    before = sheet_of(hand).corners
    QTest.mousePress(hand.window.table, Qt.MouseButton.LeftButton, pos=hand.at(*before[0]))
    there = hand.at(*(np.array(before[2]) + 60))
    QTest.mouseMove(hand.window.table, there)
    QTest.mouseRelease(hand.window.table, Qt.MouseButton.LeftButton, pos=there)
    hand.settle()
    assert "cross" in hand.window.sheets["scale"].fault.text()
    assert sheet_of(hand).corners == before


def test_thickness_and_lens_change_the_size_and_nonsense_does_not(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_2, ALT)
    sheet = hand.window.sheets["scale"]
    hand.type(sheet.thickness, "4 mm")
    hand.settle()
    assert hand.window.session.job.optics.thickness == 4.0
    assert size(hand)[0] < 119.5  # it was flat in truth
    hand.type(sheet.thickness, "2 m")
    assert "would reach the camera" in sheet.fault.text()
    assert hand.window.session.job.optics.thickness == 4.0
    hand.type(sheet.focal, "28")
    hand.settle()
    assert hand.window.session.job.optics.focal35 == 28.0
    hand.type(sheet.focal, "abc")
    assert "is not a number of millimetres" in sheet.fault.text()


def test_the_result_says_how_the_camera_leaned_as_holes_show_it(hand, tmp_path):
    file = tmp_path / "plate.png"
    file.write_bytes(plates.photo(plates.DARK, 2.0))
    hand.open(file)
    hand.window.session.apply("Length", lambda job: set_datums(job, (plates.datum(2.0),)))
    part = replace(hand.window.session.job.trace, mode="part", read="part")
    hand.window.session.apply("Part", lambda job: set_trace(job, part))
    hand.key(Qt.Key.Key_2, ALT)
    sheet = hand.window.sheets["scale"]
    hand.type(sheet.thickness, "5 mm")
    hand.settle()
    assert size(hand) == pytest.approx((plates.WIDE, plates.HIGH), abs=0.3)
    told = r"mm above, and leaned by (1\.9|2\.[01])° ± 0\.\d°, as the walls in 5 round holes show\."
    assert re.search(told, sheet.result.text())
    hand.type(sheet.thickness, "0 mm")
    hand.settle()
    assert "how the camera may have leaned" in sheet.result.text()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert re.search(told, sheet.result.text())
    assert size(hand) == pytest.approx((plates.WIDE, plates.HIGH), abs=0.3)


def test_a_length_is_read_and_held_against_the_true_one(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("paper-thin")
    hand.click("check-length")
    for mm in ((90.0, 100.0), (210.0, 100.0)):  # the part's left and right edge
        hand.click_picture(*SCENE.plane().to_px(np.array([mm]))[0])
    read = hand.window.sheets["scale"].check.read
    assert read.text().startswith(("Reads 119.9", "Reads 120.0"))
    assert "±" in read.text()
    hand.type(hand.window.sheets["scale"].check.true, "121 mm")
    assert "off the true length" in read.text()
    assert read.text().startswith("▲")
    hand.click("show-sure")
    assert hand.window.table.solution is not None
    hand.window.table.grab()


@pytest.mark.parametrize("stop", ["picture", "scale", "trace", "tidy", "cut_file"])
def test_worksheets_are_no_wider_than_their_room(hand, phone, stop):
    hand.open(phone)
    hand.window.go(stop)
    hand.settle()
    sheet = hand.window.sheets[stop]
    pages = {"scale": ("sheet", "gauge", "length", "round"), "trace": ("less", "more")}
    pages["tidy"] = ("loops", "offers", "nodes", "steps")
    for key in pages.get(stop, ("",)):
        if stop == "scale":
            sheet.show_page(key)
        elif stop == "tidy":
            hand.click(f"choice-{key}")
        elif key == "more":
            hand.click("more")
        QTest.qWait(20)
        assert sheet.pane.widget().width() <= sheet.pane.viewport().width(), key


def test_lengths_are_listed_with_what_they_are_off_and_contradictions_refused(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-length")
    sheet = hand.window.sheets["scale"]

    def give(one, two, text):
        hand.click("pick-two-points")
        for mm in (one, two):
            hand.click_picture(*SCENE.plane().to_px(np.array([mm]))[0])
        hand.type(sheet.pages.length, text)
        hand.settle()

    give((90.0, 110.0), (210.0, 110.0), "120 mm")
    datums = hand.window.session.job.datums
    assert [type(d) for d in datums] == [SheetDatum, LengthDatum]
    give((90.0, 80.0), (210.0, 80.0), "140 mm")
    assert "contradict each other" in sheet.fault.text()
    assert hand.window.session.job.datums == datums
    hand.click("remove-datum-1")
    hand.settle()
    assert [type(d) for d in hand.window.session.job.datums] == [SheetDatum]


def test_a_round_of_known_size(hand, bare):
    hand.open(bare)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-round")
    hand.click("pick-round")
    middle = SCENE.plane().to_px(np.array([[150.0, 100.0]]))[0]
    hand.click_picture(*middle)
    assert "type the diameter first" in hand.window.sheets["scale"].fault.text().lower()
    hand.type(hand.window.sheets["scale"].pages.diameter, "30 mm")
    hand.click("pick-round")
    hand.click_picture(*middle)
    hand.settle()
    (found,) = [d for d in hand.window.session.job.datums if isinstance(d, RoundDatum)]
    assert found.mm == 30.0
    hand.window.table.grab()


def test_a_whole_page(hand, tmp_path):
    grey = np.full((1169, 827), 240, np.uint8)
    grey[200:400, 100:500] = 30
    file = tmp_path / "page.png"
    file.write_bytes(encoded(Image.fromarray(grey), "PNG").data)
    hand.open(file)
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-page")
    hand.window.sheets["scale"].pages.page_size.button("a4").click()
    hand.settle()
    (page,) = hand.window.session.job.datums
    assert isinstance(page, PageDatum)
    assert size(hand) == pytest.approx((101.6, 50.8), abs=0.1)  # 4 x 2 in at 100 dpi


def test_the_gauge_sheet_is_saved_as_a_pdf(hand, tmp_path):
    hand.key(Qt.Key.Key_2, ALT)
    hand.click("choice-gauge")
    hand.answer = tmp_path / "gauge.pdf"
    hand.click("make-gauge")
    hand.settle()
    assert (tmp_path / "gauge.pdf").read_bytes().startswith(b"%PDF")


def test_the_verdict_comes_before_the_work(hand, bare):
    hand.open(bare)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    sheet = hand.window.sheets["picture"]
    assert sheet.verdict is not None
    assert "Sharpness" in sheet.advice.text()
    words = {"good": "Good to work with", "usable": "Usable", "poor": "Poor"}
    assert words[sheet.verdict.grade] in sheet.result.text()


def test_steps_are_taken_switched_off_and_removed(hand, bare):
    hand.open(bare)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    hand.click("clean-even")
    hand.settle()
    hand.click("clean-crop")
    for x, y in ((300, 200), (900, 700)):
        hand.click_picture(x, y)
    hand.settle()
    steps = hand.window.session.job.clean
    assert [type(s) for s in steps] == [EvenLight, Crop]
    assert steps[1].width == pytest.approx(600, abs=3)
    hand.click("step-1")
    assert not hand.window.session.job.clean[1].on
    hand.settle()
    hand.click("remove-step-0")
    assert [type(s) for s in hand.window.session.job.clean] == [Crop]
    hand.settle()


def test_a_photo_job_is_saved_and_opened_again(hand, phone, tmp_path):
    hand.open(phone)
    before, datums = size(hand), hand.window.session.job.datums
    hand.answer = tmp_path / "strap.silhueta"
    hand.key(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    hand.open(tmp_path / "strap.silhueta")
    hand.settle()
    assert hand.window.session.job.datums == datums
    assert size(hand) == pytest.approx(before)
    assert hand.window.tracing.flat is not None  # the picture at true size is back as well
    assert not hand.window.table.tilted


def test_a_demo_photo_is_a_click_away(hand):
    hand.window.actions_.run("demo_strap")
    hand.settle()
    hand.settle()
    wide, high = size(hand)
    assert wide == pytest.approx(194.9, abs=0.6)
    assert high == pytest.approx(80.6, abs=0.6)


def test_the_readout_says_how_sure_the_size_is_and_waits_for_the_thickness(hand, phone):
    def width() -> tuple[str, str]:
        groups = hand.window.readout.groups()
        return next((f, unit) for group in groups for name, f, unit in group if name == "width")

    hand.open(phone)
    wide, unit = width()
    assert float(wide) == pytest.approx(120, abs=0.15)
    assert float(unit.split()[1]) > 2.0  # anything from paper to 6 mm
    assert "thickness ?" in unit
    hand.key(Qt.Key.Key_2, ALT)
    assert "Waiting for it" in hand.window.sheets["scale"].thickness_note.text()
    hand.click("paper-thin")
    hand.settle()
    _, unit = width()
    assert unit.startswith("± 0.")
    assert unit.endswith("mm")
    assert not hand.window.session.job.optics.thickness_open


def test_the_gauge_demo_shows_its_residuals(hand):
    hand.window.filing.open_demo("cover")
    hand.settle()
    hand.settle()
    assert sorted(size(hand)) == pytest.approx([126.2, 131.7], abs=0.3)
    hand.key(Qt.Key.Key_2, ALT)
    table = hand.window.table
    before = table.grab().toImage()
    hand.click("show-sure")
    assert table.grab().toImage() != before
    hand.type(hand.window.sheets["scale"].pages.bar_field, "101 mm")
    hand.settle()
    assert sorted(size(hand)) == pytest.approx([127.4, 133.0], abs=0.3)


def test_what_is_not_sure_is_marked_on_the_table_and_told_with_a_remedy(hand, tmp_path):
    alike = Scene(Part(240, 100, 0.0, size=(120.0, 80.0)), pixels=(1200, 900), tilt=10.0, seed=2)
    alike = replace(alike, texture="steel", bench=60.0)
    hand.open(stored(render(alike), tmp_path, 26))
    stamp = hand.window.session.job.traced
    assert stamp is not None
    assert stamp.doubts
    told = hand.window.sheets["trace"].result.text()
    assert "▲" in told
    assert stamp.doubts[0][2] in told
    left, bottom, right, top = bounding_box(hand.window.session.job.outline.taken)
    x, y, _ = stamp.doubts[0]
    assert left - 5 < x < right + 5
    assert bottom - 5 < y < top + 5


def test_the_tolerance_shown_is_the_one_that_was_kept_and_a_smaller_one_is_obeyed(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_3, ALT)
    sheet, job = hand.window.sheets["trace"], hand.window.session.job
    assert job.trace.tolerance is None
    assert sheet.tolerance.text() == format_length(job.traced.tolerance_mm, "mm", 3)
    hand.type(sheet.tolerance, "0.05 mm")
    hand.settle()
    after = hand.window.session.job
    assert after.traced.tolerance_mm == pytest.approx(0.05)
    few, many = (sum(len(c.path.nodes) for c in j.outline.contours) for j in (job, after))
    assert many >= few


def test_the_verdict_on_a_photo_follows_the_part_once_it_is_found(hand, phone):
    hand.open(phone)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    told = {f.about for f in hand.window.sheets["picture"].verdict.findings}
    assert "Noise" in told  # seen beside the part's edge only
    hand.key(Qt.Key.Key_3, ALT)
    hand.click("choice-line")
    hand.settle()
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    told = {f.about for f in hand.window.sheets["picture"].verdict.findings}
    assert "Noise" not in told  # it is no part now, and the whole picture counts


@pytest.mark.parametrize(("wall", "open_"), [(60.0, True), (100.0, False)])
def test_walls_that_look_like_the_face_widen_how_sure_the_size_is(hand, tmp_path, wall, open_):
    part = Part(150, 90, 0.35, size=(120.0, 80.0), radius=10.0, holes=(), thickness=8.0)
    scene = Scene(part, pixels=(1600, 1200), tilt=22.0, azimuth=130.0, wall=wall, seed=4)
    hand.open(stored(render(scene), tmp_path, 26))
    hand.key(Qt.Key.Key_2, ALT)
    hand.type(hand.window.sheets["scale"].thickness, "8 mm")
    hand.settle()
    groups = hand.window.readout.groups()
    unit = next(u for group in groups for name, _, u in group if name == "width")
    hand.key(Qt.Key.Key_3, ALT)
    told = hand.window.sheets["trace"].result.text()
    assert ("wall ?" in unit) == open_
    assert ("straight above" in told) == open_
    assert "mm a pixel" in told  # too coarse for shadows beside a thick part
    assert (float(unit.split()[1]) > 2.2) == open_  # the wall is 2.3 mm wide there

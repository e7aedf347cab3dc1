"""The stop Picture on scans and pages, by mouse and keys."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from silhueta.core.geometry.measure import bounding_box
from silhueta.core.steps import Backdrop, Stroke
from tests.app.conftest import size
from tests.conftest import encoded
from tests.satin import HOLES, PLATE, satin

ALT = Qt.KeyboardModifier.AltModifier


def test_a_stroke_of_ink_closes_a_hole(hand, plate_png):
    hand.open(plate_png)
    assert len(hand.window.session.job.outline.contours) == 2
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    sheet = hand.window.sheets["picture"]
    hand.type(sheet.brush, "24 mm")
    assert sheet.brush.text() == "240 px"
    hand.click("clean-ink")
    table = hand.window.table
    box = bounding_box(
        [
            min(
                (c.path for c in hand.window.session.job.outline.contours),
                key=lambda p: np.ptp(p.nodes, axis=0).max(),
            )
        ]
    )
    middle = table.view.to_screen(QPointF((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)).toPoint()
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(table, middle + QPoint(3, 0))
    table.grab()
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=middle + QPoint(3, 0))
    QTest.keyClick(table, Qt.Key.Key_Escape)
    assert table.brush is None
    hand.settle()
    (stroke,) = hand.window.session.job.clean
    assert isinstance(stroke, Stroke)
    assert len(hand.window.session.job.outline.contours) == 1


def test_an_area_is_scraped_by_its_corners(hand, plate_png):
    hand.open(plate_png)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    picture = hand.window.tracing.picture
    w, h = picture.width, picture.height
    hand.click("clean-scrape-area")
    for x, y in ((w / 2, 0), (w, 0), (w, h), (w / 2, h), (w / 2, 0)):
        hand.window.table.grab()
        hand.click_picture(min(x, w - 1), min(y, h - 1))
        QTest.mouseMove(hand.window.table, hand.at(w / 2, 1))
        hand.window.table.grab()
    hand.settle()
    (stroke,) = hand.window.session.job.clean
    assert len(stroke.points) == 4
    assert size(hand)[0] == pytest.approx(30, abs=0.5)  # half the plate is left
    assert hand.window.table.pick is None


def test_a_colour_of_the_background_is_picked(hand, tmp_path):
    image = Image.new("RGB", (300, 200), (90, 110, 90))
    image.paste((60, 40, 40), (100, 60, 200, 140))
    file = tmp_path / "colours.png"
    file.write_bytes(encoded(image, "PNG", dpi=(254, 254)).data)
    hand.open(file)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    hand.click("clean-backdrop")
    hand.click_picture(20, 20)
    hand.settle()
    (drop,) = hand.window.session.job.clean
    assert isinstance(drop, Backdrop)
    assert drop.colours == ((90, 110, 90),)
    assert size(hand) == pytest.approx((10, 8), abs=0.05)


def test_a_page_of_a_pdf_is_chosen(hand, tmp_path):
    from tests.core.picture.test_clean import pdf

    file = tmp_path / "plan.pdf"
    file.write_bytes(pdf())
    hand.open(file)
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    sheet = hand.window.sheets["picture"]
    assert sheet.page.text() == "1 of 3"
    hand.type(sheet.page, "3")
    hand.settle()
    hand.key(Qt.Key.Key_1, ALT)
    assert hand.window.session.job.picture.page == 2
    hand.type(sheet.page, "9")
    hand.settle()
    assert "no page 9" in hand.window.notice.text
    assert hand.window.session.job.picture.page == 2


def test_a_picture_is_pasted(hand, plate_png):
    from PySide6.QtGui import QGuiApplication, QImage

    hand.window.filing.paste()
    QGuiApplication.clipboard().setImage(QImage(str(plate_png)))
    hand.key(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert hand.window.session.job.picture.name == "pasted.png"
    QGuiApplication.clipboard().clear()
    hand.window.filing.paste()
    assert "no picture on the clipboard" in hand.window.notice.text


def test_a_part_that_looks_like_its_sheet_is_told_by_a_stroke_on_each(hand, tmp_path):
    part = PLATE & ~HOLES[0] & ~HOLES[1]
    file = tmp_path / "satin.png"
    file.write_bytes(encoded(Image.fromarray(satin(part)), "PNG", dpi=(127, 127)).data)
    hand.open(file)
    hand.click("choice-part")
    hand.settle()
    sheet = hand.window.sheets["trace"]
    assert "paint ink on it and scrape beside it" in sheet.result.text()
    hand.key(Qt.Key.Key_1, ALT)
    hand.settle()
    hand.type(hand.window.sheets["picture"].brush, "20 px")
    for tool, y in (("ink", 350), ("scrape", 90)):
        hand.click(f"clean-{tool}")
        start, end = hand.at(280, y), hand.at(620, y)
        QTest.mousePress(hand.window.table, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(hand.window.table, end)
        hand.window.table.grab()
        QTest.mouseRelease(hand.window.table, Qt.MouseButton.LeftButton, pos=end)
        QTest.keyClick(hand.window.table, Qt.Key.Key_Escape)
        hand.settle()
    assert len(hand.window.session.job.outline.contours) == 3
    assert size(hand) == pytest.approx((120, 80), abs=0.6)

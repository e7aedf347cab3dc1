"""Marks, colours and rulers."""

import pytest
from PySide6.QtCore import QPointF, QRectF, QSizeF
from PySide6.QtGui import QColor, QFontDatabase, QImage, QPainter
from PySide6.QtWidgets import QApplication

from silhueta.app.look import theme
from silhueta.app.look.icons import ICONS, icon
from silhueta.app.table.outline_layer import OutlineLayer, painter_path
from silhueta.app.table.rulers import steps
from silhueta.app.table.view import View
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, circle_loop
from tests.conftest import hole, square


def luminance(colour: QColor) -> float:
    # W3C Web Content Accessibility Guidelines 2.1, relative luminance
    def part(v: float) -> float:
        return v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4

    return (
        0.2126 * part(colour.redF())
        + 0.7152 * part(colour.greenF())
        + 0.0722 * part(colour.blueF())
    )


def contrast(one: QColor, two: QColor) -> float:
    high, low = sorted((luminance(one), luminance(two)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize(
    ("text", "ground"),
    [
        (theme.INK, theme.CARD),
        (theme.INK, theme.PAPER),
        (theme.INK, theme.BRASS),
        (theme.FAINT, theme.CARD),
        (theme.FAINT, theme.PAPER),
        (theme.AMBER_DEEP, theme.CARD),
        (theme.AMBER_DEEP, theme.PAPER),
        (theme.WHITE, theme.PENCIL),
        (theme.CHALK, theme.BAND),
        (theme.SCRIBED, theme.BAND),
    ],
)
def test_text_stands_out(text, ground):
    assert contrast(text, ground) >= 4.5


@pytest.mark.parametrize(
    ("line", "ground"),
    [
        (theme.SCRIBED, theme.LAYOUT_BLUE),
        (theme.OUTLINE_ON_PICTURE, theme.SCRIBED),  # the line in its casing
        (theme.BRASS_DEEP, theme.CARD),
        (theme.AMBER, theme.CARD),
    ],
)
def test_lines_stand_out(line, ground):
    assert contrast(line, ground) >= 3.0


def test_the_shipped_fonts_are_there(qapp):
    theme.load_fonts()
    assert {theme.FAMILY, theme.NARROW} <= set(QFontDatabase.families())


@pytest.mark.parametrize("name", sorted(ICONS))
def test_every_icon_draws_something(qapp, name):
    image = icon(name).pixmap(20, 20).toImage()
    assert any(image.pixelColor(x, y).alpha() > 100 for x in range(20) for y in range(20))


def test_rulers_take_round_steps_with_room_for_figures():
    for scale in (0.01, 0.3, 1.0, 4.0, 17.0, 900.0):
        for unit in ("mm", "in"):
            step, parts = steps(scale, unit)
            assert 60 <= step * scale <= 700
            assert parts in (4, 5, 8, 10)


def test_the_view_keeps_what_is_under_the_cursor():
    view = View()
    view.size = QSizeF(800, 600)
    view.fit(QRectF(0, 0, 100, 50), 40)
    assert view.shown().contains(QRectF(0, 0, 100, 50))
    held = view.to_mm(QPointF(100, 500))
    view.zoom(7, QPointF(100, 500))
    assert (view.to_mm(QPointF(100, 500)) - held).manhattanLength() < 1e-9
    assert view.to_screen(QPointF(10, 20)).y() < view.to_screen(QPointF(10, 10)).y()  # y is up
    view.zoom(1e12, QPointF(0, 0))
    assert view.px_per_mm <= 4000


def test_painter_paths_lie_where_the_geometry_does(qapp):
    loop = Loop(
        [[0, 0], [40, 0], [40, 20], [0, 20]],
        [LINE, ARC, CUBIC, ARC],
        [0, 1.0, 0, -0.3],
        [[[0, 0]] * 2, [[0, 0]] * 2, [[30, 35], [10, 35]], [[0, 0]] * 2],
    )
    for shape in (loop, circle_loop((5, 6), 7), hole(circle_loop((5, 6), 7))):
        box = painter_path(shape).boundingRect()
        got = (box.left(), box.top(), box.right(), box.bottom())
        assert got == pytest.approx(bounding_box([shape]), abs=0.02)


def painted(outline: Outline, lines: float) -> QImage:
    image = QImage(400, 400, QImage.Format.Format_RGB32)
    image.fill(theme.LAYOUT_BLUE if lines else theme.BENCH)
    view = View()
    view.size = QSizeF(400, 400)
    view.fit(QRectF(0, 0, 100, 100), 50)
    painter = QPainter(image)
    OutlineLayer(outline).paint(painter, view.transform(), view.shown(), lines)
    painter.end()
    return image


def ink(image: QImage, box: QRectF, ground: QColor) -> int:
    points = [
        (x, y)
        for x in range(int(box.left()), int(box.right()))
        for y in range(int(box.top()), int(box.bottom()))
    ]
    return sum(image.pixelColor(x, y).name() != ground.name() for x, y in points)


def test_waste_ticks_stand_on_the_side_that_falls_away(qapp):
    # one loop, 300 px wide on the image from 50 to 350; strips just outside and just inside
    outer = painted(Outline((Contour(square(100)),)), 1.0)
    # the same in a larger one, whichever way it runs: a hole by its place
    around = Contour(square(180, (-40, -40)))
    inner = painted(Outline((Contour(hole(square(100))), around)), 1.0)
    against = painted(Outline((Contour(square(100)), around)), 1.0)
    outside, inside = QRectF(100, 354, 200, 4), QRectF(100, 342, 200, 4)
    blue = theme.LAYOUT_BLUE
    assert ink(outer, outside, blue) > 10 * max(ink(outer, inside, blue), 1)
    for image in (inner, against):
        assert ink(image, inside, blue) > 10 * max(ink(image, outside, blue), 1)


def test_what_is_solid_is_tinted_and_a_hole_is_not(qapp):
    outline = Outline((Contour(square(100)), Contour(square(40, (30, 30)))))
    image = QImage(400, 400, QImage.Format.Format_RGB32)
    image.fill(theme.LAYOUT_BLUE)
    view = View()
    view.size = QSizeF(400, 400)
    view.fit(QRectF(0, 0, 100, 100), 50)
    layer = OutlineLayer(outline)
    layer.filled = True
    painter = QPainter(image)
    layer.paint(painter, view.transform(), view.shown(), 1.0)
    painter.end()
    colours = {where: image.pixelColor(*where).name() for where in ((90, 90), (200, 200), (20, 20))}
    assert colours[90, 90] != theme.LAYOUT_BLUE.name()
    assert colours[200, 200] == colours[20, 20] == theme.LAYOUT_BLUE.name()


def test_a_skipped_loop_is_dotted_and_has_no_ticks(qapp):
    cut = painted(Outline((Contour(square(100)),)), 1.0)
    skipped = painted(Outline((Contour(square(100), taken=False),)), 1.0)
    line = QRectF(100, 348, 200, 4)
    blue = theme.LAYOUT_BLUE
    assert 0 < ink(skipped, line, blue) < 0.7 * ink(cut, line, blue)
    assert ink(skipped, QRectF(100, 354, 200, 4), blue) == 0


def test_one_application_is_enough(qapp):
    from silhueta.app.main import application

    assert application() is QApplication.instance()

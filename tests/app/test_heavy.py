"""Outlines of very many points: painted like any other, only faster."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QRectF, QSizeF
from PySide6.QtGui import QImage, QPainter

from silhueta.app.look import theme
from silhueta.app.table.heavy import HEAVY, HeavyPath, polygon, ticks
from silhueta.app.table.outline_layer import OutlineLayer
from silhueta.app.table.view import View
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath
from tests.conftest import hole


def ring(nodes, radius=40.0):
    angle = np.linspace(0, 2 * np.pi, nodes, endpoint=False)
    return Loop(50 + radius * np.column_stack([np.cos(angle), np.sin(angle)]))


@pytest.fixture
def view():
    made = View()
    made.size = QSizeF(400, 400)
    made.fit(QRectF(0, 0, 100, 100), 20)
    return made


def ink(outline, view, again=0):
    image = QImage(400, 400, QImage.Format.Format_RGB32)
    layer = OutlineLayer(outline)
    for _ in range(1 + again):
        image.fill(theme.LAYOUT_BLUE)
        painter = QPainter(image)
        layer.paint_again(painter, view.transform(), view.shown(), 1.0)
        painter.end()
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(400, 400, 4)[:, :, :3].astype(int)
    return np.abs(rows - rows[0, 0]).sum(axis=2) > 120


def test_a_heavy_loop_is_painted_where_a_light_one_is(qapp, view):
    light = ink(Outline((Contour(ring(600)),)), view)
    heavy = ink(Outline((Contour(ring(HEAVY + 500)),)), view)
    rows, columns = np.mgrid[0:400, 0:400]
    scale = view.px_per_mm
    away = np.hypot(columns - 199.5, rows - 199.5) - 40 * scale
    line = np.abs(away) < 1.0
    assert light[line].mean() > 0.9
    assert heavy[line].mean() > 0.5  # a thinner pen
    # the waste ticks stand outside, and nothing else is painted
    outside = (away > 2.5) & (away < 5)
    assert heavy[outside].sum() == pytest.approx(light[outside].sum(), rel=0.3)
    assert not heavy[(away < -3) | (away > 9)].any()


def test_ticks_of_a_heavy_hole_stand_inside_whichever_way_it_runs(qapp, view):
    around = Contour(ring(300, radius=49))
    for inner in (ring(HEAVY + 500, 30), hole(ring(HEAVY + 500, 30))):
        shown = ink(Outline((Contour(inner), around)), view)
        rows, columns = np.mgrid[0:400, 0:400]
        away = np.hypot(columns - 199.5, rows - 199.5) - 30 * view.px_per_mm
        assert shown[(away < -2.5) & (away > -5)].sum() > 40
        assert shown[(away > 2.5) & (away < 5)].sum() == 0


def test_what_stands_still_is_kept_and_looks_the_same(qapp, view):
    outline = Outline((Contour(ring(600)),))
    assert (ink(outline, view) == ink(outline, view, again=3)).mean() > 0.999


def test_only_what_is_seen_is_mapped_and_no_finer_than_the_screen(qapp, view):
    heavy = HeavyPath(ring(100_000))
    (all_of_it,) = heavy.runs(view.transform(), view.shown())
    assert len(all_of_it) < 4000
    view.px_per_mm *= 50
    seen = heavy.runs(view.transform(), view.shown())
    assert seen == []  # the middle of the ring is empty
    view.centre.setX(90.0)
    seen = heavy.runs(view.transform(), view.shown())
    assert 1 <= len(seen) <= 2
    assert sum(len(run) for run in seen) < 3000


def test_polygons_and_ticks_hold_their_points(qapp):
    points = np.array([[1.5, 2.5], [40.0, 2.5], [40.0, 60.0]])
    made = polygon(points)
    assert [(p.x(), p.y()) for p in made.toList()] == [tuple(p) for p in points.tolist()]
    assert polygon(np.zeros((0, 2))).isEmpty()
    strokes = ticks(points, 10.0, 6.0)
    assert len(strokes) == 9
    assert strokes[0].p1().x() == pytest.approx(6.5)
    assert ticks(points[:2] * 0.01, 10.0, 6.0) == []
    assert len(HeavyPath(OpenPath(points)).points) == 3


def test_a_huge_outline_is_drawn_without_its_nodes(hand, tmp_path):
    rng = np.random.default_rng(4)
    grey = np.where(rng.random((120, 160)) < 0.4, 0, 255).astype(np.uint8)
    Image.fromarray(np.kron(grey, np.ones((4, 4), np.uint8))).save(
        tmp_path / "noise.png", dpi=(254, 254)
    )
    hand.open(tmp_path / "noise.png")
    hand.window.go("trace")
    hand.click("choice-solid")  # by itself it is taken for no shape at all
    hand.settle()
    hand.settle()
    assert len(hand.window.session.job.outline.contours) > 20
    for zoom in (1, 30):
        hand.window.table.zoom_by(zoom)
        lined = hand.window.table.grab().toImage()
        hand.window.table.set_bare(True)
        assert hand.window.table.grab().toImage() != lined
        hand.window.table.set_bare(False)

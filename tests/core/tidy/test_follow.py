"""Lines that follow the picture's edge, and what becomes of them."""

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.datum.scale import Scale
from silhueta.core.errors import EditError, GeometryError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.job import Job
from silhueta.core.tidy.follow import Follower, Stroke, dark_near, drawn, on_edge
from silhueta.core.tidy.redo import add_drawn, redo_stretch
from tests.conftest import drawn as picture_of
from tests.conftest import hole, square

ALL = (0.0, 0.0, 400.0, 300.0)
DISC = circle_loop((200.3, 150.7), 90)  # px, y up, in a picture 300 high


def disc(noise=0.0):
    grey = picture_of([DISC], 400, 300, levels=(40, 210)).grey.astype(float)
    grey += np.random.default_rng(1).normal(0, noise, grey.shape)
    return np.clip(np.round(grey), 0, 255).astype(np.uint8)


def on_disc(degrees):
    angle = np.radians(degrees)
    return 200.3 + 90 * np.cos(angle), 300 - 150.7 - 90 * np.sin(angle)


def off_the_disc(points):
    return np.abs(np.hypot(points[:, 0] - 200.3, points[:, 1] - (300 - 150.7)) - 90)


@pytest.mark.parametrize(("noise", "mean", "worst"), [(0, 0.03, 0.15), (8, 0.12, 0.6)])
@pytest.mark.parametrize("turn", [40, 110, 170])
def test_the_line_lies_on_the_edge_to_a_part_of_a_pixel(noise, mean, worst, turn):
    follower = Follower(disc(noise), on_disc(10), ALL)
    line = follower.path_to(on_disc(10 + turn))
    off = off_the_disc(line)
    assert (off.mean(), off.max()) <= (mean, np.inf)
    assert off.max() <= worst
    assert np.hypot(*np.diff(line, axis=0).T).sum() == pytest.approx(
        np.radians(turn) * 90, rel=0.03
    )
    assert tuple(line[0]) == pytest.approx(on_disc(10))


def test_a_picture_far_larger_than_the_window_is_followed_as_closely():
    grey = np.kron(disc(), np.ones((4, 4), np.uint8))  # 1600 x 1200, steps of 4 px
    big = picture_of([circle_loop((800, 600), 360)], 1600, 1200, levels=(40, 210)).grey
    assert grey.shape == big.shape
    follower = Follower(big, (800 + 360, 600), (0, 0, 1600, 1200))
    line = follower.path_to((800 - 360, 600.0))
    off = np.abs(np.hypot(line[:, 0] - 800, line[:, 1] - 600) - 360)
    assert off.mean() < 0.05
    assert off.max() < 0.4


def test_where_there_is_no_edge_the_line_goes_straight():
    even = np.full((100, 100), 120, np.uint8)
    line = Follower(even, (10, 50), ALL).path_to((90, 50))
    assert np.abs(line[:, 1] - 50).max() < 0.6
    outside = Follower(even, (-20.0, 300.0), ALL).path_to((500.0, 20.0))
    assert np.isfinite(outside).all()
    short = np.array([[1.0, 1.0], [2.0, 1.0]])
    assert on_edge(even, short) is short


def test_the_middle_of_a_pen_line_is_followed():
    ring = [circle_loop((200.3, 150.7), 94), circle_loop((200.3, 150.7), 86)]
    grey = picture_of([ring[0], hole(ring[1])], 400, 300, levels=(60, 230)).grey
    line = Follower(grey, on_disc(0), ALL, middle=True).path_to(on_disc(150))
    off = off_the_disc(line)
    assert off.mean() < 0.06
    assert off.max() < 0.4


def test_a_click_beside_a_pen_line_is_put_on_it():
    grey = np.full((60, 80), 240, np.uint8)
    grey[28:34] = 30
    assert dark_near(grey, 40.0, 27.0)[1] == pytest.approx(31, abs=1)
    assert dark_near(grey, 2.0, 27.0) == (2.0, 27.0)  # too near the border to be told


def test_a_sharp_turn_at_a_click_is_a_corner():
    there = np.column_stack([np.linspace(0, 60, 61), np.zeros(61)])
    back = np.column_stack([np.linspace(60, 0, 61), np.linspace(0, 12, 61)])
    path = drawn([Stroke("edge", there), Stroke("edge", back)], close=False)
    assert path.nodes == pytest.approx(np.array([[0, 0], [60, 0], [0, 12]]), abs=1e-6)


def test_three_quarters_along_the_edge_and_one_straight_close_to_one_loop():
    grey = disc()
    strokes = []
    for start, end in ((0, 90), (90, 180), (180, 270)):
        strokes.append(Stroke("edge", Follower(grey, on_disc(start), ALL).path_to(on_disc(end))))
    strokes.append(Stroke("straight", np.array([on_disc(270), on_disc(0)])))
    loop = drawn(strokes, close=True)
    assert isinstance(loop, Loop)
    # three quarters of a disc, and a triangle
    assert abs(signed_area(loop)) == pytest.approx(90**2 * (0.75 * np.pi + 0.5), rel=2e-3)
    assert len(loop.kinds) < 12
    assert (loop.kinds == ARC).any()
    assert (loop.kinds == LINE).sum() == 1


def test_smooth_strokes_are_one_run_of_curves_through_their_clicks():
    clicks = np.array([on_disc(d) for d in range(0, 360, 45)])
    ring = [*clicks, clicks[0]]
    strokes = [Stroke("smooth", np.array(pair)) for pair in zip(ring, ring[1:], strict=False)]
    loop = drawn(strokes, close=True)
    assert isinstance(loop, Loop)
    assert (loop.kinds == CUBIC).all()
    assert nearest(loop, clicks).distance.max() < 1e-6
    assert abs(signed_area(loop)) == pytest.approx(np.pi * 90**2, rel=0.01)
    assert not drawn(strokes[:3], close=False).closed
    with pytest.raises(GeometryError):
        drawn([Stroke("straight", np.array([[0.0, 0.0]]))], close=False)


PLATE = Job(outline=Outline((Contour(square(60)), Contour(circle_loop((30, 30), 10)))))


def test_a_stretch_drawn_anew_takes_the_nearer_side_of_a_loop():
    bump = OpenPath([[20, 0.2], [25, -5], [35, -5], [40, 0.1]])
    for fresh in (bump, OpenPath(bump.nodes[::-1])):
        made = redo_stretch(PLATE, 0, fresh)
        loop = made.outline.contours[0]
        assert signed_area(loop.path) == pytest.approx(3600 + 0.5 * (20 + 10) * 5)
        assert loop.origin == "edited"
        assert made.outline.contours[1] is PLATE.outline.contours[1]
    line = Job(outline=Outline((Contour(OpenPath([[0, 0], [50, 0]])),)))
    redone = redo_stretch(line, 0, OpenPath([[40, 0], [30, 9], [10, 0]]))
    assert redone.outline.contours[0].path.nodes.tolist() == [
        [0, 0], [10, 0], [30, 9], [40, 0], [50, 0],
    ]  # fmt: skip


def test_what_cannot_be_redone_says_why():
    with pytest.raises(EditError, match="one place"):
        redo_stretch(PLATE, 0, OpenPath([[20, 0], [25, -5], [20, 0]]))
    locked = replace(PLATE.outline.contours[0], locked=True)
    with pytest.raises(EditError, match="locked"):
        redo_stretch(Job(outline=Outline((locked,))), 0, OpenPath([[20, 0], [40, 0]]))


def test_a_drawn_path_is_kept_as_drawn():
    path = Scale(0.1, 300, "").path_to_mm(DISC)
    made = add_drawn(PLATE, path)
    assert made.outline.contours[-1].origin == "drawn"
    left, _, right, _ = bounding_box([made.outline.contours[-1].path])
    assert right - left == pytest.approx(18)

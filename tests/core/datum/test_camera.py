import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks.photo import Scene
from silhueta.core.datum.camera import (
    Lens,
    Plane,
    focal_from_35mm,
    focal_from_plane,
    homography,
    level_plane,
)
from silhueta.core.errors import ScaleError

CENTRE = (2000.0, 1500.0)


@given(st.floats(-0.15, 0.15), st.floats(0, 4000), st.floats(0, 3000))
def test_straightening_undoes_bending(k1, x, y):
    lens = Lens(3000.0, CENTRE, k1)
    there = lens.bend(lens.straighten(np.array([[x, y]])))
    assert there == pytest.approx(np.array([[x, y]]), abs=1e-6)


def test_a_barrel_draws_the_corners_in():
    lens = Lens(3000.0, CENTRE, -0.08)
    ideal = np.array([[3500.0, 1500.0]])
    # r = 1500 / 3000 focal lengths: 1 - 0.08 * 0.25 of the way from the centre
    assert lens.bend(ideal) == pytest.approx(np.array([[2000 + 1500 * 0.98, 1500.0]]))


def test_the_homography_of_a_worked_example():
    # by hand: x' = (2x + 1) / (0.5 x + 1), y' = 3y / (0.5 x + 1)
    mm = np.array([[0, 0], [2, 0], [2, 1], [0, 1], [4, 5.0]])
    px = np.array([[1, 0], [2.5, 0], [2.5, 1.5], [1, 3], [3, 5.0]])
    found = homography(mm, px)
    assert found == pytest.approx(np.array([[2, 0, 1], [0, 3, 0], [0.5, 0, 1]]), abs=1e-12)


@pytest.mark.parametrize(
    ("mm", "says"),
    [([[0, 0], [1, 1], [2, 2], [3, 3]], "one line"), ([[1, 1]] * 4, "all the same")],
)
def test_points_that_give_no_plane_are_refused(mm, says):
    with pytest.raises(ScaleError, match=says):
        homography(np.array(mm, float), np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]))


@pytest.mark.parametrize("tilt", [0.0, 8.0, 25.0])
def test_the_camera_is_where_it_was_put(tilt):
    scene = Scene(tilt=tilt, azimuth=40.0, roll=12.0, k1=-0.06)
    distance = scene.seen * scene.focal / scene.pixels[0]
    eye = scene.plane().eye
    assert eye[2] == pytest.approx(distance * math.cos(math.radians(tilt)), rel=1e-9)
    away = math.hypot(eye[0] - 148.5, eye[1] - 105)
    assert away == pytest.approx(distance * math.sin(math.radians(tilt)), abs=1e-6)


def test_a_raised_plane_is_what_a_point_above_the_sheet_looks_like():
    scene = Scene(tilt=17.0, azimuth=130.0, roll=5.0)
    seen = scene.plane()  # OpenCV's camera
    plane = Plane(seen.matrix, Lens(scene.focal, CENTRE))
    raised = plane.raised(30.0)
    # the ray from the eye through (x, y, 30) meets the sheet farther out: similar triangles
    x, y, z = plane.eye
    point = np.array([[40.0, 60.0]])
    on_sheet = np.array([[x, y]]) + (point - [x, y]) * z / (z - 30.0)
    assert raised.to_px(point) == pytest.approx(plane.to_px(on_sheet), abs=1e-7)
    assert raised.to_px(point) == pytest.approx(seen.to_px(point, 30.0), abs=1e-6)
    assert raised.eye == pytest.approx([x, y, z - 30.0], abs=1e-7)


def test_three_millimetres_at_four_hundred_read_three_quarters_of_a_percent_large():
    lens = Lens(3000.0, CENTRE)
    plane = level_plane(400 / 3000, 400 / 3000, 3000, lens)
    assert plane.eye[2] == pytest.approx(400)
    middle = np.array([[2000.0, 1500.0]])
    share = plane.mm_per_px(middle) / plane.raised(3.0).mm_per_px(middle)
    assert share == pytest.approx(1 / (1 - 3 / 400))  # 0.75 %


def test_a_part_as_thick_as_the_camera_is_high_is_refused():
    plane = level_plane(0.1, 0.1, 3000, Lens(3000.0, CENTRE))
    with pytest.raises(ScaleError, match=r"300 mm above.*check the thickness"):
        plane.raised(290.0)


def test_the_focal_length_comes_from_a_tilted_plane_only():
    tilted, level = Scene(tilt=20.0, azimuth=70.0), Scene(tilt=0.0)
    assert focal_from_plane(tilted.plane().matrix, CENTRE) == pytest.approx(tilted.focal)
    assert focal_from_plane(level.plane().matrix, CENTRE) is None


def test_a_35_mm_equivalent_is_by_the_diagonal():
    # CIPA DCG-001: the same diagonal angle of view as on a 36 x 24 mm frame
    focal = focal_from_35mm(43.2666, 4000, 3000)
    assert focal == pytest.approx(5000.0)  # 3-4-5


def test_turning_and_moving_a_plane_moves_its_millimetres():
    plane = Plane(np.array([[10.0, 0, 5], [0, -10, 300], [0, 0, 1]]), Lens(3000.0, CENTRE))
    px = np.array([[105.0, 250.0]])
    assert plane.to_mm(px) == pytest.approx(np.array([[10.0, 5.0]]))
    assert plane.with_origin(2, 3).to_mm(px) == pytest.approx(np.array([[8.0, 2.0]]))
    mirrored = plane.turned(np.diag([-1.0, 1.0]))
    assert mirrored.to_mm(px) == pytest.approx(np.array([[-10.0, 5.0]]))
    assert plane.scaled(2.0).to_mm(px) == pytest.approx(np.array([[20.0, 10.0]]))

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from silhueta.core.geometry.path import circle_loop
from silhueta.core.trace.edge.contours import contours
from tests.conftest import drawn, hole, square


def test_a_square_lies_where_its_pixels_say():
    grey = np.full((20, 30), 255, np.uint8)
    grey[5:15, 8:20] = 0
    found = contours(grey, 127.5)
    assert len(found) == 1
    points = found.contour(0)
    assert points.min(axis=0).tolist() == [8, 5]  # pixel corners, not centres
    assert points.max(axis=0).tolist() == [20, 15]
    assert found.areas[0] == pytest.approx(10 * 12, abs=0.51)  # the corners are clipped


def test_an_edge_between_pixels_is_found_between_them():
    # coverage 0.3 of the column at x = 10: the edge is at 10.3
    grey = np.full((20, 20), 255, np.uint8)
    grey[:, :10] = 0
    grey[:, 10] = round(255 * 0.7)
    points = contours(grey, 127.5).contour(0)
    edge = points[(points[:, 0] > 1) & (points[:, 1] > 1) & (points[:, 1] < 19)]
    assert edge[:, 0] == pytest.approx(10.2, abs=0.11)


def test_what_leaves_the_picture_is_closed_along_its_border():
    grey = np.full((12, 16), 0, np.uint8)
    found = contours(grey, 127.5)
    points = found.contour(0)
    assert points.min(axis=0).tolist() == [0, 0]
    assert points.max(axis=0).tolist() == [16, 12]
    assert found.areas[0] == pytest.approx(16 * 12, abs=0.51)


def test_holes_have_negative_areas_and_run_the_other_way():
    picture = drawn([square(60, (10, 10)), hole(circle_loop((40, 40), 15))], 80, 80)
    found = contours(picture.grey, 127.5)
    assert np.sign(found.areas).tolist() == [1, -1]
    assert found.areas[1] == pytest.approx(-np.pi * 15**2, rel=2e-3)


def test_light_parts_are_the_dark_ones_of_the_negative():
    picture = drawn([circle_loop((30, 30), 20.3)], 60, 60)
    dark = contours(picture.grey, 127.5)
    light = contours(255 - picture.grey, 127.5, dark=False)
    assert np.allclose(dark.points, light.points)


def test_specks_are_dropped_and_counted():
    grey = np.full((40, 40), 255, np.uint8)
    grey[5:7, 5:7] = grey[20, 20] = 0
    grey[25:35, 25:35] = 0
    found = contours(grey, 127.5, least_area=9)
    assert len(found) == 1
    assert found.dropped == 2


def test_sixteen_bits_give_the_same_edge():
    picture = drawn([circle_loop((30, 30), 20.3)], 60, 60)
    wide = contours(picture.grey.astype(np.uint16) * 257, 127.5 * 257)
    assert np.allclose(wide.points, contours(picture.grey, 127.5).points, atol=1e-6)


def test_a_level_on_a_grey_value_is_moved_off_it():
    grey = np.array([[255] * 5, [255, 100, 100, 100, 255], [255] * 5], np.uint8)
    points = contours(grey, 100.0).contour(0)
    assert np.isfinite(points).all()


@settings(deadline=None, max_examples=60)
@given(st.integers(0, 2**32 - 1), st.integers(2, 14), st.integers(2, 14), st.floats(1.5, 253.5))
def test_noise_gives_closed_rings_that_never_cross(seed, rows, columns, level):
    grey = np.random.default_rng(seed).integers(0, 256, (rows, columns), np.uint8)
    found = contours(grey, level)
    rings = [shapely.LinearRing(found.contour(i)) for i in range(len(found))]
    assert all(ring.is_simple for ring in rings)
    assert not any(a.crosses(b) for i, a in enumerate(rings) for b in rings[:i])
    part = (grey < level + (0.01 if float(level).is_integer() else 0)).sum()
    solid = sum(
        shapely.Polygon(r).area * np.sign(a) for r, a in zip(rings, found.areas, strict=True)
    )
    assert abs(solid - part) <= 0.5 * rows * columns + 1  # each pixel to half its own

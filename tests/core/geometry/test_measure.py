import numpy as np
import pytest

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.measure import (
    area_of,
    areas_of,
    bounding_box,
    boxes_of,
    circle_of,
    length,
    lengths_of,
    signed_area,
)
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.transform import shifted
from tests.conftest import hole, square


def polygon(sides: int, radius: float) -> Loop:
    """Regular polygon with its corners on a circle of `radius` mm."""
    angle = np.arange(sides) * (2 * np.pi / sides)
    return Loop(radius * np.column_stack([np.cos(angle), np.sin(angle)]))


def test_96_gon_perimeters_hold_archimedes_bounds():
    # Archimedes, Measurement of a Circle, Proposition 3 (T. L. Heath, The Works of Archimedes,
    # 1897): with 96 sides, 3 + 10/71 < inside and outside < 3 + 1/7.
    inside = length(polygon(96, radius=0.5))
    outside = length(polygon(96, radius=0.5 / np.cos(np.pi / 96)))
    assert 3 + 10 / 71 < inside < np.pi < outside < 3 + 1 / 7


def test_a_circle_is_exact():
    loop = circle_loop((3, -4), 5)
    assert signed_area(loop) == pytest.approx(25 * np.pi, rel=1e-14)
    assert signed_area(hole(loop)) == pytest.approx(-25 * np.pi, rel=1e-14)
    assert length(loop) == pytest.approx(10 * np.pi, rel=1e-14)
    assert bounding_box([loop]) == pytest.approx((-2, -9, 8, 1), abs=1e-12)


def test_a_slot_by_hand():
    # two straight sides of 40 and two half circles of radius 10: area 40 x 20 + 100 pi
    slot = Loop(
        np.array([[0, 0], [40, 0], [40, 20], [0, 20.0]]),
        np.array([LINE, ARC, LINE, ARC]),
        np.array([0, 1, 0, 1.0]),
    )
    assert signed_area(slot) == pytest.approx(800 + 100 * np.pi)
    assert length(slot) == pytest.approx(80 + 20 * np.pi)
    assert bounding_box([slot]) == pytest.approx((-10, 0, 50, 20), abs=1e-12)


def test_a_hollow_arc_takes_area_away():
    # a quarter circle of radius 10 cut out of the corner of a square of 10
    bulge = -np.tan(np.pi / 8)
    loop = Loop(
        np.array([[10, 0], [10, 10], [0, 10.0]]),
        np.array([LINE, LINE, ARC]),
        np.array([0, 0, bulge]),
    )
    assert signed_area(loop) == pytest.approx(100 - 25 * np.pi)


def test_a_cubic_by_hand():
    # B(t) = (3t - 3t² + t³ ...) is hard by hand; a parabola is not: y = x (1 - x) over 0..1 has
    # the area 1/6 and the height 1/4; its length is (sqrt 2 + asinh 1) / 2.
    up = Loop(
        np.array([[1, 0], [0, 0.0]]),
        np.array([CUBIC, LINE]),
        np.zeros(2),
        np.array([[[2 / 3, 1 / 3], [1 / 3, 1 / 3]], np.zeros((2, 2))]),
    )
    assert signed_area(up) == pytest.approx(1 / 6, rel=1e-14)
    assert bounding_box([up]) == pytest.approx((0, 0, 1, 0.25), abs=1e-15)
    assert length(up) - 1 == pytest.approx((np.sqrt(2) + np.arcsinh(1)) / 2, rel=1e-9)


def test_an_s_curve_reaches_both_ways():
    # x = t, y = 3 t (1 - t)² a + 3 t² (1 - t) b with a = 1, b = -1: y' = 0 at (3 -+ sqrt 3) / 6
    path = OpenPath(
        np.array([[0, 0], [1, 0.0]]),
        np.array([CUBIC]),
        np.zeros(1),
        np.array([[[1 / 3, 1], [2 / 3, -1]]]),
    )
    t = (3 - np.sqrt(3)) / 6
    top = 3 * t * (1 - t) ** 2 - 3 * t * t * (1 - t)
    assert bounding_box([path]) == pytest.approx((0, -top, 1, top))


def test_area_keeps_its_digits_far_from_the_origin():
    here = signed_area(polygon(96, radius=50))
    there = signed_area(Loop(polygon(96, radius=50).nodes + 1e6))
    assert there == pytest.approx(here, rel=1e-11)


def test_the_box_of_nothing_is_refused():
    with pytest.raises(GeometryError, match="no outline"):
        bounding_box([])


def test_the_box_spans_all_paths():
    assert bounding_box([square(1), square(2, (5, -3))]) == (0, -3, 7, 1)


def test_many_paths_at_once_measure_as_each_does():
    rng = np.random.default_rng(7)
    paths: list[Path] = []
    for number in range(90):
        count = int(rng.integers(3, 9))
        kinds = rng.integers(0, 3 if number % 3 == 0 else 2, count).astype(np.uint8)
        kinds[0] = number % 2  # some without an arc, some with one
        bulges = np.where(kinds == ARC, rng.choice([-1, 1], count) * rng.uniform(0.05, 3, count), 0)
        made = Loop if number % 4 else OpenPath
        some = slice(None) if number % 4 else slice(count - 1)
        controls = rng.uniform(-500, 500, (count, 2, 2)) * (kinds == CUBIC)[:, None, None]
        nodes = rng.uniform(-500, 500, (count, 2))
        paths.append(made(nodes, kinds[some], bulges[some], controls[some]))
    paths += [circle_loop((x, -x), 3 + x) for x in range(40)]
    boxes, along = boxes_of(paths), lengths_of(paths)
    loops = [path for path in paths if isinstance(path, Loop)]
    for path, box, way in zip(paths, boxes, along, strict=True):
        alone = path.with_points(path.nodes.copy())  # nothing is known of it yet
        assert box == pytest.approx(bounding_box([alone]), abs=1e-9)
        assert way == pytest.approx(length(path), rel=1e-12)
    assert areas_of(loops) == pytest.approx([signed_area(loop) for loop in loops], rel=1e-9)
    assert [circle_of(path) is not None for path in paths] == [False] * 90 + [True] * 40


def test_a_copy_knows_what_its_pattern_knew():
    pattern = [circle_loop((5, 5), 2), square(10)]
    boxes_of(pattern), [circle_of(path) for path in pattern], [area_of(path) for path in pattern]
    for path in pattern:
        moved = shifted(path, (100.0, -20.0))
        fresh = moved.with_points(moved.nodes.copy())
        assert bounding_box([moved]) == pytest.approx(bounding_box([fresh]))
        assert area_of(moved) == pytest.approx(area_of(fresh))
        one, two = circle_of(moved), circle_of(fresh)
        assert (one is None) == (two is None)
        if one is not None and two is not None:
            assert np.allclose(one[0], two[0])
            assert one[1] == pytest.approx(two[1])
    with pytest.raises(GeometryError):
        shifted(pattern[0], (np.nan, 0))

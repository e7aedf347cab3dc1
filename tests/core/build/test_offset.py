"""Outlines grown and shrunk: closed forms, and an independent library."""

import math

import numpy as np
import pytest
import shapely

from silhueta.core.build.offset import offset, outer_only
from silhueta.core.build.sets import border
from silhueta.core.errors import EditError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import length_of, signed_area
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from tests.conftest import hole, square

STADIUM = Loop(
    np.array([[0, 0], [20, 0], [20, 10], [0, 10.0]]),
    np.array([LINE, ARC, LINE, ARC]),
    np.array([0, 1.0, 0, 1.0]),
)
L_SHAPE = Loop([[0, 0], [30, 0], [30, 8], [8, 8], [8, 30], [0, 30.0]])


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


@pytest.mark.parametrize("by", [3.0, -3.0])
def test_a_stadium_grows_and_shrinks_as_its_closed_form(by):
    # 20 between centres, radius 5: area 20 x 2 r + pi r², length 40 + 2 pi r (Steiner's formulas)
    (made,) = offset([STADIUM], by)
    r = 5 + by
    assert signed_area(made) == pytest.approx(40 * r + math.pi * r * r, abs=1e-9)
    assert length_of(made) == pytest.approx(40 + 2 * math.pi * r, abs=1e-9)
    assert np.abs(made.bulges) == pytest.approx([0, 1, 0, 1], abs=1e-12)


@pytest.mark.parametrize(
    ("corners", "more"),
    [("round", 4 * math.pi), ("sharp", 16.0), ("flat", 8.0)],
)
def test_corners_are_round_sharp_or_flat(corners, more):
    # a square of 10 grown by 2: its sides add 80, four corners 4 times pi, 4 or 2
    assert area(offset([square(10)], 2, corners)) == pytest.approx(180 + more, abs=1e-9)


def test_holes_shrink_as_solids_grow_and_vanish_in_time():
    ring = [circle_loop((0, 0), 20), hole(circle_loop((0, 0), 6))]
    grown = offset(ring, 2)
    assert sorted(full_circle(loop)[1] for loop in grown) == pytest.approx([4, 22])
    assert len(offset(ring, 6.5)) == 1
    assert offset(ring, -7.001) == []
    assert offset(ring, -25) == []  # its hole would be larger than all of it
    assert len(offset([square(10), square(10, (13, 0))], 2)) == 1  # they meet
    assert len(offset([L_SHAPE], -3.9)) == 1
    assert len(offset([L_SHAPE], -4.1)) == 1  # where both arms meet there is room still
    assert offset([L_SHAPE], -4.7) == []


@pytest.mark.parametrize("by", [1.7, -1.2])
@pytest.mark.parametrize("seed", range(1, 6))
def test_a_ragged_loop_is_grown_as_another_library_grows_it(seed, by):
    rng = np.random.default_rng(seed)
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    far = rng.uniform(14, 30, 40)
    nodes = np.column_stack([far * np.cos(turn), far * np.sin(turn)])
    bulges = np.where(rng.random(40) < 0.5, rng.uniform(-0.25, 0.25, 40), 0.0)
    loop = Loop(nodes, np.where(bulges != 0, ARC, LINE), bulges)
    shape = shapely.Polygon(flatten(loop, 1e-4))
    assert shape.is_valid
    true = shape.buffer(by, quad_segs=300)
    made = shapely.Polygon()
    for found in offset([loop], by):
        made = made.symmetric_difference(shapely.Polygon(flatten(found, 1e-4)).buffer(0))
    assert made.symmetric_difference(true).area < 2e-3 * true.length


def test_a_border_is_the_ring_round_what_lies_outermost():
    ring = border([square(20), hole(square(4, (8, 8)))], 3.0, "sharp")
    assert abs(area([ring[0]])) - abs(area([ring[1]])) == pytest.approx(26 * 26 - 400)
    assert len(ring) == 2
    assert len(outer_only([square(20), hole(square(4, (8, 8)))])) == 1


def test_an_offset_that_is_none_is_refused_and_none_changes_nothing():
    with pytest.raises(EditError, match="must be a length"):
        offset([STADIUM], math.nan)
    assert area(offset([STADIUM], 0.0)) == pytest.approx(signed_area(STADIUM))


def test_a_point_that_turns_right_back_gets_its_round_cap():
    # a straight edge and an arc that bends away from it meet at (0, 14): half a disc of 2 mm
    cusp = Loop([[0, 0], [30, 0], [30, 14], [0, 14]], [LINE, LINE, LINE, ARC], [0, 0, 0, -1])
    (grown,) = offset([cusp], 2)
    # Steiner's formula for the convex corners, the arc grown inwards, and the caps of both points
    assert signed_area(grown) == pytest.approx(547.5808, abs=2e-3)


def test_a_sharp_corner_beyond_its_limit_is_cut_off_there_and_protects_no_less_than_a_round_one():
    needle = Loop([[0, 0], [100, 0], [0, 6]])
    (grown,) = offset([needle], 5, "sharp")
    way = grown.ends - grown.starts
    share = ((np.array([100.0, 0.0]) - grown.starts) * way).sum(1) / (way**2).sum(1)
    near = grown.starts + np.clip(share, 0, 1)[:, None] * way
    assert np.hypot(*(near - [100, 0]).T).min() == pytest.approx(5, abs=1e-9)

"""Nearest, nesting, crossing, marching: questions about where things lie."""

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.geometry.crossing import crossings, doubles
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.march import march, node_turns
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from tests.conftest import hole, square

MOON = Loop(  # a disc with a bite taken out of its right side
    np.array([[0, -10], [0, 10.0]]), np.array([ARC, ARC]), np.array([-0.4, 1.0])
)


def test_nearest_on_a_line_by_hand():
    found = nearest(
        OpenPath(np.array([[0, 0], [10, 0.0]])), np.array([[3, 4], [-3, 4], [13, -4.0]])
    )
    assert found.distance.tolist() == [4, 5, 5]
    assert found.place.tolist() == [[3, 0], [0, 0], [10, 0]]


def test_nearest_on_a_half_circle_by_hand():
    half = OpenPath(np.array([[5, 0], [-5, 0.0]]), np.array([ARC]), np.array([1.0]))
    found = nearest(half, np.array([[0, 7], [0, 2], [6, -1.0]]))
    assert found.distance == pytest.approx([2, 3, np.sqrt(2)])
    assert found.place[2].tolist() == [5, 0]


@given(st.floats(-30, 30), st.floats(-30, 30))
def test_nearest_agrees_with_a_finely_flattened_path(x, y):
    controls = np.zeros((3, 2, 2))
    controls[2] = [[-9, 14], [-9, 2]]
    loop = Loop(
        np.array([[0, 0], [12, 0], [0, 16.0]]),
        np.array([LINE, ARC, CUBIC]),
        np.array([0, 0.7, 0]),
        controls,
    )
    ring = shapely.LinearRing(flatten(loop, 1e-6))
    found = nearest(loop, np.array([[x, y]]))
    assert found.distance[0] == pytest.approx(ring.distance(shapely.Point(x, y)), abs=1e-5)
    assert ring.distance(shapely.Point(*found.place[0])) < 1e-5


def test_nesting_at_every_depth():
    loops = [
        square(100),
        hole(square(80, (10, 10))),
        square(40, (20, 20)),
        hole(square(5, (30, 30))),
        square(50, (200, 0)),
    ]
    order = [3, 1, 4, 0, 2]
    nesting = nest([loops[i] for i in order])
    depth = dict(zip(order, nesting.depth.tolist(), strict=True))
    parent = {
        i: (order[p] if p >= 0 else None)
        for i, p in zip(order, nesting.parent.tolist(), strict=True)
    }
    assert depth == {0: 0, 1: 1, 2: 2, 3: 3, 4: 0}
    assert parent == {0: None, 1: 0, 2: 1, 3: 2, 4: None}


def test_solids_turn_left_and_holes_right():
    loops = [hole(square(100)), square(80, (10, 10)), hole(square(40, (20, 20)))]
    areas = [signed_area(loop) for loop in orient(loops, nest(loops))]
    assert areas == [10_000, -6400, 1600]


def test_a_loop_beside_the_bulge_of_another_is_not_in_it():
    # the chord polygon of the moon is flat: only its arcs have an inside
    assert nest([MOON, circle_loop((-7, 0), 1)]).depth.tolist() == [0, 1]
    assert nest([MOON, circle_loop((2, 0), 1)]).depth.tolist() == [0, 0]


def test_crossings_by_hand():
    bow_tie = Loop(np.array([[0, 0], [2, 2], [2, 0], [0, 2.0]]))
    found = crossings([bow_tie])
    assert found.places.tolist() == [[1, 1]]
    assert found.paths.tolist() == [[0, 0]]
    two = crossings([circle_loop((0, 0), 5), circle_loop((6, 0), 5)], 1e-4)
    assert sorted(two.places[:, 1].round(3).tolist()) == [-4.0, 4.0]
    assert np.sort(two.paths, axis=1).tolist() == [[0, 1], [0, 1]]


def test_touching_is_no_crossing():
    assert len(crossings([square(1), square(1, (1, 0)), square(1, (1, 1))])) == 0
    assert len(crossings([])) == 0


def test_crossings_are_bounded():
    rng = np.random.default_rng(3)
    tangle = Loop(rng.uniform(0, 1, (300, 2)))
    assert len(crossings([tangle], most=50)) == 50


def test_doubles_lie_on_each_other_whatever_their_start():
    first = circle_loop((0, 0), 10)
    again = Loop(np.array([[0, 10], [0, -10.0]]), np.array([ARC, ARC]), np.array([1, 1.0]))
    assert doubles([first, square(3), again]) == [(0, 2)]
    assert doubles([first, circle_loop((0, 0), 10.2)]) == []


def test_marching_is_even_and_looks_left():
    places, left = march(circle_loop((0, 0), 10), np.pi)
    assert len(places) == 20
    assert np.hypot(*places.T) == pytest.approx(np.full(20, 10), abs=0.1)
    assert (places * left).sum(axis=1) == pytest.approx(np.full(20, -10), rel=0.02)  # to the middle
    assert len(march(square(0.1), 5)[0]) == 1


def test_turns_at_nodes():
    assert node_turns(square(1)) == pytest.approx(np.full(4, np.pi / 2))
    assert node_turns(circle_loop((0, 0), 1)) == pytest.approx(np.zeros(2), abs=1e-12)
    slot = Loop(
        np.array([[0, 0], [4, 0], [4, 2], [0, 2.0]]),
        np.array([LINE, ARC, LINE, LINE]),
        np.array([0, 1, 0, 0.0]),
    )
    assert node_turns(slot) == pytest.approx([np.pi / 2, 0, 0, np.pi / 2], abs=1e-12)
    path = OpenPath(np.array([[0, 0], [1, 0], [1, -1.0]]))
    assert node_turns(path) == pytest.approx([0, -np.pi / 2, 0])


def test_holes_that_touch_or_reach_over_the_edge_are_still_holes():
    plate = square(10)
    at_the_edge = square(4, (0, 3))  # its first node and a side lie on the plate's edge
    assert nest([at_the_edge, plate]).depth.tolist() == [1, 0]
    reaching = square(4, (7, 3))
    within = square(1, (8, 4))
    around = nest([plate, reaching, within])
    assert around.parent.tolist() == [-1, 0, 1]
    assert around.depth.tolist() == [0, 1, 2]

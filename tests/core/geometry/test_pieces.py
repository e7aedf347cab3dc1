"""Paths cut at places and put together again."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place, chained, opened, place_of, point_at, stretch

# a loop with one of each: a line, a half circle, a cubic
MIXED = Loop(
    [[0, 0], [10, 0], [10, 6]],
    np.array([LINE, ARC, CUBIC], np.uint8),
    np.array([0.0, 1.0, 0.0]),
    np.array([np.zeros((2, 2)), np.zeros((2, 2)), [[6, 9], [2, 8]]]),
)
SHARES = st.floats(0, 1)


@given(st.integers(0, 2), SHARES, st.integers(0, 2), SHARES)
def test_two_stretches_make_the_whole(i, t, j, u):
    one, two = Place(i, t), Place(j, u)
    if abs((i + t) - (j + u)) < 1e-3 or abs((i + t) - (j + u)) > 3 - 1e-3:
        return
    there, back = stretch(MIXED, one, two), stretch(MIXED, two, one)
    assert length(there) + length(back) == pytest.approx(length(MIXED), rel=1e-6)
    whole = chained([there, back], close=True)
    assert signed_area(whole) == pytest.approx(signed_area(MIXED), rel=1e-6)
    assert there.nodes[0] == pytest.approx(point_at(MIXED, one), abs=1e-6)
    assert there.nodes[-1] == pytest.approx(point_at(MIXED, two), abs=1e-6)
    assert nearest(MIXED, there.nodes).distance.max() < 1e-6


@given(st.integers(0, 2), st.floats(0.01, 0.99))
def test_a_place_is_found_again_from_its_point(i, t):
    found = place_of(MIXED, point_at(MIXED, Place(i, t)))
    assert (found.segment, found.share) == (i, pytest.approx(t, abs=1e-6))


def test_whole_segments_stay_what_they_are():
    piece = stretch(MIXED, Place(0, 0.5), Place(2, 1.0))
    assert piece.kinds.tolist() == [LINE, ARC, CUBIC]
    assert piece.bulges[1] == 1.0
    assert np.array_equal(piece.controls[2], MIXED.controls[2])


def test_half_a_half_circle_has_the_bulge_of_a_quarter():
    # bulge = tan(a quarter of the angle): tan(22.5°) = sqrt(2) - 1
    piece = stretch(MIXED, Place(1, 0.0), Place(1, 0.5))
    assert piece.bulges[0] == pytest.approx(np.sqrt(2) - 1)
    assert piece.nodes[1] == pytest.approx([13, 3])


def test_a_loop_is_opened_at_any_node_and_closes_again():
    path = opened(circle_loop((0, 0), 5), 1)
    assert not path.closed
    assert path.nodes[0] == pytest.approx(path.nodes[-1])
    assert signed_area(chained([path], close=True)) == pytest.approx(25 * np.pi)


def test_ends_apart_are_joined_by_a_line_and_ends_that_meet_become_one_node():
    one, two = OpenPath([[0, 0], [10, 0]]), OpenPath([[10, 1], [10, 10]])
    apart, met = chained([one, two]), chained([one, two], meet=2.0)
    assert apart.nodes.tolist() == [[0, 0], [10, 0], [10, 1], [10, 10]]
    assert met.nodes.tolist() == [[0, 0], [10, 0.5], [10, 10]]


def test_backwards_on_an_open_path_is_refused():
    path = OpenPath([[0, 0], [10, 0]])
    with pytest.raises(GeometryError, match="nothing between"):
        stretch(path, Place(0, 0.6), Place(0, 0.4))

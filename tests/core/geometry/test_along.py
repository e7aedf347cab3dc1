"""Places on a path by length: against points worked out by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from silhueta.core.geometry.along import Along
from silhueta.core.geometry.measure import length_of
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place, stretch
from tests.conftest import square

# a straight of 40 mm, half a circle of radius 10, and the same back
STADIUM = Loop(
    np.array([[0, 0], [40, 0], [40, 20], [0, 20.0]]),
    np.array([LINE, ARC, LINE, ARC], np.uint8),
    np.array([0, 1.0, 0, 1.0]),
)


def test_lengths_points_and_ways():
    way = Along(STADIUM)
    assert way.length == pytest.approx(80 + 20 * math.pi)
    points, ways = way.points(
        np.array([10, 40 + 5 * math.pi, 40 + 10 * math.pi + 40, way.length + 10])
    )
    assert points == pytest.approx(np.array([[10, 0], [50, 10], [0, 20], [10, 0]]))
    assert ways[:2] == pytest.approx(np.array([[1, 0], [0, 1]]))
    assert way.at(Place(1, 0.5)) == pytest.approx(40 + 5 * math.pi)
    assert way.curvatures() == pytest.approx([0, 0.1, 0, 0.1])
    end = Along(OpenPath(np.array([[0, 0], [3, 4.0]]))).points(np.array([9.0]))[0]
    assert end == pytest.approx(np.array([[3, 4]]))  # an open path ends


def test_corners_are_where_the_way_turns():
    assert Along(square(10)).corners(0.1) == pytest.approx([0, 10, 20, 30])
    assert len(Along(STADIUM).corners(0.1)) == 0
    assert len(Along(circle_loop((0, 0), 5)).corners(0.1)) == 0
    bent = OpenPath(np.array([[0, 0], [10, 0], [20, 1], [20, 9.0]]))
    assert Along(bent).corners(0.3)[[0, -1]] == pytest.approx([0, Along(bent).length])
    assert len(Along(bent).corners(0.3)) == 3


@pytest.mark.parametrize("loop", [STADIUM, square(10), circle_loop((1, 2), 7)])
@pytest.mark.parametrize("share", [0.0, 0.13, 0.5, 0.77, 1.0])
def test_a_loop_is_opened_where_pieces_opens_it(loop, share):
    way = Along(loop)
    opened = way.opened(share * way.length)
    place = way.places(np.array([share * way.length]))[0]
    wanted = stretch(loop, place, place)
    assert opened.nodes[0] == pytest.approx(opened.nodes[-1])
    assert opened.nodes[0] == pytest.approx(wanted.nodes[0])
    assert length_of(opened) == pytest.approx(way.length)
    at = np.linspace(0, way.length, 40)
    assert Along(opened).points(at)[0] == pytest.approx(Along(wanted).points(at)[0], abs=1e-9)


def test_a_path_with_cubics_is_refused():
    curve = OpenPath(
        np.array([[0, 0], [9, 0.0]]),
        np.array([CUBIC], np.uint8),
        np.zeros(1),
        np.array([[[3, 8], [6, 8.0]]]),
    )
    with pytest.raises(ValueError, match="cubics"):
        Along(curve)

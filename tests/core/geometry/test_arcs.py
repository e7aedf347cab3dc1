import numpy as np
import pytest

from silhueta.core.geometry.arcs import arc_angles, arc_centres, full_circle
from silhueta.core.geometry.path import ARC, Loop, circle_loop
from tests.conftest import hole, square


@pytest.mark.parametrize("turn", [0.1, 1.0, np.pi / 2, np.pi, 3.0, 5.5, -0.3, -np.pi, -5.0])
def test_centre_and_radius_of_an_arc_made_from_them(turn):
    centre, radius, begin = np.array([7.0, -2.0]), 12.0, 0.7
    ends = centre + radius * np.array([[np.cos(a), np.sin(a)] for a in (begin, begin + turn)])
    centres, radii = arc_centres(ends[:1], ends[1:], np.array([np.tan(turn / 4)]))
    assert centres[0] == pytest.approx(centre, abs=1e-9)
    assert radii[0] == pytest.approx(radius)


def test_angles_of_a_full_circle():
    _, radii, begin, turns = arc_angles(circle_loop((1, 2), 3))
    assert radii.tolist() == [3, 3]
    assert begin == pytest.approx([0, np.pi])
    assert turns == pytest.approx([np.pi, np.pi])


def test_full_circles_are_known_in_any_number_of_arcs_and_either_way():
    angle = np.array([0.2, 1.9, 4.0])
    turns = np.diff(np.append(angle, angle[0] + 2 * np.pi))
    nodes = np.column_stack([5 + 2 * np.cos(angle), 6 + 2 * np.sin(angle)])
    three = Loop(nodes, np.full(3, ARC), np.tan(turns / 4))
    for loop in (three, hole(three)):
        found = full_circle(loop)
        assert found is not None
        assert found[0] == pytest.approx([5, 6])
        assert found[1] == pytest.approx(2)


def test_what_is_nearly_a_circle_is_none():
    assert full_circle(square(2)) is None
    lens = Loop(np.array([[0, 0], [1, 0.0]]), np.array([ARC, ARC]), np.array([0.9, 0.9]))
    assert full_circle(lens) is None

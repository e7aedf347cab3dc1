import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, circle_loop
from silhueta.core.geometry.transform import arcs_to_cubics, scale, transform

SLOT = Loop(
    np.array([[0, 0], [40, 0], [40, 20], [0, 20.0]]),
    np.array([LINE, ARC, LINE, ARC]),
    np.array([0, 1, 0, -0.3]),
)


@given(st.floats(-np.pi, np.pi), st.floats(0.01, 50), st.booleans())
def test_arcs_stay_arcs_when_shapes_are_kept(angle, factor, mirror):
    turn = factor * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    if mirror:
        turn = turn @ np.diag([1, -1])
    moved = transform(SLOT, turn, (3, 4))
    assert moved.kinds.tolist() == SLOT.kinds.tolist()
    assert signed_area(moved) == pytest.approx(
        signed_area(SLOT) * factor**2 * (-1 if mirror else 1)
    )
    wanted = flatten(SLOT, 0.01) @ turn.T + [3, 4]
    assert nearest(moved, wanted).distance.max() < 1e-9 * factor + 1e-9


def test_a_circle_squeezed_is_an_ellipse_of_cubics():
    # area pi a b, box 2a x 2b; the 45 degree cubics leave the arc by 4.2e-6 of its radius (Goldapp)
    ellipse = transform(circle_loop((0, 0), 10), np.diag([2.0, 0.5]))
    assert set(ellipse.kinds.tolist()) == {CUBIC}
    assert signed_area(ellipse) == pytest.approx(100 * np.pi, rel=1e-5)
    assert bounding_box([ellipse]) == pytest.approx((-20, -5, 20, 5), abs=1e-9)


def test_arcs_become_cubics_within_goldapps_error():
    circle = circle_loop((1, 1), 100)
    points = flatten(arcs_to_cubics(circle), 1e-4)
    off = np.abs(np.hypot(*(points - 1).T) - 100)
    assert 1e-4 < off.max() + 1e-3 < 2e-3
    assert off.max() <= 100 * 4.3e-6 + 1e-4


def test_lines_and_cubics_pass_through_the_change_to_cubics():
    mixed = arcs_to_cubics(SLOT)
    assert mixed.kinds[0] == LINE
    assert len(mixed.nodes) == len(mixed.kinds)
    assert signed_area(mixed) == pytest.approx(signed_area(SLOT), rel=1e-5)


@pytest.mark.parametrize(
    "matrix", [np.zeros((2, 2)), [[1, 1], [1, 1]], [[np.nan, 0], [0, 1]], np.eye(3)]
)
def test_squashing_is_refused(matrix):
    with pytest.raises(GeometryError, match="squash"):
        transform(SLOT, matrix)


def test_scale_is_even():
    assert bounding_box([scale(circle_loop((1, 0), 1), 25.4)]) == pytest.approx(
        (0, -25.4, 50.8, 25.4)
    )

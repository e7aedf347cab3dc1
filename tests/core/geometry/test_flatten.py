import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.flatten import flatten, flatten_indexed
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, Loop, OpenPath, circle_loop
from tests.conftest import square

number = st.floats(-100, 100)


@given(st.floats(-20, 20).filter(lambda b: abs(b) > 0.01), st.sampled_from([0.5, 0.05, 0.005]))
def test_no_chord_leaves_its_arc_by_more_than_asked(bulge, error):
    path = OpenPath(np.array([[0.0, 0.0], [10.0, 0.0]]), np.array([ARC]), np.array([bulge]))
    points = flatten(path, error)
    middles = (points[1:] + points[:-1]) / 2
    assert nearest(path, middles).distance.max() <= error * 1.0001
    assert nearest(path, points).distance.max() < 1e-9


@given(st.lists(number, min_size=8, max_size=8), st.sampled_from([0.5, 0.05]))
def test_no_chord_leaves_its_cubic_by_more_than_asked(values, error):
    hull = np.array(values).reshape(4, 2)
    path = OpenPath(hull[[0, 3]], np.array([CUBIC]), np.zeros(1), hull[None, 1:3])
    points = flatten(path, error)
    t = np.linspace(0, 1, 400)[:, None]
    true = (
        (1 - t) ** 3 * hull[0]
        + 3 * (1 - t) ** 2 * t * hull[1]
        + 3 * (1 - t) * t**2 * hull[2]
        + t**3 * hull[3]
    )
    start, way = points[:-1], np.diff(points, axis=0)
    size = np.maximum((way**2).sum(axis=1), 1e-300)
    share = np.clip(((true[:, None] - start) * way).sum(axis=2) / size, 0, 1)
    gaps = np.linalg.norm(true[:, None] - start - share[:, :, None] * way, axis=2).min(axis=1)
    assert gaps.max() <= error * 1.001 + 1e-9


def test_lines_are_left_alone_and_nodes_are_kept():
    assert np.array_equal(flatten(square(3)), square(3).nodes)
    points, segment = flatten_indexed(circle_loop((0, 0), 1), 0.01)
    assert points[0].tolist() == [1, 0]
    assert set(segment.tolist()) == {0, 1}


def test_a_chord_error_of_zero_is_refused():
    with pytest.raises(GeometryError):
        flatten(square(1), 0)


def test_no_input_eats_the_memory():
    huge = Loop(np.array([[0, 0], [1e9, 0.0]]), np.array([ARC, ARC]), np.array([1, 1.0]))
    assert len(flatten(huge, 1e-9)) < 10_000

import numpy as np
import pytest

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop, reverse


@pytest.mark.parametrize(
    ("nodes", "more"),
    [
        ([], {}),
        ([[0, 0], [1, 1]], {}),
        ([[0, 0], [1, 0], [0, np.nan]], {}),
        ([[0, 0, 0], [1, 0, 0], [0, 1, 0]], {}),
        ([[0, 0], [1, 0], [0, 1]], {"kinds": [0, 0]}),
        ([[0, 0], [1, 0], [0, 1]], {"kinds": [0, 0, 3]}),
        ([[0, 0], [1, 0]], {"kinds": [1, 1], "bulges": [1, 0]}),
        ([[0, 0], [1, 0]], {"kinds": [1, 1], "bulges": [1, np.inf]}),
        ([[0, 0], [1, 0]], {"kinds": [2, 0], "controls": np.zeros((1, 2, 2))}),
    ],
)
def test_impossible_loops_are_refused(nodes, more):
    with pytest.raises(GeometryError):
        Loop(np.array(nodes), **{k: np.array(v) for k, v in more.items()})


def test_an_open_path_needs_two_nodes_and_has_one_segment_fewer():
    path = OpenPath(np.array([[0.0, 0.0], [3.0, 4.0]]))
    assert len(path.kinds) == 1
    assert length(path) == 5
    with pytest.raises(GeometryError):
        OpenPath(np.array([[0.0, 0.0]]))


def test_arrays_are_copied_and_cannot_be_changed():
    source = np.eye(3, 2)
    loop = Loop(source)
    source[0] = 9
    assert loop.nodes[0, 0] == 1
    for array in (loop.nodes, loop.kinds, loop.bulges, loop.controls):
        with pytest.raises(ValueError, match="read-only"):
            array[0] = 9


def test_a_circle_needs_a_radius():
    with pytest.raises(GeometryError, match="radius"):
        circle_loop((0, 0), 0)


def test_reversing_turns_the_area_over_and_keeps_the_shape():
    controls = np.zeros((3, 2, 2))
    controls[2] = [[-2, 3], [-2, 1]]
    loop = Loop(
        np.array([[0, 0], [4, 0], [0, 4.0]]),
        np.array([LINE, ARC, CUBIC]),
        np.array([0, 0.4, 0]),
        controls,
    )
    back = reverse(loop)
    assert isinstance(back, Loop)
    assert signed_area(back) == pytest.approx(-signed_area(loop))
    assert length(back) == pytest.approx(length(loop))
    assert np.array_equal(back.nodes[0], loop.nodes[0])
    assert np.array_equal(reverse(back).controls, loop.controls)
    assert np.array_equal(reverse(back).nodes, loop.nodes)


def test_an_open_path_reversed_begins_at_its_other_end():
    path = OpenPath(np.array([[0, 0], [1, 0], [1, 2.0]]), np.array([LINE, ARC]), np.array([0, 0.5]))
    back = reverse(path)
    assert np.array_equal(back.nodes, path.nodes[::-1])
    assert back.bulges.tolist() == [-0.5, 0]

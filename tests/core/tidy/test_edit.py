"""Edits by hand: each does what it says, and a closed loop stays closed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from silhueta.core.errors import EditError, GeometryError
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place, point_at
from silhueta.core.tidy import edit
from tests.conftest import square

MIXED = Loop(
    [[0, 0], [20, 0], [20, 12], [8, 15]],
    np.array([LINE, ARC, CUBIC, LINE], np.uint8),
    np.array([0.0, 0.6, 0, 0]),
    np.array([np.zeros((2, 2)), np.zeros((2, 2)), [[16, 18], [11, 18]], np.zeros((2, 2))]),
)


def test_nodes_move_with_their_handles_and_arcs_keep_their_bulge():
    made = edit.moved(MIXED, {2}, 1, 2)
    assert made.nodes[2].tolist() == [21, 14]
    assert made.controls[2].tolist() == [[17, 20], [11, 18]]
    assert made.bulges[1] == 0.6
    with pytest.raises(EditError, match="on each other"):
        edit.moved(MIXED, {0}, 20, 0)


@given(st.integers(0, 3), st.floats(0.05, 0.95))
def test_a_node_more_changes_no_shape_and_goes_again(segment, share):
    made = edit.with_node(MIXED, Place(segment, share))
    assert len(made.nodes) == 5
    assert length(made) == pytest.approx(length(MIXED), rel=1e-6)
    assert signed_area(made) == pytest.approx(signed_area(MIXED), rel=1e-6)
    # taking it away again, the shape kept, gives the segment back
    again = edit.without(made, {segment + 1})
    assert nearest(MIXED, again.nodes).distance.max() < 1e-6
    assert signed_area(again) == pytest.approx(signed_area(MIXED), rel=2e-3)
    assert again.kinds[segment] == MIXED.kinds[segment]


def test_a_node_goes_straight_when_that_is_wanted():
    made = edit.without(square(10), {1}, straight=True)
    assert signed_area(made) == pytest.approx(50)
    assert edit.without(square(10), {0, 1}) is None
    line = OpenPath([[0, 0], [5, 5], [10, 0]])
    assert edit.without(line, {1}, straight=True).nodes.tolist() == [[0, 0], [10, 0]]
    assert edit.without(line, {0}).nodes.tolist() == [[5, 5], [10, 0]]


@pytest.mark.parametrize("kind", [LINE, ARC, CUBIC])
def test_a_segment_becomes_any_kind_between_the_same_ends(kind):
    for segment in range(4):
        made = edit.as_kind(MIXED, segment, kind)
        assert made.kinds[segment] == kind
        assert np.array_equal(made.nodes, MIXED.nodes)
    half = edit.as_kind(circle_loop((0, 0), 10), 0, CUBIC)
    # one cubic for half a circle leaves it by about 1.8 % at best
    assert np.abs(np.hypot(*point_at(half, Place(0, 0.25))) - 10) < 0.3


@given(st.floats(-0.95, 0.95), st.floats(0.1, 30), st.booleans())
def test_an_arc_goes_through_the_point_it_is_pulled_to(u, v, above):
    point = (5 + 5 * u, v if above else -v)
    made = edit.through(OpenPath([[0, 0], [10, 0]]), 0, point)
    assert nearest(made, np.array(point)).distance[0] < 1e-6 * (1 + v)
    assert bool(made.bulges[0] < 0) is above


def test_in_line_the_arc_is_a_line_and_beyond_there_is_none():
    line = OpenPath([[0, 0], [10, 0]])
    assert edit.through(line, 0, (4, 0)).kinds[0] == LINE
    with pytest.raises(EditError, match="in line"):
        edit.through(line, 0, (14, 0))


def test_a_corner_is_made_smooth_and_sharp_again():
    made = edit.smooth(square(10), 1)
    assert abs(node_turns(made)[1]) < 1e-9
    assert node_turns(edit.sharp(made, 1))[1] == pytest.approx(np.pi / 2)
    with pytest.raises(EditError, match="an end"):
        edit.smooth(OpenPath([[0, 0], [5, 5]]), 0)


def test_paths_are_broken_cut_closed_and_joined():
    (line,) = edit.broken_at(square(10), 2)
    assert line.nodes[0].tolist() == line.nodes[-1].tolist() == [10, 10]
    assert signed_area(edit.joined(line, True, line, False, merge=True)) == pytest.approx(100)
    (three,) = edit.without_segment(square(10), 1)
    assert length(three) == 30
    assert signed_area(edit.joined(three, True, three, False, merge=False)) == pytest.approx(100)
    left, right = edit.without_segment(OpenPath([[0, 0], [1, 0], [2, 0], [3, 0]]), 1)
    assert edit.joined(right, False, left, True, merge=False).nodes[:, 0].tolist() == [3, 2, 1, 0]
    one, two = edit.broken_at(OpenPath([[0, 0], [1, 0], [2, 0]]), 1)
    assert edit.joined(one, True, two, False, merge=True).nodes[:, 0].tolist() == [0, 1, 2]
    for wrong in (
        lambda: edit.broken_at(one, 0),
        lambda: edit.joined(square(1), True, one, True, merge=True),
        lambda: edit.joined(one, True, one, False, merge=False),
    ):
        with pytest.raises(EditError):
            wrong()


def test_the_start_moves_round_a_loop():
    made = edit.started_at(MIXED, 2)
    assert made.nodes[0].tolist() == [20, 12]
    assert made.kinds.tolist() == [CUBIC, LINE, LINE, ARC]
    assert signed_area(made) == pytest.approx(signed_area(MIXED))
    with pytest.raises(EditError, match="open path"):
        edit.started_at(OpenPath([[0, 0], [5, 5]]), 1)


def test_a_stretch_is_redone_and_the_rest_stays():
    fresh = OpenPath([[5.2, 0.1], [8, -4], [12, -4], [15.1, -0.2]])
    made = edit.redone(MIXED, Place(0, 0.25), Place(0, 0.75), fresh)
    assert made.closed
    assert {(5.0, 0.0), (15.0, 0.0), (8.0, -4.0)} <= {tuple(n) for n in made.nodes.tolist()}
    assert signed_area(made) == pytest.approx(signed_area(MIXED) + 0.5 * (10 + 4) * 4, rel=1e-6)
    assert 0.6 in made.bulges
    line = OpenPath([[0, 0], [10, 0], [20, 0]])
    bent = edit.redone(line, Place(0, 0.5), Place(1, 1.0), OpenPath([[5, 0], [12, 6], [20, 0]]))
    assert bent.nodes.tolist() == [[0, 0], [5, 0], [12, 6], [20, 0]]


EDITS = st.tuples(
    st.sampled_from(["move", "add", "delete", "straighten", "kind", "smooth", "sharp", "start"]),
    st.integers(0, 50),
    st.floats(0.02, 0.98),
    st.sampled_from([LINE, ARC, CUBIC]),
)


@settings(max_examples=60)
@given(st.lists(EDITS, max_size=8))
def test_any_row_of_edits_keeps_a_loop_closed(edits):
    loop = MIXED
    for what, number, share, kind in edits:
        node, segment = number % len(loop.nodes), number % len(loop.kinds)
        try:
            if what == "move":
                made = edit.moved(loop, {node}, 3 * share, -2 * share)
            elif what == "add":
                made = edit.with_node(loop, Place(segment, share))
            elif what in ("delete", "straighten"):
                made = edit.without(loop, {node}, straight=what == "straighten")
            elif what == "kind":
                made = edit.as_kind(loop, segment, kind)
            elif what == "start":
                made = edit.started_at(loop, node)
            else:
                made = (edit.smooth if what == "smooth" else edit.sharp)(loop, node)
        except (EditError, GeometryError):
            continue
        if made is not None:
            assert isinstance(made, Loop)
            assert np.isfinite(length(made))
            loop = made

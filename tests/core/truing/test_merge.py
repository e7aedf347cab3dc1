"""What a noisy picture had the trace break in pieces is put together, and nothing else."""

import numpy as np
import pytest

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop
from silhueta.core.truing.features import Noise
from silhueta.core.truing.merge import merged

NOISE = Noise(0.02, 1.0, 0.01)


def only(path, noise=NOISE, **state) -> Loop:
    return merged(Outline((Contour(path, **state),)), noise).contours[0].path


def test_an_edge_in_three_pieces_is_one_and_a_bend_beyond_the_noise_stays():
    nodes = [[0, 0], [30, 0.02], [60, -0.02], [90, 0], [90, 50], [45, 50.6], [0, 50]]
    path = only(Loop(nodes))
    assert path.nodes == pytest.approx(np.array([[0, 0], [90, 0], [90, 50], [45, 50.6], [0, 50]]))


def test_a_round_in_pieces_is_one_arc_that_touches_both_edges():
    turn = np.radians(np.linspace(-90, 0, 8))
    corner = np.column_stack([84 + 6 * np.cos(turn), 6 + 6 * np.sin(turn)])
    path = only(Loop(np.vstack([[[0, 0]], corner, [[90, 60], [0, 60]]])))
    assert path.kinds.tolist().count(ARC) == 1
    assert len(path.nodes) == 5
    k = path.kinds.tolist().index(ARC)
    assert path.bulges[k] == pytest.approx(np.tan(np.pi / 8), abs=1e-6)
    assert path.starts[k] == pytest.approx([84, 0], abs=0.4)
    assert path.ends[k] == pytest.approx([90, 6], abs=0.4)


@pytest.mark.parametrize(("corner", "count"), [(1.5, 4), (0.0, 5)])
def test_a_corner_that_blur_cut_off_is_sharp_where_it_is_that_small(corner, count):
    path = Loop([[0, 0], [89.2, 0], [90, 0.8], [90, 60], [0, 60.0]])
    assert len(only(path, NOISE._replace(corner=corner)).nodes) == count


def test_chamfers_curves_of_others_and_locked_loops_stay():
    chamfered = Loop([[0, 0], [80, 0], [90, 10], [90, 60], [0, 60.0]])
    assert only(chamfered) is chamfered
    leaf = Loop(np.array([[0, 0], [20, 5], [40, 0.0]]), np.array([ARC, ARC, LINE]), [0.1, 0.1, 0])
    assert only(leaf) is leaf
    pieces = Loop([[0, 0], [30, 0.01], [60, 0], [60, 50], [0, 50.0]])
    assert only(pieces, locked=True) is pieces
    assert len(only(pieces).nodes) == 4

"""All nodes at once: the band, the joints, and what is held."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.fitting.fit import segment_residuals
from silhueta.core.fitting.joints import tangent_turn
from silhueta.core.fitting.settle import _HALF, _places, _solve, settle

# a stadium: two lines 60 px long, two half circles of 20 px, tangent all round
NODES = np.array([[0.0, 0.0], [60.0, 0.0], [60.0, 40.0], [0.0, 40.0]])
BULGES = np.array([0.0, 1.0, 0.0, 1.0])
NONE = np.zeros(4, bool)


def stadium(noise: float = 0.0, step: float = 0.5) -> tuple[np.ndarray, np.ndarray]:
    """Return points along the stadium and where its segments begin."""
    line = np.arange(0, 60, step)
    turn = np.arange(0, np.pi, step / 20)
    pieces = [
        np.column_stack([line, np.zeros_like(line)]),
        np.column_stack([60 + 20 * np.sin(turn), 20 - 20 * np.cos(turn)]),
        np.column_stack([60 - line, np.full_like(line, 40.0)]),
        np.column_stack([-20 * np.sin(turn), 20 + 20 * np.cos(turn)]),
    ]
    points = np.vstack(pieces)
    points = points + np.random.default_rng(4).normal(0, noise, points.shape)
    return points, np.concatenate([[0], np.cumsum([len(p) for p in pieces])])


@given(st.integers(1, 60), st.integers(0, 1000))
def test_the_band_is_solved_as_a_full_matrix_is(count, seed):
    rng = np.random.default_rng(seed)
    full = np.zeros((count, count))
    for k in range(min(_HALF, count)):
        side = rng.normal(0, 1, max(count - k, 0))
        full += np.diag(side, -k) + (np.diag(side, k) if k else 0)
    full += np.eye(count) * (np.abs(full).sum(1).max() + 1)
    band = np.zeros((count, _HALF))
    for k in range(min(_HALF, count)):
        band[k:, k] = np.diag(full, -k)
    right = rng.normal(0, 1, count)
    found = right.copy()
    assert _solve(band, found)
    assert found == pytest.approx(np.linalg.solve(full, right), abs=1e-9)


def test_a_matrix_that_is_no_sum_of_squares_is_refused():
    band = np.zeros((3, _HALF))
    band[:, 0] = [1.0, -1.0, 1.0]
    assert not _solve(band, np.ones(3))


@given(st.integers(2, 80))
def test_neighbours_stay_within_the_band_when_a_ring_is_folded(count):
    place = _places(count)
    assert sorted(place) == list(range(count))
    for away in (1, 2):
        apart = np.abs(place - np.roll(place, away))
        assert 3 * apart.max() + 2 < _HALF


@given(st.integers(0, 500))
def test_displaced_nodes_find_back_to_where_the_points_are(seed):
    points, stops = stadium()
    rng = np.random.default_rng(seed)
    nodes, bulges = NODES + rng.uniform(-1.0, 1.0, (4, 2)), BULGES * rng.uniform(0.8, 1.2)
    settle(points, stops, nodes, bulges, np.ones(4, bool), NONE, 1.6)
    assert nodes == pytest.approx(NODES, abs=0.02)
    assert bulges == pytest.approx(BULGES, abs=1e-3)


def test_tangent_joints_are_tangent_and_free_ones_are_not():
    points, stops = stadium(noise=0.2)
    turns = []
    for tangent in (NONE, np.ones(4, bool)):
        nodes, bulges = NODES.copy(), BULGES.copy()
        settle(points, stops, nodes, bulges, tangent, NONE, 1.6)
        turns.append(max(abs(tangent_turn(nodes, bulges, k)) for k in range(4)))
    assert turns[0] > 1e-3
    assert turns[1] < 2e-4


def test_what_is_held_stays():
    points, stops = stadium(noise=0.3)
    held = np.array([True, False, False, False])
    nodes, bulges = NODES + 0.4, BULGES.copy()
    settle(points, stops, nodes, bulges, NONE, held, 1.6)
    assert nodes[0] == pytest.approx([0.4, 0.4], abs=1e-6)
    assert np.abs(nodes[1:] - NODES[1:] - 0.4).max() > 0.1  # the others have moved


@pytest.mark.parametrize("seed", range(3))
def test_a_node_between_two_tangent_arcs_comes_nowhere_worse(seed):
    # it may slide along both by far: what it may not go in a step, bulges must not go either
    first, second = np.linspace(0.2, 0.65, 550), np.linspace(0.65, 1.1, 550)
    way = np.array([np.cos(0.65), np.sin(0.65)])
    one = 800 * np.column_stack([np.cos(first), np.sin(first)])
    two = 2000 * np.column_stack([np.cos(second), np.sin(second)]) - 1200 * way
    arcs = np.vstack([one[:-1], two])
    wave = 0.5 * np.sin(np.linspace(0, 20, len(arcs)))
    wave += np.random.default_rng(seed).normal(0, 0.4, len(arcs))
    points = arcs * (1 + wave / np.hypot(*arcs.T))[:, None]
    back = points[-1] + np.linspace(0, 1, 900)[1:-1, None] * (points[0] - points[-1])
    stops = np.array([0, 549, len(arcs) - 1, len(arcs) + len(back)])
    points = np.vstack([points, back])
    nodes = np.array([one[0], one[-1], two[-1]])
    chords = np.hypot(*np.diff(nodes, axis=0).T)
    bulges = np.append(np.tan(np.arcsin(chords / 2 / [800, 2000]) / 2), 0.0)
    before = segment_residuals(points, stops, nodes, bulges)[:, 0].sum()
    settle(points, stops, nodes, bulges, NONE[:3], NONE[:3], 1.6)
    assert segment_residuals(points, stops, nodes, bulges)[:, 0].sum() < before

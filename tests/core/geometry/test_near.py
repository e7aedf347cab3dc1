"""Which chords meet, and chains of edges: against shapely, pair by pair."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from silhueta.core.geometry.region.near import chained, meeting
from silhueta.core.geometry.region.rings import rings_of


def chords(points) -> np.ndarray:
    points = np.asarray(points, float)
    return np.stack([points, np.roll(points, -1, axis=0)], axis=1)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 100_000), st.integers(3, 60))
def test_chords_of_two_outlines_meet_where_shapely_says_so(seed, count):
    rng = np.random.default_rng(seed)
    first, second = rng.uniform(0, 300, (count, 2)), rng.uniform(0, 300, (count, 2))
    both = np.concatenate([chords(first), chords(second)])
    lines = shapely.linestrings(both)
    found = meeting(both, 1.0)
    for i in range(len(both)):
        own = range(count) if i < count else range(count, 2 * count)
        beside = {i, own[(i - own[0] + 1) % count], own[(i - own[0] - 1) % count]}
        apart = [shapely.distance(lines[i], lines[j]) for j in range(2 * count) if j not in beside]
        if min(apart) < 0.999:
            assert found[i]
        elif min(apart) > 1.001:
            # then only one beside a neighbour that is tiny or runs back may be said to meet
            assert not found[i] or _folded(both, i, beside)


def _folded(both, i, beside) -> bool:
    if min(np.hypot(*(both[j, 1] - both[j, 0])) for j in beside) < 4.1:
        return True  # a chord so short has no direction
    return any(
        shapely.distance(shapely.Point(both[a, end]), shapely.LineString(both[b])) < 2.1
        for j in beside - {i}
        for a, b in ((i, j), (j, i))
        for end in (0, 1)
        if not (both[b] == both[a, end]).all(1).any()
    )


def test_the_same_chord_twice_and_a_corner_meet_nothing():
    box = chords([[0, 0], [100, 0], [100, 100], [0, 100]])
    assert not meeting(box, 1.0).any()
    assert not meeting(np.concatenate([box, box[:, ::-1]]), 1.0).any()
    back = chords([[0, 0], [100, 0], [40, 0.5], [40, 80]])  # a side that runs back along another
    assert meeting(back, 1.0)[:2].all()


def test_a_chord_that_ends_within_reach_of_another_meets_it():
    for off, there in ((0.9, True), (1.1, False)):
        two = np.array([[[0, 0], [100, 0]], [[50, off], [50, 90]]], float)
        assert meeting(two, 1.0).all() == there


def test_chains_hold_each_edge_once_and_end_where_others_meet():
    # two rings that share a side, and one alone
    pair = np.array(
        [[0, 1], [1, 2], [2, 3], [0, 3], [1, 4], [4, 5], [2, 5], [6, 7], [7, 8], [6, 8]]
    )
    along, begins, chain = chained(pair, 9)
    walks = [along[a:b].tolist() for a, b in zip(begins[:-1], begins[1:], strict=True)]
    assert len(walks) == 4
    steps = sorted(
        tuple(sorted(step)) for walk in walks for step in zip(walk, walk[1:], strict=False)
    )
    assert steps == sorted(map(tuple, pair.tolist()))
    for walk in walks[:3]:
        assert {walk[0], walk[-1]} == {1, 2}
    assert walks[3][0] == walks[3][-1]
    for edge, (a, b) in enumerate(pair.tolist()):
        walk = walks[chain[edge] if chain[edge] >= 0 else -chain[edge] - 1]
        ahead = (a, b) in list(zip(walk, walk[1:], strict=False))
        assert ahead == (chain[edge] >= 0)


@pytest.mark.parametrize("turned", [False, True])
def test_rings_that_touch_in_a_corner_are_two(turned):
    at = np.array([[0, 0], [5, 0], [5, 5], [0, 5], [10, 5], [10, 10], [5, 10]], float)
    start = np.array([0, 1, 2, 3, 2, 4, 5, 6])
    end = np.array([1, 2, 3, 0, 4, 5, 6, 2])
    if turned:  # a hole's rings run the other way, what is kept is round them
        start, end = end, start
    rings = rings_of(at, start, end)
    assert sorted(map(len, rings)) == [4, 4]
    for ring in rings:
        assert (start[np.roll(ring, -1)] == end[ring]).all()

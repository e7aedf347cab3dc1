"""Fewer nodes, never farther off than the tolerance."""

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from silhueta.core.errors import EditError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.tidy.offers.thin import thinned
from tests.conftest import square


def apart(one, two):
    """The Hausdorff distance of two paths, mm."""
    lines = []
    for path in (one, two):
        points = flatten(path, 1e-3)
        line = shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points)
        lines.append(shapely.segmentize(line, 0.2))
    shapely.prepare(lines)
    places = [shapely.points(shapely.get_coordinates(line)) for line in lines]
    there, back = (shapely.distance(p, q) for p, q in zip(places, lines[::-1], strict=True))
    return max(there.max(), back.max())


def wavy(nodes, noise, seed, waves):
    angle = np.linspace(0, 2 * np.pi, nodes, endpoint=False)
    radius = 40 * (1 + 0.15 * np.cos(waves * angle))
    points = radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    return points + np.random.default_rng(seed).normal(0, noise, points.shape)


@settings(max_examples=60)
@given(
    st.integers(12, 400),
    st.floats(0, 0.05),
    st.integers(0, 99),
    st.integers(2, 9),
    st.floats(0.02, 2.0),
    st.booleans(),
)
@example(176, 0.0390625, 35, 7, 0.1796875, True)  # farther off between places that were measured
def test_thinning_keeps_within_the_tolerance_and_never_crosses(
    nodes, noise, seed, waves, tolerance, closed
):
    points = wavy(nodes, noise, seed, waves)
    path = Loop(points) if closed else OpenPath(points)
    made = thinned(path, tolerance)
    assert apart(path, made.path) <= tolerance + 2e-3
    assert len(made.path.nodes) + made.spared == len(path.nodes)
    assert len(crossings([made.path])) <= len(crossings([path]))
    assert made.path.closed == path.closed
    if not closed:
        assert np.array_equal(made.path.nodes[[0, -1]], path.nodes[[0, -1]])


def test_a_fine_polygon_becomes_few_smooth_arcs():
    made = thinned(Loop(wavy(2000, 0, 0, 5)), 0.05).path
    simple = shapely.Polygon(wavy(2000, 0, 0, 5)).simplify(0.05)
    assert len(made.nodes) < 0.3 * len(simple.exterior.coords)
    assert np.degrees(np.median(np.abs(node_turns(made)))) < 0.1  # most joints are tangent
    assert (made.kinds == ARC).sum() > 10


def test_a_polygon_round_a_circle_becomes_the_circle():
    angle = np.linspace(0, 2 * np.pi, 90, endpoint=False)
    made = thinned(Loop(12 * np.column_stack([np.cos(angle), np.sin(angle)])), 0.02)
    (centre, radius) = full_circle(made.path)
    assert (*centre, radius) == pytest.approx((0, 0, 12), abs=0.01)
    assert made.spared == 88


def test_corners_stay_where_they_are():
    points = shapely.get_coordinates(shapely.segmentize(shapely.box(0, 0, 60, 40).exterior, 1))
    made = thinned(Loop(points[:-1]), 0.5).path
    assert sorted(map(tuple, made.nodes.tolist())) == [(0, 0), (0, 40), (60, 0), (60, 40)]
    assert (made.kinds == LINE).all()


def test_what_was_exact_stays_exact():
    # a slot of two lines and two half circles, and one line split by nodes that change nothing
    slot = Loop(
        [[0, 0], [10, 0], [20, 0], [40, 0], [40, 10], [0, 10]],
        np.array([LINE, LINE, LINE, ARC, LINE, ARC], np.uint8),
        np.array([0, 0, 0, 1.0, 0, 1.0]),
    )
    made = thinned(slot, 0.05)
    assert made.spared == 2
    assert sorted(made.path.bulges.tolist()) == [0, 0, 1, 1]
    assert made.deviation == pytest.approx(0, abs=1e-9)
    cubic = OpenPath(
        [[0, 0], [30, 0]],
        np.array([CUBIC], np.uint8),
        np.zeros(1),
        np.array([[[10, 20], [20, -20]]]),
    )
    assert thinned(cubic, 0.5).path is cubic


@pytest.mark.parametrize("path", [square(10), circle_loop((0, 0), 4), OpenPath([[0, 0], [9, 1]])])
def test_what_has_nothing_to_spare_stays_the_very_same(path):
    assert thinned(path, 0.1).path is path


@pytest.mark.parametrize("tolerance", [0, -1, float("nan")])
def test_a_tolerance_must_be_above_zero(tolerance):
    with pytest.raises(EditError, match="above 0"):
        thinned(square(1), tolerance)

"""Tidying against shapely: what comes out is valid, and differs by no more than it may."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.shapes import every_shape, placed
from benchmarks.tidying import damaged
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.tidy.offers.crossed import uncrossed
from silhueta.core.tidy.offers.kinds import take_all
from silhueta.core.tidy.offers.necks import necked
from silhueta.core.tidy.offers.offer import Limits
from silhueta.core.tidy.offers.thin import thinned
from tests.conftest import square

SHAPES = every_shape()


def polygon(loop):
    return shapely.Polygon(flatten(loop, 1e-3))


def region(paths):
    """What is solid: loops in loops are holes."""
    found = shapely.Polygon()
    for loop in sorted(paths, key=lambda path: -abs(signed_area(path))):
        found = shapely.symmetric_difference(found, polygon(loop))
    return found


@pytest.mark.parametrize("number", range(0, 240, 12))
def test_a_damaged_outline_encloses_what_it_did(number):
    loops = placed(list(SHAPES.values())[number % len(SHAPES)], 200, margin=5)
    outline, page = damaged(loops, number)
    made, *_ = take_all(outline, Limits(tolerance=0.02), page)
    assert all(path.closed for path in made.taken)
    assert all(shapely.is_valid(polygon(path)) for path in made.taken)
    off = shapely.symmetric_difference(region(loops), region(made.taken)).area
    # a band of a tenth of a millimetre along every line, at most
    assert off <= 0.1 * sum(length(loop) for loop in loops)


@pytest.mark.parametrize("name", sorted(SHAPES)[::16])
@pytest.mark.parametrize("tolerance", [0.05, 0.4])
def test_thinning_differs_from_the_shape_by_a_band_of_the_tolerance(name, tolerance):
    for loop in placed(SHAPES[name], 200, margin=5):
        dense = Loop(flatten(loop, 0.01))
        made = thinned(dense, tolerance).path
        assert shapely.is_valid(polygon(made))
        off = shapely.symmetric_difference(polygon(dense), polygon(made)).area
        assert off <= tolerance * length(loop)
        # lines and arcs take no more nodes than shapely's lines within the same tolerance
        simple = polygon(dense).simplify(tolerance)
        assert len(made.nodes) <= len(simple.exterior.coords) - 1


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(5, 12))
def test_an_uncrossed_loop_is_valid_and_part_of_what_was_there(seed, corners):
    points = np.random.default_rng(seed).uniform(0, 100, (corners, 2))
    ring = shapely.LinearRing(points)
    made = uncrossed(Loop(points))
    for loop in made:
        assert shapely.is_valid(polygon(loop))
        assert shapely.distance(shapely.points(loop.nodes), ring).max() < 0.02
    # faces by GEOS; SVG's non-zero rule by the turning angle seen from inside each
    faces = shapely.get_parts(shapely.polygonize([shapely.node(ring)]))
    true = 0.0
    for face in faces:
        spoke = points - shapely.get_coordinates(shapely.point_on_surface(face))
        turn = np.angle(np.roll(spoke @ [1, 1j], -1) / (spoke @ [1, 1j])).sum()
        true += face.area if abs(turn) > 1 else 0.0
    assert abs(sum(map(signed_area, made))) == pytest.approx(true, abs=1e-3)


@pytest.mark.parametrize("width", [0.5, 3.0])
def test_a_neck_adds_a_strip_of_its_width(width):
    one, two = square(20), circle_loop((32, 10), 10)
    made = necked(one, two, np.array([[20.0, 10.0], [22.0, 10.0]]), width)
    whole = shapely.union(polygon(one), polygon(two))
    added = shapely.difference(polygon(made), whole)
    assert shapely.is_valid(polygon(made))
    assert shapely.difference(whole, polygon(made)).area < 0.05  # both are polygons of chords
    assert added.area == pytest.approx(2 * width, rel=0.02)
    assert set(made.kinds.tolist()) == {LINE, ARC}


def test_two_outlines_that_are_one_come_out_as_one():
    gear = placed(SHAPES["gear"], 200, margin=5)
    twice = Outline(tuple(Contour(loop, origin="imported") for loop in (*gear, *gear)))
    made, counts, _ = take_all(twice, Limits(tolerance=0))
    assert counts == {"doubles": len(gear)}
    assert shapely.symmetric_difference(region(gear), region(made.taken)).area < 1e-9

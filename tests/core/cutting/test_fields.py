"""Pockets, grooves, hatches and the shortest way: against closed forms and shapely."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from silhueta.core.cutting.hatch import hatched
from silhueta.core.cutting.pocket import cleared
from silhueta.core.cutting.route import shortest
from silhueta.core.cutting.vgroove import grooves
from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Loop, circle_loop
from tests.conftest import square

STAR = Loop(
    np.array(
        [
            [
                (45 if k % 2 else 20) * math.cos(k * math.pi / 5),
                (45 if k % 2 else 20) * math.sin(k * math.pi / 5),
            ]
            for k in range(10)
        ]
    )
)


@pytest.mark.parametrize("way", ["spiral", "raster"])
@pytest.mark.parametrize("loops", [(square(60),), (square(60), circle_loop((30, 25), 9)), (STAR,)])
def test_a_pocket_leaves_what_its_bit_cannot_reach_and_no_more(loops, way):
    bit = 5.0
    ways = cleared(loops, bit, 0.45, way, finish=0.3)
    field = shapely.Polygon(flatten(loops[0], 1e-4), [flatten(one, 1e-4) for one in loops[1:]])
    reach = field.buffer(-bit / 2, quad_segs=128).buffer(bit / 2, quad_segs=128)
    lines = [shapely.LineString(flatten(path, 1e-4)) for path in ways]
    done = shapely.MultiLineString(lines).buffer(bit / 2, quad_segs=128)
    assert shapely.difference(reach, done).area < 0.002 * reach.area
    assert shapely.difference(done, field).area < 0.01
    assert cleared(loops, 500.0, 0.45) == []


def test_two_fields_are_cleared_line_by_line_though_no_line_crosses_the_gap():
    ways = cleared([square(20), square(20, (0, 60))], 5.0, 0.45, "raster")
    assert {bool(path.nodes[:, 1].max() < 20) for path in ways} == {True, False}


def test_a_groove_is_as_deep_as_its_field_is_wide():
    # a triangle's own: r / tan(a / 2)
    slope = math.tan(math.radians(30))
    (cone,) = grooves([circle_loop((3, 4), 5)], 60, 50).ways
    assert cone.depths.max() == pytest.approx(5 / slope)
    found = grooves([square(20)], 60, 50)
    nodes = np.vstack([one.path.nodes for one in found.ways])
    deep = np.concatenate([one.depths for one in found.ways])
    aside = np.minimum(np.minimum(nodes, 20 - nodes)[:, 0], np.minimum(nodes, 20 - nodes)[:, 1])
    assert np.abs(deep - aside / slope).max() < 1e-9
    for corner in ((0, 0), (20, 0), (20, 20), (0, 20)):  # driven up to sharp
        assert np.hypot(*(nodes - corner).T).min() < 1e-6
    ring = grooves([circle_loop((0, 0), 20), circle_loop((0, 0), 12)], 90, 50)
    assert np.concatenate([one.depths for one in ring.ways]) == pytest.approx(4.0, abs=0.005)


def test_a_broad_field_gets_a_flat_bottom_at_the_largest_depth():
    found = grooves([square(40)], 90, 3.0)
    assert max(one.depths.max() for one in found.ways) == pytest.approx(3.0)
    (floor,) = found.floor
    assert np.sort(floor.nodes[:, 0]) == pytest.approx([3, 3, 37, 37])
    for wrong in ((0.0, 3.0), (60.0, 0.0), (60.0, math.nan)):
        with pytest.raises(EditError):
            grooves([square(40)], *wrong)


def test_a_hatch_fills_all_but_the_islands():
    lines = hatched([square(20), circle_loop((10, 10), 4)], 0.5, 30)
    whole = sum(shapely.LineString(one.nodes).length for one in lines) * 0.5
    assert whole == pytest.approx(400 - math.pi * 16, rel=0.01)
    way = lines[0].nodes[1] - lines[0].nodes[0]
    assert abs(math.degrees(math.atan2(way[1], way[0])) % 180) == pytest.approx(30)
    with pytest.raises(EditError):
        hatched([square(20)], 0.0, 0)


def test_the_shortest_way_round_a_circle_goes_along_it():
    turn = np.random.default_rng(3).permutation(np.arange(60) * 2 * math.pi / 60)
    places = 100 * np.column_stack([np.cos(turn), np.sin(turn)])
    order = shortest(places[0], places, places)
    way = places[order]
    assert np.hypot(*np.diff(way, axis=0).T).sum() == pytest.approx(
        59 * 200 * math.sin(math.pi / 60)
    )
    assert shortest(np.zeros(2), np.zeros((0, 2)), np.zeros((0, 2))).tolist() == []

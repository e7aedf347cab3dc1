"""What outlines cover together: exact, nothing lost, nothing touched that nothing crosses."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from benchmarks.regions import geos, judged, pairs
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import ARC, CUBIC, Loop, circle_loop, reverse
from silhueta.core.geometry.region.painted import painted
from silhueta.core.geometry.region.region import common, covered, cut_away, united


def box(left: float, bottom: float, wide: float, high: float) -> Loop:
    right, top = left + wide, bottom + high
    return Loop(np.array([[left, bottom], [right, bottom], [right, top], [left, top]]))


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


def test_two_boxes():
    one, other = box(0, 0, 10, 10), box(5, 5, 10, 10)
    assert area(united([one], [other])) == 175
    assert area(common([one], [other])) == 25
    assert area(cut_away([one], [other])) == 75
    (welded,) = united([one], [other])
    assert len(welded.nodes) == 8


def test_two_discs_have_the_lens_of_the_handbook_in_common_between_two_arcs_each():
    # Weisstein, "Circle-Circle Intersection", equal radii R at distance d
    radius, apart = 10.0, 12.0
    lens = 2 * radius**2 * np.arccos(apart / 2 / radius)
    lens -= apart / 2 * np.sqrt(4 * radius**2 - apart**2)
    (found,) = common([circle_loop((0, 0), radius)], [circle_loop((apart, 0), radius)])
    assert signed_area(found) == pytest.approx(lens, rel=1e-12)
    assert (found.kinds == ARC).all()
    tips = sorted(found.nodes.tolist())
    assert any(np.allclose(tip, (6, 8), atol=1e-9) for tip in tips)
    assert any(np.allclose(tip, (6, -8), atol=1e-9) for tip in tips)


def test_what_nothing_crosses_stays_the_same_object():
    plate, hole = box(0, 0, 50, 50), reverse(circle_loop((20, 20), 5))
    lone = circle_loop((100, 20), 7)
    found = united([plate, hole], [lone])
    assert {id(loop) for loop in found} == {id(plate), id(hole), id(lone)}
    again = cut_away([plate], [circle_loop((20, 20), 5)])
    assert any(loop is plate for loop in again)
    assert area(again) == pytest.approx(2500 - 25 * np.pi)


def test_segments_that_nothing_crosses_stay_the_same_values():
    wave = Loop(
        np.array([[0.1, 0.2], [30.3, 0.7], [31.1, 20.9]]),
        np.array([CUBIC, 0, ARC], np.uint8),
        np.array([0, 0, 0.3]),
        np.array([[[10, -7], [20, 8]], [[0, 0], [0, 0]], [[0, 0], [0, 0]]]),
    )
    (found,) = united([wave], [box(30, 10, 5, 5)])
    first = int(np.flatnonzero((found.nodes == wave.nodes[0]).all(1))[0])
    assert found.kinds[first] == CUBIC
    assert (found.controls[first] == wave.controls[0]).all()
    assert (found.nodes[(first + 1) % len(found.nodes)] == wave.nodes[1]).all()
    assert 0.3 in found.bulges


@pytest.mark.parametrize(
    ("rule", "loops", "size"), [("nonzero", 1, 112.257), ("evenodd", 5, 77.568)]
)
def test_a_five_pointed_star_is_filled_by_its_rule(rule, loops, size):
    # W3C SVG 1.1, section 11.3, whose examples are such stars; sizes by shoelace, by hand
    turn = np.pi / 2 + np.arange(5) * 4 * np.pi / 5
    star = Loop(10 * np.column_stack([np.cos(turn), np.sin(turn)]))
    found = covered([star], rule)
    assert len(found) == loops
    assert area(found) == pytest.approx(size, abs=1e-3)


def test_a_figure_of_eight_is_two_loops_and_goes_round_both():
    eight = Loop(np.array([[0, 0], [10, 10], [10, 0], [0, 10.0]]))
    found = covered([eight])
    assert sorted(signed_area(loop) for loop in found) == [25, 25]


def test_a_cubic_that_crosses_itself_keeps_its_two_sides():
    ribbon = Loop(
        np.array([[0.0, 0.0], [10, 0]]),
        np.array([CUBIC, 0], np.uint8),
        np.zeros(2),
        np.array([[[30, 25], [-20, 25]], [[0, 0], [0, 0]]]),
    )
    found = covered([ribbon])
    assert len(found) == 2
    assert min(signed_area(loop) for loop in found) > 0


def test_outlines_that_touch_share_an_edge_or_lie_on_each_other():
    one = box(0, 0, 10, 10)
    assert len(united([one], [box(10, 10, 5, 5)])) == 2  # at a corner
    (beside,) = united([one], [box(10, 2, 5, 5)])
    assert signed_area(beside) == 125
    assert common([one], [box(10, 2, 5, 5)]) == []
    assert cut_away([one], [reverse(box(0, 0, 10, 10))]) == []
    (same,) = united([one], [box(0, 0, 10, 10)])
    assert signed_area(same) == 100


@pytest.mark.parametrize("at", np.linspace(10, 10.001, 7))
@pytest.mark.parametrize("off", [-9e-6, 4e-6, 9e-6])
def test_edges_nearer_than_the_tolerance_are_one_wherever_they_lie(at, off):
    high = box(at + off, -3 + off, 10, 20)  # two nodes of the first lie along its side
    (found,) = united([box(0, 0, at, 10)], [high])
    assert signed_area(found) == pytest.approx(10 * at + 200, abs=0.001)


def test_arcs_of_one_circle_lie_on_each_other_wherever_they_begin():
    c, s = 50 * np.cos(0.7), 50 * np.sin(0.7)
    turned = Loop(np.array([[c, s], [-c, -s]]), np.array([ARC, ARC], np.uint8), np.ones(2))
    disc = circle_loop((0, 0), 50)
    assert cut_away([disc], [turned]) == []
    assert area(united([disc], [turned])) == pytest.approx(2500 * np.pi, rel=1e-12)
    half = Loop(np.array([[c, s], [-c, -s]]), np.array([ARC, 0], np.uint8), np.array([1.0, 0]))
    (rest,) = cut_away([disc], [half])
    assert signed_area(rest) == pytest.approx(1250 * np.pi, rel=1e-9)


def test_nothing_and_slivers_are_nothing():
    assert covered([]) == []
    assert united([], []) == []
    assert covered([box(0, 0, 100, 1e-5)]) == []
    assert common([box(0, 0, 1, 1)], [box(5, 5, 1, 1)]) == []


@pytest.mark.parametrize("far", [0.0, 1e4, 1e6])
@pytest.mark.parametrize("size", [1e-2, 1.0, 1e5])
def test_small_and_large_near_and_far(far, size):
    one = circle_loop((far, far), size)
    other = circle_loop((far + size, far), size)
    lens = size**2 * (2 * np.pi / 3 - np.sqrt(3) / 2)
    digits = max(1e-7, 1e-6 * far / size)  # of a drawing far off few are left
    assert area(common([one], [other])) == pytest.approx(lens, rel=digits)


def test_glyphs_icons_and_discs_agree_with_geos_and_add_up():
    for kind, pair in pairs(28, seed=5):
        found = judged(pair)
        assert found["area"] < 1e-6, kind
        assert found["sum"] < 1e-9, kind
        assert found["again"] < 1e-9, kind
        assert found["loops again"] == 0, kind


def test_a_splinter_of_an_arc_is_no_arc():
    # found in a file: an arc cut where another outline's node lies a few tolerances from its own
    arc = Loop(
        np.array([[0.0, 0.0], [10, 0], [10, 10]]),
        np.array([ARC, 0, 0], np.uint8),
        np.array([0.3, 0, 0]),
    )
    for off in np.linspace(0, 6e-5, 25):
        other = Loop(np.array([[off, -off / 2], [5, 20], [-5, 20]]))
        found = united([arc], [other])
        assert area(found) == pytest.approx(area([arc]) + area([other]), rel=0.3)


def test_painted_groups_hide_each_other_and_the_bare_ground_has_no_outline():
    ground, plate, patch = box(0, 0, 100, 100), box(10, 10, 50, 50), box(20, 20, 10, 10)
    under = box(25, 25, 2, 2)
    found = painted(
        [[ground], [under], [plate], [patch], [circle_loop((40, 40), 5)]],
        ["wood", "red", "steel", "red", None],
        ["nonzero"] * 5,
    )
    sizes = {
        colour: area(loops) for colour, loops in zip(found.colours, found.outlines, strict=True)
    }
    assert sizes["wood"] == pytest.approx(7500)
    assert sizes["steel"] == pytest.approx(2500 - 100 - 25 * np.pi)
    assert sizes["red"] == pytest.approx(100)
    assert found.hidden == [1]
    assert sum(sizes.values()) == pytest.approx(1e4 - 25 * np.pi)


def test_many_shapes_of_many_colours_tile_what_they_cover_together():
    rng = np.random.default_rng(3)
    groups = [[circle_loop(rng.uniform(0, 100, 2), float(rng.uniform(3, 25)))] for _ in range(60)]
    colours = [int(k) for k in rng.integers(0, 5, 60)]
    found = painted(groups, colours, ["nonzero"] * 60)
    whole = shapely.union_all([geos(group) for group in groups])
    assert sum(area(loops) for loops in found.outlines) == pytest.approx(whole.area, rel=1e-6)
    # by shapely, painted from the top down
    left, top = whole, dict.fromkeys(range(5), 0.0)
    for group, colour in reversed(list(zip(groups, colours, strict=True))):
        top[colour] += shapely.intersection(left, geos(group)).area
        left = shapely.difference(left, geos(group))
    for colour, loops in zip(found.colours, found.outlines, strict=True):
        assert area(loops) == pytest.approx(top[colour], rel=1e-5)

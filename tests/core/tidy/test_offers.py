"""Clean-up offers: what is wrong is found, and the edit puts it right."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.shapes import placed, workshop_shapes
from benchmarks.tidying import damaged, same
from silhueta.core.errors import EditError
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place, stretch
from silhueta.core.geometry.transform import transform
from silhueta.core.tidy.offers.kinds import KINDS, find_offer, find_offers, take, take_all
from silhueta.core.tidy.offers.offer import Limits, limits_for
from tests.conftest import hole, square


def outline(*paths, origin="imported"):
    return Outline(tuple(Contour(path, origin=origin) for path in paths))


def offered(drawn, kind, frame=None, **limits):
    return find_offer(drawn, kind, Limits(**limits), frame)


def moved(path, dx, dy):
    return transform(path, np.eye(2), (dx, dy))


def test_specks_go_and_traced_ones_stay_skipped():
    dust = circle_loop((5, 5), 0.3)
    offer = offered(outline(square(20), dust, OpenPath([[30, 0], [30.5, 0]])), "specks", speck=1)
    assert [item.contours for item in offer.items] == [(1,), (2,)]
    assert take(offer).taken == (offer.outline.contours[0].path,)
    assert len(take(offer).contours) == 1
    traced = take(offered(outline(square(20), dust, origin="traced"), "specks", speck=1))
    assert [(c.taken, c.chosen) for c in traced.contours] == [(True, False), (False, True)]


def test_a_frame_is_sure_on_the_page_and_asked_about_elsewhere():
    page = (-10.0, -10.0, 50.0, 50.0)
    framed = outline(square(60, (-10, -10)), square(20), circle_loop((10, 10), 3))
    (item,) = offered(framed, "frame", page).items
    assert item.contours == (0,)
    assert item.sure
    unsure = offered(framed, "frame")
    assert [i.sure for i in unsure.items] == [False]
    assert take(unsure) is framed  # a plate with holes looks just so
    assert len(take(unsure, unsure.items).contours) == 2
    assert not offered(outline(square(20)), "frame", (0.0, 0.0, 20.0, 20.0)).items


def test_pieces_that_share_their_ends_become_one_loop():
    sides = [OpenPath([[0, 0], [9, 0]]), OpenPath([[9, 6], [9, 0]]), OpenPath([[9, 6], [0, 0]])]
    made = take(offered(outline(*sides), "gaps"))
    (loop,) = made.loops
    assert abs(signed_area(loop)) == pytest.approx(27)
    assert made.contours[0].origin == "edited"


@pytest.mark.parametrize(("extend", "nodes"), [(True, 4), (False, 5)])
def test_a_corner_that_was_cut_out_comes_back_when_ends_are_run_on(extend, nodes):
    cut = OpenPath([[0, 0.3], [0, 10], [10, 10], [10, 0], [0.3, 0]])
    (loop,) = take(offered(outline(cut), "gaps", gap=0.5, extend=extend)).loops
    assert len(loop.nodes) == nodes
    assert (abs(signed_area(loop)) == pytest.approx(100)) is extend


def test_ends_farther_apart_than_the_limit_stay_open():
    cut = OpenPath([[0, 1], [0, 10], [10, 10], [10, 0], [0, 0]])
    assert not offered(outline(cut), "gaps", gap=0.9).items
    assert not offered(outline(cut), "gaps", gap=0).items
    # closing a single line on itself is no loop
    assert not offered(outline(OpenPath([[0, 0], [0.3, 0]])), "gaps").items


def test_arcs_stay_arcs_when_they_are_joined():
    circle = circle_loop((0, 0), 10)
    parts = [
        stretch(circle, Place(0, 0.01), Place(0, 0.99)),
        stretch(circle, Place(1, 0.01), Place(1, 0.99)),
    ]
    (loop,) = take(offered(outline(*parts), "gaps", gap=1)).loops
    assert (loop.kinds == ARC).sum() == 2
    assert signed_area(loop) == pytest.approx(100 * np.pi, rel=1e-3)


@pytest.mark.parametrize(("keep", "radius"), [("outer", 10), ("inner", 9.3), ("middle", 9.65)])
def test_of_two_loops_along_each_other_one_is_kept(keep, radius):
    pen = outline(circle_loop((0, 0), 10), hole(circle_loop((0, 0), 9.3)), square(4, (-2, -2)))
    made = take(offered(pen, "doubles", double=0.8, keep_double=keep))
    assert len(made.taken) == 2
    left, _, right, _ = bounding_box([made.taken[0]])
    assert (right - left) / 2 == pytest.approx(radius, abs=0.01)
    assert not offered(pen, "doubles", double=0.6).items


def test_a_line_drawn_twice_is_cut_back_to_what_only_it_has():
    long, over = OpenPath([[0, 0], [50, 0]]), OpenPath([[20, 0.1], [70, 0.1]])
    made = take(offered(outline(long, over), "doubles"))
    assert sorted(length(path) for path in made.taken) == pytest.approx([20, 50], abs=0.4)
    across = OpenPath([[25, -5], [25, 5]])
    assert not offered(outline(long, across), "doubles").items


def slit(centre, radius, way, gap):
    """Return a circle with a gap of so many mm that looks along `way`, degrees."""
    half = gap / radius / 2
    turn = np.radians(way) + half + np.linspace(0, 2 * np.pi - 2 * half, 60)
    return OpenPath(np.add(centre, radius * np.column_stack([np.cos(turn), np.sin(turn)])))


@pytest.mark.parametrize(
    ("apart", "sure"), [(0.3, True), (0.2, True), (0.1, False)], ids=["far", "near", "as near"]
)
def test_gaps_that_face_each_other_close_their_own_loops_or_are_asked_about(apart, sure):
    two = outline(slit((-10 - apart / 2, 0), 10, 0, 0.3), slit((10 + apart / 2, 0), 10, 180, 0.3))
    offer = offered(two, "gaps")
    assert [item.sure for item in offer.items] == [sure] * 2
    assert len(take(offer).loops) == 2 * sure
    if sure:
        areas = [abs(signed_area(loop)) for loop in take(offer).loops]
        assert areas == pytest.approx([100 * np.pi] * 2, rel=0.01)


def test_where_three_ends_meet_the_two_that_run_straight_on_are_joined():
    three = outline(
        OpenPath([[0, 0], [5, 0]]), OpenPath([[5, 0], [5, 4]]), OpenPath([[5, 0], [9, 0.2]])
    )
    (item,) = offered(three, "gaps").items
    assert item.sure
    assert item.contours == (0, 2)


def sides(*corners):
    """Return a loop through these corners, side by side."""
    return [OpenPath([a, b]) for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)]


def test_a_side_that_two_outlines_share_is_not_taken_from_one_of_them():
    left, right = [(0, 0), (9, 0), (9, 9), (0, 9)], [(9, 0), (18, 0), (18, 9), (9, 9)]
    shared = outline(*sides(*left), *sides(*right))
    assert [item.sure for item in offered(shared, "doubles").items] == [False]
    made, *_ = take_all(shared, Limits(tolerance=0))
    assert sorted(signed_area(loop) ** 2 for loop in made.loops) in ([81**2] * 2, [162**2])
    assert all(path.closed for path in made.taken)
    # in two pieces, too; but a whole outline that is drawn twice goes
    split = outline(*sides(*left[:2], (9, 4), *left[2:]), *sides(*right, (9, 5)))
    assert not any(item.sure for item in offered(split, "doubles").items)
    twice, counts, _ = take_all(outline(*sides(*left), *sides(*left)), Limits(tolerance=0))
    assert counts == {"doubles": 4, "gaps": 4}
    assert [abs(signed_area(loop)) for loop in twice.taken] == [81]


def test_nodes_in_one_place_are_one():
    twice = Loop([[0, 0], [10, 0], [10, 0], [10, 10], [0, 10], [0, 1e-5]])
    offer = offered(outline(twice), "coincident")
    assert offer.count == 2
    (loop,) = take(offer).loops
    assert len(loop.nodes) == 4
    assert signed_area(loop) == pytest.approx(100, abs=1e-3)


def test_short_segments_go_and_a_tiny_slit_of_a_circle_is_none():
    short = Loop([[0, 0], [10, 0], [10.02, 0.02], [10, 10], [0, 10]])
    (loop,) = take(offered(outline(short), "short", short=0.1)).loops
    assert len(loop.nodes) == 4
    slit = Loop([[1, 0], [1, 0.01]], np.array([ARC, LINE], np.uint8), np.array([60.0, 0.0]))
    assert [i.data for i in offered(outline(slit), "short", short=0.1).items] == [1]
    assert take(offered(outline(slit), "short", short=0.1)).taken == (
        slit,
    )  # nothing would be left


def test_hairpins_are_clipped_and_real_tips_only_when_a_person_says_so():
    spiked = Loop([[0, 0], [10, 0], [10, 10], [5, 10], [5.1, 30], [4.96, 10], [0, 10]])
    (loop,) = take(offered(outline(spiked), "spikes")).loops
    assert bounding_box([loop]) == pytest.approx((0, 0, 10, 10))
    needle = Loop([[0, 0], [10, 0], [10, 10], [5, 10], [5.1, 30], [4.7, 10], [0, 10]])
    offer = offered(outline(needle), "spikes")
    assert [item.sure for item in offer.items] == [False]
    assert take(offer) is offer.outline
    (loop,) = take(offer, offer.items).loops
    assert bounding_box([loop]) == pytest.approx((0, 0, 10, 10))


@pytest.mark.parametrize(
    ("wide", "sure"), [(0.01, True), (0.049, True), (0.06, False), (0.5, False)]
)
@pytest.mark.parametrize("lean", [0.0, 3.0, -5.0])
def test_a_tip_is_a_hairpin_only_where_it_is_thinner_than_the_tolerance(wide, sure, lean):
    tip = Loop([[0, 0], [20, 0], [20, 10], [10 + wide, 10], [10 + lean, 40], [10, 10], [0, 10]])
    (item,) = offered(outline(tip), "spikes", spike=20).items
    assert item.sure == sure
    assert item.place == (10 + lean, 40)


def test_a_short_piece_alone_is_a_speck_and_one_that_touches_another_is_none():
    long, short = OpenPath([[0, 0], [30, 0]]), OpenPath([[30.2, 0], [30.6, 0.2]])
    assert not offered(outline(long, short), "specks").items
    alone = OpenPath([[33, 0], [33.4, 0.2]])
    assert [item.contours for item in offered(outline(long, alone), "specks").items] == [(1,)]


def test_pieces_of_one_outline_are_joined_before_specks_go():
    turn = np.linspace(0, 2 * np.pi, 39)
    ring = 4 * np.column_stack([np.cos(turn), np.sin(turn)])
    pieces = [OpenPath(ring[k : k + 2]) for k in range(38)]
    dust = circle_loop((20, 20), 0.3)
    made, counts, _ = take_all(outline(*pieces, dust), Limits())
    (loop,) = made.loops
    assert len(made.taken) == 1
    assert bounding_box([loop]) == pytest.approx((-4, -4, 4, 4), abs=0.05)
    assert counts["specks"] == 1


def test_a_loop_that_crosses_itself_becomes_what_it_goes_round():
    eight = Loop([[0, 0], [30, 20], [30, 0], [0, 20], [-20, 10]])
    assert offered(outline(eight), "crossings").count == 1
    large, small = take(offered(outline(eight), "crossings")).loops
    assert not len(crossings([large, small]))
    assert (15, 10) in {tuple(node) for node in large.nodes.round(2).tolist()}
    assert abs(signed_area(large)) == pytest.approx(0.5 * 15 * 20 + 0.5 * 20 * 20, abs=0.1)
    assert abs(signed_area(small)) == pytest.approx(0.5 * 15 * 20, abs=0.1)
    # a kink too small to be cut goes
    kink = Loop(
        [[0, 0], [30, 0], [30, 20], [15.3, 20], [15.3, 20.4], [15, 20.4], [16, 20], [0, 20]]
    )
    assert len(take(offered(outline(kink), "crossings")).loops) == 1


def test_a_five_pointed_star_stays_one():
    turn = np.pi / 2 + np.arange(5) * 4 * np.pi / 5
    star = Loop(20 * np.column_stack([np.cos(turn), np.sin(turn)]))
    offer = offered(outline(star), "crossings")
    assert take(offer).loops[0] is star  # a line stays one unless a person says so
    (loop,) = take(offer, offer.items).loops
    assert len(loop.nodes) == 10


def test_pieces_that_nearly_touch_are_joined_by_a_neck():
    three = outline(square(20), square(20, (20.3, 0)), circle_loop((50.6, 10), 10))
    assert not offered(three, "necks").items
    offer = offered(three, "necks", neck=0.5, neck_width=3)
    assert offer.count == 2
    (loop,) = take(offer).loops
    assert not len(crossings([loop]))
    area = 800 + 100 * np.pi + 2 * 3 * 0.3
    assert signed_area(loop) == pytest.approx(area, abs=0.5)
    assert loop.kinds.tolist().count(ARC) >= 2


def test_locked_and_skipped_contours_are_left_alone():
    dust = Contour(circle_loop((5, 5), 0.3))
    both = Outline((replace(dust, locked=True), replace(dust, taken=False), Contour(square(20))))
    assert not find_offers(both, Limits(neck=1, short=1))


@settings(max_examples=25)
@given(st.integers(0, 10_000), st.sampled_from(sorted(workshop_shapes())))
def test_damaged_outlines_are_made_whole_again(seed, name):
    loops = placed(workshop_shapes()[name], 100, margin=5)
    spoilt, page = damaged(loops, seed)
    made, counts, _ = take_all(spoilt, Limits(tolerance=0.02), page)
    assert same(loops, made) or any(not path.closed for path in made.taken)
    assert set(counts) <= set(KINDS)
    assert all(path.closed for path in made.taken if isinstance(path, Loop))


@pytest.mark.parametrize("limits", [{"gap": -1}, {"neck_width": 0}, {"speck": float("inf")}])
def test_limits_that_cannot_be_are_refused(limits):
    with pytest.raises(EditError):
        Limits(**limits)


@pytest.mark.parametrize("size", [4, 40, 4000])
def test_limits_follow_the_size_of_a_small_drawing(size):
    # a ring with a slit, and a hole not much larger than the slit is wide
    around = slit((size / 2, size / 2), size / 2, 0, size / 120)
    drawn = outline(around, circle_loop((size / 2, size / 2), size / 40))
    limits = limits_for(drawn)
    made, *_ = take_all(drawn, limits)
    assert len(made.loops) == (2 if size < 100 else 1)  # of 40 mm, a slit is no gap
    assert limits.gap == pytest.approx(0.5 * min(1, size * np.sqrt(2) / 50), rel=0.02)

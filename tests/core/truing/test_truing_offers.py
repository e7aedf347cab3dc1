"""What a shape seems to mean, and how sure that is."""

import numpy as np
import pytest

from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.truing.apply import trued
from silhueta.core.truing.features import Noise, features, rounded
from silhueta.core.truing.offer import same_share
from silhueta.core.truing.offers import find_offers
from silhueta.core.truing.sizes import near, sizes
from silhueta.core.truing.solve import solve
from tests.conftest import hole

NOISE = Noise(0.03, 1.0, 0.01)
RNG = np.random.default_rng(5)


def jittered(path, spread=0.006):
    return type(path)(path.nodes + RNG.normal(0, spread, path.nodes.shape), path.kinds, path.bulges)


def plate(*holes) -> Outline:
    body = Loop(
        np.array([[5, 0], [95, 0], [100, 5], [100, 60], [0, 60], [0, 5.0]]),
        np.array([LINE, ARC, LINE, LINE, LINE, ARC]),
        np.array([0, np.tan(np.pi / 8), 0, 0, 0, np.tan(np.pi / 8)]),
    )
    paths = [jittered(body), *(hole(path) for path in holes)]
    return keyed(Outline(tuple(Contour(path) for path in paths)), 0)[0]


def test_a_plate_is_found_square_and_its_holes_on_their_circle():
    turn = 2 * np.pi * np.arange(6) / 6 + 0.3
    holes = [
        circle_loop((50 + 20 * np.cos(a) + e, 30 + 20 * np.sin(a)), 3.3 + e)
        for a, e in zip(turn, RNG.normal(0, 0.01, 6), strict=True)
    ]
    got = trued(plate(*holes), NOISE, "all", "drill")
    assert got.taken["perpendicular"] >= 2
    assert got.taken["evenly on a circle"] == 1
    assert got.taken["size"] >= 5  # the others have their radius
    path = got.outline.contours[0].path
    edges = path.ends - path.starts
    square = edges[[0, 2, 3, 4]] / np.hypot(*edges[[0, 2, 3, 4]].T)[:, None]
    assert np.abs(np.sum(square * np.roll(square, 1, axis=0), axis=1)).max() < 1e-9
    found = [full_circle(c.path) for c in got.outline.contours[1:]]
    assert [2 * r for _, r in found] == pytest.approx([6.6] * 6, abs=1e-9)  # ISO 273, M6 medium
    centres = np.array([centre for centre, _ in found])
    far = np.hypot(*(centres - centres.mean(axis=0)).T)
    assert np.ptp(far) < 1e-8
    assert not got.left


def test_safe_takes_no_size_and_moves_nothing_beyond_its_uncertainty():
    odd = [circle_loop((20, 20), 3.17), circle_loop((60, 40), 4.4)]
    made = plate(*odd)
    got = trued(made, NOISE, "safe")
    assert "size" not in got.taken
    before, after = features(made, NOISE), features(got.outline, NOISE)
    for one, two in zip(before, after, strict=True):
        assert abs(one.size - two.size) < 6 * NOISE.point + 1e-9


def test_edges_of_a_loop_that_are_as_long_are_told_and_then_are():
    house = Loop(np.array([[0, 0], [40.01, 0], [40, 25], [20, 40.02], [0, 24.99]]))
    made = keyed(Outline((Contour(house),)), 0)[0]
    found = [o for o in find_offers(made, NOISE).offers if o.kind == "equal length"]
    assert len(found) == 3  # four edges of 25
    relations = [r for o in found for r in o.relations]
    path = solve(made, relations).outline.contours[0].path
    long = np.hypot(*(path.ends - path.starts).T)
    assert np.ptp(long[1:]) < 1e-9
    assert not any(o.safe for o in found)


def test_what_is_clearly_not_so_is_not_offered():
    skew = Loop(np.array([[0, 0], [80, 0], [85, 50], [-3, 47.0]]))
    made = keyed(Outline((Contour(skew), Contour(hole(circle_loop((40, 25), 6.23))))), 0)[0]
    offers = find_offers(made, NOISE).offers
    assert not [o for o in offers if o.kind in ("parallel", "perpendicular") and o.share > 0.05]
    assert all(o.share < 0.8 for o in offers if o.kind == "size")


def test_a_hole_of_nine_arcs_is_a_circle_and_a_lobed_one_is_not():
    turn = np.linspace(0, 2 * np.pi, 9, endpoint=False)
    rough = 7 + RNG.normal(0, 0.02, 9)
    nodes = np.column_stack([rough * np.cos(turn), rough * np.sin(turn)])
    arcs = np.full(9, np.tan(np.pi / 18))
    nine = Loop(nodes, np.full(9, ARC), arcs)
    lobed = Loop(nodes * [1.0, 1.06], np.full(9, ARC), arcs)
    made = Outline((Contour(nine), Contour(lobed), Contour(nine, locked=True)))
    first, second, third = (c.path for c in rounded(made, NOISE).contours)
    assert full_circle(first)[1] == pytest.approx(7, abs=0.03)
    assert second is lobed
    assert third is nine


def test_a_share_is_what_bayes_says():
    # N(0; 0, 0.1) = 3.98942; 0.5 x 3.98942 against 0.5 / 4: 1.99471 / (1.99471 + 0.125)
    assert same_share(0.0, 0.1, 0.5, 4.0) == pytest.approx(1.99471 / 2.11971, abs=1e-5)
    assert same_share(0.5, 0.1, 0.5, 4.0) < 1e-4


@pytest.mark.parametrize(
    ("measured", "sigma", "table", "meant", "sure"),
    [
        (12.66, 0.03, "inch", "1/2 in", True),
        (8.02, 0.03, "mm", "8 mm", True),
        (6.62, 0.02, "drill", "6.6 mm", True),
        (8.25, 0.2, "mm", None, False),  # 8 and 8.5 are as near
        (51.3, 0.02, "mm", None, False),  # no size at all
    ],
)
def test_sizes_near_a_hole(measured, sigma, table, meant, sure):
    found = near(measured, sigma, table)
    if meant is None:
        assert not found or found[0].share < 0.8
    else:
        assert found[0].size.name == meant
        assert (found[0].share > 0.8) == sure


def test_tables_hold_published_sizes():
    # ISO 273:1979 medium series for M3 to M12; ASME B94.11M: no. 7 is 0.2010 in, 1/4 in is 6.35 mm
    drills = {round(size.mm, 3) for size in sizes("drill")}
    assert {3.4, 4.5, 5.5, 6.6, 9.0, 11.0, 13.5} <= drills
    inch = {size.name: size.mm for size in sizes("inch")}
    assert inch["no. 7 drill"] == pytest.approx(0.2010 * 25.4)
    assert inch["1/4 in"] == pytest.approx(6.35)


@pytest.mark.parametrize("skew", [0.0, 3.0])
def test_a_part_that_is_the_same_on_both_sides_becomes_so_exactly(skew):
    corners = np.array([[-40, 0], [40, 0], [40, 20], [25 + skew, 45], [-25, 45], [-40, 20.0]])
    turn = np.radians(20)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    rng = np.random.default_rng(3)

    def rough(points):
        return np.asarray(points) @ matrix.T + [100, 80] + rng.normal(0, 0.008, np.shape(points))

    holes = [
        hole(circle_loop(rough([x, y]), r + rng.normal(0, 0.008)))
        for x, y, r in ((-20, 15, 4), (20, 15, 4), (0, 30, 6))
    ]
    paths = [Loop(rough(corners)), *holes]
    made = keyed(Outline(tuple(Contour(path) for path in paths)), 0)[0]
    found = [o for o in find_offers(made, NOISE).offers if o.kind == "symmetric"]
    if skew:
        assert not found
        return
    (offer,) = found
    assert offer.share > 0.95
    got = solve(made, list(offer.relations)).outline
    (a, ra), (b, rb), (c, _) = (full_circle(x.path) for x in got.contours[1:])
    assert ra == pytest.approx(rb, abs=1e-9)
    # folded over the line square to the two holes, midway, all lies on itself
    way = (b - a) / np.hypot(*(b - a))
    middle = (a + b) / 2
    assert (c - middle) @ way == pytest.approx(0, abs=1e-7)
    nodes = got.contours[0].path.nodes
    folded = nodes - 2 * ((nodes - middle) @ way)[:, None] * way
    apart = np.hypot(*(folded[:, None] - nodes[None]).T)
    assert apart.min(axis=0) == pytest.approx(np.zeros(6), abs=1e-7)

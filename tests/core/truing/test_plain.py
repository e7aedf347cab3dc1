"""Slots, rectangles, regular polygons and grids of holes: found with noise, made exact, refused."""

import math

import numpy as np
import pytest

from silhueta.core.errors import TruingError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.relations import Ref, Relation
from silhueta.core.truing.features import Noise
from silhueta.core.truing.offers import find_offers
from silhueta.core.truing.sizes import near
from silhueta.core.truing.solve import residuals, solve

NOISE = Noise(0.03, 1.0, 0.01, 0.001)


def outline_of(*paths) -> Outline:
    return keyed(Outline(tuple(Contour(p) for p in paths)), 0)[0]


def wobbled(loop: Loop, seed: int, by: float = 0.015) -> Loop:
    rng = np.random.default_rng(seed)
    nodes = loop.nodes + rng.normal(0, by, loop.nodes.shape)
    return Loop(nodes, loop.kinds, loop.bulges)


def turned(points, angle: float) -> np.ndarray:
    c, s = math.cos(angle), math.sin(angle)
    return np.asarray(points, float) @ np.array([[c, s], [-s, c]])


def plain(outline: Outline, kind: str = "plain shape"):
    return [o for o in find_offers(outline, NOISE).offers if o.kind == kind]


SLOT = Loop(turned([[0, 0], [30, 0], [30, 8], [0, 8]], 0.4), [0, 1, 0, 1], [0, 1, 0, 1])
PLATE = Loop(turned([[0, 0], [40, 0], [40, 25], [0, 25]], 0.2))
HEXAGON = Loop(10 * np.exp(1j * (np.arange(6) * np.pi / 3 + 0.1)).view(float).reshape(-1, 2))
PENTAGON = Loop(10 * np.exp(-1j * (np.arange(5) * 0.4 * np.pi)).view(float).reshape(-1, 2))


@pytest.mark.parametrize(
    ("shape", "told"),
    [
        (SLOT, "slot, 38"),
        (PLATE, "rectangle of 40"),
        (HEXAGON, "6 sides, 17.3"),
        (PENTAGON, "5 sides, sides of 11.7"),
    ],
)
def test_a_plain_shape_is_told_with_its_size_and_made_exact(shape, told):
    outline = outline_of(wobbled(shape, 3))
    (offer,) = plain(outline)
    assert told in offer.text
    assert offer.share > 0.95
    made = solve(outline, list(offer.relations)).outline
    assert max(residuals(made, list(offer.relations))) < 1e-8
    nodes = made.contours[0].path.nodes
    assert np.hypot(*(nodes - shape.nodes).T).max() < 0.06
    if shape in (HEXAGON, PENTAGON):
        sides = np.hypot(*(np.roll(nodes, -1, axis=0) - nodes).T)
        away = np.hypot(*(nodes - nodes.mean(axis=0)).T)
        assert np.ptp(sides) < 1e-8
        assert np.ptp(away) < 1e-8


def test_what_is_almost_but_not_plain_is_left():
    squeezed = Loop(HEXAGON.nodes * (1, 0.97))
    trapezium = Loop([[0, 0], [40, 0], [39, 25], [0, 25.0]])
    wedge = Loop([[0, 0], [30, 0.5], [30, 8], [0, 8.0]], [0, 1, 0, 1], [0, 1, 0, 1])
    for shape in (squeezed, trapezium, wedge):
        assert not plain(outline_of(shape))


def holes(places) -> list[Loop]:
    return [circle_loop(p, 3.0) for p in places]


def test_holes_in_a_grid_are_told_row_by_row_and_made_exact():
    rng = np.random.default_rng(5)
    true = turned([[15.0 * i, 22.0 * j] for j in range(2) for i in range(3)], -0.3)
    places = (true + rng.normal(0, 0.01, true.shape))[rng.permutation(6)]
    outline = outline_of(*holes(places))
    (offer,) = plain(outline, "in a grid")
    assert "3 by 2, 15.0" in offer.text
    made = solve(outline, list(offer.relations)).outline
    order = [ref.key - 1 for ref in offer.relations[0].refs]
    centres = np.array([full_circle(c.path)[0] for c in made.contours])[order].reshape(2, 3, 2)
    step, other = centres[0, 1] - centres[0, 0], centres[1, 0] - centres[0, 0]
    assert abs(step @ other) < 1e-8
    assert np.abs(np.diff(centres, axis=1) - step).max() < 1e-8
    assert np.abs(np.diff(centres, axis=0) - other).max() < 1e-8
    assert np.abs(centres.reshape(-1, 2) - true).max() < 0.03
    # out of place by a tenth, and one hole missing: no grid
    off = true + np.array([[0, 0]] * 5 + [[0.2, 0]])
    assert not plain(outline_of(*holes(off)), "in a grid")
    assert not plain(outline_of(*holes(true[:5])), "in a grid")


def test_relations_of_a_pattern_that_cannot_be_are_told():
    outline = outline_of(HEXAGON, *holes([[50, 0], [60, 0], [70, 0], [80, 0.0]]))
    some = tuple(Ref(1, k) for k in range(5))
    with pytest.raises(TruingError, match="all sides"):
        solve(outline, [Relation("regular", some)])
    with pytest.raises(TruingError, match="two rows"):
        solve(outline, [Relation("in a grid", tuple(Ref(k) for k in range(2, 6)), 3.0)])


def test_clearance_holes_of_inch_screws_weigh_more_than_their_neighbours():
    # ASME B18.2.8: 1/2 in, close fit, 17/32 in (from memory); 35/64 is no one's clearance hole
    best = near(13.6, 0.2, "inch")
    by_name = {one.size.name: one.share for one in best}
    assert by_name["17/32 in"] > 2 * by_name["35/64 in"]

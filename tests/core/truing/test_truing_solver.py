"""Outlines for which relations hold: against closed forms, a dense solver, and themselves."""

import math

import numpy as np
import pytest
from scipy.optimize import minimize

from silhueta.core.errors import TruingError
from silhueta.core.geometry.arcs import arc_centres, full_circle
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.relations import Ref, Relation
from silhueta.core.truing.solve import EXACT, residuals, solve


def outline(*paths) -> Outline:
    return keyed(Outline(tuple(Contour(path) for path in paths)), 0)[0]


def rel(kind, *refs, value=None) -> Relation:
    """A relation of (contour's number from 1, segment) or of whole circles by their numbers."""
    made = tuple(Ref(*ref) if isinstance(ref, tuple) else Ref(ref) for ref in refs)
    return Relation(kind, made, value)


CROOKED = Loop(np.array([[0, 0], [80.1, 0.3], [79.8, 40.2], [0.2, 39.9]]))
SLOT = Loop(
    np.array([[20, 15], [40, 15.2], [40.1, 25], [20.1, 25.2]]),
    np.array([LINE, ARC, LINE, ARC]),
    np.array([0, 0.98, 0, 1.03]),
)


def test_a_crooked_plate_comes_out_square_level_and_with_its_sizes():
    made = outline(CROOKED, SLOT, circle_loop((60, 20), 4.1), circle_loop((60.2, 30), 3.9))
    relations = [
        rel("level", (1, 0)),
        rel("perpendicular", (1, 0), (1, 1)),
        rel("parallel", (1, 0), (1, 2)),
        rel("parallel", (1, 1), (1, 3)),
        *(rel("tangent", (2, k), (2, (k + 1) % 4)) for k in range(4)),
        rel("parallel", (2, 0), (1, 0), (2, 2)),
        rel("radius", 3, 4, value=4.0),
        rel("distance", 3, 4, value=10.0),
        rel("distance", (1, 0), (1, 2), value=40.0),
    ]
    got = solve(made, relations).outline
    plate, slot, one, two = (c.path for c in got.contours)
    assert np.ptp(plate.nodes[:2, 1]) < 1e-9
    assert plate.nodes[3, 1] - plate.nodes[0, 1] == pytest.approx(40, abs=1e-9)
    assert np.abs(slot.bulges) == pytest.approx([0, 1, 0, 1], abs=1e-9)
    (a, ra), (b, rb) = full_circle(one), full_circle(two)
    assert (ra, rb) == pytest.approx((4, 4), abs=1e-9)
    assert math.dist(a, b) == pytest.approx(10, abs=1e-9)
    assert max(residuals(got, relations)) < EXACT
    # what holds already moves nothing
    again = solve(got, relations)
    assert again.moved < 1e-7


def test_of_all_outlines_that_hold_it_is_the_nearest():
    # three circles of one radius: the closed form is the mean, weighted by what each edge tells
    radii = np.array([3.0, 4.0, 5.0])
    made = outline(*(circle_loop((20 * k, 0), r) for k, r in enumerate(radii)))
    got = solve(made, [rel("equal radius", 1, 2, 3)]).outline
    found = {full_circle(c.path)[1] for c in got.contours}
    assert max(found) - min(found) < 1e-9
    assert min(found) == pytest.approx((radii * radii).sum() / radii.sum(), abs=1e-3)


def test_two_circles_that_touch_as_a_dense_solver_has_them():
    # centres 22 apart, radii 10 and 11 held: they touch at 21; least squares shares by the edges
    made = outline(circle_loop((0, 0), 10), circle_loop((22, 0), 11))
    relations = [
        rel("radius", 1, value=10),
        rel("radius", 2, value=11),
        rel("distance", 1, 2, value=21),
    ]
    got = [full_circle(c.path)[0] for c in solve(made, relations).outline.contours]

    def off(x):
        return np.pi * 10 * (x[0] ** 2 + x[1] ** 2) + np.pi * 11 * ((x[2] - 22) ** 2 + x[3] ** 2)

    dense = minimize(
        off,
        [0, 0, 22, 0],
        method="SLSQP",
        constraints={"type": "eq", "fun": lambda x: np.hypot(x[2] - x[0], x[3] - x[1]) - 21},
        tol=1e-12,
    )
    assert np.ravel(got) == pytest.approx(dense.x, abs=1e-3)
    assert math.dist(*got) == pytest.approx(21, abs=1e-9)


def test_an_arc_between_two_edges_gets_its_radius_and_touches_both():
    # a corner of 90 degrees: a tangent arc of radius 5 begins 5 from the corner
    corner = Loop(
        np.array([[0, 0], [26, 0.2], [29.8, 4.4], [30.1, 20], [0, 20]]),
        np.array([LINE, ARC, LINE, LINE, LINE]),
        np.array([0, 0.35, 0, 0, 0]),
    )
    relations = [
        rel("level", (1, 0)),
        rel("plumb", (1, 2)),
        rel("tangent", (1, 0), (1, 1)),
        rel("tangent", (1, 1), (1, 2)),
        rel("radius", (1, 1), value=5),
    ]
    path = solve(outline(corner), relations).outline.contours[0].path
    (centre,), (radius,) = arc_centres(path.starts[1:2], path.ends[1:2], path.bulges[1:2])
    assert radius == pytest.approx(5, abs=1e-9)
    assert path.bulges[1] == pytest.approx(math.tan(math.pi / 8), abs=1e-9)
    assert centre == pytest.approx([path.nodes[2, 0] - 5, path.nodes[1, 1] + 5], abs=1e-8)


@pytest.mark.parametrize(
    ("relations", "culprit"),
    [
        ([rel("radius", 2, value=5), rel("level", (1, 0)), rel("radius", 2, value=6)], 2),
        ([rel("level", (1, 0)), rel("plumb", (1, 1)), rel("plumb", (1, 0))], 2),
        ([rel("distance", 2, 3, value=9), rel("concentric", 2, 3)], 1),
    ],
)
def test_of_relations_that_contradict_each_other_the_later_is_named(relations, culprit):
    made = outline(CROOKED, circle_loop((20, 20), 5.2), circle_loop((30, 20), 4))
    with pytest.raises(TruingError, match="cannot hold together") as caught:
        solve(made, relations)
    assert caught.value.relation == culprit


@pytest.mark.parametrize(
    ("relation", "says"),
    [
        (rel("radius", 2, value=0), "above 0 mm"),
        (rel("radius", 2), "missing"),
        (rel("radius", (1, 0), value=3), "names what is none"),
        (rel("level", 2), "names what is none"),
        (rel("level", (7, 0)), "not there any more"),
        (rel("tangent", (1, 0), (1, 2)), "follow each other"),
        (rel("in a row", 2, 3), "three holes"),
    ],
)
def test_what_cannot_be_meant_is_refused_in_words(relation, says):
    with pytest.raises(TruingError, match=says):
        solve(outline(CROOKED, circle_loop((20, 20), 5), circle_loop((40, 20), 5)), [relation])


def test_arcs_that_become_one_circle_are_tangent_by_that_alone():
    turn = np.array([0.0, 0.9, 2.2, 3.1, 4.4])
    nodes = np.column_stack([np.cos(turn), np.sin(turn)]) * 8 + [30, 30]
    bulges = np.tan(np.diff(np.append(turn, turn[0] + 2 * np.pi)) / 4)
    ring = Loop(nodes, np.full(5, ARC), bulges)
    other = circle_loop((60, 30), 5.0)
    made = outline(ring, other)
    relations = [
        *(rel("tangent", (1, k), (1, (k + 1) % 5)) for k in range(5)),
        rel("distance", 1, 2, value=30.0),
    ]
    assert max(residuals(made, relations)) < EXACT
    assert solve(made, relations).moved < 1e-6

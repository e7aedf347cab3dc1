"""Ragged loops as the plain shapes that they were meant to be."""

import math

import numpy as np
import pytest

from silhueta.core.errors import EditError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Ref
from silhueta.core.truing.by_hand import relate
from silhueta.core.truing.edits import held
from silhueta.core.truing.shapes import shaped

RNG = np.random.default_rng(4)


def ragged(points, clockwise=True) -> Job:
    points = np.asarray(points) + RNG.normal(0, 0.05, np.shape(points))
    loop = Loop(points[::-1] if clockwise else points)
    return set_imported(Job(), Outline((Contour(loop),)), "Hole")


def stadium(long, wide, turn):
    half = np.linspace(-np.pi / 2, np.pi / 2, 40)
    end = np.column_stack([np.cos(half), np.sin(half)]) * wide / 2
    points = np.vstack([end + [(long - wide) / 2, 0], -end - [(long - wide) / 2, 0]])
    c, s = math.cos(turn), math.sin(turn)
    return points @ np.array([[c, s], [-s, c]]) + [30, 20]


@pytest.mark.parametrize("clockwise", [True, False])
def test_a_ragged_slot_becomes_one_and_stays_one_when_its_size_is_typed(clockwise):
    job = ragged(stadium(20, 6, 0.4), clockwise)
    made = shaped(job, 1, "slot")
    path = made.outline.contours[0].path
    assert np.sign(signed_area(path)) == (-1 if clockwise else 1)
    assert np.abs(path.bulges) == pytest.approx([0, 1, 0, 1])
    assert signed_area(path) == pytest.approx(signed_area(job.outline.contours[0].path), rel=1e-6)
    assert path.nodes.mean(axis=0) == pytest.approx([30, 20], abs=0.1)
    assert [one.state for one in held(made)] == ["holds"] * 6
    sized = relate(made, "radius", [Ref(1, 1)], 3.5)
    sized = relate(sized, "distance", [Ref(1, 1), Ref(1, 3)], 14.0)
    path = sized.outline.contours[0].path
    ends = np.hypot(*(path.ends - path.starts)[[1, 3]].T)
    assert ends == pytest.approx([7, 7], abs=1e-8)
    assert np.hypot(*(path.ends - path.starts)[[0, 2]].T) == pytest.approx([14, 14], abs=1e-8)


def test_a_ragged_window_becomes_square_and_a_ragged_bore_round():
    corners = np.array([[0, 0], [12, 0], [24, 0], [24, 10], [12, 10], [0, 10.0]])
    made = shaped(ragged(corners), 1, "rectangle")
    path = made.outline.contours[0].path
    edges = path.ends - path.starts
    assert np.abs(np.sum(edges * np.roll(edges, 1, axis=0), axis=1)).max() < 1e-9
    assert abs(signed_area(path)) == pytest.approx(240, rel=0.02)
    turn = np.linspace(0, 2 * np.pi, 50, endpoint=False)
    bore = shaped(ragged(7 * np.column_stack([np.cos(turn), np.sin(turn)])), 1, "circle")
    (x, y), radius = full_circle(bore.outline.contours[0].path)
    assert (x, y, radius) == pytest.approx((0, 0, 7), abs=0.04)


def test_what_is_no_loop_or_too_round_says_so():
    turn = np.linspace(0, 2 * np.pi, 50, endpoint=False)
    bore = ragged(7 * np.column_stack([np.cos(turn), np.sin(turn)]))
    with pytest.raises(EditError, match="make it a circle"):
        shaped(bore, 1, "slot")
    with pytest.raises(EditError, match="choose a closed loop"):
        shaped(bore, 9, "circle")
    mark = set_imported(Job(), Outline((Contour(OpenPath([[0, 0], [1, 1]])),)), "Mark")
    with pytest.raises(EditError, match="choose a closed loop"):
        shaped(mark, 1, "circle")

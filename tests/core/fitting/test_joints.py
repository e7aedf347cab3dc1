"""Joints, curves, smoothing and the deviation."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks.shapes import FONTS, glyph_loops, picture, placed, workshop_shapes
from silhueta.core.datums import PixelDatum
from silhueta.core.fitting.deviation import deviation_of
from silhueta.core.fitting.fit import fit_open
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, circle_loop
from silhueta.core.job import TraceSettings
from silhueta.core.trace.trace import trace
from tests.conftest import drawn, grey_picture

SIDE = 480
FINE = TraceSettings(speck=4.0)


def shown(loops: list[Loop]):
    return grey_picture(picture(placed(loops, SIDE), SIDE))


def test_a_rounded_plate_is_tangent_at_its_eight_joints():
    traced = trace(shown(workshop_shapes()["plate"][:1]), PixelDatum(1.0), FINE)
    (loop,) = traced.outline.loops
    assert len(loop.kinds) == 8
    assert np.degrees(np.abs(node_turns(loop))).max() < 0.1


def test_a_corner_stays_a_corner_however_smooth_the_rest():
    half = Loop([[0, 0], [60, 0]], [LINE, ARC], [0.0, 1.0])  # a half disc
    traced = trace(shown([half]), PixelDatum(1.0), FINE)
    turns = np.degrees(np.abs(node_turns(traced.outline.loops[0])))
    assert sorted(turns.round())[-2:] == pytest.approx([90, 90], abs=2)


@pytest.mark.parametrize("character", list("S&g"))
def test_curves_take_fewer_segments_and_stay_on_the_edge(character):
    made = shown(glyph_loops(FONTS[1], character))
    arcs = trace(made, PixelDatum(1.0), FINE)
    curves = trace(made, PixelDatum(1.0), replace(FINE, fit="curves"))
    count = [sum(len(loop.kinds) for loop in t.outline.loops) for t in (arcs, curves)]
    assert count[1] < 0.75 * count[0]
    assert any((loop.kinds == CUBIC).any() for loop in curves.outline.loops)
    assert curves.deviation.worst < 1.0
    assert curves.deviation.mean < 0.1


def test_a_full_circle_stays_one_with_curves():
    traced = trace(
        drawn([circle_loop((100, 100), 60)], 200, 200), PixelDatum(1), replace(FINE, fit="curves")
    )
    assert (traced.outline.loops[0].kinds == ARC).all()


def test_smoothing_calms_waves_and_leaves_the_size():
    angle = np.linspace(0, 2 * np.pi, 4000, endpoint=False)
    radius = 150 + 1.5 * np.sin(60 * angle)
    wavy = Loop(200 + radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)]))
    made = drawn([wavy], 400, 400)
    rough = trace(made, PixelDatum(0.1), FINE)
    calm = trace(made, PixelDatum(0.1), replace(FINE, smooth=8.0))
    assert len(calm.outline.loops[0].kinds) < 0.2 * len(rough.outline.loops[0].kinds)
    away = np.hypot(*(flatten(calm.outline.loops[0], 0.01) - 20.0).T)
    assert away == pytest.approx(15.0, abs=0.05)


def test_the_corner_angle_decides_what_is_rounded():
    sides = np.arange(24) * np.pi / 12  # turns of 15 degrees
    ring = Loop(200 + 150 * np.column_stack([np.cos(sides), np.sin(sides)]))
    made = drawn([ring], 400, 400)
    sharp = trace(made, PixelDatum(0.1), replace(FINE, corner=5.0))
    assert len(sharp.outline.loops[0].kinds) == 24


def test_an_open_chain_keeps_its_ends():
    t = np.linspace(0, np.pi, 200)
    points = np.vstack(
        [
            np.column_stack([np.linspace(-60, 0, 60, endpoint=False), np.zeros(60)]),
            np.column_stack([50 * np.sin(t), 50 - 50 * np.cos(t)]),
        ]
    )
    path = fit_open(points, 0.3)
    assert path.kinds.tolist() == [LINE, ARC]
    assert path.nodes[[0, -1]] == pytest.approx(points[[0, -1]])
    assert path.bulges[1] == pytest.approx(1.0, abs=0.01)


def test_the_deviation_is_what_it_says():
    # a circle held against its own polygon of 12 sides: farthest r (1 - cos 15 degrees), worked out
    angle = np.arange(12) * np.pi / 6
    polygon = Loop(100 * np.column_stack([np.cos(angle), np.sin(angle)]))
    fine = np.linspace(0, 2 * np.pi, 1200, endpoint=False)
    circle = 100 * np.column_stack([np.cos(fine), np.sin(fine)])
    off = deviation_of([circle], [polygon], 0.0)
    assert off.worst == pytest.approx(100 * (1 - np.cos(np.pi / 12)), rel=1e-3)
    x, y = off.worst_place()
    assert np.degrees(np.arctan2(y, x)) % 30 == pytest.approx(15, abs=0.4)
    assert off.mean < off.p95 < off.worst


@given(st.integers(0, 1000))
def test_the_nearest_places_are_those_that_an_exhaustive_search_finds(seed):
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, 9))
    nodes = (60 + 25 * rng.random(9))[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    bulges = rng.uniform(-0.3, 0.3, 9)
    loop = Loop(nodes, np.full(9, ARC), bulges)
    edge = flatten(loop, 0.01) + rng.normal(0, 0.3, (len(flatten(loop, 0.01)), 2))
    off = deviation_of([edge], [loop], 0.0)
    assert off.distance == pytest.approx(nearest(loop, edge).distance, abs=1e-6)
    assert np.hypot(*(off.edge - off.feet).T) == pytest.approx(off.distance, abs=1e-6)

"""Cubics as tangent arcs: close, smooth and few; judged by points of the cubics themselves."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from benchmarks.shapes import every_shape, placed
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath

WITHIN = 0.005


def cubic(*hull):
    points = np.array(hull, float)
    return OpenPath(points[[0, 3]], np.array([CUBIC], np.uint8), np.zeros(1), points[None, 1:3])


def apart(one, other, chord=1e-5) -> float:
    kind = shapely.LinearRing if one.closed else shapely.LineString
    fine = [kind(flatten(path, chord)) for path in (one, other)]
    return float(shapely.hausdorff_distance(*fine))


CURVES = {
    "quarter": cubic((0, 0), (5.52, 0), (10, 4.48), (10, 10)),
    "wave": cubic((0, 0), (20, 30), (30, -30), (50, 0)),
    "hook": cubic((0, 0), (60, 5), (60, 30), (20, 20)),
    "loop": cubic((0, 0), (60, 50), (-40, 50), (20, 0)),
    "cusp": cubic((0, 0), (40, 30), (0, 30), (40, 0)),
    "no speed at the start": cubic((0, 0), (0, 0), (30, 10), (40, 40)),
    "no speed at all": cubic((0, 0), (0, 0), (40, 10), (40, 10)),
    "straight": cubic((0, 0), (10, 5), (20, 10), (40, 20)),
    "tiny": cubic((0, 0), (0.001, 0), (0.002, 0.001), (0.002, 0.003)),
}


@pytest.mark.parametrize("name", CURVES)
def test_arcs_keep_to_the_curve(name):
    made = with_arcs(CURVES[name], WITHIN)
    assert (made.kinds != CUBIC).all()
    assert apart(CURVES[name], made) < WITHIN * 1.05 + 2e-5
    assert made.nodes[0] == pytest.approx(CURVES[name].nodes[0])
    assert made.nodes[-1] == pytest.approx(CURVES[name].nodes[-1])


@pytest.mark.parametrize("name", ["quarter", "wave", "hook", "loop"])
def test_arcs_go_into_each_other_without_a_corner_and_are_few(name):
    made = with_arcs(CURVES[name], WITHIN)
    assert np.abs(node_turns(made)[1:-1]).max() < 1e-6
    assert len(made.kinds) < len(flatten(CURVES[name], WITHIN)) / 2.5


def test_what_is_no_cubic_stays_and_whole_outlines_keep_their_shape():
    for loops in list(every_shape().values())[::9]:
        for loop in placed(loops, 200, margin=5):
            made = with_arcs(loop, WITHIN)
            assert isinstance(made, Loop)
            if not (loop.kinds == CUBIC).any():
                assert made is loop
                continue
            assert apart(loop, made, 1e-4) < WITHIN * 1.05 + 2e-4
            kept = {tuple(node) for node in loop.nodes.tolist()}
            assert kept <= {tuple(node) for node in made.nodes.tolist()}
            assert set(made.kinds.tolist()) <= {LINE, ARC}

"""Fitted loops that cross are mended where they cross, and only there."""

import numpy as np
import pytest
from skimage import data
from skimage.measure import find_contours

from silhueta.core.datum.scale import Scale
from silhueta.core.datums import PixelDatum
from silhueta.core.fitting.fit import fit_contour
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.measure import bounding_box, length
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.edge.contours import gathered
from silhueta.core.trace.mend import mended
from silhueta.core.trace.trace import trace, trace_colours
from silhueta.core.work import Work


def box_points(left, bottom, wide, high):
    """Return a rectangle's edge, a point a pixel."""
    x, y = np.arange(wide) * 1.0, np.arange(high) * 1.0
    sides = [(x, 0 * x), (wide + 0 * y, y), (wide - x, high + 0 * x), (0 * y, high - y)]
    return np.concatenate([np.column_stack(side) for side in sides]) + (left, bottom)


def box(left, bottom, wide, high, bulge=0.0):
    """Return a rectangle, its right side an arc."""
    nodes = np.array([(0, 0), (wide, 0), (wide, high), (0, high)], float) + (left, bottom)
    kinds = np.array([LINE, ARC if bulge else LINE, LINE, LINE], np.uint8)
    return Loop(nodes, kinds, np.array([0, bulge, 0, 0]))


def test_only_what_crosses_is_fitted_anew():
    points = [box_points(0, 0, 60, 40), box_points(64, 0, 30, 40)]
    found = gathered(points, np.array([2400.0, 1200.0]), 0)
    fitted = [box(0, 0, 60, 40, 0.5), box(64, 0, 30, 40)]
    assert len(crossings(fitted)) == 2
    made = mended(found, fitted, 1.0, Work())
    assert not len(crossings(made.loops))
    assert made.bare == 0
    wrong, right = made.loops
    kept = {tuple(node) for node in fitted[0].nodes.tolist()}
    assert kept <= {tuple(node) for node in wrong.nodes.tolist()}
    assert len(wrong.nodes) + len(right.nodes) < 14
    assert bounding_box(made.loops) == pytest.approx((0, 0, 94, 40), abs=0.5)


def test_fits_that_cross_everywhere_end_as_their_contours():
    points = [box_points(0, 0, 30, 30), box_points(10, 10, 10, 10)]
    found = gathered(points, np.array([900.0, -100.0]), 0)
    made = mended(found, [circle_loop((15, 15), 18), circle_loop((15, 18), 18)], 1.0, Work())
    assert not len(crossings(made.loops))
    assert [length(loop) for loop in made.loops] == pytest.approx([120, 40], abs=3)


def test_a_sliver_is_no_part_of_a_large_circle():
    # bent like a ring of 400 px, and so thin that both its sides lie along one circle
    angle = np.linspace(0, 0.2, 80)
    side = np.column_stack([np.cos(angle), np.sin(angle)])
    sliver = np.concatenate([400.5 * side, 399.5 * side[::-1]])
    made = fit_contour(sliver, 0.5, noise=0.6).loop
    assert length(made) < 1.2 * 160
    assert np.array(bounding_box([made])) == pytest.approx(
        [*sliver.min(axis=0), *sliver.max(axis=0)], abs=3
    )


def test_a_page_of_text_needs_few_nodes_and_nothing_crosses():
    # scikit-image's "text": dark letters on uneven paper, where nothing is a clean edge
    grey = data.text()
    made = trace(
        Picture(grey, None, None, "PNG"), PixelDatum(1.0), TraceSettings(speck=9.0, many=True)
    )
    loops = made.outline.loops
    assert not len(crossings(loops, 0.01))
    around = sum(len(ring) for ring in find_contours(grey, made.level))
    assert sum(len(loop.nodes) for loop in loops) < 0.25 * around


def test_borders_of_colours_cross_neither_themselves_nor_each_other():
    rgb = np.ascontiguousarray(data.logo()[..., :3])
    made = trace_colours(rgb, Scale(1.0, len(rgb), "pixels"), TraceSettings(split=4, speck=4.0))
    for colour in {contour.colour for contour in made.outline.contours}:
        own = [c.path for c in made.outline.contours if c.colour == colour]
        assert not len(crossings(own, 0.01))

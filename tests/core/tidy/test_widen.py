"""Strokes with a width as what they cover, held against plain geometry."""

import numpy as np
import pytest

from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import ARC, LINE, OpenPath, circle_loop
from silhueta.core.tidy.widen import broad, widened, with_broad_widened
from tests.conftest import square


def test_a_line_becomes_a_strip_with_square_ends():
    (strip,) = widened(OpenPath([[0, 0], [50, 0]]), 4.0)
    assert bounding_box([strip]) == pytest.approx((0, -2, 50, 2))
    assert len(strip.nodes) == 4
    assert (strip.kinds == LINE).all()


def test_a_circle_becomes_a_ring_of_two_circles():
    outer, inner = widened(circle_loop((5, 5), 20), 3.0)
    assert abs(signed_area(outer)) == pytest.approx(np.pi * 21.5**2, rel=1e-3)
    assert abs(signed_area(inner)) == pytest.approx(np.pi * 18.5**2, rel=1e-3)
    assert (outer.kinds == ARC).all()
    assert len(inner.nodes) == 2


def test_corners_are_sharp():
    outer, inner = widened(square(40), 2.0)
    assert abs(signed_area(outer)) == pytest.approx(42**2)
    assert abs(signed_area(inner)) == pytest.approx(38**2)


def test_only_broad_strokes_are_widened():
    paths = [OpenPath([[0, 0], [9, 0]]), square(9)]
    assert broad((0.3, 2.0)) == [1]
    made = with_broad_widened(paths, (0.3, 2.0))
    assert made[0] is paths[0]
    assert len(made) == 3
    assert with_broad_widened(paths, ()) == paths

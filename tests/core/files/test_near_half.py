"""Arcs near a half circle come back from an SVG as they were written."""

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.files.svg_read import read_svg
from silhueta.core.files.svg_write import svg_bytes
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop


@pytest.mark.parametrize("unit", ["mm", "in"])
@pytest.mark.parametrize("bulge", [0.99, 0.9999, 1 - 1e-5, 1 - 1e-8, 1.0, 1 + 1e-8, 1.0001, 1.01])
def test_a_slot_with_ends_near_half_circles(bulge, unit):
    at = np.array([[3.123456789, 1.0], [33.3, 1.000000777], [33.3, 12.2], [3.123456789, 12.2]])
    slot = Loop(at, np.array([LINE, ARC, LINE, ARC], np.uint8), np.array([0, bulge, 0, bulge]))
    written = svg_bytes(draw(Outline((Contour(slot),)), unit, "corner", None))
    (found,) = read_svg(written, "slot.svg").paths
    assert isinstance(found, Loop)
    assert abs(signed_area(found)) == pytest.approx(signed_area(slot), rel=1e-6)

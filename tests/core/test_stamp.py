"""How sure a trace is of whole edges: by its pixels, by what lies beside them."""

import math

import pytest

from silhueta.core.datums import Optics
from silhueta.core.job import Inputs, TraceStamp
from silhueta.core.trace_settings import TraceSettings


def stamp(pixel, optics, mode="part", wall=0.0, alike=False):
    inputs = Inputs((), TraceSettings(mode=mode), optics, ())
    return TraceStamp(inputs, pixel, 128.0, 0, 0.1, wall_mm=wall, alike=alike)


def test_coarse_pixels_hide_the_edge_of_what_is_thick_and_of_nothing_else():
    thick, paper, untold = Optics(3.0), Optics(0.0), Optics(thickness_open=True)
    assert stamp(0.12, thick).whole_mm == pytest.approx(0.15 * 0.12)
    assert not stamp(0.12, thick).coarse
    # of the rendered photos of 0.27 to 0.39 mm a pixel, 95 % of the holes are off by 0.9 at most
    assert 0.15 < stamp(0.3, thick).whole_mm < 0.25
    assert stamp(0.3, thick).coarse
    assert stamp(0.3, untold).whole_mm == stamp(0.3, thick).whole_mm
    assert stamp(0.3, paper).whole_mm == pytest.approx(0.15 * 0.3)
    assert stamp(0.3, thick, "threshold").hidden_mm == 0.0


def test_a_wall_that_may_be_face_lies_within_two_uncertainties_of_a_size():
    whole = stamp(0.1, Optics(3.0), wall=1.0).whole_mm
    # two opposite edges, and a box that reaches to what lies farthest out
    assert 2 * math.sqrt(2) * 4 / 3 * whole == pytest.approx(1.0, rel=0.03)


def test_a_face_like_its_shadow_is_told_less_closely_and_only_as_a_part():
    thick = Optics(3.0)
    assert stamp(0.12, thick, alike=True).whole_mm > 2 * stamp(0.12, thick).whole_mm
    other = stamp(0.12, thick, "threshold", alike=True).whole_mm
    assert other == stamp(0.12, thick, "threshold").whole_mm

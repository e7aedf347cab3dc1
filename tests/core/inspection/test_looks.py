"""What goes and stays, what a tool leaves, how thick a part is: against closed forms."""

import math

import numpy as np
import pytest

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.as_cut import as_cut, outline_as_cut, v_groove_width
from silhueta.core.inspection.goes import outcome
from silhueta.core.inspection.widths import outline_widths, thinnest, widths
from tests.conftest import hole, square


def test_what_goes_and_stays_is_weighed():
    loops = (square(100), hole(circle_loop((30, 50), 10)), hole(square(40, (50, 30))))
    contours = (*loops, square(10, (65, 45)))
    found = outcome(
        Outline(tuple(Contour(loop) for loop in contours)),
        Limits(sheet=(200.0, 100.0), thickness=2.0, material="steel"),
    )
    kept = 100 * 100 - math.pi * 100 - 1600
    assert [piece.area for piece in found.stays] == pytest.approx([kept, 100])
    assert [piece.area for piece in found.goes] == pytest.approx([1500, math.pi * 100])
    assert found.kept_mass == pytest.approx((kept + 100) * 2 * 7.85 / 1000)
    assert found.scrap == pytest.approx(1 - (kept + 100) / 20_000)
    assert found.loose == 1
    x, y = found.goes[0].inside
    assert 50 < x < 90
    assert not (65 < x < 75 and 45 < y < 55)


def test_what_a_tool_leaves_in_corners_slots_and_small_holes():
    r = 3.0
    found = as_cut([square(100), hole(square(20, (40, 40))), hole(circle_loop((20, 20), 2))], 2 * r)
    corner = r * r * (1 - math.pi / 4)
    assert found.area == pytest.approx(4 * corner + 4 * math.pi, abs=1e-9)
    assert found.standing[0].far == pytest.approx(2.0, abs=1e-3)  # the hole it does not fit
    assert found.standing[0].at == pytest.approx((20, 20), abs=1e-2)
    assert found.standing[1].far == pytest.approx(r * (1 - 1 / math.sqrt(2)), abs=1e-9)
    assert len(found.outline) == 2
    assert as_cut([square(100)], 0.0).standing == ()
    with pytest.raises(EditError):
        as_cut([square(100)], math.nan)


def test_the_thinnest_places_are_webs_and_no_tips():
    # an hourglass between two circles, 3 mm at its waist, in a plate with a sharp tip
    plate = Loop(np.array([[0, 0], [100, 0], [130, 30], [100, 60], [0, 60.0]]))
    loops = [plate, hole(circle_loop((40, 30), 12)), hole(circle_loop((67, 30), 12))]
    made = widths(loops, 0.1)
    first, *_ = thinnest(made, 3)
    assert made.thick[first] == pytest.approx(3.0, abs=0.01)
    assert made.points[first][1] == pytest.approx(30, abs=0.2)
    assert thinnest(widths([], 0.1), 3) == []


def test_how_wide_a_v_bit_cuts():
    assert v_groove_width(2.0, 90.0) == pytest.approx(4.0)
    assert v_groove_width(3.0, 60.0) == pytest.approx(2 * 3 / math.sqrt(3))
    with pytest.raises(EditError):
        v_groove_width(1.0, 180.0)


def test_pieces_of_two_colours_that_meet_are_looked_at_apart():
    red, blue = (200, 30, 30), (30, 30, 200)
    ring = Contour(square(60), colour=red), Contour(hole(square(20, (20, 20))), colour=red)
    outline = Outline((*ring, Contour(square(20, (20, 20)), colour=blue)))
    found = outline_as_cut(outline, 6.0)
    assert found.area == pytest.approx(4 * 9 * (1 - math.pi / 4), abs=1e-9)
    assert len(found.outline) == 3
    made = outline_widths(outline, 0.5)
    assert made.loop.max() == 2
    middle = (made.loop < 2) & (np.abs(made.points[:, 0] - 30) < 5)
    assert made.thick[middle] == pytest.approx(20.0, abs=0.05)

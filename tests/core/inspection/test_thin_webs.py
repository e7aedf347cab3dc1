"""Webs and slots: their least width against closed forms, and against a raster's medial axis."""

import math

import numpy as np
import pytest
from skimage.draw import polygon2mask
from skimage.morphology import medial_axis

from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.inspection.limits import Limits
from silhueta.core.inspection.registry import findings
from silhueta.core.job import Job
from tests.conftest import hole, square

OUTER = square(100)


def found(loops, code="thin-web", **limits):
    job = Job(outline=Outline(tuple(Contour(loop) for loop in loops)))
    return [one for one in findings(job, Limits(**limits)) if one.code == code]


def two_circles():
    one, two = np.array([30.0, 40.0]), np.array([52.0, 49.0])
    apart = float(np.hypot(*(two - one)))
    web = apart - 10 - 12.5
    return [OUTER, hole(circle_loop(one, 10)), hole(circle_loop(two, 12.5))], web


def beside_an_edge():
    return [OUTER, hole(circle_loop((11.3, 50), 10))], 1.3


def arc_inside_an_arc():
    """A slug's hole that is not in the middle of a round part: the web is the radii's rest."""
    return [circle_loop((0, 0), 40), hole(circle_loop((3.7, 2.1), 34))], 40 - 34 - math.hypot(
        3.7, 2.1
    )


def corner_near_a_slant():
    """A reflex corner at (50, 42) and a slanted edge: the distance of a point from a line."""
    part = Loop([[0, 0], [100, 0], [100, 80], [50, 42], [48, 100], [0, 100.0]])
    slit = hole(Loop([[30, 30], [70, 46], [70, 25.0]]))
    a, b = np.array([30, 30.0]), np.array([70, 46.0])
    way = (b - a) / np.hypot(*(b - a))
    p = np.array([50, 42.0]) - a
    return [part, slit], abs(way[0] * p[1] - way[1] * p[0])


def neck():
    """Two plates with a neck between reflex corners."""
    nodes = [[0, 0], [40, 0], [40, 18], [60, 19], [60, 0], [100, 0], [100, 40], [60, 40]]
    nodes += [[60, 21.5], [40, 21], [40, 40], [0, 40]]
    a, b = np.array([40, 18.0]), np.array([60, 19.0])
    p = np.array([60, 21.5])
    way = (b - a) / np.hypot(*(b - a))
    inside = abs(way[0] * (p - a)[1] - way[1] * (p - a)[0])
    return [Loop(np.array(nodes, float))], min(inside, 2.5)


@pytest.mark.parametrize(
    "made", [two_circles, beside_an_edge, arc_inside_an_arc, corner_near_a_slant, neck]
)
def test_the_least_width_of_a_web(made):
    loops, web = made()
    (one,) = found(loops, web=web + 0.4)
    assert one.measured == pytest.approx(web, abs=0.004)
    (x0, y0), (x1, y1) = one.extent[:2], one.extent[2:]
    assert math.hypot(x1 - x0, y1 - y0) == pytest.approx(web, abs=0.004)
    assert found(loops, web=web - 0.02) == []


def test_a_slot_that_the_tool_does_not_fit():
    nodes = [[0, 0], [100, 0], [100, 49], [60, 49.1], [60, 50.9], [100, 51], [100, 100], [0, 100]]
    slit = Loop(np.array(nodes, float))
    (one,) = found([slit], "narrow-slot", process="router", width=1.9)  # its blind end
    assert one.measured == pytest.approx(1.8, abs=0.004)
    assert one.extent == pytest.approx((60, 49.1, 60, 50.9))
    assert found([slit], "narrow-slot", process="router", width=1.7) == []
    small = hole(circle_loop((50, 50), 0.9))  # told as a small hole, and only so
    assert found([OUTER, small], "narrow-slot", process="router", width=2.0) == []


def test_a_tongue_that_tapers_is_thinnest_at_its_blunt_end():
    nodes = [[0, 0], [60, 0], [60, 26], [95, 29.2], [95, 30.8], [60, 34], [60, 60], [0, 60]]
    (one,) = found([Loop(np.array(nodes, float))], web=2.0)
    assert one.measured == pytest.approx(1.6, abs=0.004)
    assert one.extent == pytest.approx((95, 29.2, 95, 30.8))
    assert found([Loop(np.array(nodes, float))], web=1.55) == []


def test_a_sound_plate_has_no_thin_web_and_corners_are_none():
    star = Loop(
        [
            [r * math.cos(a), r * math.sin(a)]
            for k in range(10)
            for r, a in [((50, 22)[k % 2], k * math.pi / 5)]
        ]
    )
    assert found([star], web=3.0) == []
    rounded = hole(circle_loop((50, 50), 20))
    assert found([OUTER, rounded], web=5.0) == []


def test_random_holes_against_a_raster():
    rng = np.random.default_rng(3)
    step = 0.05  # mm a pixel
    for _ in range(12):
        r1, r2 = rng.uniform(5, 9, 2)
        gap = rng.uniform(0.8, 2.0)
        turn = rng.uniform(0, math.pi)
        centre = np.array([25.0, 25.0])
        other = centre + (r1 + r2 + gap) * np.array([math.cos(turn), abs(math.sin(turn))])
        holes = [hole(circle_loop(centre, r1)), hole(circle_loop(other, r2))]
        webs = found([square(70), *holes], web=2.5)  # one may lie near the plate's edge as well
        (one,) = [web for web in webs if len(set(web.keys)) == 2 and 1 not in web.keys]
        assert one.measured == pytest.approx(gap, abs=0.004)
        mask = np.ones((1400, 1400), bool)
        for loop in holes:
            mask &= ~polygon2mask(mask.shape, flatten(loop, 0.01)[:, ::-1] / step)
        axis, away = medial_axis(mask, return_distance=True)
        x, y = (round(v / step) for v in one.place)
        room = (slice(y - 15, y + 16), slice(x - 15, x + 16))
        least = 2 * step * away[room][axis[room]].min()
        assert one.measured == pytest.approx(least, abs=3 * step)


def test_a_limit_larger_than_the_part_ends_with_words():
    angles = np.linspace(0, 2 * math.pi, 3001)[:-1]
    fine = Loop(50 * np.column_stack([np.cos(angles), np.sin(angles)]))
    with pytest.raises(EditError, match="against a smaller web"):
        found([fine], web=500.0)
    assert found([square(5)], web=50.0)[0].measured == pytest.approx(5)


def test_a_web_is_looked_for_within_its_colour():
    disc, thin = circle_loop((50, 50), 20), circle_loop((50, 50), 18.9)
    red, blue = (200, 0, 0), (0, 0, 200)
    outline = [(OUTER, red), (hole(disc), red), (disc, blue), (hole(thin), blue)]
    job = Job(outline=Outline(tuple(Contour(loop, colour=c) for loop, c in outline)))
    (one,) = [f for f in findings(job, Limits(web=2.0)) if f.code == "thin-web"]
    assert one.measured == pytest.approx(1.1, abs=0.004)
    assert set(one.keys) == {3, 4}

"""What bits leave, against closed forms and against what is looked up place by place."""

from __future__ import annotations

import math

import numpy as np
import pytest

from silhueta.core.plan_settings import Tool
from silhueta.core.rehearsal.relief import Cutter, Relief, cutter_of, shaded

CELL = 0.1


def carved(segments, cutter, cell=CELL):
    relief = Relief((0.0, 0.0, 60.0, 40.0), cell)
    relief.carve(np.array(segments, float), cutter)
    return relief


def volume(relief):
    return -float(relief.heights().astype(float).sum()) * relief.cell**2


def test_a_slot_a_groove_and_a_drilled_hole_have_the_volumes_of_closed_forms():
    level = [(10, 20, -3, 50, 20, -3)]
    slot = volume(carved(level, Cutter(0, 4.0)))
    assert slot == pytest.approx(3 * (40 * 8 + math.pi * 16), rel=2e-3)
    groove = volume(carved(level, Cutter(2, 8.0, 1.0)))  # 90 degrees: as wide as deep, both ways
    assert groove == pytest.approx(40 * 9 + math.pi * 27 / 3, rel=2e-3)
    drill = cutter_of(Tool(1, "drill", 8.0), 0.0)
    hole = volume(carved([(30, 20, 0, 30, 20, -10)], drill))
    point = 4 / math.tan(math.radians(59))  # of 118 degrees, common practice
    assert hole == pytest.approx(math.pi * 16 * (10 - point * 2 / 3), rel=3e-3)
    ball = volume(carved(level, Cutter(1, 3.0)))
    assert ball == pytest.approx(40 * math.pi * 9 / 2 + math.pi * 27 * 2 / 3, rel=3e-3)


@pytest.mark.parametrize("kind", [0, 1, 2])
@pytest.mark.parametrize("end", [(50, 31, -4), (11, 38, 0), (12, 21, -9), (10, 20, -5)])
def test_slanting_ways_leave_the_lowest_of_all_that_passes(kind, end):
    cutter = Cutter(kind, 5.0, 1.7 if kind == 2 else 0.0)
    start = np.array([10.0, 20.0, -1.0])
    relief = carved([(*start, *end)], cutter, 0.25)
    t = np.linspace(0, 1, 20001)[:, None]
    way = start + t * (np.array(end, float) - start)
    rng = np.random.default_rng(3)
    for _ in range(60):
        # the middle of a cell near the way, since that is where the height is kept
        near = way[rng.integers(len(way)), :2] + rng.uniform(-6, 6, 2)
        x, y = (np.floor(near / 0.25) + 0.5) * 0.25
        if not (0 < x < 60 and 0 < y < 40):
            continue
        far = np.hypot(way[:, 0] - x, way[:, 1] - y)
        own = far <= 5.0
        rise = (np.zeros_like(far), 5 - np.sqrt(np.maximum(25 - far**2, 0)), 1.7 * far)[kind]
        lowest = min(0.0, float((way[:, 2] + rise)[own].min(initial=0.0)))
        # where a place lies on the rim, a thousandth decides whether the bit reaches it
        allowed = 0.02 if kind == 0 or abs(far.min() - 5) > 1e-2 else 5.0
        assert relief.at(x, y) == pytest.approx(lowest, abs=allowed)


def test_untouched_tiles_take_no_memory_and_large_sheets_get_larger_cells():
    relief = Relief((0.0, 0.0, 1200.0, 600.0))
    assert relief.cell <= 0.12
    assert relief._tiles.nbytes == 0
    relief.carve(np.array([[100.0, 100, -2, 120, 100, -2]]), Cutter(0, 3.0))
    assert relief._tiles.nbytes < 3e6
    assert Relief((0.0, 0.0, 3000.0, 1500.0)).cell > 0.2
    assert relief.at(-50, 900) == 0  # beside the sheet
    inside = relief.at_all(np.array([[110.0, 100], [110, 102.5], [110, 110]]))
    assert inside == pytest.approx([-2, -2, 0])


def test_the_picture_is_lit_from_the_upper_left_and_open_where_it_is_cut_through():
    relief = carved([(20, 20, -3, 40, 20, -3)], Cutter(0, 4.0))
    relief.carve(np.array([[30.0, 35, -6, 31, 35, -6]]), Cutter(0, 2.0))
    shown = shaded(relief.heights(), relief.cell, 6.0)
    assert shown[350, 305, 3] == 0
    assert shown[200, 300, 3] == 255
    floor, top = shown[200, 300, :3].astype(int), shown[50, 50, :3].astype(int)
    assert (floor < top).all()
    # the wall at the left lies in the shade, the one at the right in the light
    left, right = shown[200, 159:162, 0].min(), shown[200, 438:442, 0].max()
    assert left < floor[0] < right

"""Tabs where they fit, as even as can be; the order among tools; what a plan's file holds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.cutting.edits import set_by_hand, set_operation
from silhueta.core.cutting.plan_drawing import plan_drawing
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.tabs import fitting, placed, tabs_at, tabs_on
from silhueta.core.errors import FileError
from silhueta.core.files.layer_names import worked
from silhueta.core.geometry.along import Along
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job
from silhueta.core.plan_settings import PlanSettings, Tool
from tests.conftest import square


@given(st.integers(2, 9), st.floats(60, 300), st.floats(60, 300))
def test_tabs_are_even_and_off_corners(count, wide, high):
    loop = reverse_loop(Loop(np.array([[0, 0], [wide, 0], [wide, high], [0, high]])))
    tabs = tabs_on(loop, 4.0, 3.0, count, np.zeros(1))
    around = 2 * (wide + high)
    assert len(tabs) == count
    middles = np.array([(tab.low + tab.high) / 2 for tab in tabs])
    for corner in (0, high, high + wide, 2 * high + wide):
        apart = np.abs((middles - corner + around / 2) % around - around / 2)
        assert apart.min() >= 3.5  # half the tab and half the tool
    gaps = np.diff(np.append(middles, middles[0] + around))
    assert np.abs(gaps / (around / count) - 1).max() < 0.5
    assert all(b.low > a.high for a, b in zip(tabs, tabs[1:], strict=False))


def test_no_tab_where_no_file_can_reach_or_on_a_small_bend():
    way = Along(reverse_loop(square(100)))
    # another part stands 3 mm beside the left side
    beside = shapely.box(-40, 0, -3, 100)
    at, good = fitting(way, 6.0, 2.0, np.zeros(0), beside)
    points = way.points(at)[0]
    assert not good[(points[:, 0] == 0) & (points[:, 1] > 5) & (points[:, 1] < 95)].any()
    assert good[points[:, 0] == 100].any()
    small = Along(reverse_loop(circle_loop((0, 0), 8)))
    assert not fitting(small, 6.0, 2.0, np.zeros(0), None)[1].any()
    assert len(placed(np.arange(5.0), np.zeros(5, bool), 5.0, 3)) == 0


def test_tabs_by_hand_do_not_lie_on_each_other():
    tabs = tabs_at(square(100), [(50, -1), (52, 0), (100, 50)], 6.0, 2.0)
    assert [tab.at for tab in tabs] == [(50.0, 0.0), (100.0, 50.0)]
    assert tabs[0].high - tabs[0].low == 8.0


def test_fields_come_before_cuts_and_holes_of_a_small_bit_before_the_rim():
    loops = (square(100), circle_loop((20, 20), 6), circle_loop((80, 80), 2), square(20, (40, 40)))
    bits = (Tool(1, "flat", 8.0), Tool(2, "flat", 3.0), Tool(3, "drill", 4.0))
    job = Job(
        outline=Outline(tuple(map(Contour, loops))),
        inspect=Limits("router", 6.0, 8.0),
        plan=PlanSettings(tools=bits),
    )
    job = set_by_hand(set_operation(job, [4], "pocket"), [2], tool=2)
    job = set_operation(job, [3], "drill")
    plan = planned(job)
    order = [(one.key, one.operation, one.tool.number) for one in plan.entries]
    assert set(order[:2]) == {(4, "pocket", 1), (3, "drill", 3)}
    assert order[2:] == [(2, "cut", 2), (1, "cut", 1)]
    pecked = planned(replace(job, plan=replace(job.plan, peck=2.0)))
    drilled = next(k for k, one in enumerate(pecked.entries) if one.operation == "drill")
    lows = [m.points[-1, 2] for m in motions(pecked) if m.kind == "plunge" and m.entry == drilled]
    assert lows == pytest.approx([-2, -4, -6])
    gone = planned(set_by_hand(job, [2], tool=9))
    assert "unfit" not in {one.code for one in planned(job).findings}
    assert "unfit" in {one.code for one in gone.findings}


def test_a_file_of_a_plan_tells_its_layers_and_other_programs_parts_from_leads():
    loops = (square(100), circle_loop((50, 50), 20))
    contours = tuple(Contour(loop, colour=(200, 30, 30)) for loop in loops)
    job = Job(outline=Outline(contours), inspect=Limits("laser", 3.0, 0.2))
    plan = planned(replace(job, plan=PlanSettings(tabs=2, tab_width=3.0)))
    drawing = plan_drawing(plan, shift=(5.0, 5.0))
    layers = [layer for layer, _ in drawing.layered()]
    assert layers[:2] == ["LEAD_T1", "CUT_INSIDE_C81E1E_T1"]
    assert (
        layers.count("CUT_OUTSIDE_C81E1E_T1") == 3
    )  # from its beginning, and behind each of two tabs
    assert worked("LEAD_T1", {}).operation == "mark"
    assert worked("CUT_INSIDE_C81E1E_T1", {}).colour == (0xC8, 0x1E, 0x1E)
    moved = plan_drawing(plan, paged=True)
    assert moved.shift[0] > 0  # leads lie left of the part: all of it is moved onto the page
    with pytest.raises(FileError, match="can be cut"):
        plan_drawing(replace(plan, entries=()))

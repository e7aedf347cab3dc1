"""The plan that is proposed: sides, order, leads, tabs, depths; what a person set stays."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.cutting.edits import moved_to, set_by_hand, set_operation, with_tools
from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.timing import times
from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import box_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, circle_loop
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.job import Job, with_outline
from silhueta.core.plan_settings import ByHand, PlanSettings, Tool
from tests.conftest import square


def job_of(*loops: Loop, process: Process = "plasma", **settings: object) -> Job:
    """A job of loops, cut through 6 mm by a tool of 1.5 mm."""
    outline = Outline(tuple(Contour(loop) for loop in loops))
    plan = PlanSettings(**settings)  # type: ignore[arg-type]
    return Job(outline=outline, inspect=Limits(process, 6.0, 1.5), plan=plan)


def line_of(path: OpenPath) -> shapely.LineString:
    return shapely.LineString(flatten(path, 1e-3))


PLATE = (square(100), circle_loop((30, 30), 8), square(30, (50, 50)), square(10, (60, 60)))


def test_a_newcomer_gets_sides_order_and_leads():
    plan = planned(job_of(*PLATE))
    kept = shapely.Polygon(flatten(PLATE[0]), [flatten(one, 1e-3) for one in PLATE[1:3]])
    kept = kept.union(shapely.Polygon(flatten(PLATE[3])))
    for one in plan.entries:
        (way,) = one.ways
        for lead in way.leads:
            assert shapely.distance(line_of(lead), kept) >= 0.75 - 0.003
        assert shapely.distance(line_of(way.path), kept) == pytest.approx(0.75, abs=0.002)
        assert way.lead_in is not None
    sides = {one.key: one.side for one in plan.entries}
    assert sides == {1: "outside", 2: "inside", 3: "inside", 4: "outside"}
    order = [one.key for one in plan.entries]
    assert order.index(4) < order.index(3)
    assert order[-1] == 1
    # what stays is on the right: the rim clockwise, the hole counter-clockwise
    turns = {
        one.key: shapely.LinearRing(line_of(one.ways[0].path).coords).is_ccw for one in plan.entries
    }
    assert turns == {1: False, 2: True, 3: True, 4: False}


def test_the_other_way_round_on_request():
    there = planned(job_of(*PLATE, lead="arc"))
    back = planned(job_of(*PLATE, lead="arc", climb=False))
    for one in back.entries:
        way = one.ways[0]
        other = there.entry_of(one.key)
        assert other is not None
        ring = shapely.LinearRing(line_of(way.path).coords)
        assert ring.is_ccw != shapely.LinearRing(line_of(other.ways[0].path).coords).is_ccw
        # an arc that leads in comes to the way along it
        assert way.lead_in is not None
        arrive = np.diff(flatten(way.lead_in, 1e-6)[-2:], axis=0)[0]
        leave = np.diff(flatten(way.path, 1e-6)[:2], axis=0)[0]
        if way.lead_in.bulges.any():
            cos = arrive @ leave / np.hypot(*arrive) / np.hypot(*leave)
            assert cos > 0.999


@st.composite
def nestings(draw: st.DrawFn) -> list[Loop]:
    """Squares in squares, side by side, at any depth."""
    loops: list[Loop] = []

    def fill(x: float, y: float, side: float, deep: int) -> None:
        loops.append(square(side, (x, y)))
        if deep and side > 12:
            for k in range(draw(st.integers(0, 2))):
                inner = side / 2 - 6
                if inner > 4:
                    fill(x + 4 + k * (side / 2), y + 4, inner, deep - 1)

    for k in range(draw(st.integers(1, 3))):
        fill(300.0 * k, 0.0, draw(st.sampled_from([20.0, 100.0, 250.0])), 3)
    return draw(st.permutations(loops))


@given(nestings(), st.sampled_from(["parts", "holes"]), st.booleans())
def test_nothing_is_cut_before_what_lies_in_it(loops, order, spread):
    plan = planned(job_of(*loops, order=order, spread=spread))
    boxes = {k + 1: shapely.box(*box_of(loop)) for k, loop in enumerate(loops)}
    keys = [one.key for one in plan.entries]
    assert sorted(keys) == sorted(boxes)
    for k, key in enumerate(keys):
        assert not any(shapely.contains(boxes[key], boxes[later]) for later in keys[k + 1 :])


def test_an_entry_stays_where_a_person_put_it_if_that_is_sound():
    job = job_of(square(100), circle_loop((20, 20), 5), circle_loop((80, 80), 5))
    keys = [one.key for one in planned(job).entries]
    swapped = planned(moved_to(job, keys, keys[1], 0))
    assert [one.key for one in swapped.entries] == [keys[1], keys[0], keys[2]]
    assert swapped.notes == planned(job).notes
    early = planned(moved_to(job, keys, 1, 0))
    assert [one.key for one in early.entries][-1] == 1
    assert any("cannot come that early" in note for note in early.notes)


def test_what_was_set_by_hand_stays_when_the_outline_changes():
    job = job_of(*PLATE)
    job = set_by_hand(job, [2], start=(22.0, 30.0), lead="line", tabs=())
    job = set_by_hand(job, [1], tabs=((0.0, 50.0), (100.0, 50.0)))
    moved = Outline(
        tuple(
            replace(c, path=circle_loop((31, 30), 9)) if c.key == 2 else c
            for c in job.outline.contours
        )
    )
    plan = planned(with_outline(job, moved))
    hole, rim = plan.entry_of(2), plan.entry_of(1)
    assert hole is not None
    assert rim is not None
    assert hole.by_hand
    assert hole.ways[0].path.nodes[0] == pytest.approx((31 - 8.25, 30), abs=1e-6)
    places = np.array(sorted(tab.at for tab in rim.ways[0].tabs))
    assert places == pytest.approx(np.array([[-0.75, 50], [100.75, 50]]))
    # a field cannot be cut through: that is told, and all else stands
    engraved = set_operation(job, [3], "pocket")
    back = with_outline(
        engraved,
        Outline(tuple(replace(c, operation="cut") for c in engraved.outline.contours)),
    )
    assert "unfit" in {one.code for one in planned(back).findings}
    cleared = set_by_hand(job, [2], start=None, lead=None, tabs=None)
    assert cleared.plan.hand(2) == ByHand(2)


def test_what_the_tool_cannot_do_is_told_and_the_rest_stands():
    job = job_of(square(100), circle_loop((20, 20), 2), circle_loop((60, 60), 8))
    job = replace(job, inspect=Limits("router", 6.0, 6.0))
    plan = planned(job)
    assert [one.keys for one in plan.left_out] == [(2,)]
    assert {one.key for one in plan.entries} == {1, 3}
    deep = planned(set_by_hand(job, [3], depth=9.0))
    assert {one.keys for one in deep.left_out} == {(2,), (3,)}
    huge = planned(replace(job, inspect=Limits("router", 6.0, 500.0)))
    assert {one.key for one in huge.entries} == {1}
    with pytest.raises(EditError, match="thickness"):
        planned(replace(job, inspect=Limits("router")))
    with pytest.raises(EditError, match="process"):
        planned(replace(job, inspect=Limits()))
    with pytest.raises(EditError, match="nothing"):
        planned(Job(inspect=Limits("plasma")))
    pocket = planned(set_operation(job_of(*PLATE), [2], "pocket"))
    assert any("plasma makes no pocket" in one.text for one in pocket.left_out)


def test_a_part_without_waste_for_a_lead_is_begun_on_its_edge():
    # 1.6 mm across, a kerf of 1.5
    plan = planned(job_of(square(100), square(1.6, (50, 50))))
    entry = plan.entry_of(2)
    assert entry is not None
    assert entry.ways[0].lead_in is None
    assert [one.code for one in plan.findings] == ["no-lead"]


def _levels(plan: Plan, key: int) -> set[float]:
    number = next(k for k, one in enumerate(plan.entries) if key in one.keys)
    cuts = [m for m in motions(plan) if m.kind == "cut" and m.entry == number]
    return {round(float(z), 6) for m in cuts for z in m.points[:, 2]}


def test_passes_tabs_and_one_bit_under_two_numbers():
    # common practice, no source: 2 mm a pass in 12 mm of board, so six; tabs 10 mm wide, 1 mm high,
    # about fifteen on a part of 680 mm; a quarter-inch bit is 6.35 mm
    board = square(680.0)
    field = Contour(square(100, (50, 50)), operation="engrave")
    job = Job(
        outline=Outline((Contour(board), field)),
        inspect=Limits("router", 12.0, 6.35, material="plywood"),
    )
    job = set_operation(job, [2], "pocket")
    bits = (Tool(1, "flat", 6.35), Tool(2, "flat", 6.35, zero="table"))
    job = replace(job, plan=with_tools(replace(job.plan, depth=3.5), bits))
    plan = planned(job)
    pocket, rim = plan.entries
    assert (pocket.operation, pocket.tool.number, pocket.depth) == ("pocket", 1, 3.5)
    assert (rim.tool.number, len(rim.steps), rim.tab_height) == (2, 6, 1.0)
    assert 12 <= rim.tabs <= 22
    lows = {-2.0, -4.0, -6.0, -8.0, -10.0, -12.0}
    assert lows <= _levels(plan, 1)
    assert -11.0 in _levels(plan, 1)  # over the tabs
    assert min(_levels(plan, 2)) == -3.5
    done = times(motions(plan), plan.machine)
    assert done.changes == 1
    assert set(done.by_tool) == {1, 2}
    with pytest.raises(EditError, match="number 1"):
        with_tools(PlanSettings(), (bits[0], bits[0]))


def test_over_a_tab_the_way_rises_and_only_there():
    job = job_of(square(100), process="router", tabs=4, tab_width=8.0, tab_height=2.0)
    job = replace(job, inspect=Limits("router", 6.0, 4.0))
    plan = planned(job)
    (entry,) = plan.entries
    way = entry.ways[0]
    assert len(way.tabs) == 4
    standing = 0.0
    for motion in motions(plan):
        if motion.kind == "cut" and motion.points[:, 2].min() == -6.0 and len(motion.points) > 6:
            step = np.diff(motion.points, axis=0)
            high = (motion.points[:-1, 2] == -4.0) & (motion.points[1:, 2] == -4.0)
            standing = float(np.hypot(step[high, 0], step[high, 1]).sum())
    assert standing == pytest.approx(4 * (8.0 + 4.0), abs=1e-6)
    gaps = planned(replace(job, inspect=Limits("laser", 6.0, 0.2)))
    on = [m for m in motions(gaps) if m.kind == "on"]
    assert len(on) == 5  # the way is begun, and again behind each tab


def test_a_bit_goes_down_on_a_ramp_a_helix_or_straight():
    job = job_of(square(200), circle_loop((100, 100), 20), process="router", tabs=0)
    job = replace(job, inspect=Limits("router", 6.0, 6.0))
    for entry in ("ramp", "helix", "plunge"):
        plan = planned(replace(job, plan=replace(job.plan, entry=entry)))
        steps = [m for m in motions(plan) if m.entry == 0]
        dived = [m for m in steps if m.kind == "plunge" and m.points[-1, 2] < -1e-9]
        assert bool(dived) == (entry == "plunge")
        level = [m for m in steps if m.kind == "cut" and (m.points[:, 2] == -6.0).all()]
        ends = np.array(level[-1].points[[0, -1], :2])
        assert ends[0] == pytest.approx(ends[1])  # the last round is a whole one
        sloped = [m for m in steps if m.kind == "cut" and np.ptp(m.points[:, 2]) > 0]
        assert bool(sloped) == (entry != "plunge")
        for m in sloped:
            run = np.hypot(*np.diff(m.points[:, :2], axis=0).T).sum()
            assert np.ptp(m.points[:, 2]) / run < 0.11  # no steeper than some degrees


def test_left_to_the_machine_the_way_is_the_outline():
    plan = planned(job_of(square(100), circle_loop((50, 50), 20), compensate="machine"))
    hole, rim = plan.entries
    assert box_of(rim.ways[0].path) == pytest.approx((0, 0, 100, 100))
    assert box_of(hole.ways[0].path) == pytest.approx((30, 30, 70, 70))
    assert hole.side == "inside"
    for one in (hole, rim):
        lead = one.ways[0].lead_in
        assert lead is not None
        assert lead.nodes[-1] == pytest.approx(one.ways[0].path.nodes[0])


def test_a_knife_goes_over_its_beginning_and_has_no_leads():
    (entry,) = planned(replace(job_of(square(50)), inspect=Limits("knife", 0.1))).entries
    assert (entry.side, entry.ways[0].lead_in, entry.ways[0].overcut) == ("on", None, 1.0)
    plan = planned(replace(job_of(square(50)), inspect=Limits("knife", 0.1)))
    cut = next(m for m in motions(plan) if m.kind == "cut")
    far = np.hypot(*np.diff(cut.points[:, :2], axis=0).T).sum()
    assert far == pytest.approx(200 + 1.0)


def test_settings_that_cannot_be_are_refused():
    for wrong in (
        {"feed": 0.0},
        {"passes": 0},
        {"depth_per_pass": 0.0},
        {"tabs": -1},
        {"v_angle": 0.5},
    ):
        with pytest.raises(EditError):
            PlanSettings(**wrong)
    with pytest.raises(EditError):
        Tool(1, "vbit", 6.0)
    with pytest.raises(EditError):
        Tool(1, "flat", float("nan"))


def test_leads_keep_off_the_margin_where_clamps_are():
    # left alone it begins on the right; there the sheet's edge is 8 mm away, 3 mm of it no margin
    job = job_of(square(100, (192, 92)), lead="line", lead_length=6.0)
    free = planned(job).entries[0].ways[0].lead_in
    assert free is not None
    assert free.nodes[0, 0] > 295
    as_in_picture = replace(job.cut_file, origin="picture")  # the sheet's corner is at (0, 0)
    job = replace(job, cut_file=as_in_picture)
    wide = replace(job, inspect=replace(job.inspect, sheet=(300.0, 300.0), margin=5.0))
    plan = planned(wide)
    lead = plan.entries[0].ways[0].lead_in
    assert lead is not None
    assert lead.nodes.max() <= 295.0
    assert not any("clamps" in note for note in plan.notes)
    # all round it there is nothing but margin: it begins there, and that is told
    at = (184.0, 84.0)
    tight = replace(job, inspect=replace(job.inspect, sheet=(116.0, 116.0), margin=8.0, at=at))
    plan = planned(tight)
    assert plan.entries[0].ways[0].lead_in is not None
    assert any("keep clamps off" in note for note in plan.notes)

"""Cut plans against what others know: handbooks, GEOS, exhaustive search, common practice.

What is from memory, or common practice without a source, says so beside its check.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import networkx as nx
import numpy as np
import pytest
import shapely

from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import Motion, motions
from silhueta.core.cutting.route import shortest
from silhueta.core.cutting.timing import times
from silhueta.core.cutting.vgroove import grooves
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.job import Job
from silhueta.core.plan_settings import PlanSettings
from silhueta.core.rs274.interpret import interpret
from silhueta.core.shop.machines import Machine
from tests.conftest import square


def plan_of(*loops: Loop, process: Process = "plasma", width: float = 1.5) -> Plan:
    outline = Outline(tuple(map(Contour, loops)))
    return planned(Job(outline=outline, inspect=Limits(process, 6.0, width)))


@pytest.mark.parametrize(("angle", "factor"), [(60, 0.866), (82, 0.575), (90, 0.5), (120, 0.289)])
def test_a_v_bit_is_as_deep_as_handbooks_have_countersinks(angle, factor):
    # depth of a countersink = diameter x 0.5 cot(A / 2): the factors that shop handbooks list for
    # 60, 82, 90 and 120 degrees (from memory)
    (cone,) = grooves([circle_loop((0, 0), 5)], angle, 50).ways
    assert cone.depths.max() == pytest.approx(10 * factor, abs=0.01)


def test_a_pointed_bit_goes_deeper_into_the_same_groove():
    # common practice, no source: 30 degrees keeps finer detail than 60 or 90, being deeper in it
    deep = [max(w.depths.max() for w in grooves([square(8)], a, 99).ways) for a in (30, 60, 90)]
    assert deep == sorted(deep, reverse=True)


PILL = Loop(
    np.array([[-20, -9], [20, -9], [20, 9], [-20, 9.0]]),
    np.array([LINE, ARC, LINE, ARC], np.uint8),
    np.array([0, 1.0, 0, 1.0]),
)
BOOT = Loop(np.array([[0, 0], [60, 0], [60, 12], [25, 18], [22, 50], [0, 50.0]]))


@pytest.mark.parametrize("loop", [PILL, BOOT, circle_loop((3, 4), 11)])
@pytest.mark.parametrize("kerf", [0.2, 1.5, 6.35])
def test_ways_are_the_buffers_of_geos(loop, kerf):
    polygon = shapely.Polygon(flatten(loop, 1e-4))
    for process, hole in (("plasma", False), ("plasma", True)):
        loops = (square(200, (-100, -80)), loop) if hole else (loop,)
        plan = plan_of(*loops, process=process, width=kerf)
        entry = plan.entry_of(2 if hole else 1)
        assert entry is not None
        by = -kerf / 2 if hole else kerf / 2
        wanted = polygon.buffer(by, quad_segs=256).exterior
        way = shapely.LineString(flatten(entry.ways[0].path, 1e-4))
        assert shapely.hausdorff_distance(way, wanted) < 0.005


def test_the_way_round_few_places_is_the_shortest_there_is():
    # all orders tried: 8! of them
    rng = np.random.default_rng(5)
    for _ in range(6):
        places = rng.uniform(0, 100, (8, 2))
        start = rng.uniform(0, 100, 2)

        def far(order, places=places, start=start):
            return np.hypot(*np.diff(np.vstack([start, places[list(order)]]), axis=0).T).sum()

        best = min(map(far, itertools.permutations(range(8))))
        assert far(shortest(start, places, places)) <= 1.02 * best


def test_the_way_round_many_places_is_no_longer_than_networkx_finds():
    places = np.random.default_rng(6).uniform(0, 100, (60, 2))
    graph = nx.Graph()
    for i, j in itertools.combinations(range(60), 2):
        graph.add_edge(i, j, weight=float(np.hypot(*(places[i] - places[j]))))
    cycle = nx.approximation.christofides(graph)
    links = [graph[a][b]["weight"] for a, b in itertools.pairwise(cycle)]
    order = shortest(places[0], places[1:], places[1:]) + 1
    way = places[[0, *order]]
    # ours is open: the longest link of their round is not gone
    assert np.hypot(*np.diff(way, axis=0).T).sum() < sum(links) - max(links)


def test_a_board_is_cut_as_shops_do_it():
    # common practice, no source: six passes of 2 mm in 12 mm of board; about fifteen tabs, 10 mm
    # wide and 1 mm high, on a part of 680 mm; a sheet of 700 mm takes it
    corners = [[40, 0], [640, 0], [680, 40], [680, 360], [640, 400], [40, 400], [0, 360], [0, 40]]
    board = Loop(np.array(corners, np.float64))
    job = Job(
        outline=Outline((Contour(board),)),
        inspect=Limits("router", 12.0, 6.35, (700.0, 420.0), material="plywood"),
    )
    (rim,) = planned(job).entries
    assert rim.steps == pytest.approx((2, 4, 6, 8, 10, 12))
    assert 13 <= rim.tabs <= 17
    assert rim.tab_height == 1.0
    widths = [tab.high - tab.low - 6.35 for tab in rim.ways[0].tabs]
    assert widths == pytest.approx([10.0] * rim.tabs)
    assert [one.code for one in planned(job).findings] == []


def test_plasma_on_six_mm_is_led_in_as_shops_do_it():
    # common practice, no source: inside first, outside last; an arc of about 5 mm on 6 mm plate
    outline = Outline((Contour(square(100)), Contour(circle_loop((50, 50), 20))))
    plan = planned(Job(outline=outline, inspect=Limits("plasma", 6.0, material="steel")))
    assert [one.level for one in plan.entries] == [1, 0]
    for one in plan.entries:
        lead = one.ways[0].lead_in
        assert lead is not None
        assert lead.bulges.any()
        assert shapely.LineString(flatten(lead, 1e-4)).length == pytest.approx(5.0, abs=0.01)


def test_a_machine_that_never_stops_is_as_fast_as_its_feed():
    # t = l / v as acceleration grows without end (textbook: uniform motion)
    quick = Machine("quick", (1e4, 1e4), 1e4, 1e4, 1e12, corner_mm=1.0)
    path = np.array([[0, 0, 0], [100, 0, 0], [100, 50, 0], [0, 50, 0.0]])
    cut = Motion("cut", path, np.zeros(3), 3000.0)
    assert times([cut], quick).seconds == pytest.approx(250 / 50, rel=1e-4)


@pytest.mark.parametrize("seed", range(12))
def test_what_a_program_cuts_is_what_geos_says_is_between_part_and_waste(seed):
    """Random parts: the torch, as wide as its kerf, along what is read leaves the part as drawn."""
    rng = np.random.default_rng(seed)
    loops = [square(120)]
    for x, y in itertools.product((25, 60, 95), repeat=2):
        size = float(rng.uniform(4, 12))
        turn = rng.uniform(0, math.pi)
        if rng.random() < 0.5:
            loops.append(circle_loop((x, y), size))
        else:
            c, s = math.cos(turn), math.sin(turn)
            corners = np.array([[-1, -0.6], [1, -0.6], [1, 0.6], [-1, 0.6]]) * size
            loops.append(Loop(corners @ np.array([[c, s], [-s, c]]) + [x, y]))
    kerf = float(rng.uniform(0.5, 2.0))
    plan = plan_of(*loops, width=kerf)
    units = "mm" if seed % 2 else "in"
    text = program_bytes(plan, motions(plan), units, (0.0, 0.0)).decode()
    ways, on = [], False
    for deed in interpret(text):
        if deed.kind in ("on", "off"):
            on = deed.kind == "on"
        if on and deed.kind == "feed":
            ways.append(_followed(deed))
    cut = shapely.MultiLineString(ways).buffer(kerf / 2, quad_segs=64)
    part = shapely.Polygon(flatten(loops[0], 1e-4), [flatten(one, 1e-4) for one in loops[1:]])
    assert shapely.intersection(cut, part.buffer(-0.005)).area < 1e-6
    # a round kerf leaves inside corners round: the part closed by it, as morphology says
    left = part.buffer(kerf / 2, quad_segs=64).buffer(-kerf / 2, quad_segs=64)
    assert shapely.difference(left.boundary, cut.buffer(0.01)).length < 1e-6
    freed = shapely.get_parts(shapely.difference(shapely.box(-20, -20, 140, 140), cut))
    inner = [p for p in freed if left.buffer(0.02).contains(p)]
    assert len(inner) == 1  # nothing holds it any more
    assert inner[0].area == pytest.approx(left.area, rel=1e-4)


def _followed(deed) -> list[tuple[float, float]]:
    if deed.centre is None:
        return [deed.start[:2], deed.end[:2]]
    x, y = deed.start[0] - deed.centre[0], deed.start[1] - deed.centre[1]
    steps = np.linspace(0, deed.turn, 60)
    return [
        (
            deed.centre[0] + math.cos(t) * x - math.sin(t) * y,
            deed.centre[1] + math.sin(t) * x + math.cos(t) * y,
        )
        for t in steps.tolist()
    ]


def test_a_pocket_in_a_program_reaches_the_area_that_geos_opens():
    field = Contour(BOOT, operation="engrave")
    job = Job(
        outline=Outline((Contour(square(120, (-20, -20))), field)),
        inspect=Limits("router", 10.0, 5.0),
        plan=PlanSettings(depth=3.0, passes=1),
    )
    job = set_operation(job, [2], "pocket")
    plan = planned(replace(job))
    text = program_bytes(plan, motions(plan), "mm", (0.0, 0.0)).decode()
    level = [
        _followed(deed)
        for deed in interpret(text)
        if deed.kind == "feed" and deed.start[2] == deed.end[2] == -3.0
    ]
    done = shapely.MultiLineString(level).buffer(2.5, quad_segs=64)
    opened = shapely.Polygon(BOOT.nodes).buffer(-2.5, quad_segs=64).buffer(2.5, quad_segs=64)
    assert done.area == pytest.approx(opened.area, rel=0.002)

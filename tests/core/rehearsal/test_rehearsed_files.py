"""Files read as they stand, one or several; steps as columns; gaps that a beam leaves as tabs."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import shapely

from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.errors import FileError
from silhueta.core.files.program_write import program_bytes
from silhueta.core.plan_settings import Tool
from silhueta.core.rehearsal.bench import Bench
from silhueta.core.rehearsal.bench_of import bench_for, wanted_of_plan
from silhueta.core.rehearsal.event import CODES, Event, Rehearsed
from silhueta.core.rehearsal.of_job import rehearsed_file, rehearsed_job
from silhueta.core.rehearsal.reading import Reading
from silhueta.core.rehearsal.rehearse import course_of, rehearse
from silhueta.core.rehearsal.scene import scene_of
from silhueta.core.rehearsal.steps import of_program
from silhueta.core.rehearsal.table import table_of
from silhueta.core.rehearsal.through import gaps, places, runs_of
from silhueta.core.rehearsal.words import NAMES, verdict
from tests.core.rehearsal.test_rehearse import job_of

HEAD = "G21 G17 G90 G94 F600\n"


def test_several_programs_are_one_and_their_lines_count_on(tmp_path):
    one, two = tmp_path / "a.nc", tmp_path / "b.cnc"
    one.write_bytes(b"G21 G90\r\nM3\r\nG1 X5 F100\r\nM5\r\nM2\r\n")  # as some systems end lines
    two.write_text("G20 G90\nM3\nG1 Y1 F4\nM5\nM2\n")
    read = Reading()
    read.add(one, None, None)
    read.add(two, None, None)
    assert read.lines[:2] == ["G21 G90", "M3"]
    moves = [step for step in read.steps if step.motion.kind == "cut"]
    assert [(step.line, *step.motion.points[-1]) for step in moves] == [
        (3, 5, 0, 0), (8, 0, 25.4, 0),
    ]  # fmt: skip
    (tmp_path / "c.nc").write_text("G21\nG1 X#3\n")
    read.add(tmp_path / "c.nc", None, None)
    assert read.refused is not None
    assert read.refused.line == 12
    assert read.lines[11] == "G1 X#3"


def test_what_can_be_shown_of_a_binary_file_is_little_and_short(tmp_path):
    (tmp_path / "x.nc").write_bytes(b"\x00\x01\x85" * 5000)
    read = Reading()
    read.add(tmp_path / "x.nc", None, None)
    assert read.refused is not None
    assert max(len(line) for line in read.lines) <= 400
    with pytest.raises(FileError):
        read.add(tmp_path / "nowhere.nc", None, None)


def test_a_machine_that_counts_the_other_way_is_run_as_the_part_lies(tmp_path):
    job = job_of("laser")
    plan = planned(job)
    turned = replace(plan, machine=replace(plan.machine, inverse=("X",)))
    straight, mirrored = (
        program_bytes(one, motions(one), "mm", (0.0, 0.0)).decode() for one in (plan, turned)
    )
    assert "X-" in mirrored
    here = of_program(straight)
    there = of_program(mirrored, inverse=("X",))
    bench = bench_for(wanted_of_plan(job, plan, (0.0, 0.0)), plan.machine)
    one, other = (rehearse(steps, bench) for steps in (here, there))
    assert other.events == one.events == ()
    assert other.deviation == pytest.approx(one.deviation, abs=1e-6)


def test_a_file_for_each_tool_is_rehearsed_as_one_piece_of_work():
    bits = (Tool(1, "flat", 6.0), Tool(2, "vbit", 12.7, 60.0))
    job = set_operation(job_of("router", tools=bits), [3], "vgroove")
    how = replace(job.cut_file, format="nc", holds="plan").choosing("nc.split", True)
    found = rehearsed_job(replace(job, cut_file=how), planned(job), None)
    assert found.name.endswith(" and 1 more")
    assert found.course is not None
    assert found.text.count("\nM2") == 2
    assert found.course.done.events == ()
    assert {step.tool for step in found.course.scene.steps} >= {1, 2}


def test_a_strangers_drawing_is_laid_on_the_part_and_its_sheet_with_it(tmp_path):
    job = job_of("laser")
    shifted = "".join(
        f'<path d="M{x} {y}h{w}v{w}h-{w}z"/>' for x, y, w in ((340, 40, 50), (300, 0, 100))
    )
    (tmp_path / "theirs.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="500mm" height="300mm" '
        f'viewBox="0 0 500 300">{shifted}</svg>'
    )
    found = rehearsed_file(tmp_path / "theirs.svg", None, (job, None))
    assert found.course is not None
    assert found.shift == pytest.approx((300, 200), abs=0.01)
    # their file has neither of the round holes
    missed = [one for one in found.course.done.events if one.code == "missed"]
    assert len(missed) == 3  # a hole, the island's rim, the hole in the island


def test_boxes_of_arcs_reach_as_far_as_their_places():
    rng = np.random.default_rng(2)
    text = HEAD
    here = np.zeros(2)
    for _ in range(200):
        radius, first = rng.uniform(1, 20), rng.uniform(0, 2 * math.pi)
        turn = rng.choice([-1, 1]) * rng.uniform(0.05, 2 * math.pi - 0.05)
        centre = here - radius * np.array([math.cos(first), math.sin(first)])
        end = centre + radius * np.array([math.cos(first + turn), math.sin(first + turn)])
        code, (i, j) = "G3" if turn > 0 else "G2", centre - here
        text += f"{code} X{end[0]:.9f} Y{end[1]:.9f} I{i:.9f} J{j:.9f}\n"
        here = end
    text += f"G2 X{here[0]:.9f} Y{here[1]:.9f} I5 J0\n"  # all the way round
    steps = of_program(text)
    table = table_of(steps)
    for k, step in enumerate(steps):
        way = places(step)
        assert table.low[k, :2] == pytest.approx(way.min(axis=0), abs=0.003)
        assert table.high[k, :2] == pytest.approx(way.max(axis=0), abs=0.003)
        ends = np.hypot(*np.diff(way, axis=0).T)
        assert table.flat[k] == pytest.approx(ends.sum(), rel=2e-3)
        first = math.atan2(*(way[1] - way[0])[::-1])
        assert math.cos(first - table.way_first[k]) > 0.99
    assert table.turn[-1] == pytest.approx(-2 * math.pi)


def test_gaps_are_bridged_along_one_loop_and_not_between_two():
    text = HEAD + "".join(
        f"G0 X{a} Y{b}\nM3\nG1 X{c} Y{d}\nM5\n"
        for a, b, c, d in ((0, 0, 40, 0), (44, 0, 100, 0), (0, 8, 40, 8))
    )
    part = shapely.box(-5, 0.5, 105, 7.5)
    scene = scene_of(of_program(text), Bench("laser", 1.0, wanted=(part,)))
    found = gaps(runs_of(scene), [part])
    assert found[0].points.tolist() == [[40, 0], [44, 0]]
    other = shapely.box(-5, 8.5, 105, 15)
    assert gaps(runs_of(scene), [other]) == []  # neither end lies along it


def test_the_end_is_a_sentence_and_every_event_has_a_name():
    assert set(NAMES) == set(CODES)
    assert verdict(Rehearsed(()), held=False).startswith("It runs through; nothing was there")
    bad = Event("left-on", 3.0, (0.0, 0.0), 43, "x")
    look = Event("tip-up", 4.0, (0.0, 0.0), 50, "x")
    assert verdict(Rehearsed((bad,)), True) == "Not what was meant: left on, line 43."
    three = verdict(Rehearsed((bad, bad, bad, look)), True)
    assert (
        three
        == "Not what was meant: left on, line 43, and 2 events more as bad. 1 event to look at."
    )
    good = Rehearsed((), deviation=0.22, beyond_radius=0.004, depth_off=0.031)
    assert verdict(good, True) == (
        "Cuts what was meant, 0.22 mm off at most where the tool leaves an inner corner round, "
        "elsewhere under 0.01 mm, pockets 0.03 mm off their depth."
    )


def test_an_empty_course_has_its_moment():
    course = course_of([], Bench())
    assert course.at(0.0).step == -1
    assert course.seconds == 0

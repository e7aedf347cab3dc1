"""Files run on a simulated table: sound ones run through, each planted mistake is said."""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest
import shapely

from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.timing import times
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.job import Job
from silhueta.core.rehearsal.bench import Bench
from silhueta.core.rehearsal.bench_of import bench_for, parts_of, wanted_of_plan
from silhueta.core.rehearsal.course import Carving
from silhueta.core.rehearsal.kerfs import Piece, Run, freed
from silhueta.core.rehearsal.laying import laid_on
from silhueta.core.rehearsal.rehearse import course_of, rehearse
from silhueta.core.rehearsal.scene import scene_of
from silhueta.core.rehearsal.steps import of_program
from silhueta.core.rehearsal.through import runs_of
from silhueta.core.rs274.deeds import NotUnderstoodError, UnitMissingError
from silhueta.core.shop.machines import machine_of
from tests.conftest import square

WIDTH = {"plasma": 1.5, "laser": 0.2, "router": 6.0, "knife": 0.0}
LOOPS = (square(100), circle_loop((20, 20), 12), square(50, (40, 40)), circle_loop((65, 65), 6))


def job_of(process: Process = "plasma", **settings: object) -> Job:
    job = Job(outline=Outline(tuple(map(Contour, LOOPS))))
    job = replace(job, inspect=Limits(process, 6.0, WIDTH[process]))
    return replace(job, plan=replace(job.plan, **settings))  # type: ignore[arg-type]


def text_of(job: Job) -> str:
    plan = planned(job)
    return program_bytes(plan, motions(plan), "mm", (0.0, 0.0)).decode()


def bench_of(job: Job, **more: object) -> Bench:
    process = job.inspect.process
    assert process is not None
    made = Bench(
        process,
        WIDTH[process],
        thickness=6.0,
        machine=machine_of(process, None),
        wanted=parts_of(job, (0.0, 0.0)),
    )
    return replace(made, **more)  # type: ignore[arg-type]


def codes(text: str, bench: Bench) -> list[str]:
    return [one.code for one in rehearse(of_program(text), bench).events]


@pytest.mark.parametrize("process", ["plasma", "laser", "router", "knife"])
@pytest.mark.parametrize("way", [{}, {"climb": False}, {"order": "holes"}, {"tabs": 3}])
def test_what_was_planned_runs_through(process, way):
    job = job_of(process, **way)
    done = rehearse(of_program(text_of(job)), bench_of(job))
    assert done.events == ()
    plan = planned(job)
    tabs = any(one.tabs for one in plan.entries)
    # both slugs, and island and plate where no tab holds them
    assert done.pieces == sum(not one.tabs for one in plan.entries)
    if not tabs:
        assert done.deviation is not None
        # a round tool leaves that much in the corners of the square hole
        assert done.deviation < 0.02 + (1 - math.sqrt(0.5)) * WIDTH[process] / 2
    spent = times(motions(plan), machine_of(process, None))
    assert done.seconds == pytest.approx(spent.seconds, rel=0.02)
    assert done.cut_mm == pytest.approx(spent.cut_mm, rel=1e-3)


def _blocks(text: str) -> tuple[list[str], list[list[str]], list[str]]:
    """The head of a program, its cuts, its end."""
    lines = text.splitlines()
    at = [k for k, line in enumerate(lines) if re.match(r"\(\d+: ", line)]
    ends = [*at[1:], len(lines) - 1]
    return lines[: at[0]], [lines[a:b] for a, b in zip(at, ends, strict=True)], lines[-1:]


def _with_cuts(text: str, change) -> str:
    head, cuts, end = _blocks(text)
    return "\n".join([*head, *(line for cut in change(cuts) for line in cut), *end])


PLANTED = {
    "order": (lambda t: _with_cuts(t, lambda c: [c[-1], *c[:-1]]), "freed-early"),
    "one twice": (lambda t: _with_cuts(t, lambda c: [*c, c[-1]]), "cut-again"),
    "one left out": (lambda t: _with_cuts(t, lambda c: c[1:]), "missed"),
    "lead through the part": (lambda t: _through(t), "cuts-part"),
    "off is missing": (lambda t: t.replace("M5\n", "", 1), "left-on"),
    "on is missing": (lambda t: t.replace("M3\n", "", 1), "no-pierce"),
    "never off": (lambda t: "\n".join(t.rsplit("\nM5\n", 1)), "left-on"),
    "unit": (lambda t: t.replace("G21", "G20"), "unit-suspect"),
    "feed": (lambda t: t.replace(" F1800", " F45720"), "over-feed"),
    "an arc the other way round": (lambda t: _other_way(t), "cuts-part"),
}


def _through(text: str) -> str:
    """Begin the hole's cut in the part, 4 mm beside it."""
    lines = text.splitlines()
    k = next(k for k, line in enumerate(lines) if line.startswith("M3"))
    lines[k - 2 : k] = ["G0 X36 Y20", "G0 Z3.8"]
    return "\n".join(lines)


def _other_way(text: str) -> str:
    """Go round a corner of the plate the long way: through what should stay."""
    at = text.rindex("\nG2 X")
    return text[:at] + "\nG3 X" + text[at + len("\nG2 X") :]


@pytest.mark.parametrize("name", PLANTED)
def test_a_planted_mistake_is_said_with_its_line(name):
    job = job_of("plasma", lead="line")
    spoil, code = PLANTED[name]
    good = text_of(job)
    bad = spoil(good)
    assert bad != good
    done = rehearse(of_program(bad), bench_of(job))
    assert code in [one.code for one in done.events]
    first = next(one for one in done.events if one.code == code)
    assert 1 <= first.line <= len(bad.splitlines())
    assert done.stops or code == "over-feed"


def test_a_bit_that_goes_too_deep_or_across_what_stands():
    job = job_of("router")
    good = text_of(job)
    assert "into-bed" in codes(good.replace("Z-6", "Z-9"), bench_of(job))
    lines = good.splitlines()
    k = next(k for k, line in enumerate(lines) if line.endswith("Z-6"))
    back = " ".join(word for word in lines[k].split() if word[0] in "XY")
    lines[k + 1 : k + 1] = ["G0 X50 Y10", f"G0 {back}"]
    assert "rapid-in-material" in codes("\n".join(lines), bench_of(job))
    loose = text_of(job_of("router", tabs=0))
    held = codes(loose, bench_of(job, held=True))
    assert held.count("freed-early") == 2  # plate and island should have been held


def test_sheets_beds_and_tables():
    job = job_of("plasma")
    text = text_of(job)
    assert "off-sheet" in codes(text, bench_of(job, sheet=(0.0, 0.0, 90.0, 200.0)))
    small = replace(machine_of("plasma", None), bed_mm=(50.0, 500.0))
    assert "off-bed" in codes(text, bench_of(job, machine=small))
    # pockets leave no piece, and a bit that is set on the table is through at 0
    sign = set_operation(job_of("router", zero="table", tabs=0), [3], "pocket")
    bench = bench_of(sign, tables=(1,))
    done = rehearse(of_program(text_of(sign)), bench)
    assert [one.code for one in done.events if one.code != "missed"] == []
    assert done.pieces == 2  # the small hole is all kerf


def test_what_is_not_understood_is_not_run():
    good = text_of(job_of())
    with pytest.raises(NotUnderstoodError, match="line 12"):
        of_program("\n".join([*good.splitlines()[:11], "G1 X#1", *good.splitlines()[11:]]))
    with pytest.raises(UnitMissingError):
        of_program(good.replace("G21", ""))
    assert of_program(good.replace("G21", ""), "mm")
    with pytest.raises(NotUnderstoodError):
        of_program("\x7fELF\x02\x01\x00")


def test_what_comes_free_is_what_geos_says():
    rng = np.random.default_rng(5)
    for _ in range(20):
        # rings that cross each other, one after the other
        rings = [
            np.column_stack([np.cos(a), np.sin(a)]) * rng.uniform(8, 20) + rng.uniform(0, 60, 2)
            for a in [np.linspace(0, 2 * np.pi, 60)] * 6
        ]
        runs = [Run(ring, 0.8, float(k), k) for k, ring in enumerate(rings)]
        pieces, kerfs = freed(runs, None)
        whole = shapely.union_all(kerfs)
        sheet = shapely.box(-100, -100, 200, 200)
        parts = [p for p in shapely.get_parts(sheet.difference(whole)) if p.area > 0.01]
        # each place that is loose at the end came free once, and with it what was cut of it later
        loose = [p for p in parts if not p.touches(sheet.boundary) and p.area < 80000]
        for part in loose:
            at = part.representative_point()
            assert sum(one.shape.contains(at) for one in pieces) >= 1
        free = shapely.union_all([one.shape for one in pieces])
        assert shapely.union_all(loose).difference(free).area < 0.02
        assert free.difference(shapely.union_all([*loose, whole])).area < 0.02


def test_a_sheet_that_is_cut_in_two_keeps_its_larger_half():
    across = Run(np.array([[30.0, -5], [30, 55]]), 1.0, 1.0, 1)
    (piece,), _ = freed([across], (0.0, 0.0, 100.0, 50.0))
    assert piece.shape.area == pytest.approx(29.5 * 50)


def test_what_is_wanted_is_laid_on_what_is_cut():
    job = job_of("laser")
    steps = of_program(text_of(job))
    scene = scene_of(steps, bench_of(job))
    runs = runs_of(scene)
    pieces, _ = freed(runs, None)
    away = parts_of(job, (40.0, -7.0))
    parts, moved = laid_on(away, pieces, runs)
    assert moved == pytest.approx((-40, 7), abs=0.001)
    assert rehearse(steps, bench_of(job, wanted=parts)).events == ()
    # a little beside its place, and far off where tabs hold all of it and nothing comes free
    for process, tabs, off in (("plasma", 0, (1.4, -3.9)), ("plasma", 4, (-61.0, 33.0))):
        text, bench = planned_bench(job_of(process, tabs=tabs))
        beside = parts_of(job_of(process), off)
        done = rehearse(of_program(text), replace(bench, wanted=beside))
        assert done.events == ()
        assert done.moved == pytest.approx((-off[0], -off[1]), abs=0.005)
    # another part is not
    other = (shapely.box(0, 0, 300, 20),)
    assert laid_on(other, [Piece(shapely.box(0, 0, 100, 100), 0)], runs) == (other, (0.0, 0.0))


def planned_bench(job: Job, **more: object) -> tuple[str, Bench]:
    """A job's program, and the bench that its plan asks for."""
    plan = planned(job)
    wanted = wanted_of_plan(job, plan, (0.0, 0.0))
    return text_of(job), replace(bench_for(wanted, plan.machine), **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(("times", "said"), [(25.4, True), (1 / 25.4, True), (0.4, False)])
def test_a_feed_of_the_other_unit_is_asked_about(times, said):
    text, bench = planned_bench(job_of("router"))
    other = re.sub(r"F([\d.]+)", lambda m: f"F{float(m[1]) * times:.3f}", text)
    first = next(k for k, line in enumerate(other.splitlines(), 1) if "F" in line and "G1" in line)
    found = rehearse(of_program(other), replace(bench, machine=None)).events
    assert [(one.code, one.line) for one in found] == [("unit-suspect", first)] * said


def test_a_part_that_tabs_hold_is_measured_as_if_they_were_broken_off():
    for process in ("router", "plasma"):
        text, bench = planned_bench(job_of(process, tabs=3))
        done = rehearse(of_program(text), bench)
        assert done.events == ()
        assert done.deviation is not None
        assert done.beyond_radius is not None
        # what is left at the square hole's corners is the tool's roundness alone, and of such a
        # rounding the middle lies that far from both sides
        assert done.beyond_radius < 0.01
        left = (1 - math.sqrt(0.5)) * WIDTH[process] / 2
        assert done.deviation == pytest.approx(left, abs=0.01)
        # the same program half a millimetre too large is that far off
        away = [shapely.transform(one, lambda points: points * 1.01) for one in bench.wanted]
        off = rehearse(of_program(text), replace(bench, wanted=tuple(away)))
        assert off.deviation is not None
        assert off.deviation > 0.5


def test_pockets_are_held_against_their_depth():
    job = set_operation(job_of("router", zero="table"), [3], "pocket")
    text, bench = planned_bench(job)
    done = rehearse(of_program(text), bench)
    assert done.events == ()
    assert done.depth_off == pytest.approx(0, abs=1e-6)
    # Z counts from the table here: 6 mm above it is the sheet's top, the floor lies at 2.5
    deeper = text.replace("Z2.5", "Z2.2")
    assert "over-depth" in codes(deeper, bench)
    shallow = text.replace("Z2.5", "Z3")
    done = rehearse(of_program(shallow), bench)
    assert done.depth_off == pytest.approx(0.5, abs=1e-6)
    assert "missed" in [one.code for one in done.events]


def test_an_outline_that_is_cut_in_part_is_missed_there():
    text, bench = planned_bench(job_of("laser"))
    lines = text.splitlines()
    last = max(k for k, line in enumerate(lines) if line.startswith("M3"))
    corners = [k for k in range(last, len(lines)) if lines[k].startswith("G1 X")]
    # the beam is off along half a side of the plate of 100 mm, from where the cut begins
    spoiled = [*lines[: corners[1]], "M5", lines[corners[1]].replace("G1", "G0"), "M3"]
    spoiled += lines[corners[1] + 1 :]
    found = rehearse(of_program("\n".join(spoiled)), bench).events
    missed = [one for one in found if one.code == "missed"]
    assert len(missed) == 1
    assert any(45 < float(word) < 55 for word in re.findall(r"\d+", missed[0].text))


def test_slugs_that_may_tip_and_cuts_near_clamps_are_told():
    # a square of 50 mm, cut from its lower left corner; then the torch goes right over it
    text = "G21 G17 G90 G94\nG0 X0 Y0 Z5\nM3\nG1 X50 F1500\nG1 Y50\nG1 X0\nG1 Y0\nM5\n"
    text += "G0 Z8\nG0 X60 Y60\nM3\nG1 X80\nM5\nM2\n"
    # slats 40 mm apart: it lies on one of them at least, and not surely on two
    on_slats = Bench("plasma", 1.5, slats=40.0)
    (tipped,) = rehearse(of_program(text), on_slats).events
    assert (tipped.code, tipped.severity, tipped.line) == ("tip-up", "look", 10)
    assert codes(text, replace(on_slats, slats=60.0)) == []  # it drops
    assert codes(text, replace(on_slats, slats=20.0)) == []  # it lies on two
    assert codes(text.replace("G0 Z8", "G0 Z30"), on_slats) == []  # high above it
    text, bench = planned_bench(job_of("plasma"))
    sheet = (-20.0, -20.0, 120.0, 120.0)
    assert "clamp" not in codes(text, replace(bench, sheet=sheet, margin=10.0))
    assert "clamp" in codes(text, replace(bench, sheet=sheet, margin=25.0))


def test_a_course_is_looked_at_at_any_moment():
    text, bench = planned_bench(job_of("router", zero="table"))
    course = course_of(of_program(text), bench)
    plan = planned(job_of("router", zero="table"))
    # where the machine stands before the first move, the file does not say
    spent = times(motions(plan), plan.machine)
    assert course.seconds == pytest.approx(spent.seconds, rel=0.01)
    before = course.at(0.0)
    for t in np.linspace(0, course.seconds, 400):
        now = course.at(float(t))
        assert (now.step, now.runs, now.pieces, now.pierces) >= (before.step, 0, 0, 0)
        assert now.cut_mm >= before.cut_mm - 1e-9
        a, b = course.scene.table.first[now.step], course.scene.table.last[now.step]
        if course.scene.table.turn[now.step] == 0:
            # on the straight between both ends
            assert math.dist(a, now.place) + math.dist(now.place, b) == pytest.approx(
                math.dist(a, b), abs=1e-6
            )
        before = now
    end = course.at(course.seconds)
    assert (end.runs, end.pieces) == (len(course.runs), course.done.pieces)
    assert end.pierces == course.done.pierces
    # going back carves the same as going there
    carving = Carving(course, (-10.0, -10.0, 110.0, 110.0))
    third = carving.at(course.seconds / 3).heights().copy()
    carving.at(course.seconds)
    assert np.array_equal(carving.at(course.seconds / 3).heights(), third)


def test_time_agrees_with_a_machine_that_is_moved_a_thousand_times_a_second():
    # an L of two ways of 60 mm: speed up, round the corner, slow down, in steps of a millisecond
    text = "G21 G17 G90 G94\nG0 X0 Y0\nM3\nG1 X60 F3000\nG1 Y60\nM5\nM2\n"
    machine = machine_of("plasma", None)
    course = course_of(of_program(text), Bench("plasma", 1.0, machine=machine))
    a, top = machine.acceleration_mm_s2, 50.0
    # the corner is rounded by so much: the radius that leaves it by that bends at v * v / r = a
    radius = machine.corner_mm / (math.sqrt(2) - 1)
    corner = math.sqrt(a * radius)
    t, place, speed = 0.0, 0.0, 0.0
    while place < 120:
        goal = 60.0 if place < 60 else 120.0
        least = corner if place < 60 else 0.0
        brake = (speed * speed - least * least) / (2 * a)
        speed += (-a if goal - place <= brake else a) * 1e-3
        speed = min(max(speed, 0.5), top)
        place += speed * 1e-3
        t += 1e-3
    assert course.seconds == pytest.approx(t, rel=0.05)

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
from silhueta.core.rehearsal.bench_of import laid_on, parts_of
from silhueta.core.rehearsal.kerfs import Piece, Run, freed
from silhueta.core.rehearsal.rehearse import Bench, rehearse, runs_of
from silhueta.core.rehearsal.steps import of_program
from silhueta.core.rs274.interpret import NotUnderstoodError, UnitMissingError
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
    pieces, _ = freed(runs_of(steps, bench_of(job)), None)
    away = parts_of(job, (40.0, -7.0))
    parts, moved = laid_on(away, pieces)
    assert moved == pytest.approx((-40, 7), abs=0.01)
    assert rehearse(steps, bench_of(job, wanted=parts)).events == ()
    # another part is not
    other = (shapely.box(0, 0, 300, 20),)
    assert laid_on(other, [Piece(shapely.box(0, 0, 100, 100), 0)]) == (other, (0.0, 0.0))

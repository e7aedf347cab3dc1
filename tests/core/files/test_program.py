"""Programs of plans: written, read again by other code, and refused where they are spoiled."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.tooling import Known
from silhueta.core.errors import FileError
from silhueta.core.files.export import export
from silhueta.core.files.plan_job import export_plan
from silhueta.core.files.program_proof import prove_program
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from silhueta.core.rs274.interpret import interpret
from silhueta.core.shop.machines import machine_of
from silhueta.core.shop.materials import known_materials
from tests.conftest import square


def sign() -> Job:
    """A board with a hole, a pocket and a V-groove; the bit under two numbers."""
    loops = (square(120), circle_loop((20, 20), 6), square(30, (60, 60)), square(8, (20, 80)))
    job = Job(
        "Sign (é); 1",
        outline=Outline(tuple(map(Contour, loops))),
        inspect=Limits("router", 12.0, 6.0, material="plywood"),
    )
    job = set_operation(set_operation(job, [3], "pocket"), [4], "vgroove")
    tools = (Tool(1, "flat", 6.0), Tool(2, "flat", 6.0, zero="table"), Tool(3, "vbit", 12.0, 60.0))
    return replace(job, plan=replace(job.plan, tools=tools))


def plate() -> Job:
    loops = (square(80), circle_loop((30, 30), 9))
    return Job(outline=Outline(tuple(map(Contour, loops))), inspect=Limits("plasma", 6.0, 1.5))


@pytest.mark.parametrize("job", [sign(), plate()])
@pytest.mark.parametrize("units", ["mm", "in"])
def test_a_program_is_read_back_as_it_was_meant(job, units):
    plan = planned(job)
    steps = motions(plan)
    text = program_bytes(plan, steps, units, (12.3, -4.5), job.name)
    moves = prove_program(plan, steps, (12.3, -4.5), text, "x.nc")
    assert moves > 20
    assert max(map(len, text.splitlines())) < 120


MACHINES = {
    "short lines": {"arcs": "lines", "arc_error_mm": 0.02},
    "mirrored": {"inverse": ("Y",)},
    "turned round": {"inverse": ("X", "Y", "Z"), "arcs": "lines"},
    "few decimals": {"decimals": 3, "comments": "none", "line_numbers": 10},
    "its own words": {
        "comments": "semicolon",
        "torch_on": "M64 P1 ; lit",
        "torch_off": "M65 P1",
        "spindle_on": "M4",
        "start_lines": ("G54", "G64 P0.01", "M8"),
        "end_lines": ("M9",),
        "line_numbers": 5,
    },
}


@pytest.mark.parametrize("job", [sign(), plate()])
@pytest.mark.parametrize("units", ["mm", "in"])
@pytest.mark.parametrize("how", MACHINES)
def test_machines_have_their_own_ways(job, units, how):
    plan = planned(job)
    plan = replace(plan, machine=replace(plan.machine, **MACHINES[how]))
    text = program_bytes(plan, motions(plan), units, (0, 0))
    assert prove_program(plan, motions(plan), (0, 0), text, "x.nc") > 20
    lines = text.decode().splitlines()
    if how == "few decimals":
        assert lines[0].startswith("N10 G2")
        assert "(" not in text.decode()
    if how == "turned round":
        assert not any(line.startswith(("G2 ", "G3 ")) for line in lines)
    if how == "mirrored" and units == "mm":
        feeds = [d for d in interpret(text.decode()) if d.kind == "feed"]
        nodes = np.concatenate([w.path.nodes for e in plan.entries for w in e.ways])
        assert min(d.end[1] for d in feeds) == pytest.approx(-nodes[:, 1].max(), abs=10)
        assert max(d.end[1] for d in feeds) < 20


def test_short_lines_keep_to_their_arcs():
    plan = planned(plate())
    plan = replace(plan, machine=replace(plan.machine, arcs="lines", arc_error_mm=0.02))
    steps = motions(plan)
    text = program_bytes(plan, steps, "mm", (0, 0)).decode()
    off = []
    for deed in interpret(text):
        ends = np.array([deed.start[:2], deed.end[:2]])
        # the hole's round less half the kerf
        if deed.kind == "feed" and np.abs(np.hypot(*(ends - 30).T) - 8.25).max() < 1e-3:
            off.append(8.25 - np.hypot(*(ends.mean(axis=0) - 30)))
    assert len(off) > 20
    assert 0.01 < max(off) <= 0.02
    # one of them left out, or moved off by a little more than is allowed
    lines = text.splitlines()
    k = next(k for k, line in enumerate(lines) if line.startswith("G1 X3") and "Z" not in line)
    for spoiled in (lines[:k] + lines[k + 1 :], [*lines[:k], lines[k] + "1", *lines[k + 1 :]]):
        if spoiled[k].endswith("1"):
            x = spoiled[k].split()[1]
            spoiled[k] = spoiled[k].replace(x, f"X{float(x[1:]) + 0.01:.4f}")[:-1]
        with pytest.raises(FileError, match=r"off its arc|does not follow"):
            prove_program(plan, steps, (0, 0), "\n".join(spoiled).encode(), "x.nc")


REFUSED = {
    "a feed of 9000 mm/min is more": ({}, {"feed": 9000.0}),
    "has no Z, and router goes down": ({"z": "none"}, {}),
    "changes no tools, and this needs 3": ({"tool_change": False}, {}),
    "turns a minute are more than router": ({"max_speed_rpm": 9000.0}, {}),
    "goes 10 mm up and down, and this needs 17 mm": ({"z_travel_mm": 10.0}, {}),
    "G38.2.* is not known": ({"start_lines": ("G38.2 Z0",)}, {}),
    "rapid where": ({"start_lines": ("G21", "G0 X1")}, {}),
}


@pytest.mark.parametrize("words", REFUSED)
def test_what_a_machine_cannot_do_is_refused(words, tmp_path):
    own, settings = REFUSED[words]
    job = sign()
    job = replace(job, plan=replace(job.plan, **settings))
    known = Known(known_materials()[0], (replace(machine_of("router", None), **own),))
    with pytest.raises(FileError, match=words):
        export_plan(job, planned(job, known=known), None, tmp_path / "x.nc")
    assert not list(tmp_path.iterdir())


def test_a_part_far_from_zero_is_off_the_bed(tmp_path):
    job = plate()
    there = replace(job, cut_file=replace(job.cut_file, origin="picture"))
    far = Contour(square(80, (3000, 0)))
    there = replace(there, outline=Outline((far,)))
    plan = planned(there)
    with pytest.raises(FileError, match=r"reaches to X 308.* off the bed of torch-table"):
        export_plan(there, plan, None, tmp_path / "x.nc")


def test_a_beam_says_its_power():
    job = replace(plate(), inspect=Limits("laser", 3.0, 0.2, material="plywood"))
    plan = planned(job)
    plan = replace(plan, machine=replace(plan.machine, full_power_s=1000.0))
    text = program_bytes(plan, motions(plan), "mm", (0, 0)).decode()
    assert plan.material is not None
    assert plan.material.power_percent
    assert f"S{plan.material.power_percent * 10:g} M3" in text
    spoiled = text.replace(f"S{plan.material.power_percent * 10:g}", "S1000", 1)
    with pytest.raises(FileError, match="S1000 instead of"):
        prove_program(plan, motions(plan), (0, 0), spoiled.encode(), "x.nc")


def test_each_tool_counts_from_its_own_zero():
    plan = planned(sign())
    text = program_bytes(plan, motions(plan), "mm", (0, 0)).decode()
    assert "(tool 2: flat 6 mm, set Z 0 on the table)" in text
    lows: dict[float, float] = {}
    tool = 0.0
    for deed in interpret(text):
        if deed.kind == "tool":
            tool = deed.value
        elif deed.kind == "feed":
            lows[tool] = min(lows.get(tool, 9.0), deed.end[2])
    assert lows[1] == pytest.approx(-3.5)
    assert lows[2] == pytest.approx(0.0)  # through the sheet, to the table
    assert lows[3] == pytest.approx(-3.0)


def test_a_torch_is_on_only_while_it_cuts():
    plan = planned(plate())
    on, heights = False, set()
    for deed in interpret(program_bytes(plan, motions(plan), "mm", (0, 0)).decode()):
        if deed.kind in ("on", "off"):
            on = deed.kind == "on"
        if deed.kind == "rapid":
            assert not on
        if deed.kind == "feed" and deed.end[:2] != deed.start[:2]:
            assert on
            heights.add(round(deed.end[2], 6))
    assert not on
    assert heights == {1.5}


SPOILED = {
    "plane": lambda text: text.replace("G17", "G18", 1),
    "unit": lambda text: text.replace("G21", "G20", 1),
    "off is missing": lambda text: text.replace("M5\n", "", 1),
    "a line is lost": lambda text: _without_line(text, "G1 "),
    "centre": lambda text: _moved_centre(text),
    "feed": lambda text: text.replace(" F", " F1", 1),
    "the end": lambda text: "\n".join(text.splitlines()[: len(text.splitlines()) // 2]),
    "one more": lambda text: text.replace("M2", "G0 X1 Y1\nM2"),
}


def _without_line(text: str, start: str) -> str:
    lines = text.splitlines()
    places = [k for k, line in enumerate(lines) if line.startswith(start)]
    del lines[places[len(places) // 2]]
    return "\n".join(lines)


def _moved_centre(text: str) -> str:
    """Move the centre of an arc by 0.01 mm along its chord's bisector, so that its radii agree."""
    lines = text.splitlines()
    k = next(k for k, line in enumerate(lines) if line.startswith(("G2", "G3")) and "I" in line)
    deed = next(one for one in interpret(text) if one.line == k + 1)
    assert deed.centre is not None
    chord = np.subtract(deed.end[:2], deed.start[:2])
    aside = np.array([-chord[1], chord[0]]) / np.hypot(*chord) * 0.01
    i, j = np.array(deed.centre) + aside - deed.start[:2]
    words = [word for word in lines[k].split() if word[0] not in "IJ"]
    lines[k] = " ".join([*words, f"I{i:.4f}", f"J{j:.4f}"])
    return "\n".join(lines)


@pytest.mark.parametrize("how", SPOILED)
def test_a_spoiled_program_is_refused(how):
    plan = planned(plate())
    steps = motions(plan)
    text = program_bytes(plan, steps, "mm", (0, 0)).decode()
    spoiled = SPOILED[how](text)
    assert spoiled != text
    with pytest.raises(FileError, match="not kept"):
        prove_program(plan, steps, (0, 0), spoiled.encode(), "x.nc")


def test_a_program_needs_a_plan_and_a_bed_that_is_large_enough(tmp_path):
    job = plate()
    _, proof = export_plan(job, planned(job), None, tmp_path / "p.nc")
    assert "(X 0, Y 0 is the lower left corner of the outline)" in proof.file.read_text()
    assert proof.file.exists()
    with pytest.raises(FileError, match="needs a cut plan"):
        export(draw(job.outline), tmp_path / "o.nc")
    wide = replace(job, outline=Outline((Contour(square(1300)),)))
    with pytest.raises(FileError, match="along X, the bed of torch-table has 1250 mm"):
        export_plan(wide, planned(wide), None, tmp_path / "w.nc")
    assert not (tmp_path / "w.nc").exists()
    assert not (tmp_path / "o.nc").exists()

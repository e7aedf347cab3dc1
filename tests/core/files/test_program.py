"""Programs of plans: written, read again by other code, and refused where they are spoiled."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
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
    assert proof.file.exists()
    with pytest.raises(FileError, match="needs a cut plan"):
        export(draw(job.outline), tmp_path / "o.nc")
    wide = replace(job, outline=Outline((Contour(square(1300)),)))
    with pytest.raises(FileError, match="along X, the bed of torch-table has 1250 mm"):
        export_plan(wide, planned(wide), None, tmp_path / "w.nc")
    assert not (tmp_path / "w.nc").exists()
    assert not (tmp_path / "o.nc").exists()

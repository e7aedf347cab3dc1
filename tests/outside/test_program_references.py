"""Programs, paper and pictures against what others know of them.

NISTIR 6556 is T. R. Kramer, F. M. Proctor and E. Messina, "The NIST RS274NGC Interpreter, Version
3", 2000; its rules are told from memory, with the section. The reader of programs is pygcode, from
the registry. Sizes of paper are worked out from what ISO 216 says of them (from memory).
"""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pygcode
import pytest

from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.datum.sheets import SIZES
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from tests.conftest import square

PILL = Loop(
    np.array([[20, 60], [60, 60], [60, 78], [20, 78.0]]),
    np.array([LINE, ARC, LINE, ARC], np.uint8),
    np.array([0, 1.0, 0, 1.0]),
)


def job_of(process: Process) -> Job:
    loops = (square(120), circle_loop((85, 30), 12), PILL, square(25, (20, 15)))
    width = {"plasma": 1.5, "laser": 0.2, "router": 6.0, "knife": 0.0}[process]
    job = Job("Étrier (2)", outline=Outline(tuple(map(Contour, loops))))
    job = replace(job, inspect=Limits(process, 9.0, width))
    if process != "router":
        return job
    bits = (Tool(1, "flat", 6.0), Tool(2, "flat", 6.0, zero="table"), Tool(3, "vbit", 12.7, 60.0))
    job = set_operation(set_operation(job, [3], "vgroove"), [4], "pocket")
    return replace(job, plan=replace(job.plan, tools=bits))


PROCESSES: tuple[Process, ...] = ("plasma", "laser", "router", "knife")


@pytest.mark.parametrize("process", PROCESSES)
@pytest.mark.parametrize("units", ["mm", "in"])
def test_another_reader_goes_where_the_plan_goes(process, units):
    plan = planned(job_of(process))
    steps = motions(plan)
    machine = pygcode.Machine()
    scale = 25.4 if units == "in" else 1.0
    came = []
    for line in program_bytes(plan, steps, units, (3.0, 4.0)).decode().splitlines():
        block = pygcode.Line(line).block
        machine.process_block(block)
        moves = (pygcode.GCodeRapidMove, pygcode.GCodeLinearMove, pygcode.GCodeArcMove)
        for code in block.gcodes:
            if isinstance(code, moves) and "X" in code.params:
                at = machine.pos
                kind = "rapid" if isinstance(code, pygcode.GCodeRapidMove) else "cut"
                came.append((kind, at.X * scale, at.Y * scale, at.Z * scale))
    want, up = [], 0.0
    for one in steps:
        if one.kind == "tool":
            up = plan.thickness if one.tool.zero == "table" else 0.0
        if one.kind in ("rapid", "cut", "plunge"):
            kind = "rapid" if one.kind == "rapid" else "cut"
            z = 0.0 if plan.machine.z == "none" else up
            want += [(kind, x + 3, y + 4, h + z) for x, y, h in one.points[1:].tolist()]
    assert [one[0] for one in came] == [one[0] for one in want]
    off = np.abs(np.array([one[1:] for one in came]) - [one[1:] for one in want])
    assert off[:, : 2 if plan.machine.z == "none" else 3].max() < 1e-3


@pytest.mark.parametrize("process", PROCESSES)
@pytest.mark.parametrize("units", ["mm", "in"])
@pytest.mark.parametrize("decimals", [3, 6])
def test_each_line_is_what_the_standard_takes(process, units, decimals):
    plan = planned(job_of(process))
    plan = replace(plan, machine=replace(plan.machine, decimals=decimals, line_numbers=10))
    text = program_bytes(plan, motions(plan), units, (0, 0), "Étrier (2)").decode("ascii")
    feed, scale, ended = 0.0, None, False
    at = np.zeros(2)
    for line in text.splitlines():
        assert len(line) <= 256  # 3.3: a line has at most 256 letters
        assert re.match(r"N\d{1,5} ", line)  # 3.3.1: a line number is a whole one to 99999
        assert not ended  # 3.6.1: nothing after M2 is run
        bare = re.sub(r"\([^()]*\)", "", line)
        assert "(" not in bare  # 3.3.3: a comment is closed in its line, and holds no other
        words = re.findall(r"([A-Z])([^A-Z\s]*)", bare)
        for _, value in words:  # 3.3.2.1: digits, one point at most, no exponent
            assert re.fullmatch(r"-?\d+(\.\d+)?", value)
        letters = [letter for letter, _ in words if letter not in "GM"]
        assert len(set(letters)) == len(letters)  # 3.3.5: no letter twice but G and M
        codes = [value for letter, value in words if letter == "G"]
        motion = [code for code in codes if code in ("0", "1", "2", "3")]
        assert len(motion) <= 1  # 3.4, Table 4: one word of a modal group in a line
        acts = [value for letter, value in words if letter == "M"]
        assert len(acts) <= 4  # 3.3.5: four M words at most
        told = {letter: float(value) for letter, value in words if letter not in "GM"}
        if "20" in codes or "21" in codes:
            scale = 25.4 if "20" in codes else 1.0
        feed = told.get("F", feed)
        if not motion:
            continue
        assert scale is not None
        if motion != ["0"]:
            assert feed > 0  # 3.5.2: a feed is in force before anything is cut
        end = np.array([told.get("X", at[0]), told.get("Y", at[1])])
        if motion[0] in "23":
            centre = at + [told["I"], told["J"]]
            radii = math.dist(at, centre), math.dist(end, centre)
            # 3.5.3.2: they may differ by 0.002 mm, or 0.0002 in
            assert abs(radii[0] - radii[1]) <= (0.002 if scale == 1.0 else 0.0002) + 1e-9
        at = end
        ended = "2" in acts
    assert text.splitlines()[-1].endswith(" M2")  # 3.6.1: it ends


def test_paper_is_as_large_as_iso_216_says():
    # the first of the A series has a square metre, its sides are as 1 to the root of 2, each next
    # one is half of the one before; all are rounded down to whole mm
    for name, number in (("a3", 3), ("a4", 4), ("a5", 5)):
        long = 1000 * 2 ** (0.25 - number / 2)
        assert SIZES[name] == (math.floor(long / math.sqrt(2) + 0.2), math.floor(long + 0.2))
    assert SIZES["letter"] == pytest.approx((8.5 * 25.4, 11 * 25.4))

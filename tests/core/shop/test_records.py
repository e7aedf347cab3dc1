"""Open files of tools, materials and machines: what is wrong is told, the rest counts."""

from __future__ import annotations

from dataclasses import replace

import pytest

from silhueta.core.errors import EditError, FileError
from silhueta.core.files.shop_files import save_tools
from silhueta.core.plan_settings import Tool
from silhueta.core.shop import tools as shop_tools
from silhueta.core.shop.machines import (
    load_machines,
    machine_of,
    machine_text,
    shipped_machines,
)
from silhueta.core.shop.materials import material_of, shipped_materials
from silhueta.core.shop.tools import known_tools, load_tools, read_tools, shipped_tools


def test_a_broken_record_is_told_with_its_line_and_the_rest_counts(tmp_path):
    text = (
        b"odd = 1\n[[tool]]\nnumber = 1\nkind = 'flat'\ndiameter_mm = 6.0\nspin = 3\n"
        b"[[tool]]\nnumber = = 2\n[[tool]]\nnumber = 3\nkind = 'hammer'\n[[machine]]\n"
        b"[[tool]]\nnumber = 4\nkind = 'drill'\ndiameter_mm = true\n"
    )
    found = read_tools(text, "t.toml")
    assert [(one.number, one.kind) for one in found.records] == [(1, "flat"), (4, "drill")]
    lines = [fault.split(":")[0] for fault in found.wrong]
    assert lines == [f"t.toml, line {n}" for n in (1, 6, 8, 9, 12, 16)]
    for name, data in (("n.toml", b"\xff\xfe"), ("e.toml", b""), ("x.toml", b"[[tool]\n")):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(FileError):
            load_tools(tmp_path / name)
    with pytest.raises(FileError):
        load_tools(tmp_path / "missing.toml")
    with pytest.raises(FileError):
        load_tools(tmp_path)


def test_own_tools_win_and_come_back_as_they_were(tmp_path, monkeypatch):
    monkeypatch.setattr(shop_tools, "own_folder", lambda: tmp_path / "new")
    assert known_tools() == (shipped_tools(), ())
    own = (
        Tool(1, "flat", 6.35, zero="top", note='a "quoted" one'),
        Tool(2, "vbit", 12.7, 30.0, feed_mm_min=900.0),
    )
    save_tools(own)
    assert known_tools() == (own, ())
    (tmp_path / "new" / "tools.toml").write_text("[[tool]]\nkind = 3\n")
    tools, wrong = known_tools()
    assert "line 2" in wrong[0]
    assert tools


def test_the_nearest_thickness_counts_and_a_far_one_is_told():
    known = shipped_materials()
    steel, said = material_of("plasma", "Steel", 6.2, known)
    assert steel is not None
    assert (steel.thickness_mm, said) == (6.0, "")
    _, said = material_of("plasma", "steel", 20.0, known)
    assert "try them on a scrap" in said
    with pytest.raises(EditError, match="known: steel"):
        material_of("plasma", "cheese", 6.0, known)
    assert machine_of("plasma", None, shipped_machines()).name == "torch-table"
    with pytest.raises(EditError, match="torch-table"):
        machine_of("plasma", "nonesuch", shipped_machines())


WRONG = [
    ("arcs = 'spirals'", "arcs is centre or lines"),
    ("z = 'up'", "z is depth or none"),
    ("inverse = ['U']", "inverse names axes"),
    ("decimals = 2", "decimals is 3 to 6"),
    ("arc_error_mm = 0.0", "arc_error_mm is 0.001 to 1 mm"),
    ("line_numbers = 500", "line_numbers is 0 to 100"),
    ("torch_on = 'M5'", "torch_on and torch_off are the same line"),
    ("beam_off = ' '", "cannot be empty"),
    ("start_lines = ['G1é']", "is no line of a program"),
    ("bed_mm = [0, 100]", "bed of mill must be more than 0"),
    ("max_feed_mm_min = 0", "max_feed_mm_min of mill must be more than 0"),
]


@pytest.mark.parametrize(("line", "words"), WRONG)
def test_a_machine_that_cannot_be_is_told_with_its_line(tmp_path, line, words):
    given = {
        "bed_mm": "[300, 200]", "max_feed_mm_min": "900", "rapid_mm_min": "900",
        "acceleration_mm_s2": "100",
    }  # fmt: skip
    name, value = line.split(" = ")
    record = "\n".join(f"{key} = {said}" for key, said in {**given, name: value}.items())
    file = tmp_path / "m.toml"
    file.write_text(f"[[machine]]\nname = 'mill'\n{record}\n", encoding="utf-8")
    with pytest.raises(FileError, match=f"m.toml, line 1: .*{words}"):
        load_machines(file)


def test_a_machine_comes_back_as_it_was(tmp_path):
    mine = replace(
        machine_of("router", None),
        name="mine",
        inverse=("Y",),
        start_lines=("G54", "G64 P0.01"),
        spindle_on="M4",
        tool_change=False,
        line_numbers=10,
    )
    file = tmp_path / "m.toml"
    file.write_text(machine_text(mine))
    found = load_machines(file)
    assert (found.records, found.wrong) == ([mine], ())
    # values of another kind are told, and the rest counts
    file.write_text(machine_text(mine).replace('["Y"]', "[3]").replace("10", '"ten"'))
    found = load_machines(file)
    assert [one.split(": ")[1] for one in found.wrong] == [
        "inverse must be words in quotes, in brackets",
        "line_numbers must be a whole number",
    ]
    assert found.records == [replace(mine, inverse=(), line_numbers=0)]

"""Open files of tools, materials and machines: what is wrong is told, the rest counts."""

from __future__ import annotations

import pytest

from silhueta.core.errors import EditError, FileError
from silhueta.core.files.shop_files import save_tools
from silhueta.core.plan_settings import Tool
from silhueta.core.shop import tools as shop_tools
from silhueta.core.shop.machines import machine_of, shipped_machines
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

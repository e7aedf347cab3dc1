"""The command rehearse: what is said, its report, its exit codes, and bad input."""

from __future__ import annotations

import json

import pytest
from PIL import Image

from silhueta.core.cutting.drawing import draw
from silhueta.core.files.export import export
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from tests.conftest import square

PLASMA = ("--process", "plasma", "--thickness", "6mm", "--kerf", "1.5mm")


@pytest.fixture
def cut(call, tmp_path):
    """A part, and its program and plan."""
    loops = (square(80), circle_loop((30, 30), 9))
    export(draw(Outline(tuple(map(Contour, loops)))), tmp_path / "part.dxf")
    outs = ("-o", tmp_path / "p.nc", "-o", tmp_path / "p.dxf", "-o", tmp_path / "p.svg")
    assert call("cut", tmp_path / "part.dxf", *outs, *PLASMA, "--material", "steel")[0] == 0
    return tmp_path


@pytest.mark.parametrize("name", ["p.nc", "p.dxf", "p.svg"])
def test_a_sound_file_runs_through(call, cut, name):
    code, stdout, _ = call(
        "rehearse", cut / name, "--against", cut / "part.dxf", *PLASMA,
        "--report", cut / "r.json", "--picture", cut / "r.png",
    )  # fmt: skip
    assert code == 0
    assert "runs through: 2 pieces" in stdout
    told = json.loads((cut / "r.json").read_text())
    assert (told["events"], told["pieces"]) == ([], 2)
    assert told["deviation_mm"] < 0.02
    assert told["pierces"] == 2
    assert min(told["seconds"], told["cut_mm"], told["rapid_mm"]) > 0
    with Image.open(cut / "r.png") as image:
        colours = {colour for _, colour in image.convert("RGB").getcolors(100_000)}
    assert {(233, 223, 196), (28, 35, 41)} <= colours  # what came free, and kerfs


def test_a_mistake_ends_with_three_and_names_its_line(call, cut):
    lines = (cut / "p.nc").read_text().splitlines()
    k = lines.index("M5")
    del lines[k]
    (cut / "bad.nc").write_text("\n".join(lines))
    code, stdout, _ = call("rehearse", cut / "bad.nc", *PLASMA, "--report", cut / "r.json")
    assert code == 3
    first = json.loads((cut / "r.json").read_text())["events"][0]
    assert first["code"] == "left-on"
    assert first["severity"] == "stop"
    assert lines[first["line"] - 1].startswith("G0")
    assert f"left-on at {first['at_s']:.1f} s" in stdout


@pytest.mark.parametrize(
    ("text", "code", "words"),
    [
        ("G21\nG18 G1 X1 F9\nG2 X3 I1\n", 3, "line 3"),
        ("G21\nG1 X1 F9\nG2 X3 Y3 I1\n", 3, "radii"),
        ("G21\n#1 = 3\n", 3, "line 2"),
        ("G21 G0 X1\nG1 X", 3, "line 2"),
        ("G21 G1 X5 F0\n", 3, "feed of 0"),
        ("G1 X5 F100\n", 2, "give --units mm or --units in"),
    ],
)
def test_what_is_not_understood_is_named_and_not_run(call, tmp_path, text, code, words):
    (tmp_path / "x.nc").write_text(text)
    got, stdout, stderr = call("rehearse", tmp_path / "x.nc")
    assert got == code
    assert words in stdout + stderr
    assert call("rehearse", tmp_path / "x.nc", "--units", "mm")[0] == 3


def test_files_that_are_none(call, cut):
    (cut / "x.nc").write_bytes(bytes(range(256)) * 40)
    assert call("rehearse", cut / "x.nc")[0] == 3
    assert call("rehearse", cut / "nowhere.nc")[0] == 1
    (cut / "x.dxf").write_bytes(b"PK\x03\x04")
    assert call("rehearse", cut / "x.dxf")[0] == 1
    both = ("--kerf", "1mm", "--bit", "1mm")
    assert call("rehearse", cut / "p.nc", *both)[0] == 2
    assert call("rehearse", cut / "p.nc", "--report", cut / "p.nc")[0] == 2

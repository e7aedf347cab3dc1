"""The command rehearse: what is said, its report, its exit codes, and bad input."""

from __future__ import annotations

import json

import numpy as np
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


def test_a_carved_board_is_drawn_in_its_light(call, tmp_path):
    # a slot of 10 mm, 3 mm deep, across the middle of a board
    (tmp_path / "x.nc").write_text(
        "G21 G90\nM3 S9000\nG0 X10 Y30 Z5\nG1 Z-3 F300\nG1 X90\nG0 Z5\nM5\nM2\n"
    )
    wood = ("--process", "router", "--bit", "10mm", "--thickness", "12mm", "--sheet", "100x60mm")
    assert call("rehearse", tmp_path / "x.nc", *wood, "--picture", tmp_path / "x.png")[0] == 0
    with Image.open(tmp_path / "x.png") as image:
        grey = np.asarray(image.convert("L")).astype(float)
    middle = grey[:, grey.shape[1] // 2]
    scale = (grey.shape[0] - 96) / 60  # px in a mm; 48 px of white all round
    top, floor = (middle[round(48 + mm * scale)] for mm in (10, 30))
    upper, lower = (middle[round(48 + mm * scale) - 3 :][:6] for mm in (25, 35))
    assert floor < 0.95 * top
    assert upper.min() < 0.9 * floor  # the wall that turns from the lamp
    assert lower.max() > 1.02 * floor  # and the one that faces it
    # of a program that never goes down there is none
    (tmp_path / "air.nc").write_text("G21 G0 X5 Y5\nM2\n")
    code, _, stderr = call("rehearse", tmp_path / "air.nc", "--picture", tmp_path / "air.png")
    assert (code, "nothing is cut" in stderr) == (1, True)


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

"""`silhueta build`: outlines put together from the command line."""

import json
import math
import re

import pytest

from silhueta.core.files.inspect_file import inspect_file

PLATE = '<rect x="10" y="10" width="60" height="40"/>'
BORE = '<circle cx="70" cy="30" r="10"/>'


@pytest.fixture
def files(tmp_path):
    made = []
    for name, shape in (("plate", PLATE), ("bore", BORE)):
        file = tmp_path / f"{name}.svg"
        file.write_text(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="60mm" '
            f'viewBox="0 0 100 60">{shape}</svg>'
        )
        made.append(file)
    return made


def test_a_plate_as_large_as_a_refusal_names_is_made(call, files, tmp_path):
    target = tmp_path / "made.dxf"
    given = ("build", files[1], "-o", target, "--negative", "--margin", "3.333mm", "--plate")
    code, _, said = call(*given, "20x20mm")
    needed = re.search(r"needs ([0-9.]+) × ([0-9.]+) mm", said)
    assert code == 1
    assert needed is not None
    assert call(*given, f"{needed[1]}x{needed[2]}mm")[0] == 0


HALF = math.pi * 100 / 2  # of the bore lies on the plate, whose edge goes through its centre


@pytest.mark.parametrize(
    ("how", "area", "loops"),
    [
        ("--union", 2400 + HALF, 1),
        ("--subtract", 2400 - HALF, 1),
        ("--intersect", HALF, 1),
        ("--exclude", 2400, 2),
    ],
)
def test_two_files_are_put_together(call, files, tmp_path, how, area, loops):
    target = tmp_path / "made.dxf"
    assert call("build", *files, how, "-o", target)[0] == 0
    found = inspect_file(target)
    assert found["area_mm2"] == pytest.approx(area, abs=1e-3)
    assert found["outer_loops"] + found["holes"] == loops
    assert found["segments"]["curve"] == 0
    assert found["segments"]["arc"] >= 1  # arcs stay arcs


def test_a_welded_part_is_grown_turned_and_copied(call, files, tmp_path):
    target, report = tmp_path / "made.svg", tmp_path / "made.json"
    options = ("--offset", "-2mm", "--turn", "90deg", "--copies", "3x2", "--gap", "4mm")
    assert call("build", files[0], "-o", target, *options, "--report", report)[0] == 0
    told = json.loads(report.read_text())
    assert told["outer_loops"] == 6
    assert told["size_mm"] == pytest.approx([3 * 36 + 2 * 4, 2 * 56 + 4], abs=1e-6)
    grown = tmp_path / "grown.dxf"
    options = ("--union", "--offset", "3mm", "--corners", "sharp", "--mirror", "x")
    assert call("build", *files, "-o", grown, *options)[0] == 0
    assert inspect_file(grown)["outer_loops"] == 1


@pytest.mark.parametrize(
    ("options", "code", "says"),
    [
        ((), 2, "tell what becomes of 2 outlines"),
        (("--union", "--offset", "wide"), 2, "Invalid value"),
        (("--union", "--turn", "north"), 2, "no angle such as"),
        (("--union", "--copies", "3"), 2, "no number of copies"),
        (("--union", "--copies", "4000x4000"), 1, "copies can be made"),
        (("--union", "--offset", "-40mm"), 1, "the result is empty"),
        (("--union", "--turn", "5", "--origin", "picture"), 2, "own coordinates"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_written(call, files, tmp_path, options, code, says):
    target = tmp_path / "made.dxf"
    got, _, err = call("build", *files, "-o", target, *options)
    assert got == code
    assert says in err
    assert not target.exists()


def told(report):
    return json.loads(report.read_text())


def test_a_nameplate_is_lettered_bridged_and_proven(call, tmp_path):
    target, report = tmp_path / "name.dxf", tmp_path / "name.json"
    options = ["--text", "Andorinha", "--cap-height", "60mm", "--font", "Slab", "--negative"]
    options += ["--plate", "480x120mm", "--radius", "5mm", "--bridge", "4mm"]
    assert call("build", *options, "-o", target, "--report", report)[0] == 0
    found = told(report)
    assert found["size_mm"] == [480, 120]
    assert (found["outer_loops"], found["islands"]) == (1, 0)
    assert found["bridges"] == 2 * 4  # A, d, o, a
    assert inspect_file(target)["self_crossings"] == 0


def test_a_panel_comes_in_files_of_sections_and_copies_on_a_sheet(call, files, tmp_path):
    target, report = tmp_path / "part.svg", tmp_path / "part.json"
    options = ["--sections", "25x45mm", "--joint", "straight", "--report", report]
    assert call("build", files[0], "-o", target, *options)[0] == 0
    sections = told(report)["sections"]
    assert [s["file"] for s in sections] == ["part-1.svg", "part-2.svg", "part-3.svg"]
    sizes = [inspect_file(tmp_path / s["file"])["size_mm"] for s in sections]
    assert sum(wide for wide, _ in sizes) == pytest.approx(60, abs=1e-6)
    options = ["--copies", "3x1", "--sheet", "160x110mm", "--gap", "4mm", "--report", report]
    assert call("build", files[0], "-o", tmp_path / "sheet.svg", *options)[0] == 0
    assert told(report)["placed"] == 3
    assert told(report)["fill"] == [pytest.approx(3 * 2400 / (160 * 110), abs=1e-4)]
    code, _, err = call("build", files[0], "-o", target, "--sheet", "50x50mm")
    assert code == 1
    assert "do not fit the sheet" in err


def test_colours_come_as_layers_with_marks_at_the_same_places(call, tmp_path):
    file, report = tmp_path / "emblem.svg", tmp_path / "emblem.json"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60">'
        '<rect width="80" height="60" fill="#14344d"/>'
        '<circle cx="40" cy="30" r="20" fill="#c79a3b"/>'
        "</svg>"
    )
    options = ["--trap", "1mm", "--base", "--mirror", "x", "--report", report]
    assert call("build", file, "-o", tmp_path / "cut.dxf", *options)[0] == 0
    told_ = told(report)["layers"]
    assert [one["file"] for one in told_] == ["cut-base.dxf", "cut-14344d.dxf", "cut-c79a3b.dxf"]
    assert all(one["size_mm"] == pytest.approx([100, 80], abs=1e-6) for one in told_)
    areas = [inspect_file(tmp_path / one["file"])["area_mm2"] for one in told_]
    marks = 4 * math.pi * 1.5**2
    under = 80 * 60 - math.pi * 19**2
    assert areas == pytest.approx([4800 + marks, under + marks, math.pi * 400 + marks], abs=0.01)
    assert call("build", file, "-o", tmp_path / "x.dxf", "--trap", "1mm", "--turn", "5")[0] == 2
    plain = tmp_path / "plain.dxf"
    assert call("build", file, "-o", plain, "--union")[0] == 0
    code, _, err = call("build", plain, "-o", tmp_path / "x.dxf", "--trap", "1mm")
    assert code == 1
    assert "no colours" in err


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (["--text", "A"], "needs --cap-height"),
        ([], "name a file"),
        (["--text", "A", "--cap-height", "5mm", "--negative"], "nothing without --plate"),
        (["--text", "日", "--cap-height", "5mm"], "has no “日”"),
        (["--text", "x" * 10_000, "--cap-height", "5mm"], "10,000 letters"),
        (["--text", "A", "--cap-height", "5mm", "--plate", "3x3mm"], "is smaller than"),
        (["--text", "A", "--cap-height", "5mm", "--copies", "99999x99999"], "10,000 copies"),
        (["--text", "A", "--cap-height", "5mm", "--offset", "-40mm"], "nothing is left"),
        (["--text", "A", "--cap-height", "5mm", "--sheet", "axb"], "is no size"),
    ],
)
def test_what_cannot_be_lettered_or_placed_is_said(call, tmp_path, options, says):
    code, _, err = call("build", *options, "-o", tmp_path / "made.dxf")
    assert code in (1, 2)
    assert says in err
    assert not list(tmp_path.iterdir())

"""The command cut: files of a plan, its report, and what it refuses."""

from __future__ import annotations

import json
import math
import tomllib

import ezdxf
import pytest
from PIL import Image
from pypdfium2 import PdfDocument

from silhueta.core.cutting.drawing import draw
from silhueta.core.files.export import export
from silhueta.core.files.inspect_file import inspect_file, read_drawing
from silhueta.core.files.job_file import save_job
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job
from silhueta.core.rs274.interpret import interpret
from tests.conftest import square

CONTOURS = (
    Contour(square(100)),
    Contour(circle_loop((25, 25), 8)),
    Contour(square(30, (55, 55)), operation="engrave"),
    Contour(square(8, (10, 70)), operation="mark"),
)


@pytest.fixture
def part(tmp_path):
    export(draw(Outline(CONTOURS)), tmp_path / "part.dxf")
    return tmp_path / "part.dxf"


def test_a_plasma_plan_as_dxf_and_svg(call, part, tmp_path):
    out, picture, told = (tmp_path / name for name in ("o.dxf", "o.svg", "r.json"))
    program = tmp_path / "o.nc"
    code, stdout, _ = call(
        "cut", part, "-o", out, "-o", picture, "-o", program, "--process", "plasma",
        "--thickness", "6mm", "--kerf", "1.6mm", "--lead", "arc", "--lead-length", "5mm",
        "--report", told, "--setup", tmp_path / "s.txt",
    )  # fmt: skip
    assert code == 0
    assert "read back, the same" in stdout
    listed = (tmp_path / "s.txt").read_text()
    for name in ("Material:", "Thickness: 6.00 mm", "Tool: 1, torch", "Unit: mm", "Zero:", "Time:"):
        assert any(line.startswith(name) for line in listed.splitlines())
    report = json.loads(told.read_text())
    assert [one["is"] for one in report["order"]] == ["mark", "engraving", "hole", "outer"]
    assert report["tools"][0]["kind"] == "torch"
    assert report["tools"][0]["diameter_mm"] == 1.6
    assert report["machine"]["name"] == "torch-table"
    assert report["pierces"] == 4
    assert report["left_out"] == []
    assert min(report[name] for name in ("rapid_mm", "cut_mm", "seconds")) > 0
    # the hole is cut inside its line by half the kerf, where the file had it
    document = ezdxf.readfile(out)
    (hole,) = (e for e in document.modelspace() if e.dxf.layer == "CUT_INSIDE_T1")
    for x, y in hole.get_points("xy"):
        assert math.dist((x, y), (25, 25)) == pytest.approx(8 - 0.8, abs=1e-6)
    order = [e.dxf.layer for e in document.modelspace()]
    assert order.index("CUT_INSIDE_T1") < order.index("CUT_OUTSIDE_T1")
    assert inspect_file(picture)["closed_paths"] == 4
    # the same ways in the program, in mm: the torch goes on once for each cut
    deeds = list(interpret(program.read_text()))
    assert sum(one.kind == "on" for one in deeds) == 4
    assert {round(one.feed) for one in deeds if one.kind == "feed"} >= {1800}
    far = [math.dist(one.end[:2], (25, 25)) for one in deeds if one.centre == (25.0, 25.0)]
    assert far == pytest.approx([7.2] * len(far), abs=1e-3)
    assert far


def test_a_router_plan_with_pocket_groove_and_two_bits(call, part, tmp_path):
    tools = tmp_path / "tools.toml"
    tools.write_text(
        '[[tool]]\nnumber = 1\nkind = "flat"\ndiameter_mm = 6.35\n'
        '[[tool]]\nnumber = 2\nkind = "flat"\ndiameter_mm = 6.35\nzero = "table"\n'
        '[[tool]]\nnumber = 3\nkind = "vbit"\ndiameter_mm = 12.0\nangle_deg = 60\nspin = 1\n'
    )
    told = tmp_path / "r.json"
    code, _, stderr = call(
        "cut", part, "-o", tmp_path / "o.dxf", "--process", "router", "--material", "plywood",
        "--thickness", "12mm", "--bit", "6.35mm", "--depth", "3.5mm", "--tabs", "4",
        "--operations", "ENGRAVE=pocket", "--operations", "MARK=vgroove", "--tools", tools,
        "--report", told, "--quiet",
    )  # fmt: skip
    assert code == 0
    assert "line 15: spin is not known" in stderr
    report = json.loads(told.read_text())
    listed = [(one["operation"], one["tool"], one["passes"]) for one in report["order"]]
    assert listed == [("vgroove", 3, 1), ("pocket", 1, 2), ("cut", 2, 6), ("cut", 2, 6)]
    assert report["order"][1]["depth_mm"] == 3.5
    assert report["order"][3]["tabs"] == 4
    layers = {e.dxf.layer for e in ezdxf.readfile(tmp_path / "o.dxf").modelspace()}
    assert layers == {"VGROOVE_T3", "POCKET_T1", "CUT_INSIDE_T2", "CUT_OUTSIDE_T2", "TAB_T2"}


def test_a_program_for_each_tool(call, part, tmp_path):
    out = tmp_path / "o.nc"
    code, stdout, _ = call(
        "cut", part, "-o", out, "--process", "router", "--thickness", "12mm", "--bit", "6mm",
        "--operations", "MARK=vgroove", "--operations", "ENGRAVE=pocket", "--split-tools",
    )  # fmt: skip
    assert code == 0
    files = sorted(file.name for file in tmp_path.glob("*.nc"))
    assert files == ["o-1-groove.nc", "o-2-pocket.nc"]  # one bit pockets and cuts through
    assert all(name in stdout for name in files)
    texts = [(tmp_path / name).read_text() for name in files]
    tools = [{one.value for one in interpret(t) if one.kind == "tool"} for t in texts]
    assert tools == [{2}, {1}]
    flat = ("cut", part, "-o", tmp_path / "o.dxf", "--process", "plasma", "--split-tools")
    assert call(*flat)[0] == 2


def test_machines_are_listed_and_printed_as_toml(call, tmp_path):
    code, stdout, _ = call("machines")
    assert code == 0
    assert [line.split()[0] for line in stdout.splitlines()] == ["torch-table", "router", "beam"]
    code, stdout, _ = call("machines", "router")
    assert code == 0
    assert tomllib.loads(stdout)["machine"][0]["bed_mm"] == [1200.0, 800.0]
    (tmp_path / "own.toml").write_text(stdout.replace("1200.0", "90.0"))
    export(draw(Outline(CONTOURS)), tmp_path / "p.dxf")
    code, _, stderr = call(
        "cut", tmp_path / "p.dxf", "-o", tmp_path / "p.nc", "--process", "router",
        "--thickness", "6mm", "--machine", tmp_path / "own.toml",
    )  # fmt: skip
    assert code == 1
    assert "along X, the bed of router has 90 mm" in stderr
    assert not (tmp_path / "p.nc").exists()
    assert call("machines", "nonesuch")[0] == 1


def test_a_job_is_planned_as_it_is_and_coordinates_stay(call, tmp_path):
    moved = Outline((Contour(square(50, (200, 300))), Contour(circle_loop((225, 325), 9))))
    save_job(Job(outline=moved), tmp_path / "j.silhueta")
    out = tmp_path / "o.dxf"
    common = ("--process", "laser", "--kerf", "0.2mm", "--lead", "none", "--quiet")
    assert call("cut", tmp_path / "j.silhueta", "-o", out, *common)[0] == 0
    box = bounding_box(read_drawing(out).paths)
    assert box == pytest.approx((199.9, 299.9, 250.1, 350.1), abs=1e-6)
    assert call("cut", tmp_path / "j.silhueta", "-o", out, *common, "--origin", "corner")[0] == 0
    box = bounding_box(read_drawing(out).paths)
    assert box == pytest.approx((-0.1, -0.1, 50.1, 50.1), abs=1e-6)
    machine = ("--compensate", "machine")
    assert call("cut", tmp_path / "j.silhueta", "-o", out, *common, *machine)[0] == 0
    assert bounding_box(read_drawing(out).paths) == pytest.approx((200, 300, 250, 350), abs=1e-6)
    assert flatten(read_drawing(out).paths[0]).shape[1] == 2


@pytest.mark.parametrize(
    ("more", "code", "words"),
    [
        ((), 2, "--process is missing"),
        (("--process", "plasma", "--setup", "s.doc"), 2, ".txt or .pdf"),
        (("--process", "plasma", "--paper", "a3"), 2, "--paper does nothing"),
        (("--process", "router"), 1, "thickness is not told"),
        (("--process", "plasma", "--kerf", "1mm", "--bit", "1mm"), 2, "one width"),
        (("--process", "plasma", "--passes", "2", "--depth-per-pass", "1mm"), 2, "the same"),
        (("--process", "plasma", "--feed", "0"), 2, "--feed"),
        (("--process", "plasma", "--operations", "X=cut"), 2, "no outline on a layer"),
        (("--process", "plasma", "--operations", "MARK=saw"), 2, "tells no layer"),
        (("--process", "plasma", "--material", "cheese"), 1, "known: steel"),
        (("--process", "plasma", "--machine", "nonesuch"), 1, "known: torch-table"),
        (("--process", "plasma", "--tools", "nowhere.toml"), 1, "cannot be read"),
        (("--process", "router", "--thickness", "3mm", "--bit", "900mm"), 3, "does not fit"),
        (("--process", "router", "--thickness", "3mm", "--depth", "4mm"), 3, "more than the sheet"),
        (("--process", "plasma", "--operations", "ENGRAVE=pocket"), 3, "makes no pocket"),
    ],
)
def test_what_cannot_be_planned_is_said(call, part, tmp_path, more, code, words):
    got, _, stderr = call("cut", part, "-o", tmp_path / "o.dxf", *more)
    assert (got, (tmp_path / "o.dxf").exists()) == (code, code == 3)
    assert words in stderr
    assert "Traceback" not in stderr


def test_the_part_on_paper_as_a_picture_and_as_a_list(call, part, tmp_path):
    names = ("o.nc", "o.pdf", "o.png", "o.txt", "s.pdf")
    program, proof, picture, listed, setup = (tmp_path / name for name in names)
    code, stdout, _ = call(
        "cut", part, "-o", program, "-o", proof, "-o", picture, "-o", listed, "--setup", setup,
        "--process", "plasma", "--thickness", "6mm", "--paper", "letter", "--dpi", "254",
        "--png-shows", "filled",
    )  # fmt: skip
    assert code == 0
    # the part itself, not where tools go
    assert "o.nc: 101.50 x" in stdout.replace("101.5 ", "101.50 ") or "with leads" in stdout
    assert "o.pdf: 100.00 x 100.00 mm; read back" in stdout
    page = PdfDocument(proof)[0]
    assert sorted(page.get_size()) == pytest.approx([612, 792], abs=0.5)  # points: 8.5 x 11 in
    assert "part: paper proof, 1:1" in page.get_textpage().get_text_range()
    assert sorted(PdfDocument(setup)[0].get_size()) == pytest.approx([612, 792], abs=0.5)
    with Image.open(picture) as image:
        assert image.size == (1000, 1000)
        assert image.info["dpi"] == pytest.approx((254, 254), abs=0.02)
    assert "Tool: 1, torch" in listed.read_text()


@pytest.mark.parametrize("command", ["tidy", "true", "build"])
def test_other_commands_write_them_too(call, part, tmp_path, command):
    proof, picture = tmp_path / "o.pdf", tmp_path / "o.png"
    code, _, _ = call(
        command, part, "-o", proof, "-o", picture, "--paper", "a3", "--dpi", "127",
        "--pdf-bar-up", "99mm",
    )  # fmt: skip
    assert code == 0
    assert sorted(PdfDocument(proof)[0].get_size()) == pytest.approx([841.9, 1190.6], abs=0.5)
    with Image.open(picture) as image:
        # half a line more on each side
        assert image.size == pytest.approx((502, 502), abs=1)
    (tmp_path / "o.pdf").unlink()
    code, _, stderr = call(command, part, "-o", tmp_path / "o.dxf", "--paper", "a3")
    assert (code, "--paper does nothing without a .pdf" in stderr) == (2, True)
    code, _, stderr = call(command, part, "-o", proof, "--pdf-bar-up", "50mm")
    assert (code, "not 90 to 110 mm" in stderr) == (2, True)
    assert not proof.exists()


REFUSED = [
    (("--process", "plasma", "--feed", "20000"), "more than torch-table can do (10000)"),
    (("--process", "router", "--bit", "6mm", "--machine", "{own}"), "more than mill can do"),
    (("--process", "plasma", "--machine", "{poor}"), "bed of mill must be more than 0"),
]


@pytest.mark.parametrize(("more", "words"), REFUSED)
def test_what_a_machine_cannot_do_is_refused_and_nothing_written(call, part, tmp_path, more, words):
    own = tmp_path / "own.toml"
    text = '[[machine]]\nname = "mill"\nbed_mm = [300, 300]\nmax_feed_mm_min = 900\n'
    text += "rapid_mm_min = 900\nacceleration_mm_s2 = 100\nmax_speed_rpm = 500\nnonsense = 3\n"
    own.write_text(text)
    (tmp_path / "poor").write_text(text.replace("[300, 300]", "[0, 300]"))
    more = [word.format(own=own, poor=tmp_path / "poor") for word in more]
    before = sorted(tmp_path.iterdir())
    code, _, stderr = call(
        "cut", part, "-o", tmp_path / "o.pdf", "-o", tmp_path / "o.nc", "--thickness", "6mm", *more
    )
    assert code == 1
    assert words in stderr
    assert sorted(tmp_path.iterdir()) == before
    # the drawing of the same plan needs no machine
    if "--feed" in more:
        code, _, stderr = call("cut", part, "-o", tmp_path / "o.dxf", "--thickness", "6mm", *more)
        assert (code, "a program with it is refused" in stderr) == (0, True)

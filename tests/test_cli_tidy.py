"""`silhueta tidy`: a messy file becomes a clean cut file."""

import json
import math
import os

import ezdxf
import pytest

from silhueta.core.files import drawing_open
from silhueta.core.files.inspect_file import inspect_file

# on a page of 200 x 150 mm: a frame, a plate in three pieces of which two share an end, one of
# them drawn twice, a bore, dust, a text, and a hidden rectangle
MESSY = """<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm"
 viewBox="0 0 200 150" fill="none" stroke="black" stroke-width="0.1">
 <rect width="200" height="150"/>
 <path d="M20 20 H120 V90"/><path d="M120 90.3 H20"/><path d="M20 90.3 V20.2"/>
 <path d="M20 20 H120 V90" transform="translate(0.05,0.05)"/>
 <circle cx="60" cy="50" r="11"/><circle cx="61" cy="120" r="0.2"/><text x="3" y="9">a</text>
 <g style="display:none"><rect width="9" height="9"/></g></svg>"""


@pytest.fixture
def messy(tmp_path):
    file = tmp_path / "messy.svg"
    file.write_text(MESSY)
    return file


def test_a_messy_svg_becomes_one_plate_with_its_bore(call, messy, tmp_path):
    target, report = tmp_path / "plate.dxf", tmp_path / "report.json"
    code, _, err = call(
        "tidy",
        messy,
        "-o",
        target,
        "-o",
        tmp_path / "plate.svg",
        "--drop-frame",
        "--gap",
        "0.5mm",
        "--double",
        "0.2mm",
        "--speck",
        "2mm2",
        "--tolerance",
        "0.05mm",
        "--report",
        report,
    )
    assert (code, err) == (0, "silhueta: Left out of messy.svg: 1 text, 1 hidden.\n")
    for file in (target, tmp_path / "plate.svg"):
        found = inspect_file(file)
        assert (found["outer_loops"], found["holes"], found["open_paths"]) == (1, 1, 0)
        assert found["size_mm"] == pytest.approx([100, 70.3], abs=0.06)
        assert found["area_mm2"] == pytest.approx(7030 - 121 * math.pi, rel=2e-3)
    told = json.loads(report.read_text())
    assert told["offers"] == {"frame": 1, "specks": 1, "doubles": 1, "gaps": 3}
    assert told["left_out"] == {"texts": 1, "hidden": 1}
    assert told["segments"] == {"line": 4, "arc": 1, "curve": 0}


def test_zero_leaves_an_offer_out_and_the_frame_stays_unless_asked(call, messy, tmp_path):
    target, report = tmp_path / "plate.dxf", tmp_path / "report.json"
    limits = ("--gap", "0", "--double", "0mm", "--speck", "0", "--tolerance", "0")
    code, _, _ = call("tidy", messy, "-o", target, *limits, "--report", report)
    assert code == 0
    told = json.loads(report.read_text())
    assert told["offers"] == {}
    assert told["size_mm"] == pytest.approx([200, 150])
    assert told["open_paths"] == 4


@pytest.mark.parametrize(("keep", "loops"), [("all", 3), ("outer+holes", 2), ("outer", 1)])
def test_loops_are_kept_by_their_depth(call, tmp_path, keep, loops):
    file, target = tmp_path / "rings.svg", tmp_path / "rings.dxf"
    rings = "".join(f'<circle cx="50" cy="50" r="{r}"/>' for r in (40, 30, 20))
    file.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" '
        f'viewBox="0 0 100 100">{rings}</svg>'
    )
    assert call("tidy", file, "-o", target, "--keep", keep)[0] == 0
    assert inspect_file(target)["closed_paths"] == loops


def test_the_origin_is_the_page_s_lower_left_with_y_up(call, messy, tmp_path):
    target = tmp_path / "plate.dxf"
    assert call("tidy", messy, "-o", target, "--drop-frame", "--origin", "picture")[0] == 0
    (circle,) = ezdxf.readfile(target).modelspace().query("CIRCLE")
    assert tuple(circle.dxf.center)[:2] == pytest.approx((60, 100))


@pytest.mark.parametrize(
    ("unit", "wide"), [("mm", 96), ("in", 96 * 25.4), ("px", 25.4), (None, 25.4)]
)
def test_numbers_without_a_unit_are_what_the_person_says(call, tmp_path, unit, wide):
    file, target = tmp_path / "plain.svg", tmp_path / "plain.dxf"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 96 96">'
        '<rect width="96" height="48"/></svg>'
    )
    said = () if unit is None else ("--file-units", unit)
    assert call("tidy", file, "-o", target, *said)[0] == 0
    assert inspect_file(target)["size_mm"] == pytest.approx([wide, wide / 2])


def test_lines_of_a_dxf_become_one_loop_and_what_is_switched_off_stays_out(call, tmp_path):
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    corners = [(0, 0), (40, 0), (40, 20), (0, 20)]
    for k, start in enumerate(corners):
        space.add_line(start, corners[(k + 1) % 4])
    document.layers.add("AIDS").off()
    space.add_circle((20, 10), 5, dxfattribs={"layer": "AIDS"})
    space.add_text("plate")
    file, target, report = (tmp_path / name for name in ("in.dxf", "out.svg", "report.json"))
    document.saveas(file)
    assert call("tidy", file, "-o", target, "--report", report)[0] == 0
    found = inspect_file(target)
    assert (found["outer_loops"], found["holes"], found["open_paths"]) == (1, 0, 0)
    assert json.loads(report.read_text())["left_out"] == {"hidden": 1, "texts": 1}


def test_a_drawing_that_takes_minutes_is_asked_about(call, messy, tmp_path, monkeypatch):
    monkeypatch.setattr(drawing_open, "MANY_SEGMENTS", 12)
    target = tmp_path / "out.dxf"
    code, _, err = call("tidy", messy, "-o", target)
    assert code == 1
    assert "lines and curves in 7 paths" in err
    assert "--many" in err
    assert not target.exists()
    assert call("tidy", messy, "--many", "-o", target)[0] == 0


def test_of_specks_alone_nothing_is_left_and_that_is_said(call, tmp_path):
    file, target = tmp_path / "dust.svg", tmp_path / "out.dxf"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90">'
        '<path d="M9 9h.2v.2h-.2z M80 80h.2v.2h-.2z"/></svg>'
    )
    code, _, err = call("tidy", file, "--speck", "1mm2", "-o", target)
    assert code == 1
    assert "nothing is left of dust.svg (2 specks taken away); give --speck 0mm2" in err
    assert call("tidy", file, "--speck", "0mm2", "-o", target)[0] == 0


def test_names_that_are_no_text_are_read_written_and_shown(call, messy, tmp_path):
    odd = tmp_path / os.fsdecode(b"plate\xff.svg")
    odd.write_bytes(messy.read_bytes())
    assert call("tidy", odd, "-o", tmp_path / os.fsdecode(b"out\xfe.dxf"))[0] == 0
    code, _, err = call("tidy", tmp_path / os.fsdecode(b"gone\xff.svg"), "-o", tmp_path / "o.dxf")
    assert code == 1
    assert "gone\ufffd.svg" in err


@pytest.mark.parametrize("target", ["~nobody-here/out.dxf", "full.dxf"])
def test_what_cannot_be_written_to_is_refused_in_words(call, messy, tmp_path, target):
    (tmp_path / "full.dxf").symlink_to("/dev/full")
    place = target if target.startswith("~") else tmp_path / target
    code, _, err = call("tidy", messy, "-o", place)
    assert code == 1
    assert "fault" not in err
    assert "give" in err


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("empty.svg", '<svg xmlns="http://www.w3.org/2000/svg"/>', "no outline"),
        ("torn.svg", "<svg", "damaged"),
        ("note.txt", "hello", "neither DXF nor SVG"),
        ("bomb.svg", '<!DOCTYPE s [<!ENTITY a "b">]><svg>&a;</svg>', "unsafe"),
    ],
)
def test_files_without_outlines_say_what_is_wrong(call, tmp_path, name, content, says):
    file = tmp_path / name
    file.write_text(content)
    code, _, err = call("tidy", file, "-o", tmp_path / "out.dxf")
    assert code == 1
    assert says in err
    assert not (tmp_path / "out.dxf").exists()


@pytest.mark.parametrize("wrong", [("--gap", "-1mm"), ("--speck", "x"), ("--keep", "some")])
def test_bad_usage_is_refused(call, messy, tmp_path, wrong):
    assert call("tidy", messy, "-o", tmp_path / "out.dxf", *wrong)[0] == 2


def test_a_page_is_needed_for_its_origin(call, tmp_path):
    document = ezdxf.new("R2000", units=4)
    document.modelspace().add_circle((20, 10), 5)
    document.saveas(tmp_path / "in.dxf")
    code, _, err = call(
        "tidy", tmp_path / "in.dxf", "-o", tmp_path / "out.dxf", "--origin", "picture"
    )
    assert code == 1
    assert "no page" in err


@pytest.mark.parametrize(("strokes", "loops", "length"), [("centre", 0, 50), ("outline", 1, 106)])
def test_a_broad_stroke_is_its_middle_or_what_it_covers(call, tmp_path, strokes, loops, length):
    file, target = tmp_path / "line.svg", tmp_path / "line.dxf"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90">'
        '<path d="M10 10 H60" fill="none" stroke="black" stroke-width="3"/></svg>'
    )
    assert call("tidy", file, "-o", target, "--strokes", strokes)[0] == 0
    found = inspect_file(target)
    assert found["closed_paths"] == loops
    assert found["cut_length_mm"] == pytest.approx(length, abs=0.01)


@pytest.mark.parametrize(
    ("more", "size", "says"),
    [((), 38.1, "says its unit itself, in;"), (("--file-units-force",), 1.5, "")],
)
def test_a_file_that_says_its_unit_is_not_taken_for_another(call, tmp_path, more, size, says):
    file, report = tmp_path / "inch.svg", tmp_path / "report.json"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="2in" height="2in" viewBox="0 0 192 192">'
        '<path d="M10 10h144v144h-144z"/></svg>'
    )
    out = ("-o", tmp_path / "x.dxf", "--report", report, "--file-units", "mm")
    code, _, err = call("tidy", file, *out, *more)
    assert code == 0
    assert says in err
    assert json.loads(report.read_text())["size_mm"] == pytest.approx([size, size])


@pytest.mark.parametrize(
    ("overlaps", "loops", "said"), [("weld", 1, "1 covered shape"), ("lines", 3, "")]
)
def test_what_overlaps_is_welded_unless_all_lines_are_wanted(call, tmp_path, overlaps, loops, said):
    file, target = tmp_path / "plates.svg", tmp_path / "plates.dxf"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="90mm" viewBox="0 0 90 90">'
        '<g fill="black"><rect width="50" height="50"/><rect x="30" y="30" width="50" height="50"/>'
        '<circle cx="20" cy="20" r="5"/></g></svg>'
    )
    code, _, err = call("tidy", file, "-o", target, "--overlaps", overlaps)
    assert code == 0
    assert said in err
    assert inspect_file(target)["closed_paths"] == loops


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("-o", "messy.svg"), "same file"),
        (("-o", "link.svg"), "same file"),
        (("-o", "out.dxf", "-o", "./out.dxf"), "same file"),
        (("-o", "out.dxf", "--report", "out.dxf"), ".json"),
        (("-o", "out.dxf", "--report", "messy.svg"), ".json"),
    ],
)
def test_no_output_takes_the_place_of_a_file_of_the_same_call(call, messy, tmp_path, words, said):
    (tmp_path / "link.svg").symlink_to(messy)
    before = messy.read_bytes()
    placed = [word if word.startswith("-") else tmp_path / word for word in words]
    code, _, err = call("tidy", messy, *placed)
    assert code == 2
    assert said in err
    assert messy.read_bytes() == before
    assert not (tmp_path / "out.dxf").exists()


def test_where_one_output_cannot_be_written_none_is(call, messy, tmp_path):
    target = tmp_path / "plate.dxf"
    target.write_text("old")
    code, _, err = call("tidy", messy, "-o", target, "-o", tmp_path / "gone" / "plate.svg")
    assert code == 1
    assert "cannot write" in err
    assert target.read_text() == "old"


def test_numbers_beyond_a_kilometre_are_refused(call, tmp_path):
    file = tmp_path / "far.svg"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">'
        '<rect width="8e299" height="4"/></svg>'
    )
    code, _, err = call("tidy", file, "-o", tmp_path / "far.dxf")
    assert code == 1
    assert err.count("\n") == 1
    assert not (tmp_path / "far.dxf").exists()


def tidied(call, tmp_path, body, *options):
    """Return the figures of what `tidy` makes of shapes on a page of 100 mm, and what it said."""
    file, target = tmp_path / "shapes.svg", tmp_path / "made.dxf"
    file.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" '
        f'viewBox="0 0 100 100">{body}</svg>'
    )
    code, _, err = call("tidy", file, "-o", target, *options)
    assert code == 0
    return inspect_file(target), err


def test_a_white_disc_with_a_black_outline_is_there_whatever_its_fill(call, tmp_path):
    disc = '<circle cx="50" cy="50" r="40" fill="#fff" stroke="#000" stroke-width="3"/>'
    square = '<rect x="40" y="40" width="20" height="20"/>'
    found, _ = tidied(call, tmp_path, disc + square)
    assert found["size_mm"] == pytest.approx([80, 80], abs=1e-6)
    assert (found["outer_loops"], found["holes"]) == (1, 1)
    found, _ = tidied(call, tmp_path, disc + square, "--strokes", "outline")
    assert found["size_mm"] == pytest.approx([83, 83], abs=1e-3)
    assert (found["outer_loops"], found["holes"]) == (2, 1)


def test_of_a_stroke_is_taken_what_is_to_be_seen(call, tmp_path):
    # the second disc covers a third of the first one's outline; a line in its own colour is
    # not seen, and one along an edge is one line with it
    two = (
        '<g fill="#fff" stroke="#000"><circle cx="40" cy="50" r="30"/>'
        '<circle cx="70" cy="50" r="20"/></g>'
        '<rect x="65" y="45" width="10" height="10"/><path d="M66 50 H74" stroke="#000"/>'
        '<path d="M65 45 H75" stroke="#000" fill="none"/>'
    )
    found, _ = tidied(call, tmp_path, two)
    assert (found["outer_loops"], found["holes"], found["open_paths"]) == (1, 1, 1)
    # where circles of 30 and 20 mm, 30 mm apart, cross: 2 acos(7 / 9) of the first one is hidden
    hidden = 2 * 30 * math.acos((30**2 + 30**2 - 20**2) / (2 * 30 * 30))
    whole = 2 * math.pi * (30 + 20) - hidden + 40
    assert found["cut_length_mm"] == pytest.approx(whole, abs=0.05)


def test_a_star_of_lines_stays_one_and_what_it_goes_round_is_asked(call, tmp_path):
    turns = [4 * math.pi / 5 * k for k in range(5)]
    points = [(50 + 45 * math.cos(turn), 50 + 45 * math.sin(turn)) for turn in turns]
    star = " ".join(f"{x:.4f},{y:.4f}" for x, y in points)
    body = f'<polygon points="{star}" fill="none" stroke="#000"/>'
    found, said = tidied(call, tmp_path, body)
    sides = sum(math.dist(points[k], points[(k + 1) % 5]) for k in range(5))
    assert found["cut_length_mm"] == pytest.approx(sides, rel=1e-3)
    assert "crosses itself (5)" in said
    filled, _ = tidied(call, tmp_path, f'<polygon points="{star}"/>')
    assert filled["self_crossings"] == 0


def test_small_shapes_of_a_drawing_are_asked_about_and_dust_goes(call, tmp_path):
    body = (
        '<rect x="5" y="5" width="90" height="90" fill="#888"/><g fill="#000">'
        '<path d="M20 20 l2.4 0.2 -2.4 0.2 z"/><circle cx="60" cy="60" r="0.2"/></g>'
    )
    found, said = tidied(call, tmp_path, body)
    assert "small shapes that may be meant (2;" in said  # the claw, and its place in the grey
    assert found["closed_paths"] == 2  # the claw, which is the hole of the grey as well
    found, _ = tidied(call, tmp_path, body, "--speck", "1mm2")
    assert found["closed_paths"] == 1

"""Files of strangers: odd ones are read, broken and hostile ones are refused, in bounded time."""

import json

import ezdxf
import numpy as np
import pytest

from silhueta.core.errors import FileError
from silhueta.core.files.dxf_read import read_dxf
from silhueta.core.files.inspect_file import inspect_file, read_drawing
from silhueta.core.files.svg_read import read_svg
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.path import CUBIC, Loop

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
    "{head}>{body}</svg>"
)
A100 = 'width="100mm" height="50mm" viewBox="0 0 100 50"'


def svg(body: str, head: str = A100):
    return read_svg(SVG.format(head=head, body=body).encode(), "part.svg")


@pytest.mark.parametrize(
    ("head", "mm", "units"),
    [
        (A100, 1.0, "mm"),
        ('width="4in" height="2in" viewBox="0 0 400 200"', 0.254, "in"),
        ('width="100" height="50"', 25.4 / 96, "px"),
        ('width="10cm" height="5cm" viewBox="0 0 100 50"', 1.0, "cm"),
    ],
)
def test_an_svgs_own_unit_is_honoured(head, mm, units):
    found = svg('<rect x="10" y="5" width="20" height="10"/>', head)
    assert found.units == units
    left, _, right, _ = bounding_box(found.paths)
    assert right - left == pytest.approx(20 * mm)
    assert left == pytest.approx(10 * mm)


def test_shapes_transforms_and_uses_are_unfolded():
    body = """
      <defs><path id="tab" d="M0 0h4v2h-4z"/></defs>
      <circle cx="20" cy="20" r="5"/>
      <g transform="translate(50 10) rotate(90)"><use xlink:href="#tab" x="1"/></g>
      <line x1="0" y1="0" x2="3" y2="4"/>
      <ellipse cx="80" cy="20" rx="6" ry="3"/>
      <text x="5" y="5">Andorinha</text>"""
    found = svg(body)
    loops = [path for path in found.paths if isinstance(path, Loop)]
    assert len(found.paths) == 4
    circle = next(c for c in map(full_circle, loops) if c is not None)
    assert circle[1] == pytest.approx(5)
    assert sorted(round(abs(signed_area(loop)), 2) for loop in loops) == [
        8.0,
        round(18 * np.pi, 2),
        round(25 * np.pi, 2),
    ]
    assert [length(path) for path in found.paths if not path.closed] == pytest.approx([5])


def test_curves_and_arcs_of_a_path_keep_their_kind():
    found = svg('<path d="M10 10 C20 0 30 0 40 10 Q50 20 40 30 A15 15 0 0 1 10 30 Z"/>')
    kinds = found.paths[0].kinds.tolist()
    assert kinds == [2, 2, 1, 0]


def test_one_path_with_many_subpaths_is_many_paths():
    found = svg('<path d="M0 0h10v10h-10z M2 2h3v3h-3z M20 0 l5 5"/>')
    assert [path.closed for path in found.paths] == [True, True, False]


BOMB = """<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">
<!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">]><svg xmlns="http://www.w3.org/2000/svg"><desc>&c;</desc></svg>"""
OUTSIDE = """<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>
<svg xmlns="http://www.w3.org/2000/svg"><desc>&x;</desc></svg>"""


def use_bomb(deep: int = 12) -> str:
    shapes = '<path id="u0" d="M0 0h1v1z"/>'
    for i in range(deep):
        uses = f'<use xlink:href="#u{i}"/>' * 10
        shapes += f'<g id="u{i + 1}">{uses}</g>'
    return SVG.format(head=A100, body=shapes)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (BOMB, "unsafe"),
        (OUTSIDE, "unsafe"),
        (use_bomb(), "unfolds into over"),
        (SVG.format(head="", body='<g id="a"><use xlink:href="#a"/></g>'), "within itself"),
        ("<svg", "damaged"),
        ("<html/>", "no SVG"),
        (SVG.format(head=A100, body="<g>" * 400 + "</g>" * 400), "without end|200 deep"),
    ],
    ids=["entities", "outside", "uses", "endless use", "cut short", "html", "deep"],
)
def test_hostile_svgs_are_refused_with_a_sentence(text, says):
    with pytest.raises(FileError, match=says) as caught:
        read_svg(text.encode(), "part.svg")
    assert "part.svg" in str(caught.value)


def dxf(build, version="R2000", units=4) -> bytes:
    import io

    document = ezdxf.new(version, units=units)
    build(document)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode()


def test_every_common_entity_of_a_dxf_is_read():
    def build(document):
        space = document.modelspace()
        space.add_line((0, 0), (3, 4))
        space.add_circle((20, 0), 5)
        space.add_arc((0, 0), 10, 350, 80)
        space.add_lwpolyline([(0, 0, 1), (2, 0, 1)], format="xyb", close=True)
        space.add_spline([(0, 0), (5, 5), (10, 0), (15, 5)])
        space.add_ellipse((0, 0), (10, 0), 0.5)
        space.add_text("Andorinha")
        block = document.blocks.new("TAB")
        block.add_lwpolyline([(0, 0), (4, 0), (4, 2), (0, 2)], close=True)
        space.add_blockref("TAB", (100, 100), dxfattribs={"xscale": 2, "yscale": 2, "rotation": 90})

    found = read_dxf(dxf(build), "part.dxf")
    assert found.units == "mm"
    assert len(found.paths) == 7
    lengths = sorted(length(path) for path in found.paths if not path.closed)
    assert lengths[0] == pytest.approx(5)
    assert lengths[1] == pytest.approx(np.pi / 2 * 10)
    areas = sorted(abs(signed_area(path)) for path in found.paths if isinstance(path, Loop))
    assert areas == pytest.approx([np.pi, 32, 25 * np.pi, 50 * np.pi], rel=1e-3)
    assert any((path.kinds == CUBIC).any() for path in found.paths)


@pytest.mark.parametrize(
    ("code", "name", "mm"), [(0, "unitless", 1), (1, "in", 25.4), (4, "mm", 1), (6, "m", 1000)]
)
def test_a_dxfs_unit_is_honoured(code, name, mm):
    found = read_dxf(dxf(lambda d: d.modelspace().add_line((0, 0), (1, 0)), units=code), "part.dxf")
    assert found.units == name
    assert length(found.paths[0]) == pytest.approx(mm)


def test_a_polyline_that_returns_to_its_start_is_closed_in_fact():
    rows = [(0, 0), (10, 0), (10, 5), (0, 5), (0, 0)]
    found = read_dxf(dxf(lambda d: d.modelspace().add_lwpolyline(rows)), "part.dxf")
    assert isinstance(found.paths[0], Loop)
    assert abs(signed_area(found.paths[0])) == 50


def block_bomb(document):
    below = document.blocks.new("B0")
    below.add_line((0, 0), (1, 1))
    for i in range(1, 8):
        block = document.blocks.new(f"B{i}")
        for k in range(12):
            block.add_blockref(f"B{i - 1}", (k, 0))
    document.modelspace().add_blockref("B7", (0, 0))


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (dxf(block_bomb), "unfolds into over"),
        (b"  0\nSECTION\n  2\nENTITIES\n  0\nLINE\n 10\nnot a number\n", r"part\.dxf"),
        (b"  0\nSECTION\n", r"part\.dxf"),
    ],
    ids=["blocks", "no numbers", "cut short"],
)
def test_hostile_dxfs_are_refused_with_a_sentence(tmp_path, data, says):
    (tmp_path / "part.dxf").write_bytes(data)
    with pytest.raises(FileError, match=says) as caught:
        inspect_file(tmp_path / "part.dxf")
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize(
    "data", [b"", b"hello", b"\x00" * 500, b"G1 X10 Y10\n", b"\x89PNG\r\n\x1a\n"]
)
def test_what_is_neither_is_said_to_be_neither(tmp_path, data):
    (tmp_path / "part.dxf").write_bytes(data)
    with pytest.raises(FileError, match=r"neither|empty"):
        read_drawing(tmp_path / "part.dxf")


def test_inspecting_finds_what_is_wrong(tmp_path):
    body = (
        '<path d="M10 10h20v20h-20z"/><path d="M10 10h20v20h-20z"/>'  # twice the same
        '<path d="M50 10l20 20v-20l-20 20z"/>'  # a bow tie
        '<path d="M80 10l10 10"/>'  # open
    )
    (tmp_path / "odd.svg").write_text(SVG.format(head=A100, body=body))
    found = inspect_file(tmp_path / "odd.svg")
    assert found["closed_paths"] == 3
    assert found["open_paths"] == 1
    assert found["self_crossings"] == 1
    assert found["doubles"] == 1
    assert json.dumps(found)


def test_a_file_without_outlines_says_so(tmp_path):
    (tmp_path / "words.svg").write_text(SVG.format(head=A100, body="<text>Andorinha</text>"))
    with pytest.raises(FileError, match="holds no outline"):
        inspect_file(tmp_path / "words.svg")


@pytest.mark.parametrize(
    ("size", "wide"),
    [
        ('width="2in"', 50.8),  # the height follows the viewBox
        ('height="50mm"', 100.0),
        ('width="100%" height="100%"', 100 * 25.4 / 96),
        ("", 100 * 25.4 / 96),
    ],
)
def test_a_size_that_is_not_given_follows_the_view_box(size, wide):
    # SVG 2, section 7.2, and CSS's 96 px an inch
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 100 50">'
        '<rect width="100" height="50"/></svg>'
    )
    drawing = read_svg(svg.encode(), "size.svg")
    assert bounding_box(drawing.paths) == pytest.approx((0, 0, wide, wide / 2), rel=1e-6, abs=1e-9)
    assert drawing.frame == pytest.approx((0, 0, wide, wide / 2), rel=1e-6, abs=1e-9)


def test_what_is_hidden_is_left_out_and_said():
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">'
        '<rect width="1" height="1" visibility="hidden"/><g display="none"><rect width="2" '
        'height="2"/></g><rect width="3" height="3"/><text>x</text></svg>'
    )
    drawing = read_svg(svg.encode(), "hidden.svg")
    assert bounding_box(drawing.paths) == pytest.approx((0, 6, 3, 9))
    assert drawing.left_out == {"hidden": 2, "texts": 1}


def test_a_binary_dxf_is_what_its_text_would_be(tmp_path):
    document = ezdxf.new("R2000", units=4)
    document.modelspace().add_lwpolyline([(0, 0, 0.5), (30, 0, 0), (30, 20, 0)], "xyb", close=True)
    document.modelspace().add_spline([(0, 0), (5, 5), (10, 0), (15, 5)])
    document.saveas(tmp_path / "text.dxf")
    document.saveas(tmp_path / "binary.dxf", fmt="bin")
    text, binary = (read_drawing(tmp_path / f"{name}.dxf") for name in ("text", "binary"))
    assert binary.units == text.units == "mm"
    for one, other in zip(text.paths, binary.paths, strict=True):
        assert other.nodes == pytest.approx(one.nodes, abs=1e-9)
        assert (other.kinds == one.kinds).all()
    (tmp_path / "cut.dxf").write_bytes((tmp_path / "binary.dxf").read_bytes()[:900])
    with pytest.raises(
        FileError, match=r"damaged binary DXF|cannot be understood|damaged or no DXF"
    ):
        read_drawing(tmp_path / "cut.dxf")


def test_what_fills_draw_counts_only_where_nothing_else_does():
    def build(document, line=True):
        space = document.modelspace()
        space.add_solid([(0, 0), (5, 0), (0, 5), (5, 5)])
        hatch = space.add_hatch()
        hatch.paths.add_polyline_path([(0, 0), (40, 0), (40, 20), (0, 20)], is_closed=True)
        if line:
            space.add_circle((3, 3), 2)

    found = read_dxf(dxf(build), "part.dxf")
    assert len(found.paths) == 1
    assert found.left_out == {"solids": 1, "hatches": 1}
    found = read_dxf(dxf(lambda document: build(document, line=False)), "part.dxf")
    assert [abs(signed_area(path)) for path in found.paths] == [800]
    assert found.left_out == {"solids": 1}


def test_one_damaged_thing_is_left_out_and_the_rest_is_read():
    def build(document):
        space = document.modelspace()
        space.add_circle((3, 3), 2)
        space.add_circle((3, 3), -2)
        space.add_lwpolyline([(0, 0), (float("nan"), 5), (9, 9)], close=True)

    found = read_dxf(dxf(build), "part.dxf")
    assert len(found.paths) == 1
    assert found.left_out == {"empty or damaged things": 2}

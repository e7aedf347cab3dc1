"""Writing, proving, reading back."""

import xml.etree.ElementTree as Xml

import numpy as np
import pytest

from silhueta.core.cutting.drawing import Drawing, draw
from silhueta.core.errors import FileError
from silhueta.core.files import dxf_write, svg_write
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.dxf_write import dxf_bytes
from silhueta.core.files.export import compare, export
from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.files.svg_write import svg_bytes
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.transform import scale, transform
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import CutFileSettings
from silhueta.core.tidy.choose import depths
from tests.conftest import hole, square

PLATE = Loop(
    np.array([[6, 0], [94, 0], [100, 6], [100, 54], [94, 60], [6, 60], [0, 54], [0, 6.0]]),
    np.array([LINE, ARC] * 4),
    np.array([0, np.tan(np.pi / 8)] * 4),
)
HOLLOW = Loop(  # a big arc, a hollow one, and a half circle
    np.array([[20, 20], [40, 20], [40, 40], [20, 40.0]]),
    np.array([ARC, LINE, ARC, ARC]),
    np.array([1.0, 0, -0.4, 1.7]),
)
MARK = OpenPath(
    np.array([[70, 20], [80, 30], [90, 20.0]]), np.array([LINE, ARC]), np.array([0, 0.3])
)
CURVED = transform(circle_loop((75, 45), 5), np.diag([1.0, 0.9]), (0, 2))


def drawing(units="mm", origin="corner", **more) -> Drawing:
    paths = [PLATE, hole(HOLLOW), hole(circle_loop((60, 30), 8)), MARK]
    moved = [transform(path, np.eye(2), (13, 17)) for path in paths]
    outline = Outline(tuple(Contour(path) for path in moved))
    return draw(outline, units, origin, more.get("frame", (150.0, 120.0)))


def writer(suffix: str):
    """The module that writes such a file, and its function."""
    return (dxf_write, "dxf_bytes") if suffix == ".dxf" else (svg_write, "svg_bytes")


@pytest.mark.parametrize("units", ["mm", "in"])
@pytest.mark.parametrize("version", ["R12", "R2000"])
@pytest.mark.parametrize("origin", ["corner", "picture"])
@pytest.mark.parametrize("suffix", [".dxf", ".svg"])
def test_every_kind_of_file_comes_back_the_same(tmp_path, suffix, units, version, origin):
    meant = drawing(units, origin)
    target = tmp_path / f"plate{suffix}"
    proof = export(meant, target, CutFileSettings().choosing("dxf.version", version))
    assert proof.figures.size_mm == pytest.approx((100, 60), abs=1e-4)
    # and through the readers for foreign files, which share nothing with the writers
    found = read_drawing(target)
    assert found.units == units
    assert len(found.paths) == 4
    assert sum(path.closed for path in found.paths) == 3
    areas = sorted(abs(signed_area(path)) for path in found.paths if isinstance(path, Loop))
    wanted = sorted(abs(signed_area(path)) for path in meant.paths() if isinstance(path, Loop))
    assert areas == pytest.approx(wanted, rel=1e-5)
    if suffix == ".dxf" or origin == "picture":
        assert bounding_box(found.paths) == pytest.approx(bounding_box(meant.paths()), abs=1e-4)
    arcs = sum(int((path.kinds == ARC).sum()) for path in found.paths)
    assert arcs == 4 + 3 + 2 + 1  # arcs stay arcs, all the way


def test_full_circles_are_circles_and_layers_name_the_operation():
    text = dxf_bytes(drawing(), "R2000").decode()
    assert text.count("\nCIRCLE\n") == 1
    tagged = read_tags(text.encode())
    assert tagged.layers == ["MARK", "CUT_INSIDE", "CUT_INSIDE", "CUT_OUTSIDE"]


@pytest.mark.parametrize(("units", "code"), [("mm", "4"), ("in", "1")])
@pytest.mark.parametrize("version", ["R12", "R2000"])
def test_the_dxf_header_names_unit_and_extents(version, units, code):
    lines = dxf_bytes(drawing(units), version).decode().split("\n")
    assert lines[lines.index("$INSUNITS") + 2].strip() == code
    assert lines[lines.index("$MEASUREMENT") + 2].strip() == ("1" if units == "mm" else "0")
    low, high = lines.index("$EXTMIN"), lines.index("$EXTMAX")
    size = 1.0 if units == "mm" else 25.4
    assert [float(lines[low + k]) for k in (2, 4)] == pytest.approx([0, 0], abs=1e-9)
    assert [float(lines[high + k]) for k in (2, 4)] == pytest.approx([100 / size, 60 / size])


@pytest.mark.parametrize(("units", "width"), [("mm", 100), ("in", 100 / 25.4)])
def test_the_svg_is_plain_and_to_scale(units, width):
    root = Xml.fromstring(svg_bytes(drawing(units)))
    assert root.get("version") == "1.1"
    assert root.get("width") == f"{width:.6f}".rstrip("0").rstrip(".") + units
    box = [float(v) for v in root.get("viewBox").split()]
    assert box == pytest.approx([0, 0, width, 60 / 100 * width], abs=1e-6)
    tags = {element.tag.rpartition("}")[2] for element in root.iter()}
    assert tags == {"svg", "g", "path"}  # no picture, text, script or style sheet
    parts = [p for p in root.iter() if p.get("fill-rule") == "evenodd" and p.get("d")]
    assert len(parts) == 1
    assert parts[0].get("d").count("M") == 3  # the holes are in the part's own path
    assert " A" in parts[0].get("d")


def test_cubics_become_short_lines_in_a_dxf_and_stay_curves_in_an_svg(tmp_path):
    meant = draw(Outline((Contour(PLATE), Contour(hole(CURVED)))))
    export(meant, tmp_path / "a.dxf")
    export(meant, tmp_path / "a.svg")
    lines = read_drawing(tmp_path / "a.dxf").paths
    curves = read_drawing(tmp_path / "a.svg").paths
    assert not any((path.kinds == CUBIC).any() for path in lines)
    assert any((path.kinds == CUBIC).any() for path in curves)
    for paths in (lines, curves):
        areas = sorted(abs(signed_area(path)) for path in paths if isinstance(path, Loop))
        assert areas[0] == pytest.approx(25 * 0.9 * np.pi, rel=2e-3)


@pytest.mark.parametrize("suffix", [".dxf", ".svg"])
@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (
            lambda d: draw(Outline(tuple(Contour(scale(p, 1 / 25.4)) for p in d.paths()))),
            "instead of",
        ),
        (lambda d: draw(Outline(tuple(Contour(p) for p in d.paths()[1:]))), "instead of"),
        (
            lambda d: draw(
                Outline((*(Contour(p) for p in d.paths()), Contour(square(2, (50, 50)))))
            ),
            "instead of",
        ),
        (lambda d: Drawing(d.parts, d.marks, d.frame, "in"), "in in instead of mm"),
    ],
    ids=["25.4 times too small", "a loop lost", "a loop too many", "another unit"],
)
def test_a_file_that_says_something_else_is_not_kept(tmp_path, monkeypatch, suffix, spoil, says):
    module, name = writer(suffix)
    real = getattr(module, name)
    monkeypatch.setattr(module, name, lambda d, *more: real(spoil(d), *more))
    target = tmp_path / f"plate{suffix}"
    target.write_text("an older file")
    with pytest.raises(FileError, match=says):
        export(drawing(), target)
    assert target.read_text() == "an older file"
    assert list(tmp_path.iterdir()) == [target]


def test_an_area_that_differs_is_found():
    with pytest.raises(FileError, match="mm²"):
        compare([PLATE], [Loop(PLATE.nodes, PLATE.kinds, -PLATE.bulges)], "plate")


def test_other_endings_are_refused(tmp_path):
    with pytest.raises(FileError, match=r"none of \.dxf, \.svg, \.nc, \.pdf, \.png"):
        export(drawing(), tmp_path / "plate.ai")


def test_the_proof_stumbles_over_what_was_not_written():
    good = dxf_bytes(drawing(), "R2000").decode()
    for bad in (
        good.replace("\nCIRCLE\n", "\nSPLINE\n"),
        good.replace("$INSUNITS\n 70\n4", "$INSUNITS\n 70\n0"),
        good.replace("ENTITIES", "THINGS"),
    ):
        with pytest.raises(FileError):
            read_tags(bad.encode())


@pytest.mark.parametrize("units", ["mm", "in"])
def test_half_circles_survive_rounding_wherever_they_lie(tmp_path, units):
    # a reader takes the centre from ends and radius: rounded the wrong way it would be far off
    rng = np.random.default_rng(11)
    circles = [
        circle_loop((100 * (i % 12) + rng.uniform(0, 9), 100 * (i // 12)), rng.uniform(0.5, 45))
        for i in range(60)
    ]
    export(draw(Outline(tuple(Contour(c) for c in circles)), units), tmp_path / "a.svg")
    found = read_drawing(tmp_path / "a.svg").paths
    areas = [abs(signed_area(path)) for path in found if isinstance(path, Loop)]
    assert sorted(areas) == pytest.approx(sorted(signed_area(c) for c in circles), rel=1e-5)


def test_each_colour_has_a_layer_and_a_fill_of_its_own_and_is_proven(tmp_path):
    blue, red = (20, 52, 77), (170, 40, 35)
    left, right = square(20, (0, 0)), square(20, (20, 0))  # they share a side
    inner = hole(circle_loop((10, 10), 4))
    outline = Outline(
        (Contour(left, colour=blue), Contour(inner, colour=blue), Contour(right, colour=red))
    )
    made = draw(outline)
    assert [name for name, _ in made.layered()] == [
        "CUT_INSIDE_14344D",
        "CUT_OUTSIDE_14344D",
        "CUT_OUTSIDE_AA2823",
    ]
    for suffix in (".dxf", ".svg"):
        proof = export(made, tmp_path / f"two{suffix}")
        assert proof.figures.size_mm == pytest.approx((40, 20))
    assert b'fill="#14344d"' in (tmp_path / "two.svg").read_bytes()
    assert sum(signed_area(part.outer) for part in made.parts) == pytest.approx(800)


def test_a_header_with_a_number_that_is_none_is_no_proof(tmp_path, monkeypatch):
    real = dxf_write.dxf_bytes

    def spoilt(*given):
        lines = real(*given).decode().split("\n")
        lines[lines.index("$EXTMAX") + 2] = "nan"
        return "\n".join(lines).encode()

    monkeypatch.setattr(dxf_write, "dxf_bytes", spoilt)
    drawing = draw(Outline((Contour(square(20)),)))
    with pytest.raises(FileError):
        export(drawing, tmp_path / "part.dxf")
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("suffix", [".dxf", ".svg"])
def test_what_is_engraved_or_marked_is_no_hole_and_has_a_layer_of_its_own(tmp_path, suffix):
    contours = (
        Contour(PLATE),
        Contour(hole(circle_loop((20, 30), 5.0))),
        Contour(square(10, (60, 20)), operation="engrave"),
        Contour(square(6, (80, 40)), operation="mark"),
    )
    outline = Outline(contours)
    assert depths(outline).tolist() == [0, 1, 1, 1]
    meant = draw(outline)
    assert [layer for layer, _ in meant.layered()] == [
        "ENGRAVE",
        "MARK",
        "CUT_INSIDE",
        "CUT_OUTSIDE",
    ]
    assert [len(part.holes) for part in meant.parts] == [1]
    got = outline_figures(outline)
    assert (got.outer_loops, got.holes) == (1, 1)
    target = tmp_path / f"a{suffix}"
    export(meant, target)
    if suffix == ".dxf":
        assert read_tags(target.read_bytes()).layers[0] == "ENGRAVE"
    else:
        groups = {g.get("id"): len(g) for g in Xml.fromstring(target.read_bytes()) if g.get("id")}
        assert groups == {"cut": 1, "engrave": 1, "mark": 1}


@pytest.mark.parametrize("suffix", [".dxf", ".svg"])
def test_a_file_whose_layers_are_not_those_that_were_meant_is_not_kept(
    tmp_path, suffix, monkeypatch
):
    module, name = writer(suffix)
    kept = getattr(module, name)

    def swapped(*told):
        return kept(*told).replace(b"MARK", b"KNOT").replace(b'"mark"', b'"knot"')

    monkeypatch.setattr(module, name, swapped)
    with pytest.raises(FileError, match=r"other layers \(.*(KNOT|knot) 1.*\) than meant"):
        export(drawing(), tmp_path / f"a{suffix}")
    assert not list(tmp_path.iterdir())

"""`silhueta true`, and `--true` of the other commands: crooked shapes become exact cut files."""

import json

import ezdxf
import numpy as np
import pytest
from PIL import Image

from silhueta.cli.exact import sized
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.relations import WHOLE, Ref, Relation
from tests.conftest import drawn, hole

CROOKED = """<svg xmlns="http://www.w3.org/2000/svg" width="140mm" height="100mm"
 viewBox="0 0 140 100" fill="black" fill-rule="evenodd">
 <path d="M20 80.02 L119.98 80.3 L120.10 30.27 L20.14 30.01 Z
 M38 55 a4.01 4.01 0 1 0 -8.02 0 a4.01 4.01 0 1 0 8.02 0 Z
 M108 55.3 a3.99 3.99 0 1 0 -7.98 0 a3.99 3.99 0 1 0 7.98 0 Z"/></svg>"""


@pytest.fixture
def crooked(tmp_path):
    file = tmp_path / "crooked.svg"
    file.write_text(CROOKED)
    return file


def entities(file):
    space = ezdxf.readfile(file).modelspace()
    lines = next(np.array(list(e.get_points("xy"))) for e in space.query("LWPOLYLINE"))
    circles = [(e.dxf.radius, tuple(e.dxf.center)[:2]) for e in space.query("CIRCLE")]
    return lines, sorted(circles)


def test_a_crooked_plate_comes_out_level_square_and_drilled(call, crooked, tmp_path):
    target, report = tmp_path / "plate.dxf", tmp_path / "plate.json"
    code, _, err = call(
        "true", crooked, "-o", target, "--true", "all", "--level", "auto", "--report", report
    )
    assert (code, err) == (0, "")
    nodes, circles = entities(target)
    edges = np.roll(nodes, -1, axis=0) - nodes
    level = edges[np.abs(edges[:, 0]) > np.abs(edges[:, 1])]
    assert len(level) == 2
    assert np.abs(level[:, 1]).max() < 1e-9
    assert np.abs(edges[np.abs(edges[:, 0]) < np.abs(edges[:, 1]), 0]).max() < 1e-9
    assert [r for r, _ in circles] == pytest.approx([4.0, 4.0], abs=1e-9)
    told = json.loads(report.read_text())
    assert told["offers_taken"]["size"] == 2
    assert told["offers_taken"]["equal radius"] == 1
    assert [f["exact"] for f in told["features"]] == [False] * 4 + [True] * 2
    assert max(r["residual_mm"] for r in told["relations"]) < 1e-8
    places = sorted(tuple(f["at_mm"]) for f in told["features"] if f["kind"] == "circle")
    assert places == [pytest.approx(c, abs=1e-5) for _, c in sorted(circles, key=lambda c: c[1])]


def test_none_leaves_a_file_as_it_is_and_safe_gives_no_sizes(call, crooked, tmp_path):
    for mode in ("none", "safe"):
        target = tmp_path / f"{mode}.dxf"
        assert call("true", crooked, "-o", target, "--true", mode)[0] == 0
        radii = [r for r, _ in entities(target)[1]]
        if mode == "none":
            assert radii == pytest.approx([3.99, 4.01], abs=1e-5)
        else:
            assert radii[0] == pytest.approx(radii[1], abs=1e-9)
            assert radii[0] != pytest.approx(4.0, abs=1e-6)


def test_a_traced_scan_is_made_exact_and_its_job_knows_by_what(call, tmp_path):
    turn = np.radians(7)
    matrix = 10 * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    plate = Loop(np.array([[0, 0], [60, 0], [60, 40], [0, 40.0]]) @ matrix.T + [120, 60])
    holes = [
        hole(circle_loop(np.array([x, 20.0]) @ matrix.T + [120, 60], 10 * r))
        for x, r in ((15, 3.3), (45, 3.3), (30, 5.0))
    ]
    picture = drawn([plate, *holes], 780, 620)
    source = tmp_path / "plate.png"
    Image.fromarray(picture.grey).save(source, dpi=(254, 254))
    target, job = tmp_path / "plate.dxf", tmp_path / "plate.silhueta"
    code, _, err = call(
        *("trace", source, "-o", target, "--job", job),
        *("--true", "all", "--hole-sizes", "drill", "--level", "auto"),
    )
    assert code == 0, err
    nodes, circles = entities(target)
    assert np.ptp(nodes, axis=0) == pytest.approx([60, 40], abs=0.02)
    edges = np.roll(nodes, -1, axis=0) - nodes
    assert np.abs(edges).min(axis=1).max() < 1e-9
    assert [r for r, _ in circles] == pytest.approx([3.3, 3.3, 5.0], abs=1e-9)
    from silhueta.core.files.job_file import load_job

    kept = load_job(job)
    # a person's own by now: a new trace in the window leaves what was made exact
    assert {contour.origin for contour in kept.outline.contours} == {"edited"}
    kinds = {relation.kind for relation in kept.relations}
    assert {"perpendicular", "radius", "equal radius"} <= kinds


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (["--true", "much"], "is not one of"),
        (["--hole-sizes", "metric"], "is not one of"),
        (["--origin", "picture"], ""),
    ],
)
def test_wrong_options_are_named(call, crooked, tmp_path, options, says):
    code, _, err = call("true", crooked, "-o", tmp_path / "a.dxf", *options)
    assert code == (2 if says else 0)
    assert says in err


def test_a_shape_without_a_straight_edge_is_not_turned_and_that_is_said(call, tmp_path):
    blob, target = tmp_path / "blob.svg", tmp_path / "turned.svg"
    # an oval but for a straight stretch of 1 mm that runs aslant
    blob.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60">'
        '<path d="M50 30 A20 10 0 1 1 49 25.6 l0.6 0.8 A20 10 0 0 1 50 30 Z"/></svg>'
    )
    code, _, err = call("true", blob, "-o", target, "--true", "none", "--level", "auto")
    assert code == 0
    assert "no straight edge long enough" in err
    plain = tmp_path / "plain.svg"
    assert call("true", blob, "-o", plain, "--true", "none")[0] == 0
    assert plain.read_bytes() == target.read_bytes()


def test_a_file_without_outlines_is_refused(call, tmp_path):
    empty = tmp_path / "empty.svg"
    empty.write_text('<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"/>')
    code, _, err = call("true", empty, "-o", tmp_path / "a.dxf")
    assert code == 1
    assert "holds no outline" in err


def test_what_equals_something_of_a_held_size_is_exact_as_well():
    relations = (
        Relation("equal radius", (Ref(3), Ref(4))),
        Relation("equal radius", (Ref(2), Ref(3))),
        Relation("radius", (Ref(2),), 4.0),
        Relation("equal radius", (Ref(5), Ref(6))),
        Relation("concentric", (Ref(2), Ref(7))),
    )
    assert sized(relations) == {(2, WHOLE), (3, WHOLE), (4, WHOLE)}

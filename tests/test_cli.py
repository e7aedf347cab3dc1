"""The command line as other tools call it: in a process of its own, or by its main function."""

import json
import os
import re
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from silhueta.core.datums import OverallDatum
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.inspect_file import inspect_file
from silhueta.core.files.job_file import load_job
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box


def box_of(file: Path) -> tuple[float, float, float, float]:
    return bounding_box(read_tags(file.read_bytes()).paths)


@pytest.mark.parametrize(
    ("scale", "size", "kind"),
    [
        (("--pixel-size", "0.1mm"), (60, 40), "pixel-size"),
        (("--dpi", "254"), (60, 40), "dpi"),
        ((), (60, 40), "dpi"),  # from the file, which says 254
        (("--overall-width", "120mm"), (120, 80), "overall-width"),
        (("--overall-height", "7in"), (266.7, 177.8), "overall-height"),
        (("--known-length", "50,250 650,250 = 200mm"), (200, 133.333), "known-length"),
    ],
)
def test_every_scale_gives_the_true_size(call, plate_png, tmp_path, scale, size, kind):
    code, out, err = call(
        "trace", plate_png, "-o", tmp_path / "a.dxf", "--report", tmp_path / "r.json", *scale
    )
    assert (code, err) == (0, "")
    assert out.startswith("a.dxf: ")
    assert out.endswith("1 part, 1 hole, 5 nodes; read back, the same\n")
    assert box_of(tmp_path / "a.dxf") == pytest.approx((0, 0, *size), rel=2e-4, abs=1e-3)
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["scale"]["kind"] == kind
    assert report["scale"]["mm_per_px"] == pytest.approx(size[0] / 600, rel=2e-4)


def reported(call, picture, folder, *options):
    """Return the report of a trace at 254 dpi with these options."""
    target, report = folder / "a.svg", folder / "r.json"
    code, _, said = call("trace", picture, "-o", target, "--dpi", 254, "--report", report, *options)
    assert code == 0, said
    return json.loads(report.read_text())


def test_the_report_is_what_other_tools_were_promised(call, plate_png, tmp_path):
    report = reported(call, plate_png, tmp_path, "--units", "in")
    assert list(report) == [
        "file_units",
        "size_mm",
        "outer_loops",
        "holes",
        "open_paths",
        "nodes",
        "segments",
        "self_crossings",
        "area_mm2",
        "cut_length_mm",
        "scale",
        "light",
        "size_sigma_mm",
        "hole_sizes",
        "specks_left_out",
        "deviation_mm",
        "seconds",
        "peak_memory_mb",
    ]
    assert report["file_units"] == "in"
    assert report["size_mm"] == pytest.approx([60, 40], abs=0.01)
    assert (report["outer_loops"], report["holes"], report["open_paths"]) == (1, 1, 0)
    assert report["segments"] == {"line": 4, "arc": 1, "curve": 0}
    assert report["nodes"] == 5
    assert report["self_crossings"] == 0
    assert report["light"] == {"taken": "stored", "open": False}
    (bore,) = report["hole_sizes"]
    assert bore["diameter_mm"] == pytest.approx(20, abs=0.01)
    assert bore["at_mm"] == pytest.approx([30, 20], abs=0.01)
    assert 0 < bore["sigma_mm"] < 0.05
    assert all(0 < sigma < 0.2 for sigma in report["size_sigma_mm"])
    assert report["area_mm2"] == pytest.approx(2400 - 100 * np.pi, rel=1e-3)
    assert report["cut_length_mm"] == pytest.approx(200 + 20 * np.pi, rel=1e-3)
    assert {"read", "threshold", "contours", "fit", "check", "write"} <= set(report["seconds"])
    assert report["peak_memory_mb"] > 10


def test_several_files_and_a_job_in_one_go(call, plate_png, tmp_path):
    targets = [tmp_path / name for name in ("a.dxf", "b.svg", "c.DXF")]
    options = [part for target in targets for part in ("-o", target)]
    code, _, _ = call(
        "trace",
        plate_png,
        *options,
        "--overall-width",
        "3 3/8 in",
        "--job",
        tmp_path / "plate.silhueta",
    )
    assert code == 0
    assert all(target.stat().st_size > 300 for target in targets)
    job = load_job(tmp_path / "plate.silhueta")
    assert job.datums == (OverallDatum("width", 85.725),)
    assert len(job.outline.loops) == 2
    assert job.picture is not None
    assert job.picture.data == plate_png.read_bytes()


def test_the_pictures_frame_is_kept_when_asked(call, plate_png, tmp_path):
    call(
        "trace",
        plate_png,
        "-o",
        tmp_path / "a.dxf",
        "-o",
        tmp_path / "a.svg",
        "--dpi",
        254,
        "--origin",
        "picture",
    )
    assert box_of(tmp_path / "a.dxf") == pytest.approx((5, 5, 65, 45), abs=0.01)
    assert 'viewBox="0 0 70 50"' in (tmp_path / "a.svg").read_text()


@pytest.mark.parametrize(("keep", "loops"), [("all", 2), ("outer", 1), ("outer+holes", 2)])
def test_loops_to_keep(call, plate_png, tmp_path, keep, loops):
    call("trace", plate_png, "-o", tmp_path / "a.dxf", "--dpi", 254, "--keep", keep)
    assert len(read_tags((tmp_path / "a.dxf").read_bytes()).paths) == loops


def test_holes_too_small_to_be_taken_are_told(call, tmp_path):
    picture = np.full((200, 300), 255, np.uint8)
    picture[40:160, 40:260] = 0
    y, x = np.ogrid[:200, :300]
    picture[(x - 80) ** 2 + (y - 80) ** 2 < 25] = 255  # a hole of 1 mm, 0.8 mm²
    file, target = tmp_path / "small.png", tmp_path / "small.dxf"
    Image.fromarray(picture).save(file)
    given = ("trace", file, "-o", target, "--pixel-size", "0.1mm")
    said = call(*given)[2]
    assert "1 loop under the speck limit of 1 mm² was left out" in said
    assert call(*given, "--speck", "0.2mm2")[2] == ""
    assert inspect_file(target)["holes"] == 1


def test_inverting_takes_the_light_side(call, plate_png, tmp_path):
    call(
        "trace",
        plate_png,
        "-o",
        tmp_path / "a.dxf",
        "--dpi",
        254,
        "--invert",
        "--origin",
        "picture",
    )
    paths = read_tags((tmp_path / "a.dxf").read_bytes()).paths
    # what lies round the plate reaches the picture's border, so the hole alone is a part
    assert bounding_box(paths) == pytest.approx((25, 15, 45, 35), abs=0.01)
    assert sum(full_circle(path) is not None for path in paths) == 1


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("--dpi", "abc"), "--dpi"),
        (("--dpi", "0"), "above zero"),
        (("--dpi", "-300"), "above zero"),
        (("--overall-width", "abc"), "not a length"),
        (("--overall-width", "-5 mm"), "negative"),
        (("--overall-width", "0"), "zero"),
        (("--known-length", "1,1 = 5mm"), "not two points"),
        (("--known-length", "1,1 1,1 = 5mm"), "less than a pixel"),
        (("--known-length", "1,1 9,9 = moon"), "not a length"),
        (("--dpi", "300", "--pixel-size", "1mm"), "not several"),
        (("--dpi", "300", "--threshold", "300"), "threshold"),
        (("--dpi", "300", "--threshold", "dark"), "threshold"),
        (("--dpi", "300", "--speck", "-1"), "speck"),
        (("--dpi", "300", "--tolerance", "0"), "zero"),
        (("--dpi", "300", "--keep", "most"), "keep"),
        (("--dpi", "300", "--units", "cm"), "units"),
        (("--dpi", "300", "--moon"), "moon"),
        (("--dpi", "300", "-o", "part.ai"), ".dxf or .svg"),
    ],
)
def test_bad_usage_is_one_line_and_exit_2(call, plate_png, tmp_path, arguments, says):
    code, out, err = call("trace", plate_png, "-o", tmp_path / "a.dxf", *arguments)
    assert code == 2
    assert out == ""
    assert says in err
    assert err.count("\n") == 1
    assert not (tmp_path / "a.dxf").exists()


def test_a_picture_without_a_scale_asks_for_one(call, plate_png, tmp_path):
    Image.open(plate_png).save(tmp_path / "screen.png", dpi=(96, 96))
    code, _, err = call("trace", tmp_path / "screen.png", "-o", tmp_path / "a.dxf")
    assert code == 2
    assert "96 dpi, which means unknown" in err
    assert "--overall-width" in err


@pytest.mark.parametrize("name", ["empty", "text", "cut", "grey", "dot", "gone"])
def test_bad_pictures_are_one_line_and_exit_1(call, plate_png, tmp_path, name):
    files = {
        "empty": b"",
        "text": b"this is no picture",
        "cut": plate_png.read_bytes()[:900],
    }
    target = tmp_path / f"{name}.png"
    if name in files:
        target.write_bytes(files[name])
    elif name != "gone":
        side = 1 if name == "dot" else 60
        Image.new("L", (side, side), 128).save(target)
    code, out, err = call("trace", target, "-o", tmp_path / "a.dxf", "--dpi", 300)
    assert code == 1
    assert out == ""
    assert err.startswith("silhueta: ")
    assert err.count("\n") == 1
    assert ";" in err  # what is wrong, and what to do
    assert not (tmp_path / "a.dxf").exists()


def test_an_unwritable_target_leaves_nothing(call, plate_png, tmp_path):
    code, _, err = call("trace", plate_png, "-o", tmp_path / "gone" / "a.dxf", "--dpi", 254)
    assert code == 1
    assert "cannot write" in err
    assert "choose a folder" in err
    assert sorted(p.name for p in tmp_path.iterdir()) == ["plate.png"]


def test_inspect_says_what_is_in_a_file(call, plate_png, tmp_path):
    call("trace", plate_png, "-o", tmp_path / "a.dxf", "--dpi", 254, "--units", "in")
    code, out, _ = call("inspect", tmp_path / "a.dxf", "--report", tmp_path / "r.json")
    assert code == 0
    assert "60.0" in out
    assert "1 outer, 1 holes" in out
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["file_units"] == "in"
    assert report["closed_paths"] == 2
    assert report["doubles"] == 0
    assert report["size_mm"] == pytest.approx([60, 40], abs=0.01)
    assert call("inspect", plate_png)[0] == 1


def test_help_and_version(call):
    assert "Commands:" in call("--help")[1]
    assert "--known-length" in call("trace", "--help")[1]
    assert call("--version")[1].startswith("Silhueta ")
    assert call("dance")[0] == 2


def test_the_program_itself_runs_without_a_display(plate_png, tmp_path):
    program = Path(sys.executable).parent / "silhueta"
    environment = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [program, "trace", plate_png, "-o", tmp_path / "a.dxf", "--dpi", "254"],
        env=environment,
        capture_output=True,
        text=True,
        check=True,
    )
    # nothing is said but how far it is, which a slow machine says every ten seconds
    said = [
        line for line in done.stderr.splitlines() if not re.fullmatch(r"silhueta: .+ \d+ %", line)
    ]
    assert said == []
    assert box_of(tmp_path / "a.dxf") == pytest.approx((0, 0, 60, 40), abs=0.01)


@pytest.mark.parametrize(
    ("options", "loops", "opens"),
    [
        (("--band", "0-127"), 2, 0),
        (("--local", "20mm"), 2, 0),
        (("--colour", "#141414", "--colour-distance", "25"), 2, 0),
        (("--part",), 2, 0),
        (("--colours", "2"), 2, 0),
        (("--fit", "curves", "--smooth", "0.2mm", "--corner", "20deg"), 2, 0),
        (("--pen", "outer", "--close-gaps", "2mm"), 1, 0),
    ],
)
def test_every_way_to_tell_the_part_apart(call, plate_png, tmp_path, options, loops, opens):
    report = reported(call, plate_png, tmp_path, *options)
    assert report["outer_loops"] + report["holes"] == loops
    assert report["open_paths"] == opens
    assert report["size_mm"] == pytest.approx([60, 40], abs=0.12)
    assert 0 <= report["deviation_mm"]["mean"] <= report["deviation_mm"]["p95"]


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (("--band", "90-20"), "band of greys"),
        (("--colour", "red"), "not a colour"),
        (("--corner", "400deg"), "not an angle"),
        (("--band", "10-90", "--part"), "each tells the part"),
        (("--close-gaps", "2mm"), "needs --pen"),
        (("--colours", "40"), "2<=x<=16"),
        (("--smooth", "fast"), "fast"),
    ],
)
def test_trace_options_that_make_no_sense(call, plate_png, tmp_path, options, says):
    code, _, said = call("trace", plate_png, "-o", tmp_path / "a.svg", "--dpi", 254, *options)
    assert code == 2
    assert says in said
    assert "Traceback" not in said


def test_into_a_pipe_progress_is_a_line_now_and_then_also_while_one_step_lasts(monkeypatch, capsys):
    from silhueta.cli import progress as told

    monkeypatch.setattr(told, "_EVERY", 0.1)
    progress = told.Progress()
    for share in range(100):
        progress("fit", share / 100)
    said = []
    for _ in range(100):
        time.sleep(0.05)
        said += capsys.readouterr().err.splitlines()
        if len(said) >= 2:
            break
    assert set(said) == {"silhueta: Fitting lines and arcs 99 %"}
    progress.end()
    time.sleep(0.2)
    capsys.readouterr()
    time.sleep(0.3)
    assert capsys.readouterr().err == ""

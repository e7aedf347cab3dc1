"""The command line on photos: datums that a picture shows, and what is said when it does not."""

import json
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from benchmarks.photo import Part, Scene, printed, render
from silhueta.core.datum.gauge import gauge_pdf
from silhueta.core.files.job_file import load_job
from tests.conftest import encoded

PART = Part(150, 100, 0.0, size=(120.0, 80.0), radius=10.0, holes=((0.0, 0.0, 30.0),))
SCENE = Scene(PART, pixels=(1600, 1200), tilt=12.0, azimuth=30.0, seed=2)


def stored(scene: Scene, folder):
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = 26
    file = folder / "photo.jpg"
    file.write_bytes(
        encoded(Image.fromarray(render(scene)).convert("RGB"), "JPEG", quality=95, exif=exif).data
    )
    return file


@pytest.fixture(scope="module")
def photo(tmp_path_factory):
    return stored(SCENE, tmp_path_factory.mktemp("photo"))


def report(call, tmp_path, *arguments):
    out = tmp_path / "out.json"
    if "--thickness" not in arguments:
        arguments = (*arguments, "--thickness", "0mm")
    code, _, err = call(
        "trace", *arguments, "-o", tmp_path / "out.dxf", "--speck", "20mm2", "--report", out
    )
    assert code == 0
    if "5mm" in arguments:  # 0.25 mm a pixel do not show where its shadow begins
        assert err.count("\n") == 1
        assert "the picture is coarse" in err
    else:
        assert err == ""
    return json.loads(out.read_text())


def test_a_sheet_in_the_photo_gives_the_size(call, tmp_path, photo):
    got = report(call, tmp_path, photo, "--sheet", "a4")
    assert got["size_mm"] == pytest.approx([120, 80], abs=0.1)
    assert (got["outer_loops"], got["holes"], got["open_paths"]) == (1, 1, 0)
    scale = got["scale"]
    assert scale["kind"] == "sheet"
    assert 0 < scale["relative_uncertainty"] < 0.002
    assert 0 < scale["residual_px"] < 0.2
    assert scale["camera_height_mm"] == pytest.approx(SCENE.plane().eye[2], rel=0.02)


@pytest.mark.parametrize("sheet", ["a4", "297x210mm", "210x297mm"])
def test_corners_may_be_given(call, tmp_path, photo, sheet):
    corners = " ".join(f"{x:.1f},{y:.1f}" for x, y in SCENE.corners())
    got = report(call, tmp_path, photo, "--sheet", sheet, "--sheet-corners", corners)
    assert got["size_mm"] == pytest.approx([120, 80], abs=0.1)


def test_thickness_and_lens_are_taken_into_account(call, tmp_path):
    thick = stored(replace(SCENE, part=replace(PART, thickness=5.0), wall=60.0), tmp_path)
    flat = report(call, tmp_path, thick, "--sheet", "a4")
    given = report(call, tmp_path, thick, "--sheet", "a4", "--thickness", "5mm", "--focal35", "26")
    assert flat["size_mm"][0] > 121.0
    assert given["size_mm"] == pytest.approx([120, 80], abs=0.2)


def test_the_gauge_sheet(call, tmp_path):
    assert call("gauge", "-o", tmp_path / "gauge.pdf", "--size", "a4")[0] == 0
    paper = printed((tmp_path / "gauge.pdf").read_bytes())
    scene = replace(
        SCENE, sheet=(210.0, 297.0), part=replace(PART, x=105.0, y=150.0, turn=1.57), k1=-0.06
    )
    file = stored(replace(scene, print_on=paper, roll=90.0), tmp_path)
    got = report(call, tmp_path, file, "--gauge")
    assert sorted(got["size_mm"]) == pytest.approx([80, 120], abs=0.15)
    assert got["outer_loops"] == 1
    assert (tmp_path / "gauge.pdf").read_bytes() == gauge_pdf("a4")


def test_a_page_and_a_crop(call, tmp_path):
    # ISO 216: an A4 page, 210 x 297 mm, at 100 dpi
    grey = np.full((1169, 827), 240, np.uint8)
    grey[200:400, 100:500] = 30
    grey[700:800, 100:300] = 30
    file = tmp_path / "page.png"
    file.write_bytes(encoded(Image.fromarray(grey), "PNG").data)
    whole = report(call, tmp_path, file, "--page", "a4")
    assert whole["outer_loops"] == 2
    got = report(call, tmp_path, file, "--page", "a4", "--crop", "50,150,600,300")
    assert got["size_mm"] == pytest.approx([400 * 25.4 / 100, 200 * 25.4 / 100], rel=1e-3)
    assert got["scale"]["kind"] == "page"


@pytest.mark.parametrize(
    ("arguments", "code", "says"),
    [
        (("--sheet", "a9"), 2, "is no sheet"),
        (("--sheet", "a4", "--gauge"), 2, "each fixes the scale"),
        (("--sheet-corners", "1,1 2,1 2,2 1,2"), 2, "needs --sheet"),
        (("--sheet", "a4", "--sheet-corners", "1,1 2,1"), 2, "is not four points"),
        (("--sheet", "a4", "--sheet-corners", "9,9 9,90 90,90 90,9"), 2, "wrong way round"),
        (("--sheet", "a4", "--sheet-corners", "9,9 90,90 90,9 9,90"), 2, "cross"),
        (("--sheet", "a4", "--sheet-corners", "9,9 12,9 900,900 9,900"), 2, "no photo shows"),
        (("--sheet", "a4", "--sheet-corners", "9,9 99999,9 99999,999 9,999"), 1, "far outside"),
        (
            ("--sheet", "a4", "--sheet-corners", "1e12,9 2e12,9 2e12,1e12 1e12,1e12"),
            2,
            "far outside",
        ),
        (("--crop", "1,2,3", "--dpi", "300"), 2, "is not a box"),
        (("--sheet", "a4", "--thickness", "-3mm"), 2, "negative"),
        (("--sheet", "a4", "--thickness", "900mm"), 1, "would reach the camera"),
        (("--sheet", "a4", "--focal35", "1"), 2, "cannot be; phones have"),
        (("--gauge",), 1, "gauge sheet is not to be seen"),
        (("--page", "a4"), 1, "not the shape of a whole A4 page"),
    ],
)
def test_what_cannot_be_is_one_sentence_and_no_file(call, tmp_path, photo, arguments, code, says):
    got, _, err = call("trace", photo, *arguments, "-o", tmp_path / "out.dxf")
    assert (got, says in err) == (code, True), err
    assert err.count("\n") == 1
    assert not (tmp_path / "out.dxf").exists()


def test_what_is_not_sure_is_refused_unless_it_is_wanted_all_the_same(call, tmp_path):
    scene = replace(SCENE, part=replace(PART, x=240.0), texture="steel", bench=60.0)
    file, job = stored(scene, tmp_path), tmp_path / "kept.silhueta"
    out = tmp_path / "out.dxf"
    told = ("trace", file, "-o", out, "--sheet", "a4", "--part")
    code, _, err = call(*told, "--job", job)
    assert code == 1
    assert "not sure at" in err
    assert "--doubtful" in err
    assert not out.exists()
    assert len(load_job(job).traced.doubts) >= 1
    assert call(*told, "--doubtful")[0] == 0
    assert out.exists()


def test_a_thickness_that_is_not_told_widens_the_uncertainty_and_is_asked_for(
    call, tmp_path, photo
):
    out = tmp_path / "out.json"
    told = report(call, tmp_path, photo, "--sheet", "a4")["scale"]["relative_uncertainty"]
    code, _, err = call("trace", photo, "-o", tmp_path / "o.dxf", "--sheet", "a4", "--report", out)
    assert code == 0
    assert "thickness is not told" in err
    waiting = json.loads(out.read_text())["scale"]["relative_uncertainty"]
    height = SCENE.plane().eye[2]
    assert waiting > 5 * told
    assert waiting == pytest.approx(3 / height, rel=0.05)  # half of 6 mm, as a standard uncertainty

"""Photographed parts traced at their true size: on a sheet, over its edge, thick, beside it."""

import ast
import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from scipy.ndimage import gaussian_filter

from benchmarks.photo import Part, Scene
from benchmarks.photo_truth import random_scene
from benchmarks.photos import measure, photo
from silhueta.core.datum.look_for import look_for_sheet
from silhueta.core.datums import Optics, PixelDatum
from silhueta.core.errors import TraceError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.steps import Crop, Stroke
from silhueta.core.trace.edge.threshold import clear_level
from silhueta.core.trace.edge.walls import Walls, at_the_top
from silhueta.core.trace.job_trace import edges_in_picture, size_sigma, trace_job
from silhueta.core.trace.stages import Stages
from silhueta.core.truing.apply import noise_of
from silhueta.core.truing.features import features
from silhueta.core.work import Work

A4 = (210.0, 297.0)
PART = Part(150, 100, 0.35, size=(120.0, 80.0), radius=10.0, holes=((-20.0, 10.0, 24.0),))
SCENE = Scene(PART, pixels=(1600, 1200), tilt=14.0, azimuth=130.0, light=1.4, light_way=50, seed=4)


def traced(scene: Scene, **changes: object):
    picture = photo(scene)
    sheet = look_for_sheet(picture, "a4", A4)
    settings = TraceSettings(speck=20.0)
    stored = io.BytesIO()
    Image.fromarray(picture.grey).save(stored, "PNG")
    job = Job(picture=PictureFile(stored.getvalue(), "x.png"), datums=(sheet,), trace=settings)
    return trace_job(replace(job, **changes), picture)


@pytest.mark.parametrize("wall", [60.0, 100.0, 150.0, 200.0])
def test_a_thick_part_is_measured_at_its_top_whatever_its_walls_look_like(wall):
    got = thick(wall)
    # a pixel is 0.25 mm here; without its walls taken off the part would be 0.9 mm out, and its
    # shadow and the dark at its foot reach 3 mm further
    assert max(map(abs, got.overall)) < 0.3
    assert abs(got.hole) < 0.2
    assert got.mean < 0.08


@pytest.mark.parametrize("blur", [0.7, 1.3])
@pytest.mark.parametrize("mode", ["threshold", "part"])
def test_a_flat_part_is_true_in_grey_as_by_itself_however_soft_the_photo(mode, blur):
    scene = replace(SCENE, blur=blur)
    picture = photo(scene)
    got = measure(picture, look_for_sheet(picture, "a4", A4), scene, mode=mode)
    # half-way between stored greys would be 0.2 and 0.4 mm too small here
    assert max(map(abs, got.overall)) < 0.05
    assert abs(got.hole) < 0.05
    assert got.mean < 0.02


def test_a_thick_part_in_grey_is_measured_at_its_top_in_light():
    # under the camera, where a shadow lies all round and a strip of wall shows in the hole
    thick = Part(148.5, 105.0, 0.3, size=(110.0, 70.0), holes=((15.0, 8.0, 20.0),), thickness=3.0)
    scene = Scene(thick, pixels=(2000, 1500), tilt=8.0, azimuth=40.0, seen=420.0, blur=0.8)
    picture = photo(scene)
    got = measure(picture, look_for_sheet(picture, "a4", A4), scene)
    # in stored greys it would be 0.06 mm off in the mean, and its hole 0.12 mm wide
    assert got.mean < 0.05
    assert abs(got.hole) < 0.09
    assert abs(got.overall[0]) < 0.1  # stored greys: -0.12


def test_the_outline_lies_on_the_parts_edge_in_the_photo_as_another_camera_has_it():
    scene = replace(SCENE, k1=-0.04, more_lens=(0.01, 3e-4, -3e-4))
    done, picture = traced(scene).job, photo(scene)
    rings = edges_in_picture(done, picture)
    assert len(rings) == 2
    flat = scene.plane().to_mm(np.vstack(rings))
    c, s = np.cos(PART.turn), np.sin(PART.turn)
    own = (flat - [PART.x, PART.y]) @ np.array([[c, -s], [s, c]])
    away = np.abs(replace(PART, x=0.0, y=0.0, turn=0.0).distance(own))
    assert away.mean() < 0.04  # mm; a pixel is 0.25
    assert np.quantile(away, 0.95) < 0.15


def test_a_dark_part_is_told_from_its_soft_grey_shadow_on_clean_paper():
    thick = Part(148.5, 105, 0.3, size=(110.0, 70.0), holes=((15.0, 8.0, 20.0),), thickness=6.0)
    scene = Scene(thick, pixels=(1600, 1200), tilt=8.0, azimuth=40.0, blur=0.8, seen=420.0)
    picture = photo(scene)
    got = measure(picture, look_for_sheet(picture, "a4", A4), scene, mode="part")
    # the shadow is 3 mm wide, and 2 mm of it lie in the hole
    assert abs(got.overall[0]) < 0.3
    assert abs(got.hole) < 0.15
    assert got.mean < 0.08


def thick(wall: float):
    scene = replace(SCENE, part=replace(PART, thickness=4.0), wall=wall)
    picture = photo(scene)
    return measure(picture, look_for_sheet(picture, "a4", A4), scene, mode="part")


def test_neither_sheet_nor_bench_is_taken_for_the_part():
    done, _, flat = traced(SCENE)
    assert len(done.outline.contours) == 2
    left, bottom, right, top = bounding_box(done.outline.taken)
    assert (right - left, top - bottom) < (160, 160)
    assert flat.picture.width > 1000


def test_a_part_over_the_edge_of_the_sheet_is_followed_onto_a_light_bench():
    over = replace(SCENE, part=replace(PART, x=230.0), bench=190.0, texture="plain", light=1.0)
    done, _, _ = traced(over)
    loop = max(done.outline.loops, key=lambda path: len(path.nodes))
    left, _, right, _ = bounding_box([loop])
    true = np.hypot(*(PART.size)) * 1.0
    assert right - left > 0.9 * (120 * np.cos(0.35))
    assert right - left < true


def test_a_part_over_the_edge_onto_a_dark_bench_is_not_guessed_at():
    over = replace(SCENE, part=replace(PART, x=230.0), bench=60.0, texture="plain", light=1.0)
    with pytest.raises(TraceError, match="bench there is as dark as the part; lay a larger sheet"):
        traced(over)


def test_a_crop_leaves_out_what_lies_beside():
    grey = np.full((200, 300), 230, np.uint8)
    grey[50:150, 40:120] = 40
    grey[60:100, 200:280] = 40
    picture = Picture(grey, None, None, "PNG")
    job = Job(picture=PictureFile(b"-", "x"), datums=(PixelDatum(0.1),))
    assert len(trace_job(job, picture).job.outline.contours) == 2
    cropped = replace(job, clean=(Crop(20, 20, 150, 160),))
    done = trace_job(cropped, picture).job
    assert len(done.outline.contours) == 1
    # the frame stays the picture's: x from its left edge, y up from its bottom
    assert bounding_box(done.outline.taken) == pytest.approx((4.0, 5.0, 12.0, 15.0), abs=0.02)


def test_what_was_worked_out_is_remembered_until_its_inputs_change():
    picture = photo(replace(SCENE, pixels=(800, 600)))
    job = Job(picture=PictureFile(b"-", "x"), datums=(look_for_sheet(picture, "a4", A4),))
    stages, work = Stages(), Work()
    first = stages.rectified(job, picture, work)
    again = replace(job, trace=replace(job.trace, threshold=120.0))
    assert stages.rectified(again, picture, work) is first
    assert stages.prepared(job, picture, work) is stages.prepared(again, picture, work)
    other = replace(job, clean=(Crop(0, 0, 700, 500),))
    assert stages.rectified(other, picture, work) is not first


def test_a_level_keeps_clear_of_the_greys_of_walls():
    counts = np.zeros(256, np.int64)
    counts[40:60], counts[220:240], counts[135:155] = 500, 900, 60
    level = clear_level(counts, 140.0)
    assert counts[int(level) - 9 : int(level) + 10].sum() == 0
    counts[135:155] = 0
    assert clear_level(counts, 140.0) == 140.0


def test_edges_of_a_flat_part_are_centred_whatever_the_level_was():
    y, x = np.mgrid[0:200, 0:200] + 0.5
    disc = np.clip(0.5 - (np.hypot(x - 100, y - 100) - 50), 0, 1)
    grey = gaussian_filter(230 - 170 * disc, 0.8).astype(np.uint8)
    turn = np.linspace(0, 2 * np.pi, 400, endpoint=False)
    off = 100 + 50.9 * np.column_stack([np.cos(turn), -np.sin(turn)])
    (centred,) = at_the_top([off], grey, Walls((0.0, 0.0), 0.0))
    radii = np.hypot(*(centred - 100).T)
    assert radii == pytest.approx(np.full(len(radii), 50.0), abs=0.1)


def test_shadows_on_the_sheet_do_not_move_the_edge():
    scene = replace(SCENE, shadows=3, light=2.0, seed=21)
    picture = photo(scene)
    got = measure(picture, look_for_sheet(picture, "a4", A4), scene, mode="part")
    assert max(map(abs, got.overall)) < 0.06


def test_the_cut_follows_a_part_over_the_sheets_edge_onto_dark_wood():
    scene = replace(
        SCENE, part=replace(PART, x=240.0, size=(130.0, 80.0)), texture="wood", bench=150.0
    )
    done = traced(scene, trace=TraceSettings(speck=20.0, mode="part"))
    (outer,) = [p for p in done.job.outline.contours if signed_area(p.path) > 0]
    area = 130 * 80 - (4 - np.pi) * PART.radius**2
    assert signed_area(outer.path) == pytest.approx(area, rel=0.004)


def test_where_part_and_bench_look_alike_the_cut_says_so():
    scene = replace(SCENE, part=replace(PART, x=240.0), texture="steel", bench=60.0)
    done = traced(scene, trace=TraceSettings(speck=20.0, mode="part"))
    assert any(
        "cannot be told from what lies beside it" in text for *_, text in done.job.traced.doubts
    )


def test_ink_and_scrape_say_what_greys_alone_cannot():
    scene = replace(SCENE, part=replace(PART, x=225.0), texture="steel", bench=60.0)
    plane = scene.plane()

    def stroke(ink: bool, *places: tuple[float, float]) -> Stroke:
        px = plane.to_px(np.array(places)).tolist()
        return Stroke(ink, tuple((float(x), float(y)) for x, y in px), 24.0)

    part = scene.part
    c, s = np.cos(part.turn), np.sin(part.turn)

    def on_part(u: float, v: float) -> tuple[float, float]:
        return part.x + c * u - s * v, part.y + s * u + c * v

    inked = stroke(True, on_part(-40, -25), on_part(45, -25), on_part(45, 25), on_part(0, 30))
    scraped = stroke(False, (320.0, 30.0), (330.0, 100.0), (320.0, 190.0))
    trace = TraceSettings(speck=20.0, mode="part")
    done = traced(scene, trace=trace, clean=(inked, scraped))
    areas = sorted(signed_area(contour.path) for contour in done.job.outline.contours)
    assert areas[-1] > 0.5 * 120 * 80  # it is traced, not refused; the hints are the person's own


def test_a_picked_colour_is_traced_at_true_size_within_the_crop():
    picture = photo(SCENE)
    sheet = look_for_sheet(picture, "a4", A4)
    inside = np.array(sheet.corners).mean(0) + 0.6 * (
        np.array(sheet.corners) - np.array(sheet.corners).mean(0)
    )
    left, top = inside.min(0)
    right, bottom = inside.max(0)
    crop = Crop(float(left), float(top), float(right - left), float(bottom - top))
    darkest = int(np.quantile(picture.grey[int(top) : int(bottom), int(left) : int(right)], 0.1))
    colour = TraceSettings(speck=20.0, mode="colour", colours=((darkest,) * 3,))
    done = traced(SCENE, trace=colour, clean=(crop,))
    outer = max((c.path for c in done.job.outline.contours), key=lambda p: abs(signed_area(p)))
    area = 120 * 80 - (4 - np.pi) * PART.radius**2
    assert signed_area(outer) == pytest.approx(area, rel=0.01)


def test_the_uncertainty_of_a_photographed_part_includes_its_edges():
    done = traced(SCENE, trace=TraceSettings(speck=20.0, mode="part"))
    scale = done.rectified.size_sigma(done.job.outline.bounds)
    whole = size_sigma(done.job, done.rectified)
    least = np.sqrt(2) * 0.2 * done.job.traced.mm_per_px
    for all_of_it, of_scale in zip(whole, scale, strict=True):
        assert all_of_it > np.hypot(of_scale, least) - 1e-9
        assert all_of_it < 0.2
    stamp = replace(done.job.traced, lost_mm=(0.3, 0.0))
    lost = size_sigma(replace(done.job, traced=stamp), done.rectified)
    assert lost == (np.hypot(whole[0], 0.3), whole[1])


@pytest.mark.parametrize("thickness", [0.0, 3.0, 6.0])
def test_a_thickness_that_is_not_told_lies_within_what_is_claimed(thickness):
    # seen from the side, so that walls are taken for face and the far side lies far out
    scene = random_scene(10_007)
    middle = np.array(scene.sheet) / 2
    part = replace(scene.part, x=middle[0], y=middle[1], size=(110.0, 70.0), thickness=thickness)
    scene = replace(scene, part=part, shadows=0)
    picture = photo(scene)
    sheet = look_for_sheet(picture, "a4", A4)
    got = measure(picture, sheet, scene, Optics(thickness_open=True), "part")
    assert abs(got.overall[0]) <= 2 * got.sigma
    assert got.sigma < 3.0
    if thickness == 6.0:
        assert got.overall[0] > 2.0


@pytest.mark.parametrize("thickness", [0.0, 6.0])
def test_a_hole_of_a_part_whose_thickness_is_not_told_lies_within_what_is_claimed(thickness):
    scene = replace(SCENE, part=replace(PART, thickness=thickness), wall=60.0)
    part = TraceSettings(speck=20.0, mode="part")
    done = traced(scene, optics=Optics(thickness_open=True), trace=part)
    noise = noise_of(done.job, done.rectified)
    (hole,) = (f for f in features(done.job.outline, noise) if f.kind == "circle")
    assert abs(hole.size - 24.0) <= 2 * hole.sigma < 2.0
    if thickness == 6.0:  # all of a wall was taken for face
        assert hole.size < 23.5
    told = replace(done.job, optics=Optics(0.0))
    assert noise_of(told, done.rectified).whole == done.job.traced.whole_mm


@pytest.mark.parametrize("name", ["photo", "photo_truth"])
def test_what_judges_photos_knows_nothing_of_the_program(name):
    source = (Path(__file__).parents[3] / f"benchmarks/{name}.py").read_text()
    imported = [
        alias.name if isinstance(node, ast.Import) else str(node.module)
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.Import | ast.ImportFrom)
        for alias in node.names
    ]
    assert "cv2" in imported
    assert not any(one.startswith("silhueta") for one in imported)

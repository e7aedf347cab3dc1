import math
from dataclasses import replace

import cv2
import numpy as np
import pytest
from msgspec.structs import replace as other

from benchmarks.photo import Scene
from silhueta.core.datum.fixing import describe, is_photo, kind_of, mm_per_px
from silhueta.core.datum.rectify import rectify
from silhueta.core.datum.sheets import sheet_size, title
from silhueta.core.datum.solve import Facts, solve
from silhueta.core.datums import (
    DpiDatum,
    GaugeDatum,
    LengthDatum,
    Optics,
    OverallDatum,
    PageDatum,
    PixelDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.errors import ScaleError, UnitsError
from silhueta.core.job import Job, add_datum, set_datums, set_optics
from silhueta.core.picture.decode import Picture
from silhueta.core.steps import Mirror, Straighten, Turn

SCENE = Scene(tilt=18.0, azimuth=60.0, roll=10.0)
FACTS = Facts(4000, 3000, 26.0)
PHONE = Facts(4000, 3000, 26.0)
SCAN = Facts(2480, 3508)


def on(mm: list[list[float]], scene: Scene = SCENE) -> list[tuple[float, float]]:
    return [tuple(p) for p in scene.plane().to_px(np.array(mm, float)).tolist()]


def sheet(scene: Scene = SCENE, **changes: object) -> SheetDatum:
    corners = tuple(map(tuple, scene.corners().tolist()))
    return SheetDatum("a4", (297.0, 210.0), corners, **({"sigma": 0.1} | changes))


def test_a_sheet_at_an_angle_measures_any_length():
    solution = solve(Job(datums=(sheet(),)), FACTS)
    one, two = on([[30, 40], [230, 170]])
    long, sigma = solution.length(one, two)
    assert long == pytest.approx(math.hypot(200, 130), abs=1e-6)
    assert 0.005 < sigma < 0.1
    assert solution.kind == "sheet"
    assert not solution.level
    assert solution.camera_height == pytest.approx(SCENE.plane().eye[2])


@pytest.mark.parametrize(
    ("optics", "facts", "source"),
    [
        (Optics(focal35=26.0), Facts(4000, 3000), "typed"),
        (Optics(), PHONE, "file"),
        (Optics(), Facts(4000, 3000), "the sheet's perspective"),
    ],
)
def test_where_the_focal_length_comes_from_is_said(optics, facts, source):
    solution = solve(Job(datums=(sheet(),), optics=optics), facts)
    assert solution.focal_source == source
    assert solution.plane.lens.focal == pytest.approx(SCENE.focal, rel=1e-6)
    level = replace(SCENE, tilt=0.0)
    assumed = solve(Job(datums=(sheet(level),)), Facts(4000, 3000))
    assert assumed.focal_source == "assumed"


def test_thickness_is_taken_off_and_makes_it_less_sure():
    job = Job(datums=(sheet(),), optics=Optics(6.0))
    raised = solve(job, PHONE)
    flat = solve(set_optics(job, Optics()), PHONE)
    middle = np.array([[2000.0, 1500.0]])
    assert raised.plane.mm_per_px(middle) < flat.plane.mm_per_px(middle)
    assert raised.relative_uncertainty(middle) > flat.relative_uncertainty(middle)
    with pytest.raises(ScaleError, match="would reach the camera"):
        solve(set_optics(job, Optics(500.0)), PHONE)


def test_lengths_are_combined_by_least_squares():
    # 100 px = 10 mm and 300 px = 30.3 mm: sum(mm d) / sum(d²) = (1000 + 9090) / (1e4 + 9e4)
    lengths = (
        LengthDatum((0, 0), (100, 0), 10.0),
        LengthDatum((0, 10), (300, 10), 30.3),
    )
    solution = solve(Job(datums=lengths), FACTS)
    assert solution.plane.mm_per_px(np.array([[50.0, 50.0]]))[0] == pytest.approx(0.1009)
    assert [round(t.residual_mm, 3) for t in solution.told] == [0.09, -0.03]


def test_lengths_that_contradict_each_other_are_named():
    lengths = (LengthDatum((0, 0), (1000, 0), 100.0), LengthDatum((0, 9), (1000, 9), 130.0))
    with pytest.raises(ScaleError, match=r"contradict.*100 mm is \+15.00 mm off.*130 mm is -15.00"):
        solve(Job(datums=lengths), FACTS)


@pytest.mark.parametrize(("across", "proven"), [(0.1, False), (0.1002, False), (0.102, True)])
def test_a_scanner_that_stretches_is_corrected_when_that_is_proven(across, proven):
    down = 0.1
    lengths = (
        LengthDatum((0, 0), (2000, 0), 2000 * across),
        LengthDatum((0, 0), (0, 2500), 2500 * down),
        LengthDatum((0, 0), (1500, 2000), math.hypot(1500 * across, 2000 * down)),
    )
    solution = solve(Job(datums=lengths), SCAN)
    matrix = solution.plane.matrix
    stretched = abs(matrix[0, 0] + matrix[1, 1]) > 1e-9
    assert stretched == proven
    if proven:
        assert 1 / matrix[0, 0] == pytest.approx(across)
        assert -1 / matrix[1, 1] == pytest.approx(down)


def test_a_length_beside_a_sheet_shifts_it_by_what_it_is_worth():
    one, two = on([[20, 30], [270, 30]])
    job = Job(datums=(sheet(sigma=5.0), LengthDatum(one, two, 251.0, 0.1)))
    long, _ = solve(job, FACTS).length(one, two)
    assert long == pytest.approx(251.0, abs=0.05)  # the sure one wins
    job = Job(datums=(sheet(sigma=0.05), LengthDatum(one, two, 251.0, 5.0)))
    assert solve(job, FACTS).length(one, two)[0] == pytest.approx(250.0, abs=0.02)


def test_a_length_does_not_tell_how_the_camera_leaned_and_two_tell_more():
    """A camera two degrees off, by OpenCV's projection: the size lies within what is claimed."""
    camera = np.array([[3000.0, 0, 2000], [0, 3000, 1500], [0, 0, 1]])

    def seen(mm: list[tuple[float, float]]) -> list[tuple[float, float]]:
        points = np.array([(x, -y, 0.0) for x, y in mm])
        lean, away = np.radians([2.0, 0.0, 0.0]), np.array([0.0, 0.0, 350.0])
        px = cv2.projectPoints(points, lean, away, camera, None)[0][:, 0]
        return [(float(u), float(v)) for u, v in px]

    one, two = seen([(-90, -100), (90, -100)])
    far = seen([(-90, 100), (90, 100)])
    alone = LengthDatum(one, two, 180.0, sigma=0.3)
    other_side = LengthDatum(far[0], far[1], 180.0, sigma=0.3)
    ends = seen([(-60, 20), (60, 20)])
    long, sigma = solve(Job(datums=(alone,)), PHONE).length(*ends)
    assert 0.5 < abs(long - 120) < 2 * sigma
    both, surer = solve(Job(datums=(alone, other_side)), PHONE).length(*ends)
    assert abs(both - 120) < 2 * surer
    assert surer < sigma / 2
    scanned, sure = solve(Job(datums=(alone,)), SCAN).length(*ends)
    assert scanned == pytest.approx(long)
    assert sure < sigma / 10


def test_a_page_is_the_whole_picture():
    page = PageDatum("a4", (210.0, 297.0), (2480, 3508))
    solution = solve(Job(datums=(page,)), SCAN)
    # ISO 216: 210 x 297 mm; 2480 x 3508 px at 300 dpi
    assert solution.plane.mm_per_px(np.array([[9.0, 9.0]]))[0] == pytest.approx(
        25.4 / 300, rel=3e-4
    )
    with pytest.raises(ScaleError, match="not the shape of a whole A4 page"):
        solve(Job(datums=(page,)), Facts(2480, 2600))


def test_a_round_sets_the_size_and_on_wish_the_tilt():
    ring = RoundDatum((500.0, 400.0), (120.0, 90.0), 0.0, 24.0)
    flat = solve(Job(datums=(ring,)), FACTS)
    assert flat.length((0, 0), (100, 0))[0] == pytest.approx(10.0)
    tilted = solve(Job(datums=(other(ring, tilt=True),)), FACTS)
    assert tilted.length((0, 0), (100, 0))[0] == pytest.approx(10.0)
    assert tilted.length((0, 0), (0, 90))[0] == pytest.approx(12.0)


@pytest.mark.parametrize("kind", [DpiDatum(300), PixelDatum(0.1)])
def test_a_scanner_sees_no_thickness(kind):
    thick = solve(Job(datums=(kind,), optics=Optics(5.0)), SCAN)
    flat = solve(Job(datums=(kind,)), SCAN)
    assert (thick.plane.matrix == flat.plane.matrix).all()
    assert thick.camera_height is None
    assert thick.level


def test_a_rectified_photo_is_at_true_size_and_knows_where_it_came_from():
    grey = np.full((300, 400), 200, np.uint8)
    small = replace(SCENE, pixels=(400, 300))
    picture = Picture(grey, None, None, "JPEG", 26.0)
    flat = rectify(Job(datums=(sheet(small),)), picture)
    true = small.corners()
    there = flat.from_source(true)
    sides = np.hypot(*(np.roll(there, -1, 0) - there).T) * flat.scale.mm_per_px
    assert sides == pytest.approx([297, 210, 297, 210], abs=1e-6)
    assert flat.to_source(there) == pytest.approx(true, abs=1e-6)
    assert flat.picture.grey.size < 2 * grey.size


def test_a_plane_seen_from_its_edge_is_refused():
    # the far side of the sheet almost vanishes: its horizon runs through the photo
    corners = ((180.0, 140.0), (220.0, 140.0), (399.0, 299.0), (1.0, 299.0))
    job = Job(datums=(SheetDatum("a4", (297.0, 210.0), corners),))
    picture = Picture(np.full((300, 400), 200, np.uint8), None, None, "JPEG", 26.0)
    flat = rectify(job, picture)
    assert flat.picture.grey.size < 2 * 300 * 400  # however far it reaches


@pytest.mark.parametrize(
    ("steps", "expected"),
    [
        ((Turn(1),), [[3, 6], [2, 5], [1, 4]]),
        ((Turn(3),), [[4, 1], [5, 2], [6, 3]]),
        ((Mirror(),), [[3, 2, 1], [6, 5, 4]]),
        ((Turn(1), Turn(3)), [[1, 2, 3], [4, 5, 6]]),
        ((Turn(1, on=False),), [[1, 2, 3], [4, 5, 6]]),
    ],
)
def test_quarter_turns_and_mirrors_lose_nothing(steps, expected):
    grey = np.array([[1, 2, 3], [4, 5, 6]], np.uint8) * 40
    job = Job(datums=(PixelDatum(0.5),), clean=steps)
    flat = rectify(job, Picture(grey, None, None, "PNG"))
    assert (flat.picture.grey == np.array(expected) * 40).all()
    assert flat.scale.mm_per_px == pytest.approx(0.5)


def test_straightening_turns_the_drawn_line_level_or_upright():
    assert Straighten((0, 0), (100, -10)).angle() == pytest.approx(-math.atan(0.1))
    assert Straighten((0, 0), (10, -100)).angle() == pytest.approx(math.atan(0.1))
    assert Straighten((100, 0), (0, 10)).angle() == pytest.approx(-math.atan(0.1))


def test_datums_that_work_together_stay_and_others_give_way():
    job = add_datum(Job(datums=(DpiDatum(300),)), LengthDatum((0, 0), (100, 0), 10.0))
    assert len(job.datums) == 1
    job = add_datum(job, sheet())
    assert [kind_of(d) for d in job.datums] == ["known-length", "sheet"]
    again = add_datum(job, LengthDatum((0, 0), (100, 0), 11.0))  # the same two points
    assert [kind_of(d) for d in again.datums] == ["sheet", "known-length"]
    assert add_datum(again, OverallDatum("width", 90.0)).datums == (OverallDatum("width", 90.0),)
    assert is_photo(again)
    assert set_datums(again, again.datums) is again


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("A4", ("a4", (210.0, 297.0))),
        ("card", ("card", (53.98, 85.6))),
        ("120x80mm", ("120x80mm", (120.0, 80.0))),
        ("5x3in", ("127x76.2mm", (127.0, 76.2))),
    ],
)
def test_sheet_sizes_are_read(text, expected):
    name, size = sheet_size(text)
    assert (name, size) == (expected[0], pytest.approx(expected[1]))
    assert title(name)


@pytest.mark.parametrize("text", ["a9", "12x", "x", "12xabc", "0x50mm"])
def test_sizes_that_are_none_are_explained(text):
    with pytest.raises(UnitsError):
        sheet_size(text)


def test_every_datum_has_a_name_a_size_and_words():
    gauge = GaugeDatum("a4", ((0.0, 0.0, 0.0, 0.0), (9, 0, 1, 0), (9, 9, 1, 1), (90, 0, 10, 0)))
    page = PageDatum("a4", (210.0, 297.0), (2100, 2970))
    ring = RoundDatum((0.0, 0.0), (50.0, 50.0), 0.0, 10.0)
    for datum, size in ((gauge, 1 / 9), (page, 0.1), (ring, 0.1), (sheet(), 0.1)):
        assert mm_per_px(datum, (0, 0)) == pytest.approx(size, rel=0.1)
        assert describe(datum)
        assert kind_of(datum)


@pytest.mark.parametrize("optics", [(-1.0, None), (float("nan"), None), (0.0, 2.0)])
def test_impossible_optics_are_refused(optics):
    with pytest.raises(ScaleError):
        Optics(*optics)

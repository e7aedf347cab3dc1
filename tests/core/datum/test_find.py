"""Sheets, gauge sheets and round things, found in rendered photos whose truth is known."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from benchmarks.photo import Part, Scene, printed, render
from benchmarks.photo_truth import marks_on
from silhueta.core.datum.camera import Lens
from silhueta.core.datum.edges import steepest
from silhueta.core.datum.find_sheet import find_sheet
from silhueta.core.datum.gauge import LAYOUTS, find_gauge, gauge_pdf
from silhueta.core.datum.look_for import look_for_any, look_for_sheet, sheet_at
from silhueta.core.datum.rectangle import measure_rectangle
from silhueta.core.datum.snap import find_round, snap
from silhueta.core.datums import GaugeDatum, SheetDatum
from silhueta.core.errors import ScaleError
from silhueta.core.picture.decode import Picture

A4 = (210.0, 297.0)
PART = Part(150, 100, 0.3, size=(120.0, 80.0), holes=((20.0, 10.0, 22.0),))
BASE = Scene(
    PART, pixels=(1200, 900), tilt=15.0, azimuth=40.0, roll=8.0, light=1.8, shadows=1, seed=3
)


def lens(scene: Scene) -> Lens:
    return Lens(scene.focal, (scene.pixels[0] / 2, scene.pixels[1] / 2))


def picture(scene: Scene, grey: np.ndarray) -> Picture:
    return Picture(grey, None, None, "JPEG", scene.focal35)


@pytest.fixture(scope="module")
def photo() -> np.ndarray:
    return render(BASE)


def test_the_sheet_and_its_corners(photo):
    found = find_sheet(photo, A4, lens(BASE))
    assert found.size == (297.0, 210.0)  # as it lies
    error = np.abs(found.rectangle.corners - BASE.corners())
    assert error.max() < 0.15
    assert error.max() < 4 * found.rectangle.sigma.max()  # and it knows how sure it is
    assert abs(found.rectangle.k1) < 3e-4  # no lens distortion is made up


def test_the_bend_of_the_edges_tells_the_lens():
    scene = replace(BASE, k1=-0.08, shadows=0)
    found = find_sheet(render(scene), A4, lens(scene)).rectangle
    assert found.k1 == pytest.approx(-0.08, abs=0.002)
    assert np.abs(found.corners - scene.corners()).max() < 0.15


def test_a_corner_under_the_part_is_where_the_edges_meet():
    hidden = replace(BASE, part=replace(PART, x=285.0, y=200.0), shadows=0)
    found = find_sheet(render(hidden), A4, lens(hidden)).rectangle
    assert np.abs(found.corners - hidden.corners()).max() < 0.3
    assert found.held.min() < 0.85


def test_no_sheet_is_said_so():
    bare = replace(BASE, sheet=(1.0, 1.0))
    with pytest.raises(ScaleError, match=r"no sheet of this size .* mark its four corners"):
        find_sheet(render(bare), A4, lens(bare))


def test_a_letter_sheet_is_not_taken_for_a4():
    letter = replace(BASE, sheet=(279.4, 215.9), part=None, shadows=0)
    grey = render(letter)
    with pytest.raises(ScaleError, match="sheet"):
        find_sheet(grey, A4, lens(letter), lens_known=True)
    found = look_for_any(picture(letter, grey))
    assert isinstance(found, SheetDatum)
    assert found.name == "letter"


def test_two_sheets_are_not_chosen_between():
    two = np.full((900, 1400), 90, np.uint8)
    two[150:570, 60:654] = 235
    two[300:720, 740:1334] = 235
    with pytest.raises(ScaleError, match="two sheets"):
        find_sheet(two, A4, Lens(1200.0, (700.0, 450.0)))


def test_a_bent_sheet_is_not_a_rectangle():
    bent = np.full((900, 1400), 90, np.uint8)
    x = np.arange(200, 1200)
    for column in x:
        sag = int(60 * np.sin((column - 200) / 1000 * np.pi))
        bent[100 + sag : 800 + sag, column] = 235
    with pytest.raises(ScaleError):
        find_sheet(bent, A4, Lens(1200.0, (700.0, 450.0)))


def test_marked_corners_move_onto_the_edges_nearby(photo):
    true = BASE.corners()
    marked = tuple(map(tuple, (true + [[2, -2], [-1, 2], [2, 1], [-2, -1]]).tolist()))
    snapped = sheet_at(picture(BASE, photo), "a4", (297.0, 210.0), marked)
    assert snapped.found
    assert np.abs(np.array(snapped.corners) - true).max() < 0.2
    kept = sheet_at(picture(BASE, photo), "a4", (297.0, 210.0), marked, snap=False)
    assert kept.corners == marked


@pytest.mark.parametrize(
    ("order", "says"), [([0, 3, 2, 1], "wrong way round"), ([0, 2, 1, 3], "cross")]
)
def test_corners_in_a_wrong_order_are_refused(order, says):
    corners = BASE.corners()[order].tolist()
    with pytest.raises(ScaleError, match=says):
        SheetDatum("a4", (297.0, 210.0), tuple(map(tuple, corners)))


def test_too_little_of_an_edge_is_not_measured(photo):
    far = BASE.corners() + [0, 60]
    with pytest.raises(ScaleError, match="too little of the sheet's"):
        measure_rectangle(np.full_like(photo, 128), far, lens(BASE))


def test_a_blurred_step_is_found_to_a_twentieth_of_a_pixel():
    x = np.arange(60) + 0.5
    for edge in (30.0, 30.3, 30.5, 30.8):
        row = 60 + 120 * np.clip(x - edge + 0.5, 0, 1)
        grey = gaussian_filter(np.tile(row, (40, 1)), 0.7).astype(np.float32)
        offset, slope = steepest(grey, np.array([[29.0, 20.0]]), np.array([[1.0, 0.0]]), 5.0, 1)
        assert 29 + offset[0] == pytest.approx(edge, abs=0.05)
        assert slope[0] > 0
    none, _ = steepest(grey, np.array([[29.0, 20.0]]), np.array([[1.0, 0.0]]), 5.0, -1)
    assert np.isnan(none[0])  # nothing falls there


GAUGE = replace(
    BASE, sheet=A4, part=replace(PART, x=105.0, y=150.0, turn=1.3), roll=86.0, k1=-0.05, shadows=0
)


@pytest.fixture(scope="module")
def on_gauge() -> np.ndarray:
    return render(replace(GAUGE, pixels=(1600, 1200), print_on=printed(gauge_pdf("a4"))))


def test_the_gauge_sheet_tells_plane_lens_and_camera(on_gauge):
    scene = replace(GAUGE, pixels=(1600, 1200))
    found = find_gauge(on_gauge, lens(scene))
    assert found.name == "a4"
    assert len(found.points) >= 4 * 40
    points = np.array(found.points)
    assert np.abs(scene.plane().to_px(points[:, 2:]) - points[:, :2]).mean() < 0.35
    half = np.hypot(800, 600) / scene.focal
    assert found.bend == pytest.approx(-0.05 * half**2, abs=0.002)
    assert isinstance(look_for_any(picture(scene, on_gauge)), GaugeDatum)


def test_a_mirrored_gauge_sheet_is_told(on_gauge):
    with pytest.raises(ScaleError, match="mirror image"):
        find_gauge(np.ascontiguousarray(on_gauge[:, ::-1]), Lens(1000.0, (800.0, 600.0)))


def test_no_gauge_sheet_is_said_so(photo):
    with pytest.raises(ScaleError, match="0 of its marks were read, 6 are needed"):
        find_gauge(photo, lens(BASE))


@pytest.mark.parametrize("name", LAYOUTS)
def test_every_gauge_sheet_fits_its_page_and_no_mark_is_used_twice(name):
    layout = LAYOUTS[name]
    corners = np.vstack(list(layout.marks.values()))
    assert corners.min() >= 5  # mm, what printers cannot print
    assert (corners <= np.array(layout.size) - 5).all()
    others = [n for key, other in LAYOUTS.items() if key != name for n in other.marks]
    assert not set(layout.marks) & set(others)
    left, bottom, right, top = layout.inner
    assert (right - left) * (top - bottom) > 0.4 * layout.size[0] * layout.size[1]
    assert gauge_pdf(name).startswith(b"%PDF")


@pytest.mark.parametrize("bar", [50.0, 250.0])
def test_a_bar_that_cannot_be_is_refused(bar):
    with pytest.raises(ScaleError, match="100 mm bar cannot measure"):
        GaugeDatum("a4", ((0.0, 0.0, 0.0, 0.0),) * 4, bar=bar)


def test_a_bore_seen_at_an_angle_is_an_ellipse(photo):
    place = np.array(
        [[150 + 20 * np.cos(0.3) - 10 * np.sin(0.3), 100 + 20 * np.sin(0.3) + 10 * np.cos(0.3)]]
    )
    x, y = BASE.plane().to_px(place)[0]
    found = find_round(photo, x + 2, y - 1, 22.0)
    mm = BASE.plane().mm_per_px(np.array([[x, y]]))[0]
    area = np.pi * found.radii[0] * found.radii[1] * mm**2
    assert area == pytest.approx(np.pi * 11**2, rel=0.01)
    with pytest.raises(ScaleError, match="no round rim"):
        find_round(np.full((200, 200), 128, np.uint8), 100, 100, 22.0)


def test_a_click_comes_to_rest_on_edge_or_corner():
    grey = np.full((120, 120), 230, np.uint8)
    grey[60:, 50:] = 60
    on_edge = snap(grey, 80.0, 63.0)
    assert (on_edge.on, on_edge.x) == ("edge", 80.0)
    assert on_edge.y == pytest.approx(60.0, abs=0.1)
    on_corner = snap(grey, 53.0, 57.5)
    assert on_corner.on == "corner"
    assert np.hypot(on_corner.x - 50, on_corner.y - 60) < 1.0
    assert snap(grey, 25.0, 25.0).on == "nothing"


def test_a_sheet_that_the_person_chose_keeps_its_name(photo):
    found = look_for_sheet(picture(BASE, photo), "297x210mm", (297.0, 210.0))
    assert found.name == "297x210mm"
    assert found.found


@pytest.mark.parametrize("name", sorted(LAYOUTS))
def test_the_marks_are_printed_where_they_are_said_to_be(name):
    layout = LAYOUTS[name]
    found = marks_on(printed(gauge_pdf(name)), layout.size[0])  # by OpenCV's own detector
    said = np.vstack(list(layout.marks.values()))
    assert len(found) == len(said)
    away = np.hypot(*(said[:, None] - found[None]).transpose(2, 0, 1))
    assert away.min(1).max() < 0.03  # mm

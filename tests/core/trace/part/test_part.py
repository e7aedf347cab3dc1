"""The part in a photo: found among shadow, sheet, bench and card, or refused in words."""

from dataclasses import replace

import numpy as np
import pytest

from benchmarks.photo import Part, Scene, render
from silhueta.core.datum.look_for import look_for_sheet
from silhueta.core.datums import Optics
from silhueta.core.errors import TraceError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.decode import decode
from silhueta.core.steps import Stroke
from silhueta.core.trace.job_trace import read_job, trace_job
from silhueta.core.trace.part.border import Sight
from silhueta.core.trace.part.cast import cast, clear
from silhueta.core.trace.part.looks import Seen, grounds_of, looks_of
from silhueta.core.trace.part.ring import closed_path
from silhueta.core.trace.part.sure import judged, lost_sides
from tests.conftest import encoded

A4 = (210.0, 297.0)
PART = Part(150, 100, 0.3, size=(120.0, 80.0), radius=10.0, holes=((0.0, 0.0, 30.0),))
SCENE = Scene(PART, pixels=(1600, 1200), tilt=12.0, azimuth=30.0, seed=2)
AREA = 120 * 80 - (4 - np.pi) * 10**2


def photo(scene: Scene, colour: tuple[float, float, float] | None = None):
    """A photo as a phone keeps it; where it is as dark as the part's face, in `colour`."""
    from PIL import Image

    grey = render(scene)
    rgb = np.repeat(grey[:, :, None], 3, axis=2)
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = 26
    if colour is not None:
        face = grey < scene.top + 25
        rgb[face] = np.clip(np.array(colour) * (grey[face][:, None] / scene.top), 0, 255)
    file = encoded(Image.fromarray(rgb), "JPEG", quality=95, exif=exif)
    return PictureFile(file.data, "photo.jpg")


def traced(file: PictureFile, thickness: float = 0.0, **changes):
    picture = decode(file)
    sheet = look_for_sheet(picture, "a4", A4)
    job = Job(picture=file, datums=(sheet,), optics=Optics(thickness), **changes)
    job, reading = read_job(job, picture)
    return trace_job(job, picture).job, reading


def areas(job: Job) -> list[float]:
    return sorted(signed_area(contour.path) for contour in job.outline.contours)


@pytest.mark.parametrize("thickness", [0.0, 5.0])
def test_a_part_is_found_without_a_word_and_its_shadow_is_not_part_of_it(thickness):
    scene = replace(SCENE, part=replace(PART, thickness=thickness), wall=40.0)
    job, reading = traced(photo(scene), thickness)
    assert reading.kind == "part"
    hole, outer = areas(job)
    assert outer == pytest.approx(AREA, rel=0.006)
    assert hole == pytest.approx(-np.pi * 15**2, rel=0.04)


def test_a_flat_part_comes_out_to_a_hundredth_of_a_millimetre_in_the_mean():
    job, _ = traced(photo(SCENE))
    hole, outer = areas(job)
    # half the width of an edge that is a hundredth off all round: area over perimeter
    assert abs(outer - AREA) / 380 < 0.02
    assert abs(hole + np.pi * 15**2) / (np.pi * 30) < 0.04


def test_stored_greys_would_make_the_same_part_too_small():
    file = photo(SCENE)
    linear = areas(traced(file)[0])[1]
    picture = decode(file)
    sheet = look_for_sheet(picture, "a4", A4)
    stored = TraceSettings(speck=20.0, light="stored")
    grey = trace_job(Job(picture=file, datums=(sheet,), trace=stored), picture).job
    assert abs(linear - AREA) < abs(areas(grey)[-1] - AREA)


def test_no_part_in_sight_is_said():
    with pytest.raises(TraceError, match=r"no part is to be seen.*lay it on"):
        traced(photo(replace(SCENE, part=None)), trace=TraceSettings())


def test_a_part_cut_off_by_the_picture_is_said():
    # the part lies beside the sheet, half of it out of the photo
    beside = replace(PART, x=345.0, y=100.0)
    scene = replace(SCENE, part=beside, seen=430.0, bench=190.0, texture="plain", tilt=4.0)
    with pytest.raises(TraceError, match="cut off by the picture's edge"):
        traced(photo(scene))


def test_two_parts_are_asked_about():
    scene = replace(SCENE, part=replace(PART, x=85.0, y=105.0, size=(90.0, 80.0), turn=0.0))
    other = replace(SCENE, part=replace(PART, x=215.0, y=105.0, size=(90.0, 80.0), turn=0.0))
    both = np.minimum(render(scene), render(other))
    from PIL import Image

    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = 26
    file = encoded(Image.fromarray(both).convert("RGB"), "JPEG", quality=95, exif=exif)
    with pytest.raises(TraceError, match="two things lie here"):
        traced(PictureFile(file.data, "photo.jpg"))


def test_a_stroke_of_scrape_takes_what_looks_like_part_away():
    file = photo(SCENE)
    c, s = np.cos(PART.turn), np.sin(PART.turn)
    ends = [(PART.x + c * u + s * 32, PART.y + s * u - c * 32) for u in (-48.0, 48.0)]
    px = SCENE.plane().to_px(np.array(ends)).tolist()
    scrape = Stroke(False, tuple((float(x), float(y)) for x, y in px), 40.0)
    plain, scraped = areas(traced(file)[0]), areas(traced(file, clean=(scrape,))[0])
    assert (len(plain), len(scraped)) == (2, 3)
    assert scraped[0] < -900  # a hole where the stroke lies


def test_a_shade_is_the_ground_with_less_light_and_a_colour_is_not():
    light = np.full((120, 160, 3), 0.7, np.float32)
    light[30:60, 30:60] *= 0.4  # a shadow
    light[30:60, 90:120] = (0.30, 0.16, 0.10)  # something brown, as light as the shadow
    everywhere = np.ones((120, 160), bool)
    seen = Seen(
        light,
        np.full((120, 160), 0.01, np.float32),
        everywhere,
        everywhere,
        np.zeros_like(everywhere),
        0.5,
        3.0,
        np.zeros((120, 160), np.float32),
    )
    looks = looks_of(seen, grounds_of(seen))
    assert looks.unlike[40, 40]
    assert looks.unlike[40, 100]
    assert looks.shade[40, 40]
    assert not looks.shade[40, 100]
    assert not looks.unlike[5, 5]


def test_a_path_round_a_ring_does_not_jump_to_a_short_stretch_of_another_edge():
    worth = np.zeros((200, 41))
    worth[:, 12] = 5.0
    worth[90:96, 30] = 9.0  # a few points see a stronger edge elsewhere
    path = closed_path(worth, 0.8)
    assert (path == 12).all()
    worth[40:160, 30] = 9.0
    worth[40:160, 12] = 0.0
    assert np.abs(np.diff(np.append(path, path[0]))).max() <= 2
    assert (closed_path(worth, 0.8)[80:120] == 30).all()


def test_the_part_lies_where_it_lay():
    job, _ = traced(photo(SCENE))
    left, bottom, right, top = bounding_box(job.outline.taken)
    c, s = abs(np.cos(0.3)), abs(np.sin(0.3))
    # a box of 100 x 60 turned by 0.3, and its rounding of 10 all round
    assert right - left == pytest.approx(100 * c + 60 * s + 20, abs=0.1)
    assert top - bottom == pytest.approx(100 * s + 60 * c + 20, abs=0.1)


def brushed(throw: tuple[int, int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A brushed plate with a hole on light ground, its thing, and its picture: shadow as the face.

    The shadow is as light as the face, and soft at its end.
    """
    from scipy.ndimage import gaussian_filter, shift

    rng = np.random.default_rng(5)
    y, x = np.mgrid[:300, :400]
    part = (abs(x - 190) < 110) & (abs(y - 140) < 80) & (np.hypot(x - 180, y - 140) > 32)
    steps = np.linspace(0, 1, 30)[:, None] * np.array(throw)
    swept = [shift(part.astype(np.uint8), (v, u), order=0) > 0 for u, v in steps]
    covered = part | np.any(swept, axis=0)
    dim = np.where(throw == (0, 0), 0.0, gaussian_filter((covered & ~part) * 1.0, 3))
    light = 0.7 * (1 - 0.6 * dim)
    streaks = gaussian_filter(rng.normal(0, 1, (300, 1)), (0.7, 0)) * np.ones((1, 400))
    light = np.where(part, 0.28 * np.exp(0.12 * streaks), light)
    light = gaussian_filter(light, 0.7) + rng.normal(0, 0.004, light.shape)
    light = np.repeat(light[:, :, None], 3, axis=2).astype(np.float32)
    thing = (light[..., 0] < 0.64) | part
    return part, thing, light


@pytest.mark.parametrize("throw", [(0, 0), (14, 9), (-4, 16)])
def test_where_face_and_shadow_look_alike_the_edges_tell_the_throw(throw):
    part, thing, light = brushed(throw)
    found = cast(thing, light, 0.3, 5.0, None)
    assert np.hypot(found.throw[0] - throw[0], found.throw[1] - throw[1]) < 4.0
    wrong = (found.part ^ part).sum() / part.sum()
    assert wrong < 0.045  # a pixel all round is 0.03
    if throw != (0, 0):
        assert (thing ^ part).sum() > 3 * (found.part ^ part).sum()
        assert clear(part, light) > clear(thing, light) + 0.2


def test_a_hole_in_deep_shade_that_was_not_found_is_doubted_and_a_plain_face_is_not():
    y, x = np.mgrid[:300, :400]
    turn = np.linspace(0, 2 * np.pi, 900, endpoint=False)
    rim = np.array([200.0, 150.0]) + 120 * np.column_stack([np.cos(turn), -np.sin(turn)])
    face = np.hypot(x + 0.5 - 200, y + 0.5 - 150) < 120
    noise = np.random.default_rng(2).normal(0, 0.01, (300, 400))
    for radius, shade, count in ((0, 0.06, 0), (9, 0.06, 1), (5, 0.15, 0), (5, 0.06, 1)):
        dark = np.hypot(x + 0.5 - 230, y + 0.5 - 150) < radius
        grey = np.where(dark, shade, np.where(face, 0.2, 0.8)) * np.exp(noise)
        light = np.repeat(grey[:, :, None], 3, axis=2).astype(np.float32)
        leaning = np.where(face, 4.0, -4.0).astype(np.float32)
        sight = Sight(light, leaning, 1.0, 0.3, None)
        kept, doubts = judged([rim], [np.pi * 120**2], sight)
        assert kept == [0]
        assert len(doubts) == count
    assert np.hypot(doubts[0].place[0] - 230, doubts[0].place[1] - 150) < 1.5
    assert "may be a hole" in doubts[0].text


def test_a_side_that_fades_into_its_shadow_widens_the_size_across_it_only():
    fades = np.clip((np.arange(300) - 40) / 30, 0, 1)  # soft along the left, sharp elsewhere
    face = np.where(fades < 1, fades, 1.0) * np.ones((200, 1))
    face[:40] = face[160:] = face[:, 260:] = 0.0
    light = np.repeat((0.2 + 0.4 * face)[:, :, None], 3, axis=2).astype(np.float32)
    across, up = np.arange(55.0, 260.0), np.arange(40.0, 160.0)
    ring = np.concatenate(
        [
            np.column_stack([np.full(120, 55.0), up]),
            np.column_stack([across, np.full(205, 160.0)]),
            np.column_stack([np.full(120, 260.0), up[::-1]]),
            np.column_stack([across[::-1], np.full(205, 40.0)]),
        ]
    )
    sight = Sight(light, face.astype(np.float32), 1.0, 0.1, None, alike=True)
    wide, high = lost_sides(ring, (sight,))
    assert 0.35 < wide < 0.45
    assert high < 0.15
    blurred = sight._replace(light=np.full_like(light, 0.4))
    assert lost_sides(ring, (sight, blurred)) == lost_sides(ring, (blurred,))

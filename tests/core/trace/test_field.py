"""What part and ground are told apart by."""

from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from silhueta.core.datums import OverallDatum, PixelDatum
from silhueta.core.errors import EditError, TooMuchError, TraceError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, Patch, PictureFile, TraceSettings
from silhueta.core.trace.again import beside
from silhueta.core.trace.edge.field import colour_field
from silhueta.core.trace.job_trace import touched, trace_job
from silhueta.core.trace.trace import trace
from tests.conftest import drawn, encoded, grey_picture, square

BOX = TraceSettings(speck=0.2)


def test_a_band_takes_what_lies_between_two_greys():
    grey = np.full((120, 200), 240, np.uint8)
    grey[30:90, 20:80] = 120
    grey[30:90, 120:180] = 10
    made = trace(grey_picture(grey), PixelDatum(0.1), replace(BOX, mode="band", band=(60, 180)))
    (loop,) = made.outline.loops
    assert bounding_box([loop]) == pytest.approx((2, 3, 8, 9), abs=0.05)


def test_greys_around_find_marks_that_no_one_threshold_does():
    light = np.linspace(250, 70, 400)[None].repeat(200, 0)
    grey = light.copy()
    for x in (60, 200, 340):
        grey[60:140, x - 20 : x + 20] *= 0.45
    made = grey_picture(np.round(grey).astype(np.uint8))
    plain = trace(made, PixelDatum(0.1), BOX)
    assert len(plain.outline.loops) != 3  # the dark side of the paper is as dark as the marks
    local = trace(made, PixelDatum(0.1), replace(BOX, mode="local", window=10.0))
    sizes = sorted(abs(signed_area(loop)) for loop in local.outline.loops)
    assert sizes == pytest.approx([32, 32, 32], rel=0.03)


def test_picked_colours_take_their_part_alone(tmp_path):
    import io

    from PIL import Image

    rgb = np.full((150, 200, 3), 240, np.uint8)
    rgb[30:70, 30:90] = (200, 30, 40)
    rgb[90:130, 110:170] = (30, 60, 200)
    stored = io.BytesIO()
    Image.fromarray(rgb).save(stored, "PNG", dpi=(254, 254))
    file = PictureFile(stored.getvalue(), "two.png")
    from silhueta.core.job import Job

    settings = replace(BOX, mode="colour", colours=((205, 35, 35),))
    done = trace_job(Job(picture=file, datums=(PixelDatum(0.1),), trace=settings)).job
    assert bounding_box(done.outline.taken) == pytest.approx((3, 8, 9, 12), abs=0.1)
    far = replace(settings, colours=((0, 255, 0),), colour_distance=5.0)
    with pytest.raises(TraceError, match="near the picked colours"):
        trace_job(Job(picture=file, datums=(PixelDatum(0.1),), trace=far))


def test_a_picked_colour_is_no_distance_from_itself():
    rng = np.random.default_rng(1)
    colours = rng.integers(0, 256, (6, 6, 3), np.uint8)
    from skimage.color import deltaE_ciede2000, rgb2lab

    picked = (120, 90, 200)
    want = deltaE_ciede2000(rgb2lab(colours), rgb2lab(np.array([[picked]], np.uint8)))
    assert colour_field(colours, [picked]) / 256 == pytest.approx(want, abs=1.2)


PLATE = drawn([square(100, (50, 50))], 200, 200)


@pytest.mark.parametrize(
    ("rule", "area"), [("nothing", 5000.0), ("solid", 15000.0), ("threshold", 10000.0)]
)
def test_a_patch_has_a_rule_of_its_own(rule, area):
    corners = [(100.0, 50.0), (200.0, 50.0), (200.0, 150.0), (100.0, 150.0)]
    if rule == "solid":
        corners = [(150.0, 50.0), (200.0, 50.0), (200.0, 150.0), (150.0, 150.0)]
    patch = Patch(tuple(corners), rule=rule)
    made = trace(PLATE, PixelDatum(1.0), BOX, patches=[(patch, np.array(corners))])
    assert sum(signed_area(loop) for loop in made.outline.loops) == pytest.approx(area, rel=0.02)


def test_a_patch_outside_the_picture_is_said():
    corners = ((300.0, 300.0), (400.0, 300.0), (400.0, 400.0))
    with pytest.raises(TraceError, match="outside the picture"):
        trace(PLATE, PixelDatum(1.0), BOX, patches=[(Patch(corners), np.array(corners))])
    with pytest.raises(EditError, match="three corners"):
        Patch(corners[:2])


def test_a_scanners_dark_rim_is_no_loop_but_a_part_cut_off_by_the_picture_is():
    grey = np.full((200, 300), 245, np.uint8)
    grey[:, :9] = grey[:7] = 20  # a lid that did not close
    grey[80:120, 100:160] = 20
    grey[150:, 200:240] = 20  # runs out of the picture
    made = trace(grey_picture(grey), PixelDatum(0.1), BOX)
    assert made.rims == 1
    assert sorted(round(signed_area(loop)) for loop in made.outline.loops) == [20, 24]


def test_noise_is_asked_about_with_a_speck_limit_that_helps():
    grey = np.random.default_rng(5).integers(0, 256, (500, 500), np.uint8)
    grey[100:300, 100:300] = 0
    settings = replace(BOX, speck=0.0, pinhole=0.0)
    noisy = grey_picture(np.tile(grey, (3, 3)))
    with pytest.raises(TooMuchError, match="probably noise") as caught:
        trace(noisy, PixelDatum(0.1), settings)
    assert caught.value.points > 100_000
    helped = trace(noisy, PixelDatum(0.1), replace(settings, speck=caught.value.speck, pinhole=1e3))
    assert 9 <= len(helped.outline.loops) <= 1000


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"band": (200, 100)}, "lower to a higher"),
        ({"window": 0.0}, "window"),
        ({"colour_distance": 0.0}, "colour distance"),
        ({"corner": 200.0}, "corner angle"),
        ({"split": 1}, "colours"),
        ({"smooth": -1.0}, "smoothing"),
    ],
)
def test_settings_that_cannot_be_are_refused(changes, says):
    with pytest.raises(EditError, match=says):
        TraceSettings(**changes)


def test_tracing_again_keeps_what_a_person_has_touched():
    two = drawn([square(40, (20, 20)), square(40, (120, 120))], 200, 200)
    fresh = trace(two, PixelDatum(1.0), BOX).outline
    mine, other = sorted(fresh.contours, key=lambda c: bounding_box([c.path])[0])
    moved = replace(mine, path=circle_loop((40, 40), 22), origin="edited")
    kept = touched(Outline((moved, other)))
    assert kept == (moved,)
    assert beside(fresh, kept).contours == (moved, other)


@pytest.mark.parametrize(
    ("datum", "factor"), [(PixelDatum(0.5), 0.5), (OverallDatum("width", 70.0), 0.5)]
)
def test_what_was_changed_by_hand_is_carried_along_when_the_scale_changes(datum, factor):
    image = Image.fromarray(drawn([square(40, (20, 20)), square(40, (120, 120))], 200, 200).grey)
    job = Job(picture=encoded(image, "PNG"), datums=(PixelDatum(1.0),), trace=BOX)
    traced = trace_job(job).job
    mine, other = sorted(traced.outline.contours, key=lambda c: bounding_box([c.path])[0])
    edited = replace(mine, path=circle_loop((40, 40), 22), origin="edited")
    skipped = replace(other, taken=False, chosen=True)
    by_hand = replace(traced, outline=Outline((edited, skipped)), datums=(datum,))
    again = trace_job(by_hand).job
    kept, fresh = again.outline.contours
    centre, radius = full_circle(kept.path)
    assert (*centre, radius) == pytest.approx((40 * factor, 40 * factor, 22 * factor), rel=1e-3)
    assert not fresh.taken
    assert fresh.origin == "traced"
    assert bounding_box([fresh.path])[0] == pytest.approx(120 * factor, rel=1e-3)

import numpy as np
import pytest

from benchmarks.shapes import FONTS, glyph_loops, placed
from silhueta.core.datums import DpiDatum, LengthDatum, OverallDatum, PixelDatum
from silhueta.core.errors import ScaleError, StoppedError, TraceError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.nesting import nest
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, PictureFile, TraceSettings, is_stale
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.trace.trace import trace
from silhueta.core.work import Work
from silhueta.demo.gasket import BOLT_MM, BORE_MM, gasket_job
from tests.conftest import drawn, grey_picture, hole, square

RING = [
    square(160, (20, 20)),
    hole(square(120, (40, 40))),
    square(60, (70, 70)),
    hole(circle_loop((100, 100), 12)),
]


def test_solids_turn_left_holes_right_the_outermost_first():
    traced = trace(drawn(RING, 200, 200), PixelDatum(0.1), TraceSettings(speck=0.1))
    areas = [signed_area(loop) for loop in traced.outline.loops]
    assert areas == pytest.approx([256, -144, 36, -np.pi * 1.44], rel=2e-3)
    assert nest(traced.outline.loops).depth.tolist() == [0, 1, 2, 3]


@pytest.mark.parametrize(("keep", "taken"), [("all", 4), ("outer+holes", 2), ("outer", 1)])
def test_loops_that_are_not_kept_are_skipped_not_lost(keep, taken):
    traced = trace(drawn(RING, 200, 200), PixelDatum(0.1), TraceSettings(speck=0.1, keep=keep))
    assert len(traced.outline.contours) == 4
    assert len(traced.outline.taken) == taken


@pytest.mark.parametrize(
    ("datum", "width"),
    [
        (PixelDatum(0.5), 50),
        (DpiDatum(254), 10),
        (LengthDatum((50, 100), (150, 100), 42), 42),
        (OverallDatum("width", 120), 120),
        (OverallDatum("height", 120), 60),
    ],
)
def test_every_datum_gives_the_true_size(datum, width):
    part = [square(100, (50, 50))]
    picture = drawn([part[0], square(100, (50, 150))], 200, 300)  # together 100 wide and 200 high
    traced = trace(picture, datum, TraceSettings(speck=1.0))
    left, _, right, _ = bounding_box(traced.outline.taken)
    exact = isinstance(datum, OverallDatum)
    assert right - left == pytest.approx(width, rel=1e-12 if exact else 1e-3)


def test_an_overall_length_does_not_measure_specks():
    grey = drawn([square(100, (50, 50))], 300, 200).grey.copy()
    grey[5:8, 290:293] = 0  # a speck far off, 9 px²
    traced = trace(grey_picture(grey), OverallDatum("width", 50), TraceSettings(speck=10.0))
    assert traced.scale.mm_per_px == pytest.approx(0.5, rel=1e-3)
    assert traced.dropped == 1


def test_the_frame_is_the_pictures_own():
    traced = trace(drawn([square(50, (30, 40))], 200, 150), PixelDatum(0.1), TraceSettings())
    assert bounding_box(traced.outline.taken) == pytest.approx((3, 4, 8, 9), abs=0.01)


def test_light_on_dark_is_the_same_after_inverting():
    dark = trace(drawn(RING, 200, 200), PixelDatum(0.1), TraceSettings(speck=0.1))
    negative = drawn(RING, 200, 200, levels=(255, 0))
    light = trace(negative, PixelDatum(0.1), TraceSettings(speck=0.1, invert=True))
    for one, two in zip(dark.outline.loops, light.outline.loops, strict=True):
        assert signed_area(one) == pytest.approx(signed_area(two), rel=1e-6)


@pytest.mark.parametrize("levels", [(0, 255), (60, 230), (100, 140), (3, 40)])
def test_contrast_does_not_move_the_edge(levels):
    picture = drawn([circle_loop((100, 100), 70)], 200, 200, levels=levels)
    traced = trace(picture, PixelDatum(1), TraceSettings())
    found = full_circle(traced.outline.loops[0])
    assert found is not None
    assert found[1] == pytest.approx(70, abs=0.03)


def test_sixteen_bits_trace_like_eight():
    picture = drawn([circle_loop((100, 100), 70)], 200, 200)
    wide = grey_picture(picture.grey.astype(np.uint16) * 257)
    for settings in (TraceSettings(), TraceSettings(threshold=100)):
        one, two = (trace(p, PixelDatum(1), settings).outline.loops[0] for p in (picture, wide))
        assert signed_area(one) == pytest.approx(signed_area(two), rel=1e-4)


@pytest.mark.parametrize("character", list("agGM&8"))
@pytest.mark.parametrize("font", FONTS, ids=lambda f: f.stem)
def test_letters_never_cross_and_lose_no_hole(font, character):
    true = placed(glyph_loops(font, character), 160, 8.3)
    settings = TraceSettings(speck=2, tolerance=1.5)
    traced = trace(drawn(true, 160, 160), PixelDatum(1), settings)
    loops = traced.outline.loops
    assert len(loops) == len(true)
    assert len(crossings(loops)) == 0
    assert sum(map(signed_area, loops)) == pytest.approx(abs(sum(map(signed_area, true))), rel=0.02)


@pytest.mark.parametrize(
    ("grey", "settings", "says"),
    [
        (np.full((50, 50), 128), TraceSettings(), "one grey value"),
        (np.full((1, 1), 0), TraceSettings(), "one grey value"),
        (np.full((50, 50), 200), TraceSettings(threshold=100), "darker than the threshold"),
        (np.full((50, 50), 10), TraceSettings(threshold=100, invert=True), "lighter than the"),
    ],
)
def test_pictures_without_an_edge_say_what_to_do(grey, settings, says):
    with pytest.raises(TraceError, match=says):
        trace(grey_picture(grey.astype(np.uint8)), PixelDatum(0.1), settings)


def test_everything_under_the_speck_limit_is_said():
    with pytest.raises(TraceError, match="speck limit of 500 mm²"):
        trace(drawn([square(20, (5, 5))], 40, 40), PixelDatum(0.1), TraceSettings(speck=500))


def test_noise_is_traced_or_refused_but_never_hangs():
    grey = np.random.default_rng(7).integers(0, 256, (300, 300), np.uint8)
    traced = trace(grey_picture(grey), PixelDatum(0.1), TraceSettings(speck=0.5))
    assert len(crossings(traced.outline.loops)) == 0


def test_far_too_many_loops_are_refused():
    grey = np.tile(
        np.array([[0, 0, 0, 255], [0, 0, 0, 255], [0, 0, 0, 255], [255] * 4], np.uint8), (260, 260)
    )
    with pytest.raises(TraceError, match="probably noise"):
        trace(grey_picture(grey), PixelDatum(1), TraceSettings(speck=0))


def test_a_scale_that_cannot_be_is_refused():
    with pytest.raises(ScaleError):
        trace(drawn(RING, 200, 200), PixelDatum(1e-7), TraceSettings())


def test_a_trace_can_be_stopped():
    work = Work()
    work.stop()
    with pytest.raises(StoppedError):
        trace(drawn(RING, 200, 200), PixelDatum(0.1), TraceSettings(), work)


def test_progress_runs_through_the_stages():
    heard: list[tuple[str, float]] = []
    trace(
        drawn(RING, 200, 200),
        PixelDatum(0.1),
        TraceSettings(speck=0.1),
        Work(lambda s, f: heard.append((s, f))),
    )
    assert list(dict.fromkeys(stage for stage, _ in heard)) == [
        "threshold",
        "contours",
        "fit",
        "check",
    ]
    assert all(0 <= share <= 1 for _, share in heard)


def test_the_demo_gasket_comes_out_at_its_true_size():
    job, traced, _ = trace_job(gasket_job())
    assert not is_stale(job)
    circles = [full_circle(loop) for loop in job.outline.loops]
    diameters = sorted(2 * c[1] for c in circles if c is not None)
    assert diameters == pytest.approx([BOLT_MM] * 6 + [BORE_MM], abs=0.01)
    assert nest(job.outline.loops).depth.tolist() == [0] + [1] * 7
    assert traced.dropped > 10  # the dust


def test_tracing_without_a_picture_says_so():
    with pytest.raises(TraceError, match="no picture"):
        trace_job(Job())
    with pytest.raises(Exception, match="not a picture"):
        trace_job(Job(picture=PictureFile(b"x", "x.png")))

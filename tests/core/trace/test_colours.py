"""A picture split into its main colours."""

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from silhueta.core.datum.scale import Scale
from silhueta.core.errors import TooMuchError, TraceError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import TraceSettings
from silhueta.core.trace.colour import split as colours
from silhueta.core.trace.colour.borders import OUTSIDE, borders
from silhueta.core.trace.colour.split import proposed, split
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.trace.trace import trace_colours
from silhueta.demo.drawings import emblem_job
from silhueta.demo.render import coverage
from tests.conftest import square

GROUND, BLUE, RED = (240, 238, 230), (20, 52, 77), (170, 40, 35)


def flag(size: int = 240) -> np.ndarray:
    """Return a blue square on paper, its right half under a red disc, in exact coverage."""
    made = np.full((size, size, 3), GROUND, np.float64)
    for loop, colour in ((square(140, (50, 50)), BLUE), (circle_loop((190, 120), 45), RED)):
        share = coverage([flatten(loop, 1e-3)], size, size)[:, :, None]
        made = made * (1 - share) + share * np.array(colour)
    return np.round(made).astype(np.uint8)


def test_borders_run_from_meeting_to_meeting():
    labels = np.zeros((4, 6), np.uint8)
    labels[1:3, 1:3], labels[1:3, 3:5] = 1, 2
    found = borders(labels)
    pairs = sorted(tuple(sorted(map(int, side))) for side in found.sides)
    assert pairs == [(0, 1), (0, 2), (0, OUTSIDE), (1, 2)]
    assert found.closed.sum() == 1  # round the picture


def test_the_number_of_colours_is_proposed():
    assert proposed(flag()) == 3
    with pytest.raises(TraceError, match="3 clearly different colours, not 6"):
        split(flag(), 6)


def test_colours_meet_without_gap_or_overlap():
    made = trace_colours(flag(), Scale(0.1, 240, "pixel"), TraceSettings(speck=0.5, split=3))
    area = {
        contour.colour: sum(
            abs(signed_area(c.path)) for c in made.outline.contours if c.colour == contour.colour
        )
        for contour in made.outline.contours
        if contour.taken
    }
    blue, red = (next(c for c in area if abs(c[0] - want[0]) < 6) for want in (BLUE, RED))
    # half of the disc lies over the square's right edge, worked out by hand
    assert area[red] == pytest.approx(np.pi * 4.5**2, rel=2e-3)
    assert area[blue] == pytest.approx(14**2 - np.pi * 4.5**2 / 2, rel=2e-3)
    nodes = {
        c.colour: {tuple(node) for node in c.path.nodes.round(9).tolist()}
        for c in made.outline.contours
        if c.taken
    }
    # the same meetings, to the digit; between them both have the one arc
    assert len(nodes[blue] & nodes[red]) == 2


def test_the_emblem_splits_into_its_four_colours_and_the_ground():
    done = trace_job(emblem_job())
    contours = done.job.outline.contours
    assert len({c.colour for c in contours if c.taken}) == 4
    ground = {c.colour for c in contours if not c.taken}
    assert all(min(colour) > 215 for colour in ground)
    assert done.traced.rims == 1


def test_noise_is_asked_about_before_it_is_followed():
    noise = np.random.default_rng(3).integers(0, 256, (900, 1300, 3), dtype=np.uint8)
    settings = TraceSettings(speck=0.0, split=4)
    with pytest.raises(TooMuchError, match=r"edge points.*specks under"):
        trace_colours(noise, Scale(0.1, 900, "pixel"), settings)


def test_a_large_picture_is_split_in_bands_as_a_small_one_is_in_one(monkeypatch):
    noisy = flag() + np.random.default_rng(5).integers(-14, 15, (240, 240, 1))
    noisy = np.clip(noisy, 0, 255).astype(np.uint8)
    whole = split(noisy, 3, 20.0)
    monkeypatch.setattr(colours, "_AT_ONCE", 0)
    monkeypatch.setattr(colours, "_BAND", 37)
    monkeypatch.setattr(colours, "_REACH", 1)
    assert np.array_equal(split(noisy, 3, 20.0).labels, whole.labels)


def test_two_colours_that_meet_noisily_have_the_border_that_was_drawn():
    big = np.full((1200, 1600, 3), (243, 240, 230), np.uint8)
    cv2.circle(big, (800, 600), 420, (215, 164, 65), -1)
    cv2.circle(big, (800, 600), 168, (243, 240, 230), -1)
    small = cv2.resize(big, (400, 300), interpolation=cv2.INTER_AREA)
    stream = io.BytesIO()
    Image.fromarray(small).save(stream, "JPEG", quality=30, subsampling=2)
    shown = np.asarray(Image.open(stream))
    made = trace_colours(shown, Scale(1.0, 300, "pixel"), TraceSettings(speck=20.0, split=2))
    ring = [c.path for c in made.outline.contours if c.taken]
    assert [len(path.nodes) for path in ring] == [2, 2]
    radii = sorted(np.ptp(flatten(path, 1e-3)[:, 1]) / 2 for path in ring)
    assert radii == pytest.approx([42, 105], abs=0.25)

"""Pen lines, with gaps, junctions and sharp corners."""

import cv2
import numpy as np
import pytest
from scipy.spatial import cKDTree

from silhueta.core.datums import PixelDatum
from silhueta.core.errors import TraceError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.job import TraceSettings
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.trace.trace import trace
from silhueta.demo.drawings import LINE_MM, heron_job, heron_outline
from tests.conftest import grey_picture

FINER = 4


def inked(lines, wide: float = 8.0, size: int = 400, closed: bool = False):
    """Return a picture of pen lines `wide` px, each (N, 2) px."""
    big = np.full((size * FINER, size * FINER), 255, np.uint8)
    for line in lines:
        fixed = np.round((np.array(line) * FINER - 0.5) * 16).astype(np.int32)
        cv2.polylines(big, [fixed], closed, 20, round(wide * FINER), cv2.LINE_8, 4)
    return grey_picture(cv2.resize(big, (size, size), interpolation=cv2.INTER_AREA))


def ring(begin: float = 0.0, end: float = 2 * np.pi, radius: float = 120.0) -> np.ndarray:
    angle = np.linspace(begin, end, 800)
    return 200 + radius * np.column_stack([np.cos(angle), np.sin(angle)])


@pytest.mark.parametrize(("pen", "radius"), [("outer", 124.0), ("inner", 116.0), ("centre", 120.0)])
def test_the_edge_that_is_asked_for(pen, radius):
    made = trace(inked([ring()]), PixelDatum(0.1), TraceSettings(speck=0.1, pen=pen))
    (loop,) = made.outline.loops
    assert signed_area(loop) == pytest.approx(np.pi * (radius / 10) ** 2, rel=4e-3)
    assert made.line_width == pytest.approx(0.8, abs=0.12)


def test_the_middle_of_a_blurred_line_is_not_drawn_to_one_side():
    sharp = inked([ring()], wide=6.0)
    soft = grey_picture(cv2.GaussianBlur(sharp.grey, (0, 0), 2.2))
    made = trace(soft, PixelDatum(1.0), TraceSettings(speck=0.1, pen="centre"))
    (loop,) = made.outline.loops
    assert np.sqrt(signed_area(loop) / np.pi) == pytest.approx(120.0, abs=0.05)


@pytest.mark.parametrize("pen", ["outer", "centre"])
def test_a_gap_is_closed_along_the_stroke(pen):
    broken = inked([ring(0.2, 2 * np.pi)])  # 24 px of the middle, round ends of 4 px each
    settings = TraceSettings(speck=0.1, pen=pen)
    left = trace(broken, PixelDatum(0.1), settings).outline
    closed = trace(broken, PixelDatum(0.1), TraceSettings(speck=0.1, pen=pen, close_gaps=2.0))
    (loop,) = closed.outline.loops
    assert len(closed.outline.taken) == 1
    assert signed_area(loop) == pytest.approx(
        np.pi * (12.4 if pen == "outer" else 12) ** 2, rel=0.01
    )
    if pen == "centre":
        assert isinstance(left.taken[0], OpenPath)


def test_an_open_line_encloses_nothing():
    stroke = inked([[(60, 200), (340, 220)]])
    with pytest.raises(TraceError, match="encloses"):
        trace(stroke, PixelDatum(0.1), TraceSettings(speck=0.1, pen="inner"))
    (path,) = trace(stroke, PixelDatum(0.1), TraceSettings(speck=0.1, pen="centre")).outline.taken
    assert isinstance(path, OpenPath)
    assert len(path.nodes) == 2


def test_a_line_that_meets_another_stays_whole():
    whisker = np.array([(318.0, 200.0), (390.0, 200.0)])
    made = trace(inked([ring(), whisker]), PixelDatum(0.1), TraceSettings(speck=0.1, pen="centre"))
    loops = [path for path in made.outline.taken if isinstance(path, Loop)]
    (loop,) = loops
    assert signed_area(loop) == pytest.approx(np.pi * 144, rel=0.01)
    assert len(made.outline.taken) == 2


def test_a_sharp_corner_keeps_its_tip():
    tip = np.array([[40.0, 200.0], [340.0, 150.0], [340.0, 250.0]])  # 19 degrees
    made = trace(inked([tip], closed=True), PixelDatum(1.0), TraceSettings(speck=1.0, pen="centre"))
    (loop,) = made.outline.loops
    left, low, right, high = bounding_box([loop])
    assert (left, low, right, high) == pytest.approx((40, 150, 340, 250), abs=3.0)
    assert len(loop.kinds) <= 6


def test_the_heron_becomes_one_closed_line_and_its_dust_is_gone():
    done = trace_job(heron_job())
    loop = max(done.job.outline.loops, key=lambda path: abs(signed_area(path)))
    off = cKDTree(heron_outline()).query(flatten(loop, 0.01))[0]
    assert off.mean() < 0.04
    assert done.traced.line_width == pytest.approx(LINE_MM, abs=0.1)
    assert done.traced.dropped > 60
    # feathers are drawn fainter, with a lighter hand: they stay open lines
    assert all(isinstance(path, OpenPath) for path in done.job.outline.taken[2:])


def wavering(points: np.ndarray, off: float, over: float, seed: int) -> np.ndarray:
    """Return a closed line (N, 2), px, as a hand follows it: off by so much, for a while together.

    An autoregressive process of the first order (Box and Jenkins, 1970, section 3.2).
    """
    random = np.random.default_rng(seed)
    keep = np.exp(-1 / over)
    errors = np.zeros(2 * len(points))
    for k, kick in enumerate(random.normal(0, off * np.sqrt(1 - keep**2), len(errors))):
        errors[k] = keep * errors[k - 1] + kick
    errors = errors[len(points) :]
    errors -= np.linspace(errors[0], errors[-1], len(errors))  # ends where it began
    ahead = np.roll(points, -1, 0) - np.roll(points, 1, 0)
    ahead /= np.hypot(*ahead.T)[:, None]
    return points + errors[:, None] * np.column_stack([-ahead[:, 1], ahead[:, 0]])


def test_a_slot_drawn_by_a_wavering_hand_is_two_lines_and_two_arcs():
    turn = np.linspace(-np.pi / 2, np.pi / 2, 189)
    cap = 60 * np.column_stack([np.cos(turn), np.sin(turn)])
    straight = np.column_stack([np.linspace(0, 1, 140, endpoint=False)] * 2)
    right, left = cap + (270, 200), (130, 200) - cap
    slot = np.vstack(
        [
            right[:-1],
            right[-1] + straight * (left[0] - right[-1]),
            left[:-1],
            left[-1] + straight * (right[0] - left[-1]),
        ]
    )
    noisy = wavering(slot, 0.5, 12.0, 4)
    settings = TraceSettings(speck=0.1, pen="centre", light="linear")
    made = trace(inked([noisy], wide=5.0, closed=True), PixelDatum(1.0), settings)
    (loop,) = made.outline.loops
    assert len(loop.nodes) == 4
    away, _ = cKDTree(slot).query(flatten(loop, 0.05) * (1, -1) + (0, 400))
    assert away.mean() < 0.6

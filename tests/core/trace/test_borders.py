"""Borders between areas, and loops put together from them: nothing lost, nothing twice."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from silhueta.core.datum.scale import Scale
from silhueta.core.geometry.measure import signed_area
from silhueta.core.job import TraceSettings
from silhueta.core.trace.colour.borders import OUTSIDE, borders
from silhueta.core.trace.colour.loops import colour_loops
from silhueta.core.trace.colour.split import Split
from silhueta.core.trace.pen.skeleton import chains_of, ends_of, without_spurs
from silhueta.core.trace.trace import trace_colours
from silhueta.core.work import Work

COLOURS = ((240, 238, 230), (20, 52, 77), (170, 40, 35), (78, 140, 119))


def blobs(seed: int, kinds: int, size: int = 90, soft: float = 9.0) -> np.ndarray:
    """Return labels in smooth areas."""
    rng = np.random.default_rng(seed)
    hills = [gaussian_filter(rng.normal(0, 1, (size, size)), soft) for _ in range(kinds)]
    return np.argmax(hills, axis=0).astype(np.uint8)


@given(st.integers(0, 10_000), st.integers(2, 5), st.integers(2, 12), st.integers(2, 12))
def test_every_crack_belongs_to_one_border(seed, kinds, rows, columns):
    labels = np.random.default_rng(seed).integers(0, kinds, (rows, columns)).astype(np.uint8)
    found = borders(labels)
    around = np.pad(labels, 1, constant_values=OUTSIDE)
    cracks = (around[1:] != around[:-1]).sum() + (around[:, 1:] != around[:, :-1]).sum()
    steps = [np.diff(found.border(i), axis=0) for i in range(len(found))]
    assert sum(len(step) for step in steps) == cracks
    assert all((np.abs(step).sum(1) == 1).all() for step in steps)


@given(st.integers(0, 10_000), st.integers(2, 5))
def test_borders_enclose_as_many_pixels_as_a_label_has(seed, kinds):
    labels = blobs(seed, kinds, 40, 4.0)
    found = borders(labels)
    area = dict.fromkeys(range(kinds), 0.0)
    for i in range(len(found)):
        x, y = found.border(i).astype(float).T
        # the surveyor's sum along one border; what is on its left gains, on its right loses
        swept = 0.5 * float((x[:-1] * y[1:] - x[1:] * y[:-1]).sum())
        for label, sign in zip(found.sides[i].tolist(), (-1.0, 1.0), strict=True):
            if label != OUTSIDE:
                area[label] += sign * swept
    counts = np.bincount(labels.ravel(), minlength=kinds)
    assert [area[k] for k in range(kinds)] == pytest.approx(counts.tolist())


@settings(max_examples=12)
@given(st.integers(0, 10_000), st.integers(2, 4))
def test_loops_of_all_colours_together_cover_the_picture_once(seed, kinds):
    labels = blobs(seed, kinds)
    rgb = np.array(COLOURS, np.uint8)[labels]
    found = colour_loops(rgb, Split(COLOURS[:kinds], labels), 0.7, 0.6, Work()).loops
    # a closed border is the loop of both sides: what one gains the other loses
    once = [c.loop for c in found if sum(other.loop is c.loop for other in found) == 1]
    frame = [loop for loop in once if abs(signed_area(loop)) == labels.size]
    # every other area lies on the left as one walks round it, seen with y down
    walked = -sum(signed_area(loop) for loop in once if loop not in frame)
    assert walked + labels.size * len(frame) == pytest.approx(labels.size, abs=1e-6)
    assert len(frame) <= 1
    assert {c.label for c in found} == set(np.unique(labels).tolist())


def test_what_is_smaller_than_a_speck_goes_to_its_surroundings():
    rgb = np.full((120, 160, 3), COLOURS[0], np.uint8)
    rgb[30:90, 30:130] = COLOURS[1]
    rgb[50:54, 60:64] = COLOURS[2]
    rgb[10:20, 140:150] = COLOURS[2]
    made = trace_colours(rgb, Scale(0.1, 120, "pixel"), TraceSettings(speck=0.5, split=3))
    blue = [c for c in made.outline.contours if c.colour == COLOURS[1]]
    assert [abs(signed_area(c.path)) for c in blue] == pytest.approx([60.0], rel=0.01)


@given(st.integers(0, 10_000))
def test_chains_hold_the_whole_skeleton_of_any_ink(seed):
    from skimage.morphology import skeletonize

    ink = gaussian_filter(np.random.default_rng(seed).normal(0, 1, (60, 60)), 2.0) > 0.08
    skeleton = np.pad(skeletonize(ink), 1)
    held = np.zeros_like(skeleton)
    for chain in chains_of(skeleton):
        held[chain[:, 0], chain[:, 1]] = True
    # lone pixels are no chain
    from scipy.ndimage import convolve

    neighbours = convolve(skeleton.astype(int), np.ones((3, 3), int)) - 1
    assert (held == (skeleton & (neighbours > 0))).all()


def test_spurs_go_and_what_they_parted_is_one_again():
    skeleton = np.zeros((40, 60), bool)
    skeleton[20, 5:55] = True
    skeleton[16:20, 30] = True  # four pixels off the side
    assert len(chains_of(skeleton)) == 3
    assert len(without_spurs(chains_of(skeleton), 2.0)) == 3
    (line,) = without_spurs(chains_of(skeleton), 8.0)
    assert sorted(ends_of(line)) == [(20, 5), (20, 54)]


@pytest.mark.parametrize("lean", [0.55, 0.85, 1.1])
def test_a_narrow_tip_between_two_colours_stays_sharp_after_a_strong_jpeg(lean):
    high, tall = 16, 30.0
    across = tall / np.tan(lean)
    true = np.array([[150.6, 60.3], [150.6 + across, 60.3 + tall]])
    true = np.vstack([true, true[1] + [210.0 - 2 * across, 1.4], true[0] + [210.0, -2.2]])
    canvas = np.full((160 * high, 520 * high, 3), COLOURS[1], np.uint8)
    cv2.fillPoly(canvas, [np.round(true * high).astype(np.int32)], (215, 164, 65))
    small = cv2.resize(canvas, (520, 160), interpolation=cv2.INTER_AREA)
    code = cv2.imencode(".jpg", small[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, 40])[1]
    rgb = np.ascontiguousarray(cv2.imdecode(code, cv2.IMREAD_COLOR)[:, :, ::-1])
    made = trace_colours(rgb, Scale(1.0, 160, "pixel"), TraceSettings(speck=9.0, split=2))
    (loop,) = (c.path for c in made.outline.contours if c.taken)
    corners = true * [1, -1] + [0, 160]
    off = np.hypot(*(loop.nodes[:, None] - corners[None]).transpose(2, 0, 1)).min(axis=0)
    assert off.max() < 0.9
    assert 0.02 < made.noise_px < 0.5

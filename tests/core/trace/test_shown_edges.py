"""Sharpening and light beyond white, as Pillow sharpens: edges are found where they are."""

import numpy as np
import pytest
from PIL import Image, ImageFilter

from silhueta.core.picture.light import in_light, stored_of
from silhueta.core.trace.edge.contours import contours
from silhueta.core.trace.edge.shown import past_sharpening, shown_edge
from silhueta.core.trace.edge.true import true_edge


def disc(radius, *, paper, percent):
    """A dark disc in light, over 8 x 8 places a pixel and twice over two pixels, then sharpened."""
    y, x = (np.mgrid[: 240 * 8, : 240 * 8] + 0.5) / 8
    share = (np.hypot(x - 120.3, y - 119.8) < radius).reshape(240, 8, 240, 8).mean((1, 3))
    for step in (1, -1):
        share = (share + np.roll(share, step, 0)) / 2
        share = (share + np.roll(share, step, 1)) / 2
    light = np.minimum(paper + share * (0.1 - paper), 1.0)
    image = Image.fromarray(np.round(255 * stored_of(light)).astype(np.uint8))
    if percent:
        image = image.filter(ImageFilter.UnsharpMask(radius=1.2, percent=percent, threshold=0))
    return np.asarray(image)


def radius_of(found):
    x, y = found.contour(0).T
    return np.sqrt(abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2 / np.pi)


def found_in(face):
    values = in_light(face)
    dark, light = float(values[119, 119]), float(values[:20].mean())
    return true_edge(values, contours(values, 0.5 * (dark + light))).contours


@pytest.mark.parametrize(
    ("paper", "percent", "left"),
    [(0.9, 70, 0.1), (0.9, 120, 0.15), (1.2, 0, 0.75), (1.15, 60, 0.6)],
)
def test_an_edge_is_where_it_is_however_it_is_shown(paper, percent, left):
    face = disc(80.0, paper=paper, percent=percent)
    found = found_in(face)
    before = radius_of(found) - 80.0
    after = radius_of(past_sharpening(face, found)) - 80.0
    assert before < -0.15
    assert abs(after) < left * abs(before)


def test_an_edge_that_is_shown_as_it_is_stays():
    face = disc(80.0, paper=0.9, percent=0)
    assert shown_edge(face, found_in(face)) is None


def test_shadow_on_one_side_is_no_sharpening():
    face = disc(80.0, paper=0.9, percent=80).astype(float)
    x = np.arange(240.0) - 120.3
    face *= 1 - 0.5 * np.exp(-0.5 * ((x - 84) / 4) ** 2)[None]
    face = np.round(face).astype(np.uint8)
    found = found_in(face)
    moved = past_sharpening(face, found)
    assert abs(radius_of(moved) - radius_of(found)) < 0.15

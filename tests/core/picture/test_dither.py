"""Pictures made of dots: known, smoothed, said; others left as they are."""

import io

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data

from silhueta.core.datums import PixelDatum
from silhueta.core.job import PictureFile, TraceSettings
from silhueta.core.picture.decode import decode, decode_colour
from silhueta.core.trace.reading import reading_of
from silhueta.core.trace.trace import trace


def packed(image):
    out = io.BytesIO()
    image.save(out, "PNG")
    return PictureFile(out.getvalue(), "dots.png")


def shaded_disc():
    """Return a dark disc that shades into a light ground, 300 px wide."""
    y, x = np.mgrid[:300, :300] - 149.5
    return Image.fromarray(np.clip(3 * (np.hypot(x, y) - 100) + 120, 40, 235).astype(np.uint8))


def test_dots_run_into_shades_and_the_edge_is_where_it_was():
    file = packed(shaded_disc().convert("1"))  # Pillow spreads the error, as Floyd and Steinberg
    picture = decode(file)
    assert picture.dithered
    circles = []
    for shown in (picture, decode(packed(shaded_disc()))):
        (loop,) = trace(shown, PixelDatum(1.0), TraceSettings(speck=200.0)).outline.loops
        assert len(loop.nodes) < 40
        centre, radius = cv2.minEnclosingCircle(loop.nodes.astype(np.float32))
        circles.append((*centre, radius))
    assert circles[0] == pytest.approx(circles[1], abs=2.5)
    assert "dots" in reading_of(picture, decode_colour(file)).why


@pytest.mark.parametrize(
    "image",
    [
        Image.fromarray(data.page()),
        Image.fromarray(data.horse()).convert("1"),
        Image.fromarray((np.indices((90, 90))[0] % 2 * 255).astype(np.uint8)),  # fine lines
    ],
    ids=["page", "horse", "lines"],
)
def test_other_pictures_are_left_as_they_are(image):
    picture = decode(packed(image))
    assert not picture.dithered
    assert np.array_equal(picture.grey, np.asarray(image.convert("L")))

"""Part against ground, on pictures whose truth is known to the pixel."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.errors import TraceError
from silhueta.core.trace.ground import part_field

SIZE = (240, 320)


def bench(seed: int = 1) -> np.ndarray:
    """Return brown wood, (H, W, 3)."""
    rng = np.random.default_rng(seed)
    grain = gaussian_filter(rng.normal(0, 1, SIZE), (1, 14)) * 60
    return np.clip(np.stack([150 + grain, 110 + grain, 70 + grain], axis=2), 0, 255)


def with_part(ground: np.ndarray, colour=(70, 74, 80)) -> tuple[np.ndarray, np.ndarray]:
    """Return the picture with a steel disc on it, and where the disc is."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    share = np.clip(60.5 - np.hypot(x + 0.5 - 160, y + 0.5 - 120), 0, 1)[:, :, None]
    made = ground * (1 - share) + share * np.array(colour)
    return np.round(np.clip(made, 0, 255)).astype(np.uint8), share[:, :, 0]


def test_a_part_on_wood_is_cut_out_by_its_colour():
    picture, share = with_part(bench())
    found = 1 - part_field(picture, None, None, None, None) / 255
    assert np.abs(found - share).mean() < 0.01
    assert found.sum() == pytest.approx(share.sum(), rel=0.01)


def test_a_shadow_on_the_sheet_is_not_the_part():
    paper = np.full((*SIZE, 3), 230.0)
    paper[:, 220:] *= gaussian_filter(np.tile(np.linspace(1, 0.4, 100), (SIZE[0], 1)), 8)[..., None]
    picture, share = with_part(paper)
    sheet = np.ones(SIZE, bool)
    found = 1 - part_field(picture, None, sheet, None, None) / 255
    assert found.sum() == pytest.approx(share.sum(), rel=0.01)


def test_what_a_person_says_is_part_or_ground_counts():
    picture, share = with_part(bench())
    picture[20:60, 20:60] = (70, 74, 80)  # a second one of the same steel
    scraped = np.zeros(SIZE, bool)
    scraped[15:65, 15:65] = True
    both = 1 - part_field(picture, None, None, None, None) / 255
    one = 1 - part_field(picture, None, None, None, scraped) / 255
    assert both.sum() == pytest.approx(share.sum() + 1600, rel=0.02)
    assert one.sum() == pytest.approx(share.sum(), rel=0.01)


def test_a_picture_without_a_part_says_what_to_paint():
    even = np.full((*SIZE, 3), 180, np.uint8)
    with pytest.raises(TraceError, match="paint"):
        part_field(even, None, None, None, None)

"""Strokes of ink and scrape on a face that looks like its ground."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.errors import TraceError
from silhueta.core.picture.light import stored_of
from silhueta.core.trace.part import holes
from silhueta.core.trace.part.find import find_part
from silhueta.core.trace.part.hand import rough_part
from silhueta.core.trace.part.looks import UntoldError
from silhueta.core.trace.part.small import Scene
from tests.satin import HOLES, PLATE, X, Y, satin

MM = 0.2
SHEET = np.array([[20.0, 20.0], [880.0, 20.0], [880.0, 680.0], [20.0, 680.0]])
INK = (abs(Y - 350) < 12) & (abs(X - 450) < 200)
SCRAPE = (abs(Y - 90) < 10) & (abs(X - 450) < 250)


def areas(colours, **strokes):
    """What is found, smallest first, px²."""
    got = find_part(Scene(colours, MM, 1.0, SHEET + 0.0, SHEET, **strokes)).contours
    return sorted(np.abs(got.areas).tolist())


def test_a_face_like_its_ground_is_told_by_one_stroke_on_each_and_not_without():
    part = PLATE & ~HOLES[0] & ~HOLES[1]
    colours = satin(part)
    for strokes in ({}, {"inked": INK}, {"scraped": SCRAPE}):
        with pytest.raises(TraceError, match="ink"):
            areas(colours, **strokes)
    found = areas(colours, inked=INK, scraped=SCRAPE)
    assert found == pytest.approx([HOLES[1].sum(), HOLES[0].sum(), PLATE.sum()], rel=0.08)


def test_ink_says_which_of_two_things_is_the_part():
    one, other = (abs(X - x) < 150 for x in (250, 650))
    high = abs(Y - 350) < 200
    light = np.where((high & (one | other))[..., None], [0.4, 0.1, 0.1], [0.72] * 3)
    stored = np.uint8(np.round(255 * np.asarray(stored_of(gaussian_filter(light, (0.9, 0.9, 0))))))
    with pytest.raises(TraceError, match="two things"):
        areas(stored)
    scene = Scene(stored, MM, 1.0, SHEET + 0.0, SHEET, inked=INK & (X > 600))
    found = find_part(scene).contours
    assert len(found) == 1
    assert found.points[:, 0].mean() == pytest.approx(650, abs=3)


def test_ink_beside_everything_finds_nothing():
    steep = np.zeros((60, 80), np.float32)
    nothing = np.zeros(steep.shape, bool)
    light = np.full((60, 80, 3), 0.5, np.float32)
    assert not rough_part(light, steep, ~nothing, nothing, nothing).any()


def test_a_face_that_is_all_basins_is_refused_before_it_takes_minutes(monkeypatch):
    rng = np.random.default_rng(2)
    leaning = gaussian_filter(rng.normal(size=(120, 120)), 2.0) * 40 - 3.0
    look = holes.Faced(np.float32(leaning), np.ones((120, 120), np.float32))
    made = np.zeros((120, 120), bool)
    made[5:-5, 5:-5] = True
    holes.with_holes(made, look, 0.2)
    monkeypatch.setattr(holes, "_MOST_PX", 100_000)
    with pytest.raises(UntoldError):
        holes.with_holes(made, look, 0.2)

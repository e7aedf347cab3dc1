"""A thing split into part and shadow, each split held against the shadow it would throw."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.trace.part.looks import Seen, grounds_of, looks_of, smaller
from silhueta.core.trace.part.whole import things

SHAPE = (240, 320)
Y, X = np.mgrid[: SHAPE[0], : SHAPE[1]]
RED, BLACK = (0.4, 0.05, 0.04), (0.02, 0.02, 0.02)
GREY, PALE = (0.2, 0.2, 0.2), (0.6, 0.6, 0.6)


def plate(left=90, top=70, wide=130, high=90, hole=True):
    made = (left <= X) & (left + wide > X) & (top <= Y) & (top + high > Y)
    if hole:
        made &= np.hypot(X - left - wide / 3, Y - top - high / 2) > 18
    return made


def scene(part, face, throw=(0, 0), depth=0.6, thickness=4.0, soft=1.5):
    """What is seen of parts on a white sheet under one lamp, 0.5 mm a px."""
    shade = np.zeros(SHAPE)
    for k in np.linspace(0, 1, 25):
        dx, dy = round(k * throw[0]), round(k * throw[1])
        shade = np.maximum(shade, np.roll(part, (dy, dx), (0, 1)))
    shade = gaussian_filter(shade, soft) if any(throw) else 0.0 * shade
    light = 0.75 * (1 - depth * shade)[:, :, None] * np.ones(3)
    light = np.where(part[:, :, None], np.array(face), light)
    light = gaussian_filter(light, (0.6, 0.6, 0)).astype(np.float32)
    everywhere, still = np.ones(SHAPE, bool), np.full(SHAPE, 0.006, np.float32)
    nowhere = ~everywhere
    seen = Seen(light, still, everywhere, everywhere, nowhere, 0.5, thickness, still)
    return seen, looks_of(seen, grounds_of(seen))


def wrong(found, part):
    """Return the share of the part that was missed, or taken with it."""
    return float((found.part ^ part).sum() / part.sum())


@pytest.mark.parametrize("throw", [(0, 0), (9, 5), (-6, 10)])
@pytest.mark.parametrize("face", [RED, BLACK], ids=["red", "black"])
def test_a_part_is_told_from_the_shadow_that_it_throws(face, throw):
    part = plate()
    (found,) = things(*scene(part, face, throw))
    assert wrong(found, part) < 0.06  # a pixel all round is 0.04
    assert found.cost < 0.1
    assert not found.touches


def test_a_face_that_looks_like_a_shadow_on_paper_is_found_and_not_believed():
    part = plate()
    (found,) = things(*scene(part, GREY, (9, 5)))
    assert found.cost > 0.3  # edges must tell it: its looks do not


def test_the_shadow_is_told_as_one():
    part = plate(hole=False)
    (found,) = things(*scene(part, RED, (10, 6)))
    rest = found.shadow & ~part
    assert rest[120, 224]  # right of the plate
    assert rest[163, 150]  # below it
    assert not rest[60, 150]


def test_a_part_at_the_border_is_said_to_touch_it():
    (found,) = things(*scene(plate(left=0), RED))
    assert found.touches


def test_two_things_are_two_and_the_larger_comes_first():
    small, large = plate(20, 20, 60, 50, hole=False), plate(120, 100, 150, 110, hole=False)
    first, second = things(*scene(small | large, RED))
    assert wrong(first, large) < 0.06
    assert wrong(second, small) < 0.1


def test_what_belongs_to_the_datum_is_no_part():
    part = plate()
    barred = np.zeros(SHAPE, bool)
    barred[72, 92] = True
    assert things(*scene(part, RED), barred) == []


def test_bare_paper_and_thin_lines_are_nothing():
    assert things(*scene(np.zeros(SHAPE, bool), RED)) == []
    lines = (Y % 40 == 0) | (X % 40 == 0)
    assert things(*scene(lines, PALE)) == []


def test_uneven_light_is_no_part():
    seen, _ = scene(np.zeros(SHAPE, bool), RED)
    slope = np.linspace(0.5, 1.0, SHAPE[1], dtype=np.float32)[None, :, None]
    seen = seen._replace(light=seen.light * slope)
    looks = looks_of(seen, grounds_of(seen))
    assert looks.unlike.mean() < 0.01
    assert things(seen, looks) == []


def test_light_is_averaged_down_and_not_picked():
    checks = np.indices((40, 60)).sum(0) % 2
    light = np.repeat(checks[:, :, None], 3, axis=2).astype(np.float32)
    assert smaller(light, (20, 30)) == pytest.approx(np.full((20, 30, 3), 0.5))

"""Which holes a leaning shows: webs, shade and light in one hole, and what is no hole."""

import cv2
import numpy as np
import pytest

from silhueta.core.trace.part.holes import Faced, with_holes

_MM = 0.3


def _disc(shape, x, y, radius):
    made = np.zeros(shape, np.uint8)
    cv2.circle(made, (x, y), radius, 1, -1)
    return made > 0


def _face():
    """A part of 36 by 24 mm whose every place looks like its face."""
    part = np.zeros((100, 140), bool)
    part[10:90, 10:130] = True
    leaning = np.where(part, 4.0, -4.0).astype(np.float32)
    return part, leaning, np.ones(part.shape, np.float32)


def _count(part):
    outer = 1
    return cv2.connectedComponents((~part).astype(np.uint8), connectivity=4)[0] - 1 - outer


@pytest.mark.parametrize("web", [-1.0, -2.5])
def test_a_web_that_is_dim_parts_two_holes(web):
    part, leaning, odd = _face()
    for x in (50, 66):
        leaning[_disc(part.shape, x, 50, 7)] = -4.0
    leaning[43:58, 57:60] = web  # 0.9 mm wide, and no more like the face than that
    made = with_holes(part, Faced(leaning, odd), _MM)
    assert _count(made) == 2
    assert not made[50, 50]
    assert not made[50, 66]


def test_shade_and_light_in_one_hole_are_one():
    part, leaning, odd = _face()
    hole = _disc(part.shape, 60, 50, 12)
    leaning[hole] = -4.0
    border = hole & (np.abs(np.mgrid[:100, :140][1] - 60) < 2)
    leaning[border] = -1.0
    made = with_holes(part, Faced(leaning, odd), _MM)
    assert _count(made) == 1
    assert (hole & made).sum() < 0.1 * hole.sum()


def test_half_a_hole_is_made_whole():
    part, leaning, odd = _face()
    hole = _disc(part.shape, 60, 50, 12)
    leaning[hole] = -2.0
    odd[hole] = 20.0
    rough = part & ~(hole & (np.mgrid[:100, :140][0] < 50))
    made = with_holes(rough, Faced(leaning, odd), _MM)
    assert (made ^ (part & ~hole)).sum() < 0.15 * hole.sum()


def test_brush_marks_are_no_holes():
    part, leaning, odd = _face()
    for row in range(20, 80, 6):
        leaning[row : row + 2, 30:100] = -1.0
    made = with_holes(part, Faced(leaning, odd), _MM)
    assert _count(made) == 0

"""Small holes whose shade turns into light are made whole; webs, and bays that are face, stay."""

import cv2
import numpy as np
import pytest

from silhueta.core.trace.part.convex import convex, crescents, cut_short, without_marks

_MM = 0.3
_SHAPE = (80, 120)


def _disc(x, y, radius):
    made = np.zeros(_SHAPE, np.uint8)
    cv2.circle(made, (x, y), radius, 1, -1)
    return made > 0


def _plate():
    part = np.zeros(_SHAPE, bool)
    part[8:72, 8:112] = True
    return part, np.random.default_rng(2).normal(scale=0.01, size=_SHAPE).astype(np.float32)


def _shaded(level, hole):
    """Put light into a hole that goes from dark, left, to light, right, by way of the face's."""
    columns = np.nonzero(hole)[1]
    slope = np.linspace(-1, 1, columns.max() - columns.min() + 1, dtype=np.float32)
    level[hole] = slope[columns - columns.min()]


def _holes(part):
    return cv2.connectedComponents((~part).astype(np.uint8), connectivity=4)[0] - 2


def test_shade_and_light_of_a_round_hole_are_one():
    part, level = _plate()
    hole = _disc(60, 40, 10)
    _shaded(level, hole)
    seen = part & ~(hole & (np.abs(level) > 0.15))
    assert _holes(seen) == 2
    made = convex(seen, level, _MM)
    assert (made ^ (part & ~hole)).sum() < 0.08 * hole.sum()


def test_two_holes_with_a_web_stay_two():
    part, level = _plate()
    holes = [_disc(49, 40, 7), _disc(66, 40, 7)]
    for hole in holes:
        _shaded(level, hole)
    seen = part & ~holes[0] & ~holes[1]
    made = convex(seen, level, _MM)
    assert _holes(made) == 2
    assert (made == seen).all()


def test_half_a_hole_beside_light_that_is_no_face_is_filled():
    part, level = _plate()
    hole = _disc(60, 40, 10)
    level[hole] = -1.0
    bay = hole & ~_disc(66, 46, 10) & ~_disc(56, 36, 8)
    level[bay] = 0.2
    seen = part & ~(hole & ~bay)
    made = convex(seen, level, _MM)
    assert (hole & made).sum() < 0.6 * bay.sum()


def test_a_bay_that_is_face_stays():
    part, level = _plate()
    horseshoe = _disc(60, 40, 10) & ~_disc(60, 32, 6)
    level[horseshoe] = -1.0
    seen = part & ~horseshoe
    assert (convex(seen, level, _MM) == seen).all()


def test_what_only_marks_tell_is_a_hole_where_it_is_round_and_else_asked_about():
    part, _ = _plate()
    hole, speck, mark = _disc(40, 40, 6), _disc(80, 20, 2), np.zeros(_SHAPE, bool)
    mark[50:56, 60:100] = True
    slot = np.zeros(_SHAPE, bool)
    slot[20:26, 20:60] = True
    before = part & ~slot
    made, left_out = without_marks(before & ~hole & ~speck & ~mark, before, _MM)
    assert (made == (before & ~hole)).all()
    assert left_out == [(pytest.approx(79.5), pytest.approx(52.5), pytest.approx(240 * _MM**2))]


def test_a_crescent_round_what_is_not_quite_face_is_said():
    part, _ = _plate()
    hole = _disc(60, 40, 10)
    crescent = hole & ~_disc(63, 43, 9)
    light = np.full(part.shape, -0.3, np.float32)
    assert crescents(part & ~crescent, light, _MM) == []  # a slot that is bent
    light[hole] = -0.1
    assert len(crescents(part & ~crescent, light, _MM)) == 1
    assert crescents(part & ~hole, light, _MM) == []


def test_a_round_hole_that_ends_in_a_line_is_asked_about_where_what_is_beyond_is_hardly_face():
    part, _ = _plate()
    hole = _disc(60, 40, 10)
    half = hole & (np.arange(_SHAPE[0])[:, None] < 44)
    square = np.zeros(_SHAPE, bool)
    square[30:50, 50:70] = True
    leaning = np.where(part, np.float32(3.0), np.float32(-3.0))
    assert cut_short(part & ~half, leaning, _MM) == []  # a hole with a flat side
    assert cut_short(part & ~square, leaning, _MM) == []
    leaning[hole & ~half] = 0.5
    assert cut_short(part & ~half, leaning, _MM) == [(pytest.approx(60.5), pytest.approx(37))]
    assert cut_short(part & ~hole, leaning, _MM) == []

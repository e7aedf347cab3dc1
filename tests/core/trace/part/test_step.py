"""The edge of a face, fitted to what is seen across it: against light summed up pixel by pixel."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter1d

from silhueta.core.trace.part.step import REACH, STEP, WIDEST, Beside, blur_of, fitted, outermost

_FINE = 40  # places a px


def profile(top, wide, blur, *, face=0.05, wall=0.02, ground=0.7, shade=0.0, strip=0.0):
    """Return light across an edge, (M, 3): painted sharp and finely, blurred, averaged to px."""
    at = np.arange(-40 * _FINE, 60 * _FINE) / _FINE
    beyond = at - top - wide
    lit = ground * (1 - shade * np.exp(-np.maximum(beyond, 0) / 12))
    lit = np.where(beyond < strip, 0.45 * ground, lit)
    sharp = np.where(at < top, face, np.where(beyond < 0, wall, lit))
    soft = gaussian_filter1d(sharp, blur * _FINE)
    pixel = np.convolve(soft, np.ones(_FINE) / _FINE, mode="same")
    places = np.arange(-REACH, outermost(np.array([wide])) + STEP / 2, STEP)
    return np.repeat(np.interp(places, at, pixel)[:, None], 3, axis=1)


def place(noise=0.0, many=60, told=None, soft=None, **scene):
    seen = np.repeat(profile(**scene)[None], many, axis=0)
    seen = seen + noise * np.random.default_rng(1).standard_normal(seen.shape)
    wide = np.full(many, scene["wide"] if told is None else told)
    got = fitted(seen, wide, soft or blur_of(seen, wide))
    return got.place, got.gain


@pytest.mark.parametrize("blur", [0.6, 0.9, 1.5])
@pytest.mark.parametrize("top", [-1.0, 0.0, 0.8])
def test_an_edge_without_a_wall_is_where_it_is_under_any_blur(top, blur):
    first, gain = place(top=top, wide=0.0, blur=blur)
    again, _ = place(top=top - first[0], wide=0.0, blur=blur)  # looked at again from there
    assert first == pytest.approx(top, abs=0.25)
    assert first + again == pytest.approx(top, abs=0.08)
    assert gain.min() > 0.5


@pytest.mark.parametrize("wall", [0.01, 0.15, 0.3, 0.9])
@pytest.mark.parametrize("face", [0.05, 0.5])
def test_the_top_of_a_wall_is_found_whatever_the_wall_looks_like(face, wall):
    found, _ = place(top=0.6, wide=5.0, blur=0.8, face=face, wall=wall)
    assert found == pytest.approx(0.6, abs=0.15)


def test_a_wall_as_dark_as_its_face_leaves_the_foot_to_tell():
    found, _ = place(top=-0.7, wide=3.0, blur=0.8, face=0.05, wall=0.05)
    assert found == pytest.approx(-0.7, abs=0.12)
    # and were it not known how wide it must look, the foot would pass for the edge
    assert place(top=-0.7, wide=3.0, blur=0.8, face=0.05, wall=0.05, told=0.0)[0].mean() > 0.5


@pytest.mark.parametrize(("face", "ground"), [(0.05, 0.7), (0.7, 0.05)])
def test_a_wall_too_narrow_to_be_told_is_a_dimmer_face(face, ground):
    found, _ = place(top=0.3, wide=1.0, blur=0.9, face=face, wall=0.3 * face, ground=ground)
    assert found == pytest.approx(0.3, abs=0.15)


def test_a_shadow_that_deepens_towards_the_part_does_not_widen_it():
    found, _ = place(top=0.0, wide=0.0, blur=0.9, shade=0.2)
    assert found == pytest.approx(0.0, abs=0.1)


def test_of_a_wall_wider_than_is_looked_at_the_top_alone_tells():
    found, _ = place(top=0.4, wide=WIDEST + 10, blur=0.9, wall=0.3)
    assert found == pytest.approx(0.4, abs=0.06)


def test_noise_moves_it_little_and_nothing_but_noise_is_no_edge():
    found, gain = place(noise=0.05, many=400, top=0.4, wide=0.0, blur=0.9)
    assert np.abs(found - 0.4).mean() < 0.1
    _, none = place(noise=0.001, many=400, top=0.0, wide=0.0, blur=0.9, face=0.7)
    assert none.max() < 0.001 * gain.min()


def test_profiles_of_many_widths_go_round_one_ring():
    wides = np.repeat([0.0, 3.0, 6.0, 20.0], 30)
    longest = round((REACH + outermost(wides)) / STEP) + 1
    seen = np.zeros((len(wides), longest, 3))
    for row, wide in zip(seen, wides, strict=True):
        one = profile(0.5, wide, 0.9, wall=0.1)[:longest]
        row[: len(one)], row[len(one) :] = one, one[-1]
    found = fitted(seen, wides, 0.9).place
    inner = np.abs(np.arange(len(wides)) % 30 - 14.5) < 8
    assert found[inner] == pytest.approx(0.5, abs=0.12)


@pytest.mark.parametrize("strip", [2.5, 3.0, 4.5, 6.0])
@pytest.mark.parametrize("face", [0.03, 0.1])
def test_a_strip_of_shadow_beside_the_part_is_none_of_it(face, strip):
    found, _ = place(top=0.5, wide=0.0, blur=0.8, face=face, strip=strip, many=300, soft=0.9)
    assert found == pytest.approx(0.5, abs=0.3)
    # in a hole as small as this nothing tells a strip from the ground
    few, _ = place(top=0.5, wide=0.0, blur=0.8, face=face, strip=strip, many=60, soft=0.9)
    assert few.mean() > 0.5


@pytest.mark.parametrize("blur", [0.75, 0.9, 1.3, 1.6])
def test_the_blur_is_that_of_the_sharpest_third(blur):
    sharp = np.repeat(profile(0.2, 0.0, blur)[None], 100, axis=0)
    shaded = np.repeat(profile(0.2, 0.0, blur, strip=3.0)[None], 120, axis=0)
    told = blur_of(np.concatenate([sharp, shaded]), np.zeros(220))
    assert told == pytest.approx(np.hypot(blur, 1 / np.sqrt(12)), abs=0.16)  # and a pixel's width


def under_the_sky(top, high, blur, *, face=0.1, ground=0.7, around=0.9, hidden=0.0):
    """Return light across an edge, (M, 3), on ground beside a wall: the sky summed up by angles."""
    at = np.arange(-30 * _FINE, 60 * _FINE) / _FINE
    angles = np.radians(np.arange(-90, 90, 0.5) + 0.25)  # from the upright, across the edge
    away = np.maximum(at - top, 0.0) + hidden
    # the wall hides what is lower on its side than its top
    open_ = angles[None] > -np.arctan2(away, high)[:, None]
    sky = (open_ * np.cos(angles)).sum(1) / np.cos(angles).sum()
    sharp = np.where(at < top, face, ground * (around * sky + 1 - around))
    soft = gaussian_filter1d(sharp, blur * _FINE)
    places = np.arange(-REACH, outermost(np.zeros(1)) + STEP / 2, STEP)
    return np.repeat(np.interp(places, at, soft)[:, None], 3, axis=1)


@pytest.mark.parametrize("high", [3.0, 5.0, 10.0, 30.0])
@pytest.mark.parametrize(("around", "most"), [(0.5, 0.35), (0.8, 0.1), (0.9, 0.1), (1.0, 0.15)])
def test_ground_that_a_wall_takes_light_from_moves_no_edge(high, around, most):
    seen = np.repeat(under_the_sky(0.3, high, 1.0, around=around)[None], 60, axis=0)
    wide = np.zeros(60)
    told = Beside(high=high)
    found = fitted(seen, wide, blur_of(seen, wide, told), told).place
    # with no height told 0.3 to 0.6 px are lost under a low wall and light from all round
    assert np.median(found) == pytest.approx(0.3, abs=most)


def test_ground_that_the_face_hides_is_not_the_darkest():
    high, hidden = 6.0, 4.0
    seen = np.repeat(under_the_sky(0.0, high, 1.0, hidden=hidden)[None], 60, axis=0)
    told = Beside(high=high)
    found = fitted(seen, np.full(60, -hidden), 1.0, told).place
    assert np.median(found) == pytest.approx(0.0, abs=0.1)

"""Edges where they really are, whatever the light and the blur."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from scipy.spatial import cKDTree

from benchmarks.accuracy import dense
from benchmarks.shapes import picture, placed, workshop_shapes
from silhueta.core.picture.light import TOP, in_light, linear_of
from silhueta.core.trace.edge.beside import past_slopes
from silhueta.core.trace.edge.contours import contours
from silhueta.core.trace.edge.true import THIRD, third_differences, true_edge

SIDE = 400
SLOT = placed(workshop_shapes()["slot"], SIDE)
GREY = picture(SLOT, SIDE).astype(np.float64)


def off(points: np.ndarray) -> float:
    """Return the median distance of edge points from the true outline, px."""
    true = np.vstack([dense(path, 0.02) for path in SLOT]) * [1, -1] + [0, SIDE]
    return float(np.median(cKDTree(true).query(points)[0]))


@pytest.mark.parametrize(
    ("change", "level", "most"),
    [
        (lambda g: g, 127.5, 0.008),
        (lambda g: 60 + 0.5 * g, 123.8, 0.012),
        (lambda g: gaussian_filter(g, 1.2), 127.5, 0.012),
        # twice as light on the right as on the left: no one level is half-way everywhere
        (lambda g: (20 + 0.85 * g) * np.linspace(0.5, 1.0, SIDE), 90.0, 0.012),
    ],
    ids=["sharp", "grey", "soft", "uneven"],
)
def test_the_edge_lies_half_way_between_the_sides_beside_it(change, level, most):
    grey = np.round(change(GREY)).astype(np.uint8)
    found = contours(grey, level, least_area=100)
    assert off(true_edge(grey, found).contours.points) < min(most, off(found.points))


def test_noise_is_measured_along_the_edge():
    rng = np.random.default_rng(3)
    quiet, loud = (
        true_edge(grey, contours(grey, 127.5, least_area=500)).noise
        for grey in (
            np.clip(np.round(GREY + rng.normal(0, sigma, GREY.shape)), 0, 255).astype(np.uint8)
            for sigma in (3.0, 12.0)
        )
    )
    # three pixels are added up, so a point moves by about the root of three of a pixel's noise
    assert loud == pytest.approx(np.sqrt(3) * 12 / 255, rel=0.35)
    assert quiet == pytest.approx(loud / 4, rel=0.35)


def test_a_soft_picture_is_known_by_its_reach():
    sharp = GREY.astype(np.uint8)
    soft = np.round(gaussian_filter(GREY, 1.4)).astype(np.uint8)
    assert true_edge(sharp, contours(sharp, 127.5)).reach == 1
    assert true_edge(soft, contours(soft, 127.5)).reach >= 2


def test_points_that_err_alone_have_twenty_times_their_variance_in_third_differences():
    turn = np.linspace(0, 2 * np.pi, 4000, endpoint=False)
    even = 600 * np.column_stack([np.cos(turn), np.sin(turn)])
    rough = even * (1 + np.random.default_rng(2).normal(0, 0.2 / 600, (len(turn), 1)))
    # neither a circle nor a line has any
    assert third_differences(even).max() < 1e-3
    assert third_differences(np.column_stack([turn, 2 * turn]))[10:-10].max() < 1e-9
    for lag in (1, 3, 10):
        spread = float(np.sqrt((third_differences(rough, lag) ** 2).mean() / THIRD))
        assert spread == pytest.approx(0.2, rel=0.1)


def test_the_edge_of_a_photo_is_half_way_in_light_and_not_in_stored_values():
    # IEC 61966-2-1; the slot's dark is 60 of 255, its ground 235
    light = np.interp(GREY, [0, 255], [linear_of(60), linear_of(235)])
    soft = gaussian_filter(light, 1.0)
    stored = np.round(255 * (1.055 * soft ** (1 / 2.4) - 0.055)).astype(np.uint8)
    middle = (linear_of(60) + linear_of(235)) / 2
    bent = true_edge(stored, contours(stored, 147.5, least_area=100)).contours.points
    lit = in_light(stored)
    true = true_edge(lit, contours(lit, TOP * middle, least_area=100)).contours.points
    assert off(true) < 0.02
    assert off(bent) > 0.3


@pytest.mark.parametrize("sharpened", [0.0, 0.6])
def test_a_soft_shadow_beside_a_part_in_a_scan_is_none_of_it(sharpened):
    part = 1 - GREY / 255
    shadow = gaussian_filter(np.roll(part, (5, 2), axis=(0, 1)), 3.5)
    light = gaussian_filter(0.78 * (1 - 0.42 * shadow) * (1 - part) + 0.04 * part, 0.8)
    light += sharpened * (light - gaussian_filter(light, 1.5))
    grey = np.round(TOP * np.clip(light, 0, 1)).astype(np.uint16)
    found = true_edge(grey, contours(grey, 0.4 * TOP, least_area=100)).contours
    moved = past_slopes(grey, found)
    assert off(found.points) > 0.15
    assert off(moved.points) < 0.06
    # what lies on one edge already stays there
    alone = np.round(TOP * gaussian_filter(0.78 * (1 - part) + 0.04 * part, 0.8)).astype(np.uint16)
    true = true_edge(alone, contours(alone, 0.4 * TOP, least_area=100)).contours
    assert off(past_slopes(alone, true).points) < 0.02

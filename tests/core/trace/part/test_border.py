"""The edge round a loop, in light that was painted finely and then averaged to pixels."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.picture.light import light_table, stored_of
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.border import (
    Sight,
    border,
    edge_width,
    outward_of,
    sharpness_at,
)

MM = 0.12
FINE = 6
SHAPE = (320, 360)
MIDDLE, RADIUS = np.array([180.0, 160.0]), 90.0
Y, X = (np.mgrid[: SHAPE[0] * FINE, : SHAPE[1] * FINE] + 0.5) / FINE
TURN = np.linspace(0, 2 * np.pi, 560, endpoint=False)
WAY = np.column_stack([np.cos(TURN), -np.sin(TURN)])  # the part on the left, seen with y up


def covers(middle=MIDDLE, radius=RADIUS):
    return np.hypot(X - middle[0], Y - middle[1]) < radius


def seen(light, blur=0.8, noise=0.002):
    small = cv2.resize(light.astype(np.float32), SHAPE[::-1], interpolation=cv2.INTER_AREA)
    small = gaussian_filter(small, blur)
    small = small + np.random.default_rng(3).normal(0, noise, small.shape)
    return np.repeat(np.maximum(small, 0)[:, :, None], 3, axis=2).astype(np.float32)


def sight(light, face, walls=None, **how):
    """What is seen of it, where `face`, (H, W) finely, looks like the face."""
    share = cv2.resize(face.astype(np.float32), SHAPE[::-1], interpolation=cv2.INTER_AREA)
    leaning = gaussian_filter(8 * share - 4, 1.0).astype(np.float32)
    return Sight(seen(light, **how), leaning, 1.0, MM, walls)


def rough(radius=RADIUS, wobble=3.0, middle=MIDDLE):
    waves = wobble * np.sin(7 * TURN) * np.cos(3 * TURN)
    return middle + (radius + waves)[:, None] * WAY


def far(ring, middle=MIDDLE):
    return np.hypot(*(ring - middle).T)


@pytest.mark.parametrize(("face", "ground"), [(0.05, 0.7), (0.7, 0.05), (0.3, 0.5)])
def test_the_edge_of_a_flat_disc_is_where_it_is_however_rough_the_start(face, ground):
    part = covers()
    found = border(rough(), sight(np.where(part, face, ground), part))
    assert far(found).mean() == pytest.approx(RADIUS, abs=0.15)
    assert far(found).std() < 0.12
    assert len(found) == pytest.approx(2 * np.pi * RADIUS, rel=0.05)


@pytest.mark.parametrize("inside", [True, False])
def test_an_edge_of_colour_alone_is_not_drawn_to_one_side(inside):
    # JPEG keeps colour at half the size, in stored values
    part = covers() == inside
    red, green = (0.40, 0.03, 0.03), (0.03, 0.16, 0.05)
    light = np.stack([seen(np.where(part, r, g))[:, :, 0] for r, g in zip(red, green, strict=True)])
    stored = np.round(255 * stored_of(light.astype(np.float64))).astype(np.uint8)
    soft = cv2.imencode(".jpg", np.moveaxis(stored, 0, 2), [cv2.IMWRITE_JPEG_QUALITY, 90])[1]
    again = light_table()[cv2.imdecode(soft, cv2.IMREAD_COLOR)] / 255
    told = sight(light[0], part)._replace(light=np.ascontiguousarray(again, np.float32))
    start = rough() if inside else rough()[::-1]
    assert far(border(start, told)).mean() == pytest.approx(RADIUS, abs=0.08)


def test_a_hole_keeps_its_way_round_and_its_size():
    hole = covers(radius=40.0)
    ring = rough(40.0)[::-1]
    found = border(ring, sight(np.where(hole, 0.7, 0.1), ~hole))
    assert far(found).mean() == pytest.approx(40.0, abs=0.2)
    x, y = found.T
    assert x @ np.roll(y, -1) - np.roll(x, -1) @ y > 0  # as it came: the part on the left


@pytest.mark.parametrize("start", [0.0, 5.0])
def test_the_top_of_a_dark_wall_tells_the_part_and_not_its_foot(start):
    # the camera stands over a place to the right: the wall on the left is hidden, on the right
    # of a hole it shows; here the whole disc lies to the left of it and shows its right wall
    under, ratio = (460.0, 160.0), 0.04
    top = covers()
    foot = covers(MIDDLE + (np.array(under) - MIDDLE) * ratio / (1 + ratio), RADIUS / (1 + ratio))
    light = np.where(top, 0.06, np.where(foot, 0.06, 0.7))
    walls = Walls(under, ratio)
    found = border(rough(RADIUS + start, 1.0), sight(light, top | foot, walls))
    right = (found - MIDDLE)[:, 0] > 0.9 * RADIUS
    # the foot is 8 to 9 px further out there
    assert np.median(far(found)[right]) == pytest.approx(RADIUS, abs=1.0)
    blind = border(rough(RADIUS + start, 1.0), sight(light, top | foot))
    assert np.median(far(blind)[(blind - MIDDLE)[:, 0] > 0.9 * RADIUS]) > RADIUS + 4


def test_a_hole_is_round_where_its_wall_grows_from_nothing():
    # the foot of a round hole is a smaller circle beside it: on the flanks, where the way to the
    # camera runs along the edge, some px of wall show because the edge bends
    under, ratio, radius = (460.0, 160.0), 0.05, 36.0
    hole = covers(radius=radius)
    foot = covers(MIDDLE + (np.array(under) - MIDDLE) * ratio / (1 + ratio), radius / (1 + ratio))
    light = np.where(hole, np.where(foot, 0.7, 0.13), 0.05)
    found = border(rough(radius, 1.0)[::-1], sight(light, ~hole, Walls(under, ratio)))
    assert np.abs(far(found) - radius).max() < 1.5  # 3.6 px where the wall was taken as straight
    assert far(found).mean() == pytest.approx(radius, abs=0.12)


def test_a_soft_shadow_beside_the_part_is_not_its_edge():
    part = covers()
    shade = gaussian_filter(covers(MIDDLE + [7.0, 4.0]).astype(np.float32), 2.5 * FINE)
    light = np.where(part, 0.06, 0.7 * (1 - 0.6 * shade))
    found = border(rough(), sight(light, part))
    assert far(found).mean() == pytest.approx(RADIUS, abs=0.3)
    assert np.quantile(np.abs(far(found) - RADIUS), 0.95) < 1.0


@pytest.mark.parametrize("blur", [1.6, 3.0, 5.0])
def test_the_width_of_an_edge_is_that_of_its_blur(blur):
    part = covers()
    wide = edge_width(rough(wobble=0.0), sight(np.where(part, 0.1, 0.7), part, blur=blur))
    pixel = np.hypot(blur, np.sqrt(1 / 12))
    assert wide == pytest.approx(2.563 * pixel, rel=0.12)  # from a tenth to nine tenths of a bell


def test_a_soft_step_is_less_sharp_than_a_hard_one_of_its_height():
    part = covers()
    ring = rough(wobble=0.0)
    light = np.where(part, 0.2, 0.5)
    hard, soft = (
        float(np.median(sharpness_at(ring, outward_of(ring), sight(light, part, blur=blur))))
        for blur in (0.7, 5.0)
    )
    assert hard > 0.4
    assert soft < 0.3 * hard


def test_normals_point_away_from_the_part():
    assert (outward_of(rough(wobble=0.0)) * WAY).sum(1) == pytest.approx(1.0, abs=1e-3)


def test_what_is_too_small_to_have_an_edge_stays_as_it_is():
    tiny = MIDDLE + 2.0 * WAY[::40]
    part = covers(radius=2.0)
    assert len(border(tiny, sight(np.where(part, 0.1, 0.7), part))) >= 3


def test_strong_colours_on_equal_light_have_an_edge_as_well():
    part = covers()
    face, ground = seen(np.where(part, 0.30, 0.05)), seen(np.where(part, 0.05, 0.30))
    light = np.dstack([face[..., 0], ground[..., 0], ground[..., 0] * 0 + 0.1]).astype(np.float32)
    found = border(rough(), sight(np.where(part, 0.1, 0.7), part)._replace(light=light))
    assert far(found).mean() == pytest.approx(RADIUS, abs=0.15)
    assert far(found).std() < 0.12


def test_where_looks_are_alike_only_a_sharp_edge_counts():
    part = covers()
    beside = covers(MIDDLE + [14.0, 0.0])
    shade = gaussian_filter((beside & ~part).astype(np.float32), 3.0 * FINE)
    light = np.where(part, 0.20, 0.7 * (1 - 0.6 * shade))
    alike = sight(light, part)._replace(alike=True, leaning=np.zeros(SHAPE, np.float32))
    found = border(rough(wobble=1.5), alike)
    assert far(found).mean() == pytest.approx(RADIUS, abs=0.3)
    assert np.quantile(np.abs(far(found) - RADIUS), 0.9) < 1.0


def test_a_dark_line_between_a_face_and_ground_as_light_is_past_the_edge():
    part = covers()
    out = np.hypot(X - MIDDLE[0], Y - MIDDLE[1]) - RADIUS
    light = np.where(part, 0.335, np.clip(0.24 + 0.03 * out, 0, 0.7))  # the face's light 3 px out
    alike = sight(light, part)._replace(alike=True, leaning=np.zeros(SHAPE, np.float32))
    for start in (-2.0, 2.0):
        ring = border(rough(RADIUS + start, wobble=0.5), alike)
        assert np.quantile(np.abs(far(ring) - RADIUS), 0.95) < 1.0  # the far side is 5 px out


def test_an_edge_of_a_mark_on_the_face_is_none_where_marks_are_known():
    part = covers()
    out = np.hypot(X - MIDDLE[0], Y - MIDDLE[1]) - RADIUS
    band = (out > -7) & (out < 0) & (MIDDLE[0] < X)  # a dark mark along the edge
    light = np.where(part, np.where(band, 0.22, 0.30), 0.18)
    alike = sight(light, part)._replace(alike=True, leaning=np.zeros(SHAPE, np.float32))
    share = cv2.resize(band.astype(np.float32), SHAPE[::-1], interpolation=cv2.INTER_AREA)
    marks = np.log(0.22 / 0.30) * gaussian_filter(share, 0.8)
    ring = border(rough(RADIUS - 3.0, wobble=0.5), alike._replace(marks=marks.astype(np.float32)))
    assert np.quantile(far(ring) - RADIUS, 0.05) > -1.5
    known = alike._replace(marks=marks.astype(np.float32))
    inner = MIDDLE + (RADIUS - 7.0) * WAY[np.abs(TURN) < 1.2]
    outward = WAY[np.abs(TURN) < 1.2]
    assert np.median(sharpness_at(inner, outward, known)) < 0.4 * np.median(
        sharpness_at(inner, outward, alike)
    )

"""A face's colour, told finely, where its light is that of its shadow or of a shaded hole."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.picture.light import stored_of
from silhueta.core.trace.part.find import find_part
from silhueta.core.trace.part.looks import Looks, Seen
from silhueta.core.trace.part.small import Scene
from silhueta.core.trace.part.tint import left_out, tint_of

MM = 0.2
Y, X = np.mgrid[:700, :900]
SHEET = np.array([[20.0, 20.0], [880.0, 20.0], [880.0, 680.0], [20.0, 680.0]])
PLATE = (abs(X - 450) < 300) & (abs(Y - 350) < 200)


def marked():
    """The logarithm of the light that marks along the rows give a face, for some 20 mm."""
    grain = gaussian_filter(np.random.default_rng(8).normal(size=Y.shape), (1.5, 90.0))
    return 0.22 * grain / grain.std()


def areas_of(colour):
    """What is found, smallest first, px², of a plate whose shaded holes are as light as it is."""
    holes = [np.hypot(X - 300, Y - 280) < 30, np.hypot(X - 620, Y - 430) < 24]
    part = PLATE & ~holes[0] & ~holes[1]
    light = np.where(PLATE, 0.3, 0.72)[..., None] * np.ones(3)
    light[part] *= np.exp(marked())[part][:, None] * np.array(colour)
    light = gaussian_filter(light, (0.9, 0.9, 0))
    light = light + np.random.default_rng(4).normal(0, 0.004, light.shape)
    stored = np.uint8(np.round(255 * np.asarray(stored_of(np.clip(light, 0, 1)))))
    got = find_part(Scene(stored, MM, 1.0, SHEET + 0.0, SHEET))
    rings = [got.contours.contour(i) for i in range(len(got.contours))]
    areas = [0.5 * abs(x @ np.roll(y, -1) - np.roll(x, -1) @ y) for x, y in (r.T for r in rings)]
    return sorted(areas), [holes[1].sum(), holes[0].sum(), PLATE.sum()]


@pytest.mark.parametrize("colour", [(1.03, 1.0, 0.95), (0.97, 1.0, 1.05)])
def test_holes_as_light_as_a_face_in_marks_are_found_by_their_colour(colour):
    areas, true = areas_of(colour)
    assert areas == pytest.approx(true, rel=0.09)


def looks(apart):
    """Looks of a face in marks and of its shadow on the right, whose colour lies so far apart.

    The face's colour changes slowly from left to right.
    """
    noise = np.random.default_rng(3).normal(0, 0.05, (*Y.shape, 3))
    shadow = (X > 700) & (X < 770) & (abs(Y - 350) < 200) & ~PLATE
    look = np.zeros((*Y.shape, 3), np.float32)
    look[PLATE | shadow, 0] = -0.8
    look[PLATE, 0] += marked()[PLATE]
    look[PLATE, 1] = 0.0002 * (X[PLATE] - 450)
    look[shadow, 1] = 0.06 + apart
    look[..., 1:] += noise[..., 1:]
    nothing = np.zeros(Y.shape, bool)
    return Looks(look, PLATE | shadow, nothing, nothing), shadow


def test_a_tint_is_told_where_no_pixel_tells_it_and_slow_change_is_none():
    seen, shadow = looks(0.07)
    tint = tint_of(seen, PLATE, MM)
    assert tint is not None
    other = tint.other(MM)
    assert other[shadow].mean() > 0.9
    assert other[PLATE].mean() < 0.01
    by_pixel = np.abs(seen.look[..., 1] - 0.06) > 0.1
    assert by_pixel[shadow].mean() < 0.5  # of single pixels most are no odder than the face
    assert tint_of(seen, PLATE & (X < 152), MM) is None  # too little of the face is known


@pytest.mark.parametrize(
    ("apart", "soft", "given"), [(0.07, False, True), (0.07, True, False), (0.0, False, False)]
)
def test_a_dark_corner_is_given_back_for_its_tint_and_its_sharp_edge(apart, soft, given):
    seen, _ = looks(apart)
    corner = (X < 210) & (Y > 510) & PLATE
    level = seen.look[..., 0].copy()
    level[corner] -= 0.3
    if soft:  # as a shadow ends
        level = np.where(X < 230, gaussian_filter(level, 12.0), level)
    now = seen._replace(look=np.dstack([level, seen.look[..., 1:]]).astype(np.float32))
    tint = tint_of(now, PLATE & ~corner, MM)
    all_, zero = np.ones(Y.shape, bool), np.zeros(Y.shape, np.float32)
    where = Seen(np.zeros((*Y.shape, 3), np.float32), zero, all_, all_, ~all_, MM, 1.0, zero)
    found = left_out(tint, PLATE & ~corner, now, where)
    assert found[corner].mean() > 0.6 if given else not found.any()


def coloured(patchy=0.0):
    """Looks of a coloured face, partly in shadow and so paler, with grey shade along its right."""
    rng = np.random.default_rng(5)
    shade = (X >= 750) & (X < 765) & (abs(Y - 350) < 200)
    look = np.zeros((*Y.shape, 3), np.float32)
    patches = gaussian_filter(rng.normal(size=Y.shape), 8.0)
    pale = np.where(X < 250, 0.75, 1.0) + patchy * patches / patches.std()
    look[PLATE] = np.stack([0 * pale - 1.0, 0.5 * pale, -0.6 * pale], -1)[PLATE]
    look[shade, 0] = -1.0
    look[..., 1:] += rng.normal(0, 0.05, look[..., 1:].shape)
    nothing = np.zeros(Y.shape, bool)
    return Looks(look, PLATE | shade, nothing, nothing), PLATE & (X > 260), shade & ~PLATE


def test_shade_beside_an_evenly_coloured_face_is_of_another_tint_and_a_paler_face_is_not():
    seen, core, shade = coloured()
    tint = tint_of(seen, core, MM, marked=False)
    assert tint is not None
    assert tint.against(MM)[shade].mean() > 1.5
    assert tint.against(MM)[PLATE & (X < 740)].max() == 0
    assert (tint.colour == seen.look[..., 1:]).all()  # that was clear enough


def test_the_tint_of_a_patchy_face_and_of_a_grey_one_without_marks_tells_nothing():
    seen, core, _ = coloured(patchy=0.4)
    assert tint_of(seen, core, MM, marked=False) is None
    seen, _ = looks(0.07)
    assert tint_of(seen, PLATE, MM, marked=False) is None

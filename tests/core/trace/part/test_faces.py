"""Faces that brushing marks, or that another thing's shadow lies on: their light is told first."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.picture.light import stored_of
from silhueta.core.trace.part.brushed import marks
from silhueta.core.trace.part.face import Evened, relit
from silhueta.core.trace.part.find import find_part
from silhueta.core.trace.part.looks import Looks
from silhueta.core.trace.part.small import Scene

MM = 0.2
Y, X = np.mgrid[:700, :900]
SHEET = np.array([[20.0, 20.0], [880.0, 20.0], [880.0, 680.0], [20.0, 680.0]])
PLATE = (abs(X - 450) < 300) & (abs(Y - 350) < 200)
BROWN = np.array([0.42, 0.26, 0.13])


def slot(x, y, half, radius):
    """A slot along the picture's rows."""
    return np.hypot(np.maximum(abs(X - x) - half, 0), Y - y) < radius


def picture(face, ground, part):
    """A photo of it at true size, blurred and noisy as cameras make it."""
    light = np.where(part[..., None], face, ground)
    light = gaussian_filter(light, (0.9, 0.9, 0))
    light = light + np.random.default_rng(4).normal(0, 0.004, light.shape)
    stored = np.asarray(stored_of(np.clip(light, 0, 1)))
    return Scene(np.uint8(np.round(255 * stored)), MM, 1.0, SHEET + 0.0, SHEET)


def area(ring):
    x, y = ring.T
    return 0.5 * abs(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def found(scene):
    """The areas of what is found, smallest first, px², the doubts, and whether it looks alike."""
    got = find_part(scene)
    rings = [got.contours.contour(i) for i in range(len(got.contours))]
    return sorted(area(ring) for ring in rings), got.doubts, got.alike


def brushed():
    """The light of a brushed face: marks along rows that last some 20 mm, from 0.2 to 0.5."""
    rng = np.random.default_rng(8)
    wide = gaussian_filter(rng.normal(size=Y.shape), (3.0, 100.0))
    fine = gaussian_filter(rng.normal(size=Y.shape), (0.7, 80.0))
    grain = wide / wide.std() + 0.5 * fine / fine.std()
    return 0.3 * np.exp(0.14 * grain)


def test_a_slot_along_the_marks_of_a_brushed_face_is_as_wide_as_it_is():
    hole = slot(430, 380, 110, 22)
    part = PLATE & ~hole
    # soft shadow, from lighter than the face to darker
    shade = gaussian_filter(np.roll(part, (7, 5), (0, 1)).astype(float), 5.0) * ~part
    ground = 0.72 * (1 - 0.8 * shade)
    scene = picture(np.repeat(brushed()[..., None], 3, 2), ground[..., None], part)
    areas, doubts, alike = found(scene)
    assert not doubts
    assert alike  # and so it is told less closely
    assert areas == pytest.approx([hole.sum(), PLATE.sum()], rel=0.02)


def test_many_small_holes_filled_by_their_own_dark_are_not_learned_for_the_face():
    holes = (abs(X - 450) < 270) & (abs(Y - 350) < 150)
    holes &= np.hypot((X - 450 + 30) % 60 - 30, (Y - 350 + 30) % 60 - 30) < 8
    ground = np.where(holes, 0.1, 0.72)[..., None]
    areas, doubts, _ = found(picture(np.repeat(brushed()[..., None], 3, 2), ground, PLATE & ~holes))
    assert not doubts
    assert len(areas) == 46
    assert areas[:45] == pytest.approx(np.full(45, np.pi * 8**2), rel=0.15)


@pytest.mark.parametrize("share", [0.25, 0.12])
def test_a_hole_in_another_things_shadow_on_a_coloured_face_is_found(share):
    one, other = np.hypot(X - 620, Y - 380) < 40, np.hypot(X - 280, Y - 300) < 40
    part = PLATE & ~one & ~other
    lit = 1 - (1 - share) * gaussian_filter((X + 0.3 * Y > 640).astype(float), 6.0)
    face = BROWN * np.exp(0.08 * np.random.default_rng(2).normal(size=Y.shape))[..., None]
    scene = picture(face * lit[..., None], 0.75 * lit[..., None] * np.ones(3), part)
    areas, doubts, alike = found(scene)
    assert not doubts
    assert not alike
    assert areas == pytest.approx([one.sum(), other.sum(), PLATE.sum()], rel=0.03)


def coloured(ground=(0.0, 0.0)):
    """Looks of a coloured face in shadow on its right, a wall along its foot, and ground."""
    look = np.zeros((200, 300, 3), np.float32)
    face, shadow, wall = (np.zeros(look.shape[:2], bool) for _ in range(3))
    face[20:160, 20:280], shadow[20:160, 160:280], wall[160:164, 20:150] = True, True, True
    look[..., 1:] = ground
    look[face] = -0.8, 0.8, -0.7
    look[shadow] = -2.2, 0.65, -0.57
    look[wall] = -2.2, 0.75, -0.66
    nothing = np.zeros(face.shape, bool)
    own = Evened(Looks(look, face | wall, nothing, nothing), 1.0)
    return own, face & ~shadow, ~(face | wall), shadow, wall


def test_a_shadow_on_a_coloured_face_is_lit_to_its_corners_and_a_wall_stays_dark():
    own, core, ground, shadow, wall = coloured()
    lit = relit(own, core, ground, 0.25).looks.look[..., 0]
    assert lit[shadow] == pytest.approx(-0.8, abs=1e-6)
    assert lit[wall] == pytest.approx(-2.2, abs=1e-6)
    assert own.looks.look[..., 0][shadow] == pytest.approx(-2.2, abs=1e-6)  # left as it was


def test_holes_too_dark_to_tell_their_colour_are_not_lit_as_a_shadow_on_the_face():
    own, core, ground, shadow, _ = coloured()
    own.looks.look[..., 0][shadow] = -3.2
    assert relit(own, core, ground, 0.25).looks.look[..., 0][shadow] == pytest.approx(-3.2)


def test_ground_of_the_faces_colour_and_grey_faces_tell_nothing_of_a_shadow():
    own, core, ground, *_ = coloured(ground=(0.7, -0.6))
    assert relit(own, core, ground, 0.25) is own
    own, core, ground, *_ = coloured()
    own.looks.look[..., 1:] *= 0.2
    assert relit(own, core, ground, 0.25) is own


def test_marks_are_told_from_nearer_where_holes_are_known_and_where_none_else_is_near():
    level = np.log(brushed()).astype(np.float32)
    hole = slot(300, 350, 150, 12)
    outer = (X < 160) & (abs(Y - 350) < 30)  # between a hole and the edge
    slow = np.full_like(level, np.log(0.3))
    near = cv2.dilate(hole.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    wide = cv2.dilate(hole.astype(np.uint8), np.ones((31, 31), np.uint8)) > 0
    ring = wide & ~near

    def error(found, place):
        return float(
            np.abs(np.where(np.isfinite(found.light), found.light, slow) - level)[place].mean()
        )

    far = marks(level, slow, ~wide, MM)
    close = marks(level, slow, ~near & ~outer, MM, ~near)
    assert far is not None
    assert close is not None
    assert error(close, ring & ~outer) < 0.6 * error(far, ring & ~outer)
    strip = outer & ~wide
    alone = marks(level, slow, ~near & ~outer, MM, np.zeros_like(near))
    assert alone is not None
    assert error(close, strip) < 0.5 * error(alone, strip)

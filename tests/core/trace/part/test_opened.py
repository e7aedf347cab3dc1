"""Round holes by what they show of the ground: openings that are painted finely and blurred."""

from functools import partial

import cv2
import numpy as np
import pytest

from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.opened import by_openings
from silhueta.core.trace.part.rounds import circle_of, light_in

SIDE, FINER = 160, 8
MIDDLE, RADIUS = np.array([80.0, 78.0]), 40.0
WALLS = Walls((-420.0, -250.0), 0.012)  # so that the foot is 7 px away
NICK = MIDDLE + [[RADIUS - 3, -0.5], [RADIUS + 4, -0.5], [RADIUS + 4, 5.5], [RADIUS - 3, 5.5]]
FACE, WALL, GROUND = 0.08, 0.02, 0.6
TURN = np.linspace(0, 2 * np.pi, 251, endpoint=False)


def circle(middle=MIDDLE, radius=RADIUS, squash=1.0) -> np.ndarray:
    return middle + radius * np.column_stack([np.cos(TURN), squash * np.sin(TURN)])


def scene(squash=1.0, bevel=0.0, nicked=False):
    """Return the light of a hole whose broken edge is as dark as its wall."""

    def filled(outline: np.ndarray) -> np.ndarray:
        mask = np.zeros((SIDE * FINER, SIDE * FINER), np.uint8)
        places = np.round((outline * FINER - 0.5) * 256).astype(np.int32)
        return cv2.fillPoly(mask, [places], 1, shift=8) > 0

    def seen(outline: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        shift = WALLS.ratio / (1 + WALLS.ratio) * (outline - np.array(WALLS.under))
        return filled(outline), filled(outline - shift)

    rim, foot = seen(circle(squash=squash))
    if nicked:
        rim, foot = (hole | nick for hole, nick in zip((rim, foot), seen(NICK), strict=True))
    light = np.full((SIDE * FINER, SIDE * FINER), FACE, np.float32)
    light[filled(circle(radius=RADIUS + bevel, squash=squash))] = WALL
    light[rim] = WALL
    light[rim & foot] = GROUND
    small = cv2.resize(light, (SIDE, SIDE), interpolation=cv2.INTER_AREA)
    return np.repeat(cv2.GaussianBlur(small, (0, 0), 0.9)[..., None], 3, axis=2)


def test_a_broken_edge_in_shadow_draws_no_hole_wide():
    light = scene(bevel=1.3)
    facing = np.cos(TURN - np.arctan2(*(MIDDLE - WALLS.under)[::-1])) > 0  # where the wall is seen
    followed = MIDDLE + (circle() - MIDDLE) * np.where(facing, 1 + 1.3 / RADIUS, 1.0)[:, None]
    assert np.abs(circle_of(followed, 2.0) - (*MIDDLE, RADIUS)).max() > 0.6
    moved = by_openings(followed, partial(light_in, light), WALLS)
    assert circle_of(moved, 2.0) == pytest.approx((*MIDDLE, RADIUS), abs=0.2)


def test_a_hook_of_the_ring_goes_where_the_edge_goes_on():
    ring = circle(radius=RADIUS + 0.6)
    ring[100:108] += [5.0, 0.0]  # into the hole, over its wall
    moved = by_openings(ring, partial(light_in, scene()), WALLS)
    assert np.abs(np.hypot(*(moved - MIDDLE).T) - RADIUS).max() < 0.5


@pytest.mark.parametrize("what", ["dark", "oval", "nick", "square"])
def test_a_hole_that_tells_nothing_or_is_not_round_stays(what):
    ring, light = circle(radius=RADIUS + 0.6), scene()
    if what == "nick":
        light = scene(nicked=True)
    elif what == "dark":
        light = np.full_like(light, FACE)
    elif what == "oval":
        ring, light = circle(squash=0.9), scene(squash=0.9)
    elif what == "square":
        corner = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]]) * RADIUS
        ends, share = np.roll(corner, -1, 0), np.linspace(0, 1, 80, endpoint=False)[:, None]
        ring = MIDDLE + np.concatenate(
            [a + share * (b - a) for a, b in zip(corner, ends, strict=True)]
        )
    if what != "nick":
        assert by_openings(ring, partial(light_in, light), WALLS) is ring
        return
    ring[:6] += [4.0, 0.0]
    moved = by_openings(ring, partial(light_in, light), WALLS)
    assert moved is not ring
    deep = np.hypot(*(moved - MIDDLE).T)
    assert deep[:6].mean() - deep[6:].mean() == pytest.approx(4.0, abs=0.5)

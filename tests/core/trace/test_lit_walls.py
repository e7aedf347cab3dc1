"""Walls as light as the ground, told from dark ones by round holes; or said to be open."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.border import Sight, border
from silhueta.core.trace.part.lit import kind_of_walls, open_wall

WALLS = Walls((-200.0, 130.0), 0.025)  # in sight on the right of a hole, 8 px wide
FACE, LIT, GROUND = 0.04, 0.3, 0.34  # light; the ground lies in the part's shadow
ROUND = np.column_stack([f(np.linspace(0, 2 * np.pi, 400)[:-1]) for f in (np.cos, np.sin)]) * 45
SQUARE = np.array([(-40, -40), (40, -40), (40, 40), (-40, 40)], np.float64)


def seen(shape, wall):
    """Return what a hole through a thick part looks like, painted eight times finer; its edge."""
    top = shape + 130.0
    foot = WALLS.under + (top - WALLS.under) / (1 + WALLS.ratio)
    fine = np.full((260 * 8, 260 * 8), FACE, np.float32)
    inside, through = (np.zeros(fine.shape, np.uint8) for _ in range(2))
    for mask, edge in ((inside, top), (through, foot)):
        cv2.fillPoly(mask, [np.round(edge * 8).astype(np.int32)], 1)
    fine[inside > 0] = wall
    fine[(inside & through) > 0] = GROUND
    light = cv2.resize(fine, (260, 260), interpolation=cv2.INTER_AREA)
    light = gaussian_filter(light, 1.0)
    light += np.random.default_rng(1).normal(0, 0.002, light.shape).astype(np.float32)
    # what looks tell: the wall is like the ground, or like the face
    here = cv2.resize(inside if wall == LIT else inside & through, (260, 260)).astype(np.float32)
    sight = Sight(np.dstack([light] * 3), np.where(here > 0.5, -4.0, 4.0), 1.0, 0.2, WALLS)
    ring = (
        top
        if len(shape) > 4
        else np.vstack(
            [
                np.linspace(a, b, 40, endpoint=False)
                for a, b in zip(top, np.roll(top, -1, 0), strict=True)
            ]
        )
    )
    return sight, ring


def rings(sight, ring):
    rough = ring + 0.5
    return [rough], [border(rough, sight)]


def off(ring, shape):
    outline = (shape + 130.0).astype(np.float32)
    away = [cv2.pointPolygonTest(outline, (float(x), float(y)), True) for x, y in ring]
    return float(np.abs(away).mean())


@pytest.mark.parametrize("wall", [FACE, LIT])
def test_a_round_hole_tells_of_which_kind_the_walls_are(wall):
    sight, edge = seen(ROUND, wall)
    roughs, found = rings(sight, edge)
    kind = kind_of_walls(roughs, found, sight)
    assert kind.told
    assert kind.lit == (wall == LIT)
    assert off(border(roughs[0], sight._replace(lit=kind.lit)), ROUND) < 0.25  # px; the wall: 8


def test_a_square_hole_does_not_and_how_far_it_may_be_off_is_said():
    for wall in (FACE, LIT):
        sight, edge = seen(SQUARE, wall)
        roughs, found = rings(sight, edge)
        assert not kind_of_walls(roughs, found, sight).told
        assert 6 < open_wall(found, sight) < 10
    half, edge = seen(SQUARE, 0.12)  # its foot is seen: nothing is open
    assert open_wall(rings(half, edge)[1], half) == 0

"""Spurs and notches: what looks like its surroundings goes, what looks like face stays."""

import numpy as np
import pytest
import shapely
from shapely.geometry import Polygon
from shapely.geometry.polygon import orient

from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.shear import shorn

SIDE, MM = 200, 0.13
FACE, GROUND = (0.5, 0.05, 0.04), (0.02, 0.15, 0.1)


def ring_of(shape: Polygon) -> np.ndarray:
    line = shape.exterior
    return np.array([line.interpolate(s).coords[0] for s in np.arange(0, line.length, 1.0)])


@pytest.mark.parametrize("spur_is_face", [False, True])
@pytest.mark.parametrize("notched", [False, True])
def test_a_narrow_spur_goes_unless_it_looks_like_the_face(spur_is_face, notched):
    plate = Polygon([(40, 40), (160, 40), (160, 160), (40, 160)])
    low, high = (142, 162) if notched else (140, 178)
    narrow = Polygon([(96, low), (103, low), (103, high), (96, high)])
    followed = plate.difference(narrow) if notched else plate.union(narrow)
    true = followed if spur_is_face != notched else plate
    light = np.full((SIDE, SIDE, 3), GROUND, np.float32)
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    light[shapely.contains_xy(true, x, y)] = FACE
    found = Polygon(shorn(ring_of(followed), light, MM))
    assert found.symmetric_difference(true).area < 25
    assert followed.symmetric_difference(plate).area > 100


def test_what_looks_like_neither_stays():
    plate = Polygon([(40, 40), (160, 40), (160, 160), (40, 160)])
    followed = plate.union(Polygon([(96, 140), (103, 140), (103, 178), (96, 178)]))
    light = np.full((SIDE, SIDE, 3), GROUND, np.float32)
    light[40:160, 40:160] = FACE
    light[160:178, 96:103] = (0.12, 0.09, 0.06)  # between the two
    ring = ring_of(followed)
    assert shorn(ring, light, MM) is ring


@pytest.mark.parametrize("slotted", [False, True])
def test_a_spur_of_a_hole_goes_where_its_foot_has_none(slotted):
    walls = Walls((100.0, -900.0), 0.012)  # the foot of what lies below is seen 12 px further up
    hole = Polygon([(40, 60), (160, 60), (160, 140), (40, 140)])
    slot = Polygon([(93, 130), (105, 130), (105, 152), (93, 152)])  # wider than a spur may be
    true = hole.union(slot) if slotted else hole
    under = np.array(walls.under)
    foot = shapely.transform(true, lambda top: under + (top - under) / (1 + walls.ratio))
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    light = np.full((SIDE, SIDE, 3), 0.06, np.float32)
    light[shapely.contains_xy(slot, x, y)] = 0.03  # a dark patch of the face, much like the wall
    light[shapely.contains_xy(true, x, y)] = 0.02
    light[shapely.contains_xy(true.intersection(foot), x, y)] = 0.5
    followed = ring_of(orient(hole.union(slot)))  # as holes go, with y down
    found = Polygon(shorn(followed, light, MM, walls))
    assert found.symmetric_difference(true).area < 40
    assert shorn(followed, light, MM) is followed

"""Offsets by trimming alone: the same as untangled ones, and none where that would be wrong."""

import numpy as np
import pytest
import shapely

from silhueta.core.build import offset as untangling
from silhueta.core.build.trimmed import trimmed
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import Loop, circle_loop
from tests.conftest import hole

FLOWER = np.linspace(0, 2 * np.pi, 60, endpoint=False)
PETALS = np.column_stack([np.cos(FLOWER), np.sin(FLOWER)]) * (50 + 8 * np.sin(5 * FLOWER))[:, None]
CURVED = Loop(PETALS, np.arange(60) % 2, 0.08 * (np.arange(60) % 2))


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


@pytest.mark.parametrize("corners", ["round", "sharp", "flat"])
@pytest.mark.parametrize("by", [1.5, -1.5])
@pytest.mark.parametrize("loop", [CURVED, Loop(PETALS), Loop([[0, 0], [400, 0], [0, 90.0]])])
def test_trimmed_is_what_untangling_gives(monkeypatch, loop, by, corners):
    loops = [loop, hole(circle_loop(loop.nodes.mean(axis=0), 0.5 if by < 0 else 2.0))]
    quick = trimmed(loops, by, corners)
    monkeypatch.setattr(untangling, "trimmed", lambda *_: None)
    slow = untangling.offset(loops, by, corners)
    assert quick is not None
    assert area(quick) == pytest.approx(area(slow), rel=1e-6)
    assert len(quick) == len(slow)


@pytest.mark.parametrize("by", [1.5, -1.5])
def test_trimmed_corners_are_as_geos_mitres_them(by):
    meant = shapely.Polygon(PETALS).buffer(by, join_style="mitre", mitre_limit=4)
    made = trimmed([Loop(PETALS)], by, "sharp")
    assert area(made) == pytest.approx(meant.area, abs=1e-9)


@pytest.mark.parametrize(
    ("loops", "by"),
    [
        ([Loop([[0, 0], [60, 0], [60, 4], [0, 4.0]])], -2.5),  # vanishes
        ([circle_loop((0, 0), 20), hole(circle_loop((0, 0), 3))], 4.0),  # its hole does
        ([circle_loop((0, 0), 30), hole(circle_loop((0, 0), 20)), circle_loop((0, 0), 15)], 6.0),
        ([Loop([[0, 0], [20, 0], [20, 20], [10.2, 2], [9.8, 2], [0, 20.0]])], 1.0),  # a slit closes
        ([circle_loop((0, 0), 5), circle_loop((11, 0), 5)], 1.0),  # two meet
    ],
)
def test_where_more_happens_it_is_left_to_untangling(loops, by):
    assert trimmed(loops, by, "round") is None

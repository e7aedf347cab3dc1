"""Offsets by what is kept of each edge: closed forms, ragged outlines, what is not certain."""

import math

import numpy as np
import pytest

from silhueta.core.build import offset as untangling
from silhueta.core.build.kept import kept
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from tests.conftest import hole


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


def lens(radius: float, apart: float) -> float:
    """Area common to two equal circles (any handbook of geometry)."""
    half = math.acos(apart / (2 * radius))
    return 2 * radius**2 * half - apart * math.sqrt(radius**2 - apart**2 / 4)


def ragged(seed: int) -> Loop:
    rng = np.random.default_rng(seed)
    count = int(rng.integers(20, 300))
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    far = 20 + rng.normal(0, rng.uniform(0.02, 0.4), count)
    bulges = rng.uniform(-0.3, 0.3, count) * (rng.random(count) < 0.5)
    nodes = far[:, None] * np.column_stack([np.cos(turn), np.sin(turn)])
    return Loop(nodes, np.where(bulges != 0, ARC, LINE).astype(np.uint8), bulges)


def test_two_discs_that_grow_together_are_their_sum_less_a_lens():
    (made,) = kept([circle_loop((0, 0), 5), circle_loop((11, 0), 5)], 1.0)
    assert signed_area(made) == pytest.approx(2 * math.pi * 36 - lens(6, 11), abs=1e-9)
    assert len(made.nodes) <= 4
    ring = [circle_loop((0, 0), 20), hole(circle_loop((3, 0), 12))]
    (crescent,) = kept(ring, -3.0)  # 17 and 15, their middles 3 apart: it is parted there
    assert signed_area(crescent) == pytest.approx(
        math.pi * 17**2 - area_common(17, 15, 3), abs=1e-9
    )


def area_common(a: float, b: float, apart: float) -> float:
    """Area common to two circles of different size that cross (any handbook of geometry)."""
    one = (apart**2 + a * a - b * b) / (2 * apart)
    two = apart - one
    return (
        a * a * math.acos(one / a)
        - one * math.sqrt(a * a - one * one)
        + b * b * math.acos(two / b)
        - two * math.sqrt(b * b - two * two)
    )


@pytest.mark.parametrize("by", [2.3, -1.7])
@pytest.mark.parametrize("seed", range(6))
def test_what_is_kept_is_what_untangling_gives(monkeypatch, seed, by):
    loops = [ragged(seed), hole(circle_loop((1, 2), 7))]
    quick = kept(loops, by)
    assert quick is not None
    for name in ("trimmed", "kept"):
        monkeypatch.setattr(untangling, name, lambda *_: None)
    slow = untangling.offset(loops, by)
    assert len(quick) == len(slow)
    assert area(quick) == pytest.approx(area(slow), rel=3e-5)


@pytest.mark.parametrize(
    ("loops", "by"),
    [
        ([circle_loop((0, 0), 5), circle_loop((6, 0), 5)], 1.0),  # they overlap already
        ([Loop([[0, 0], [60, 0], [60, 4], [0, 4.0]])], -2.0),  # both sides come to lie on one line
    ],
)
def test_where_it_is_not_certain_it_is_left_to_untangling(loops, by):
    assert kept(loops, by) is None


def test_nothing_is_left_of_what_is_too_narrow():
    assert kept([Loop([[0, 0], [60, 0], [60, 4], [0, 4.0]])], -2.5) == []

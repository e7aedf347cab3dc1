"""How long programs take: against the closed forms of textbooks, and a walk in small steps."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.cutting.program import Motion
from silhueta.core.cutting.timing import times
from silhueta.core.shop.machines import machine_of, shipped_machines

ROUTER = machine_of("router", None, shipped_machines())


def cut(*points: tuple[float, float], feed: float = 3000.0) -> Motion:
    rows = np.column_stack([np.array(points), np.zeros(len(points))])
    return Motion("cut", rows, np.zeros(len(points) - 1), feed)


def test_a_straight_cut_takes_what_the_trapezoidal_profile_takes():
    # B. Siciliano et al., Robotics: Modelling, Planning and Control, 2009, section 4.2.1: over a
    # length l with acceleration a and cruise speed v, t = l / v + v / a
    v, a = 50.0, ROUTER.acceleration_mm_s2
    assert times([cut((0, 0), (300, 0))], ROUTER).seconds == pytest.approx(300 / v + v / a)
    # too short to come to speed: t = 2 sqrt(l / a)
    assert times([cut((0, 0), (2, 0))], ROUTER).seconds == pytest.approx(2 * math.sqrt(2 / a))


def test_a_corner_slows_and_a_straight_joint_does_not():
    whole = times([cut((0, 0), (100, 0))], ROUTER).seconds
    assert times([cut((0, 0), (40, 0), (100, 0))], ROUTER).seconds == pytest.approx(whole)
    assert times([cut((0, 0), (40, 0)), cut((40, 0), (100, 0))], ROUTER).seconds == pytest.approx(
        whole
    )
    turned = times([cut((0, 0), (50, 0), (50, 50))], ROUTER).seconds
    back = times([cut((0, 0), (50, 0), (0, 0))], ROUTER).seconds
    assert whole < turned < back
    assert back == pytest.approx(2 * times([cut((0, 0), (50, 0))], ROUTER).seconds)
    sharp = replace(ROUTER, corner_mm=0.0)
    assert times([cut((0, 0), (50, 0), (50, 50))], sharp).seconds == pytest.approx(back)


def test_a_tight_arc_is_gone_round_no_faster_than_the_machine_can_turn():
    r = 2.0
    arc = Motion("cut", np.array([[r, 0, 0], [-r, 0, 0.0]]), np.array([1.0]), 5000.0)
    top = math.sqrt(ROUTER.acceleration_mm_s2 * r)
    assert times([arc], ROUTER).seconds == pytest.approx(
        math.pi * r / top + top / ROUTER.acceleration_mm_s2
    )

"""Worn edges: what waves about a line is offered as straight, and what follows from it is taken."""

import numpy as np
import pytest

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.truing.apply import Noise, trued
from silhueta.core.truing.edits import held, level, take_all
from silhueta.core.truing.worn import worn_edges
from silhueta.core.work import Work
from tests.conftest import hole

NOISE = Noise(0.02, 3.0, 0.01, 0.0005, 0.9)
ROUND = np.tan(np.pi / 8)


def plate(below: list[float], above: list[float], turn: float = 0.0, radius: float = 6.0) -> Loop:
    """A plate of 120 x 40 with round corners; its long sides in pieces that rise by so many mm."""
    nodes, bulges = [], []
    for rises, y, way, x in ((below, 0.0, 1.0, radius), (above, 40.0, -1.0, 120 - radius)):
        long = (120 - 2 * radius) / len(rises)
        nodes += [(x + way * k * long, y) for k in range(len(rises) + 1)]
        bulges += [*(2 * rise / long for rise in rises), ROUND]
        end = 120.0 if way > 0 else 0.0
        nodes += [(end, y + way * radius), (end, 40 - y - way * radius)]
        bulges += [0.0, ROUND]
    c, s = np.cos(turn), np.sin(turn)
    turned = np.array(nodes) @ np.array([[c, s], [-s, c]])
    curved = np.array(bulges)
    return Loop(turned, (curved != 0).astype(np.uint8), curved)


def outline(*paths) -> Outline:
    return Outline(tuple(Contour(p, key=i + 1) for i, p in enumerate(paths)))


def test_what_waves_about_a_line_is_offered_and_a_bow_is_told_as_less_likely():
    wavy = worn_edges(outline(plate([0.2, -0.2, 0.2], [0.0])))
    assert [(offer.run[1], offer.share > 0.8) for offer in wavy] == [(3, True)]
    bow = worn_edges(outline(plate([0.4], [0.0])))
    assert [offer.share > 0.8 for offer in bow] == [False]
    assert worn_edges(outline(plate([0.9], [0.0]))) == []  # nobody takes that for straight
    assert worn_edges(outline(plate([0.0], [0.0]), circle_loop((60.0, 20.0), 5.0))) == []


def test_all_is_taken_and_what_follows_from_it():
    worn = plate([0.2, -0.25, 0.2], [0.15, -0.2, 0.1, -0.2], turn=0.3)
    job = set_imported(Job(), outline(worn, hole_at(0.3)), "Strap")
    made, done = take_all(job, 0.8, NOISE, "mm", Work())
    assert done.taken["straight"] == 2
    path = made.outline.contours[0].path
    assert len(path.kinds) == 8
    ways = (path.ends - path.starts)[path.bulges == 0]
    angles = np.degrees(np.arctan2(ways[:, 1], ways[:, 0])) % 90
    assert np.ptp(angles) < 1e-6  # square and parallel
    assert angles[0] == pytest.approx(np.degrees(0.3), abs=0.1)
    assert {one.state for one in held(made)} == {"holds"}
    assert "symmetric" in done.taken
    # its axis is turned along
    assert {one.state for one in held(level(made, NOISE))} == {"holds"}


def hole_at(turn: float) -> Loop:
    middle = (60 * np.cos(turn) - 20 * np.sin(turn), 60 * np.sin(turn) + 20 * np.cos(turn))
    return hole(circle_loop(middle, 4.004))


def test_of_what_is_sure_nothing_worn_is_made_straight():
    worn = outline(plate([0.2, -0.2, 0.2], [0.0], turn=0.3))
    safe = trued(worn, NOISE, "safe")
    assert "straight" not in safe.taken
    assert len(safe.outline.contours[0].path.kinds) == 10
    every = trued(worn, NOISE, "all", level=True)
    assert every.taken["straight"] == 1
    path = every.outline.contours[0].path
    long = np.abs((path.ends - path.starts)[:, 0]) > 50
    assert path.starts[long, 1] == pytest.approx(path.ends[long, 1], abs=1e-9)

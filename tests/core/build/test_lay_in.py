"""Another job's outline is laid beside what is there, at its size, as one group, with its ways."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.build.edits import scale_to_width
from silhueta.core.build.lay_in import laid_in
from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job
from tests.conftest import square


def job(*contours: Contour) -> Job:
    return replace(Job("other"), outline=Outline(contours))


def test_what_is_laid_in_keeps_its_size_and_how_it_is_worked():
    here = job(Contour(square(30, (5, 7))), Contour(square(4, (10, 12)), group=3))
    other = job(
        Contour(square(60), colour=(9, 9, 9)),
        Contour(circle_loop((20, 20), 5), operation="engrave", locked=True),
        Contour(square(9, (200, 200)), taken=False),
    )
    made = laid_in(here, other)
    assert [c.path for c in made.outline.contours[:2]] == [c.path for c in here.outline.contours]
    plate, ring = made.outline.contours[2:]  # what is skipped stays where it was
    assert plate.path.nodes.min(axis=0) == pytest.approx([5 + 30 + 10, 7])
    assert np.ptp(plate.path.nodes, axis=0) == pytest.approx([60, 60])
    assert (plate.colour, ring.operation, ring.locked) == ((9, 9, 9), "engrave", False)
    assert plate.group == ring.group == 4
    assert len({c.key for c in made.outline.contours}) == 4
    # onto an empty table it comes to the corner, and one loop alone is no group
    (alone,) = laid_in(Job(), job(Contour(square(8, (50, 50))))).outline.contours
    assert alone.path.nodes.min(axis=0) == pytest.approx([0, 0])
    assert alone.group == 0
    with pytest.raises(EditError, match="no outline"):
        laid_in(here, Job("empty"))


def test_pieces_are_scaled_to_a_width():
    start = job(Contour(square(40)), Contour(square(10, (100, 0))))
    keys = [c.key for c in start.outline.contours]
    whole = scale_to_width(start, (), 220.0)
    assert whole.outline.bounds == pytest.approx((55 - 110, 20 - 40, 55 + 110, 20 + 40))
    one = scale_to_width(start, keys[1:], 25.0)
    assert one.outline.contours[0].path is start.outline.contours[0].path
    assert np.ptp(one.outline.contours[1].path.nodes, axis=0) == pytest.approx([25, 25])
    with pytest.raises(EditError, match="nothing to scale"):
        scale_to_width(Job(), (), 10)

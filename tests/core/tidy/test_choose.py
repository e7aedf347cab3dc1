"""Cut and skip: what each loop is, and edits that change nothing but that."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import OpenPath, circle_loop
from silhueta.core.job import Job
from silhueta.core.tidy.choose import keep_largest, rows, set_taken, swap, turned
from tests.conftest import hole, square

# a plate with a hole, an island in the hole, a disc beside it, and a line
PLATE = Outline(
    (
        Contour(square(60)),
        Contour(hole(circle_loop((30, 30), 20))),
        Contour(circle_loop((30, 30), 5)),
        Contour(circle_loop((90, 30), 10)),
        Contour(OpenPath([[0, 70], [10, 70]])),
    )
)
JOB = Job(outline=PLATE)


def roles(job):
    return [row.role for row in rows(job.outline)]


def test_each_loop_is_known_by_what_is_cut_around_it():
    assert roles(JOB) == ["outer", "hole", "island", "outer", "open"]
    assert roles(set_taken(JOB, [0], False)) == ["outer", "outer", "hole", "outer", "open"]
    assert roles(set_taken(JOB, [1], False)) == ["outer", "hole", "hole", "outer", "open"]


def test_a_row_tells_sizes_and_the_frame():
    plate, _, _, disc, line = rows(PLATE, (100.0, 80.0))
    assert (plate.size, plate.area, plate.length, plate.nodes) == ((60, 60), 3600, 240, 4)
    assert disc.area == pytest.approx(100 * np.pi)
    assert (line.area, line.length) == (0, 10)
    assert [plate.frame, disc.frame, line.frame] == [True, True, True]
    assert not rows(PLATE, (120.0, 80.0))[3].frame


def test_the_ticks_follow_when_the_loop_around_is_skipped():
    assert not turned(PLATE).any()
    # without the plate its hole is solid, and the island a hole in it: both run the wrong way
    assert turned(set_taken(JOB, [0], False).outline).tolist() == [False, True, True, False, False]


def test_colours_do_not_nest_in_each_other():
    colours = [(1, 1, 1), (2, 2, 2), (2, 2, 2), None, None]
    split = [replace(c, colour=k) for c, k in zip(PLATE.contours, colours, strict=True)]
    assert roles(Job(outline=Outline(tuple(split))))[:3] == ["outer", "outer", "hole"]


def test_the_largest_outer_keeps_its_own_holes_alone():
    kept = keep_largest(JOB)
    assert [c.taken for c in kept.outline.contours] == [True, True, False, False, False]


@given(st.lists(st.tuples(st.sets(st.integers(0, 4)), st.booleans()), max_size=6))
def test_cut_and_skip_never_change_geometry_and_undo_themselves(edits):
    job = JOB
    for which, taken in edits:
        job = set_taken(job, which, taken)
    assert swap(swap(job)).outline.taken == job.outline.taken
    for before, after in zip(PLATE.contours, job.outline.contours, strict=True):
        assert after.path is before.path
        assert replace(after, taken=True, chosen=False).operation == before.operation


def test_what_changes_nothing_is_no_step():
    assert set_taken(JOB, [0, 1], True) is JOB
    assert keep_largest(keep_largest(JOB)) is not JOB
    assert keep_largest(Job()).outline.contours == ()

"""Edits of a job at Build: pieces, words, alignment, feet, plates, sheets."""

import math

import numpy as np
import pytest

from silhueta.core.build import edits, layout
from silhueta.core.build.foot import footed
from silhueta.core.build.shapes import negative, polygon, rectangle, slot
from silhueta.core.build.sheet import Sheet
from silhueta.core.errors import EditError
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.job import Job, set_imported, words_followed
from silhueta.core.words import Lettering


def job_of(*paths) -> Job:
    return set_imported(Job(), Outline(tuple(Contour(p) for p in paths)), "Plates")


def box(job, key):
    return bounding_box([c.path for c in job.outline.contours if c.key == key])


@pytest.fixture
def two() -> Job:
    ring = negative([circle_loop((0, 0), 5)], [rectangle(40, 20)])
    return job_of(*ring, rectangle(10, 10, 0, (40, 8)), rectangle(6, 4, 0, (80, -3)))


def test_a_piece_is_its_outer_loop_and_its_holes(two):
    keys = [c.key for c in two.outline.contours]
    pieces = {edits.grouped(two, key) for key in keys}
    assert sorted(map(len, pieces)) == [1, 1, 2]
    assert set().union(*pieces) == set(keys)


def test_pieces_are_put_in_line_with_the_first_and_evenly_apart(two):
    groups = [edits.grouped(two, key) for key in (1, 3, 4)]
    made = edits.align(two, groups, "centre")
    middles = [np.reshape(box(made, key), (2, 2)).mean(axis=0) for key in (1, 3, 4)]
    assert np.ptp(middles, axis=0) == pytest.approx([0, 0], abs=1e-9)
    assert box(edits.align(two, groups, "left"), 4)[0] == pytest.approx(-20)
    assert box(edits.align(two, groups, "bottom"), 3)[1] == pytest.approx(-10)
    even = edits.align(two, groups, "space across")
    gaps = box(even, 3)[0] - box(even, 1)[2], box(even, 4)[0] - box(even, 3)[2]
    assert gaps[0] == pytest.approx(gaps[1])
    with pytest.raises(EditError, match="choose three"):
        edits.align(two, groups[:2], "space up")


def test_a_set_operation_takes_the_place_of_what_was_chosen(two):
    groups = [edits.grouped(two, 1), (3,)]
    near = edits.move(two, (3,), -22, -8)
    made = edits.combine(near, "union", groups)
    assert {c.key for c in made.outline.contours} == {1, 2, 4}
    assert sum(signed_area(loop) for loop in made.outline.loops[1:]) > 0
    with pytest.raises(EditError, match="choose two"):
        edits.combine(two, "union", groups[:1])


def test_a_weld_is_mirrored_where_all_that_went_into_it_was(two):
    near = edits.group(edits.move(two, (3,), -22, -8), (3, 4))
    both = edits.mirror(near, (1, 2, 3), "x")
    welded = edits.combine(both, "union", [(1, 2), (3,)])
    assert [c.mirrored for c in welded.outline.contours if c.key in (1, 2)] == [True, True]
    one = edits.combine(edits.mirror(near, (3,), "x"), "union", [(1, 2), (3,)])
    assert not any(c.mirrored for c in one.outline.contours)
    tied = edits.combine(near, "union", [(3,), (4,)])
    assert len({c.group for c in tied.outline.contours if c.key in (3, 4)} - {0}) == 1


@pytest.mark.parametrize("relief", [0.0, 1.0])
def test_a_foot_stands_out_of_its_edge_and_fits_its_slot(relief):
    plate = [rectangle(60, 30)]
    made = footed(plate, (3, -14), 20, 6, relief)
    area = sum(signed_area(loop) for loop in made)
    # a bite's half in the part and its quarter... all but what lies outside already
    bites = 2 * math.pi * relief**2 / 2
    assert area == pytest.approx(1800 + 120 - bites, abs=1e-9)
    assert bounding_box(made) == pytest.approx((-30, -21, 30, 15))
    with pytest.raises(EditError, match="too short for a foot"):
        footed(plate, (30, 0), 40, 6)
    with pytest.raises(EditError, match="no straight edge"):
        footed([circle_loop((0, 0), 5)], (0, 0), 2, 1)


def test_words_are_set_anew_moved_saved_and_words_followed(tmp_path):
    job = edits.set_words(Job(), Lettering("Mare", 20))
    assert job.name == "Mare"
    (words,) = job.words
    moved = edits.move(job, words.keys, 5, 7)
    assert moved.words[0].middle == pytest.approx((5, 7))
    again = edits.set_words(moved, Lettering("Mar", 20), words.keys)
    left, bottom, right, top = again.outline.bounds
    assert ((left + right) / 2, (bottom + top) / 2) == pytest.approx((5, 7))
    save_job(again, tmp_path / "words.silhueta", {})
    assert load_job(tmp_path / "words.silhueta").words == again.words
    turned = edits.turn(again, (), 10)
    assert not words_followed(again, turned).words
    assert words_followed(again, edits.put(again, [rectangle(3, 3)])).words == again.words


def test_a_plate_with_holes_and_sheets_of_pieces():
    job = edits.put(Job(), [polygon(6, 30)])
    made = edits.plate(job, "rectangle", (80, 60), 4, 10, 5.0, cut_out=True)
    assert len(made.outline.loops) == 6
    laid, fill = layout.on_sheet(made, Sheet(200, 150), 3)
    assert len(layout.pieces(laid)) == 3
    assert fill[0] == pytest.approx(3 * (80 * 60 - (4 - math.pi) * 16) / (200 * 150), rel=1e-6)
    with pytest.raises(EditError, match="do not fit the sheet"):
        layout.on_sheet(made, Sheet(70, 50))
    parts = edits.part_at(made, (), (0, 0), 90)
    assert len(layout.pieces(parts)) == 2


def test_sections_lie_apart_with_their_marks_and_a_part_that_fits_is_told():
    whole = negative([slot(80, 20, (x, 0)) for x in (-150, 0, 150)], [rectangle(500, 100)])
    made, doubts = layout.divide(job_of(*whole), (320, 320), "straight", 0.0)
    assert not doubts
    marks = [c.path for c in made.outline.contours if c.operation == "mark"]
    assert [path.closed for path in marks] == [False, True, False, True]  # and their numbers
    laid, _ = layout.on_sheet(made, Sheet(600, 300))
    assert [c.operation for c in laid.outline.contours].count("mark") == 4
    chosen, _ = layout.divide(job_of(*whole), (320, 320), "straight", 0.0, [210.0])
    boxes = [bounding_box([c.path for c in piece]) for piece in layout.pieces(chosen)]
    widths = sorted(box[2] - box[0] for box in boxes)
    assert widths == pytest.approx([210, 290])
    assert [[c.operation for c in piece].count("mark") for piece in layout.pieces(made)] == [2, 2]
    assert len(layout.pieces(made)[0]) > len(layout.pieces(job_of(rectangle(3, 3)))[0])
    with pytest.raises(EditError, match="fits the bed"):
        layout.divide(made, (2000, 2000), "straight", 0.0)

"""Edits Job -> Job: what is not picked stays the very same, locked loops refuse, undo is exact."""

import contextlib
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from silhueta.app.session import Session
from silhueta.core.errors import EditError, GeometryError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place
from silhueta.core.job import Job
from silhueta.core.tidy import node_edits
from silhueta.core.tidy.choose import keep_only, set_taken, swap
from silhueta.core.tidy.offers.kinds import find_offers, take
from silhueta.core.tidy.offers.offer import Limits
from silhueta.core.tidy.resize import resized
from tests.conftest import square

JOB = Job(
    outline=Outline(
        (
            Contour(square(40)),
            Contour(circle_loop((20, 20), 8), origin="imported"),
            Contour(OpenPath([[50, 0], [50, 20], [60, 20]])),
            Contour(OpenPath([[60.2, 20], [60.2, 0]]), origin="drawn"),
        )
    )
)


def test_only_what_is_picked_changes_and_is_marked_as_edited():
    moved = node_edits.move(JOB, [(0, 2), (3, 0)], 1, 0)
    before, after = JOB.outline.contours, moved.outline.contours
    assert after[1] is before[1]
    assert after[2] is before[2]
    assert (after[0].origin, after[3].origin) == ("edited", "drawn")
    assert node_edits.move(JOB, [(0, 2)], 0, 0) is JOB


def test_each_edit_reaches_its_contour():
    assert len(node_edits.delete(JOB, [(0, 0)]).outline.contours[0].path.nodes) == 3
    assert len(node_edits.delete(JOB, [(1, 0), (1, 1)]).outline.contours) == 3  # all of it
    assert len(node_edits.add(JOB, 0, Place(1, 0.5)).outline.contours[0].path.nodes) == 5
    halved = node_edits.halve(JOB, [(0, 0), (0, 2)]).outline.contours[0].path
    assert halved.nodes[[1, 4]].tolist() == [[20, 0], [20, 40]]
    kinds = node_edits.set_kind(JOB, [(0, 0), (0, 1)], CUBIC).outline.contours[0].path.kinds
    assert kinds.tolist() == [CUBIC, CUBIC, LINE, LINE]
    bent = node_edits.bend(JOB, 0, 3, (-5, 20)).outline.contours[0].path
    assert bent.kinds[3] == ARC
    curve = node_edits.set_kind(JOB, [(0, 0)], CUBIC)
    pulled = node_edits.set_handle(curve, 0, 0, 1, (30, -9)).outline.contours[0].path
    assert pulled.controls[0, 1].tolist() == [30, -9]
    with pytest.raises(EditError, match="only a curve"):
        node_edits.set_handle(JOB, 0, 0, 1, (30, -9))
    assert len(node_edits.break_at(JOB, (2, 1)).outline.contours) == 5
    assert not node_edits.drop_segment(JOB, (0, 1)).outline.contours[0].path.closed
    joined = node_edits.join(JOB, (2, 2), (3, 0), merge=True).outline
    assert len(joined.contours) == 3
    assert joined.contours[2].path.nodes[2].tolist() == pytest.approx([60.1, 20])
    for ends in (((0, 0), (3, 0)), ((2, 1), (3, 0))):
        with pytest.raises(EditError, match="two ends"):
            node_edits.join(JOB, *ends, merge=True)


def test_nodes_are_added_where_lines_cross():
    bars = (Contour(OpenPath([[0, 0], [30, 0]])), Contour(OpenPath([[10, -5], [10, 5], [20, -5]])))
    job = Job(outline=Outline(bars))
    made = node_edits.add_at_crossings(job, [0])
    assert made.outline.contours[0].path.nodes.tolist() == [[0, 0], [10, 0], [15, 0], [30, 0]]
    assert made.outline.contours[1] is job.outline.contours[1]
    eight = Job(outline=Outline((Contour(OpenPath([[0, 0], [20, 0], [20, 10], [5, -5]])),)))
    crossed = node_edits.add_at_crossings(eight, [0]).outline.contours[0].path
    assert crossed.nodes.tolist().count([10, 0]) == 2
    with pytest.raises(EditError, match="nothing crosses"):
        node_edits.add_at_crossings(JOB, [0])


def test_a_locked_contour_refuses_every_edit():
    locked = node_edits.lock(JOB, [0, 2], True)
    assert node_edits.lock(locked, [0], True) is locked
    for edit in (
        lambda: node_edits.move(locked, [(0, 0)], 1, 1),
        lambda: node_edits.delete(locked, [(0, 0)]),
        lambda: node_edits.turn(locked, [0]),
        lambda: node_edits.join(locked, (2, 2), (3, 0), merge=True),
    ):
        with pytest.raises(EditError, match="locked"):
            edit()
    free = node_edits.lock(locked, [0, 2], False)
    assert node_edits.move(free, [(0, 0)], 1, 1).outline.contours[0].path.nodes[0, 0] == 1


EDITS = [
    lambda job: node_edits.move(job, [(0, 0)], 1.5, -1),
    lambda job: node_edits.delete(job, [(0, 1)]),
    lambda job: node_edits.halve(job, [(0, 0)]),
    lambda job: node_edits.smooth(job, [(0, 1)]),
    lambda job: node_edits.turn(job, [0, 1]),
    lambda job: set_taken(job, [1], False),
    swap,
    lambda job: keep_only(job, "outer"),
    lambda job: resized(job, "width", 120),
    lambda job: replace(
        job,
        outline=next(iter(map(take, find_offers(job.outline, Limits()))), job.outline),
    ),
]


@settings(max_examples=40)
@given(st.lists(st.integers(0, len(EDITS) - 1), max_size=10))
def test_undo_gives_back_the_identical_jobs(numbers):
    session, seen = Session(JOB), [JOB]
    for number in numbers:
        with contextlib.suppress(EditError, GeometryError):
            session.apply("edit", EDITS[number])
        if session.job is not seen[-1]:
            seen.append(session.job)
    for job in reversed(seen):
        assert session.job is job
        session.undo()
    assert session.job is JOB
    for job in seen[1:]:
        session.redo()
        assert session.job is job


def test_an_outline_without_extent_cannot_be_resized():
    with pytest.raises(EditError, match="nothing is cut"):
        resized(Job(), "width", 10)
    flat = Job(outline=Outline((Contour(OpenPath([[0, 0], [9, 0]])),)))
    with pytest.raises(EditError, match="height"):
        resized(flat, "height", 10)
    assert resized(flat, "width", 18).outline.bounds == (0, 0, 18, 0)

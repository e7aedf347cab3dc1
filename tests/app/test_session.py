import itertools
from dataclasses import replace
from pathlib import Path

import pytest

from silhueta.app.session import Session
from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.job import Job, TraceSettings, set_trace
from silhueta.core.relations import Ref, Relation
from silhueta.core.tidy import node_edits


def threshold(value: float):
    return lambda job: set_trace(job, replace(job.trace, threshold=value))


@pytest.fixture
def session(qapp):
    return Session(Job())


def test_undo_brings_back_the_very_same_job(session):
    before = session.job
    session.apply("Threshold", threshold(90))
    after = session.job
    assert session.undo_label == "Threshold"
    session.undo()
    assert session.job is before
    assert session.redo_label == "Threshold"
    session.redo()
    assert session.job is after
    session.redo()  # nothing more to redo
    assert session.job is after


def test_an_edit_that_changes_nothing_is_no_step(session, qtbot):
    with qtbot.assertNotEmitted(session.job_changed):
        session.apply("Nothing", lambda job: job)
    assert session.undo_label is None


def test_a_drag_is_one_step(session):
    before = session.job
    for value in (10, 20, 30):
        session.apply("Threshold", threshold(value), "threshold")
    session.end_merge()
    session.apply("Threshold", threshold(40), "threshold")
    assert session.job.trace.threshold == 40
    session.undo()
    assert session.job.trace.threshold == 30
    session.undo()
    assert session.job is before


def test_a_new_step_after_undo_forgets_what_was_undone(session):
    session.apply("One", threshold(10))
    session.undo()
    session.apply("Two", threshold(20))
    assert session.redo_label is None
    session.undo()
    assert session.undo_label is None


def test_what_is_worked_out_is_no_step_and_leaves_a_saved_job_saved(session):
    session.start(Job(name="Strap"))
    session.amend(lambda job: replace(job, name="Strap, traced"))
    assert session.undo_label is None
    assert not session.dirty
    session.apply("Threshold", threshold(10))
    session.amend(lambda job: replace(job, name="again"))
    assert session.dirty
    session.undo()
    assert session.job.name == "Strap, traced"


def test_a_failing_edit_leaves_the_job_as_it_was(session):
    before = session.job
    with pytest.raises(EditError):
        session.apply("Bad", lambda job: set_trace(job, TraceSettings(threshold=999)))
    assert session.job is before
    assert session.undo_label is None


def test_saving_settles_the_job(session):
    session.apply("Threshold", threshold(10))
    assert session.dirty
    session.mark_saved(session.job, Path("strap.silhueta"))
    assert not session.dirty
    session.undo()
    assert session.dirty


def test_the_unit_on_screen_is_not_part_of_the_job(session, qtbot):
    before = session.job
    with qtbot.waitSignal(session.units_changed):
        session.set_units("in")
    assert session.job is before
    assert not session.dirty


def test_what_is_come_back_to_or_saved_is_not_merged_into(session, tmp_path):
    session.apply("Threshold", threshold(90), merge="drag")
    session.apply("Threshold", threshold(95), merge="drag")
    one = session.job
    session.apply("Other", threshold(100))
    session.undo()
    assert session.job is one
    session.apply("Threshold", threshold(110), merge="drag")
    session.undo()
    assert session.job is one
    session.redo()
    saved = session.job
    session.mark_saved(saved, tmp_path / "part.silhueta")
    session.apply("Threshold", threshold(120), merge="drag")
    session.undo()
    assert session.job is saved


def test_relations_follow_their_edges_through_edits_that_know_nothing_of_them(session):
    loop = Loop([[0, 0], [60, 0], [60, 40], [0, 40]])
    relation = Relation("level", (Ref(1, 2),))
    job = replace(Job(), outline=Outline((Contour(loop, key=1),)), relations=(relation,))
    session.start(job)
    session.apply("Start", lambda job: node_edits.start(job, (0, 1)))
    assert session.job.relations[0].refs[0].segment == 1
    session.apply("Delete", lambda job: node_edits.delete(job, {(0, 1)}))
    path = session.job.outline.contours[0].path
    assert not session.job.relations[0].refs[0].segment < len(path.kinds)  # said to be gone


def test_a_journal_can_follow_and_redo_everything(session, tmp_path):
    changes = []
    session.changed.connect(changes.append)
    session.start(Job(name="Strap"))
    session.apply("Threshold 90", threshold(90.0))
    session.apply("Threshold 95", threshold(95.0), merge="drag")
    session.apply("Threshold 99", threshold(99.0), merge="drag")
    session.apply("nothing", lambda job: job)
    session.amend(lambda job: replace(job, name="Strap, traced"))
    session.mark("before")
    session.undo()
    session.mark_saved(session.job, tmp_path / "strap.silhueta")
    assert [(c.what, c.label) for c in changes] == [
        ("began", ""),
        ("step", "Threshold 90"),
        ("step", "Threshold 95"),
        ("step", "Threshold 99"),
        ("amended", "Threshold 99"),
        ("marked", "before"),
        ("went", "Threshold 90"),
        ("saved", ""),
    ]
    for one, two in itertools.pairwise(changes):
        assert one.after is two.before
    assert changes[-1].after is session.job

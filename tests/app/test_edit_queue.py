"""Edits beside the interface: quick ones at once, slow ones in turn, none lost, none twice."""

import threading
from dataclasses import replace

import pytest

from silhueta.app.edit_queue import EditQueue
from silhueta.app.session import Session
from silhueta.core.errors import EditError
from silhueta.core.job import Job


@pytest.fixture
def queue(qapp, qtbot):
    made = EditQueue(Session(Job(name="")), "Trying")
    yield made
    made.bench.close()


def named(letter, gate=None):
    def edit(job, _):
        if gate is not None:
            assert gate.wait(20)
        return replace(job, name=job.name + letter)

    return edit


def test_a_quick_edit_is_a_step_when_the_call_returns(queue):
    queue.do("Named", named("a"))
    assert (queue._session.job.name, queue._session.undo_label) == ("a", "Named")


def test_slow_edits_follow_each_other_also_where_something_came_in_between(queue, wait):
    gate, order = threading.Event(), []
    queue.do("First", named("a", gate), lambda _: order.append("before"), lambda _: order.append(1))
    queue.do(lambda made: f"Second: {made.name}", named("b"), done=lambda _: order.append(2))
    assert queue._session.job.name == ""  # the interface goes on meanwhile
    queue._session.amend(lambda job: replace(job, name="traced "))
    gate.set()
    wait(lambda: len(order) == 3)
    assert order == ["before", 1, 2]
    assert queue._session.history[1:] == ["First", "Second: traced ab"]


def test_one_that_fails_is_told_and_the_next_is_made_one_that_is_stopped_takes_the_rest(
    queue, wait
):
    def wrong(job, _):
        raise EditError("that cannot be")

    told = []
    queue.do("Wrong", wrong, failed=told.append)
    queue.do("Right", named("a"))
    wait(lambda: not queue.bench.busy)
    assert [str(error) for error in told] == ["that cannot be"]
    assert queue._session.history[1:] == ["Right"]
    gate = threading.Event()
    queue.do("Stopped", named("b", gate))
    queue.do("Never", named("c"))
    queue.bench.stop()
    gate.set()
    queue.do("After", named("d"))
    wait(lambda: not queue.bench.busy)
    assert queue._session.job.name == "ad"


def test_an_edit_is_not_made_on_another_job_that_was_opened_meanwhile(queue, wait):
    gate = threading.Event()
    queue.do("Slow", named("a", gate))
    queue.do("Next", named("b"))
    queue._session.start(Job(name="other"))
    gate.set()
    queue.do("Later", named("c"))
    wait(lambda: not queue.bench.busy)
    assert queue._session.history[1:] == ["Later"]
    assert queue._session.job.name == "otherc"

import threading

import pytest

from silhueta.app.work import Bench, Queue
from silhueta.core.errors import SilhuetaError, TraceError


@pytest.fixture
def bench(qapp):
    made = Bench()
    yield made
    made.close()


def test_results_come_back_with_what_was_asked(bench, qtbot):
    with qtbot.waitSignal(bench.done) as got:
        bench.ask("Adding", lambda work: 2 + 2, "sum")
    assert got.args == [4, "sum"]
    assert not bench.busy


def test_the_newest_request_wins(bench, qtbot):
    release = threading.Event()
    got = []
    bench.done.connect(lambda result, asked: got.append(result))

    def slow(work):
        release.wait(5)
        return "old"

    bench.ask("Slow", slow)
    bench.ask("Quick", lambda work: "new")
    qtbot.waitUntil(lambda: got == ["new"])
    release.set()
    qtbot.wait(80)
    assert got == ["new"]


def test_a_stop_ends_the_work_and_its_result_is_forgotten(bench, qtbot):
    started = threading.Event()

    def endless(work):
        while True:
            started.set()
            work.step(0.5)

    bench.ask("Endless", endless)
    assert started.wait(5)
    with qtbot.waitSignal(bench.ended):
        bench.stop()
    assert not bench.busy


def test_faults_a_person_can_mend_come_back_as_their_sentence(bench, qtbot):
    def fails(work):
        raise TraceError("nothing is darker; move the threshold")

    with qtbot.waitSignal(bench.failed) as got:
        bench.ask("Failing", fails)
    assert got.args == ["nothing is darker; move the threshold"]


@pytest.mark.expects_log
def test_a_bug_is_logged_and_said_without_a_traceback(bench, qtbot, caplog):
    with qtbot.waitSignal(bench.failed) as got:
        bench.ask("Bug", lambda work: 1 / 0)
    assert "ZeroDivisionError" in got.args[0]
    assert "Traceback" in caplog.text


def test_hundreds_of_signals_from_a_thread_arrive_in_order(bench, qtbot):
    heard = []
    bench.progressed.connect(lambda stage, share: heard.append(share))

    def busy(work):
        with work.stage("count"):
            for i in range(600):
                work.step(i / 600)

    with qtbot.waitSignal(bench.done):
        bench.ask("Counting", busy)
    assert len(heard) == 601
    assert heard[1:] == sorted(heard[1:])


def test_a_request_that_was_replaced_leaves_no_error_behind(bench, qtbot):
    release, ended = threading.Event(), threading.Event()

    def fails_late(work):
        release.wait(5)
        try:
            raise TraceError("nothing is darker; move the threshold")
        finally:
            ended.set()

    bench.ask("Failing", fails_late)
    with qtbot.waitSignal(bench.done):
        bench.ask("Quick", lambda work: "new")
    release.set()
    assert ended.wait(5)
    qtbot.wait(80)
    assert bench.error is None


def test_what_must_finish_is_done_one_after_the_other(qtbot):
    queue = Queue()
    done, failed = [], []
    queue.done.connect(lambda result, _: done.append(result))
    queue.failed.connect(failed.append)

    def made(k):
        if k == 1:
            raise SilhuetaError("no room")
        return k

    for k in range(4):
        queue.ask("Saving", lambda _, k=k: made(k))
    qtbot.waitUntil(lambda: not queue.busy)
    assert done == [0, 2, 3]
    assert failed == ["no room"]
    queue.close()

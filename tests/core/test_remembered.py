"""What is worked out once for a value, from whatever thread."""

import gc
import threading

from silhueta.core.remembered import Remembered


class Value:
    pass


def test_it_is_worked_out_once_and_forgotten_with_its_value():
    made = []
    once = Remembered(lambda value: made.append(value) or len(made))
    value = Value()
    assert [once(value), once(value), once(Value())] == [1, 1, 2]
    made.clear()
    del value
    gc.collect()
    assert len(once._held) == 0


def test_threads_that_ask_at_once_get_the_same():
    gate = threading.Barrier(8)
    value, got = Value(), []

    def slow(_: Value) -> object:
        gate.wait(5)  # every thread is in here before any is done
        return object()

    once = Remembered(slow)
    threads = [threading.Thread(target=lambda: got.append(once(value))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(got) == 8
    assert len(set(map(id, got))) == 1

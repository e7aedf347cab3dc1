"""Strangers' files are read in a process of its own: what happens when that one dies."""

import os
import resource
import signal
import threading

import numpy as np
import pytest

from silhueta.core.apart import ask as asking
from silhueta.core.apart.ask import ask
from silhueta.core.errors import FileError, PictureError


def crash(_told, _data, _allow):
    os.kill(os.getpid(), signal.SIGSEGV)


def turn_for_ever(_told, _data, _allow):
    spent = int(sum(resource.getrusage(resource.RUSAGE_SELF)[:2]))
    hard = resource.getrlimit(resource.RLIMIT_CPU)[1]
    resource.setrlimit(resource.RLIMIT_CPU, (spent + 1, hard))  # not the 20 s of a real one
    while True:
        pass


def fill(_told, _data, _allow):
    return {"size": len(bytearray(2_000_000_000))}, None


def limits(_told, _data, allow):
    before = [resource.getrlimit(what)[0] for what in (resource.RLIMIT_AS, resource.RLIMIT_CPU)]
    allow(100_000_000)
    return {"before": before, "large": resource.getrlimit(resource.RLIMIT_AS)[0]}, None


def chatter(told, data, _allow):
    os.write(2, b"a library's own words")
    return {"pid": os.getpid()}, memoryview(data * told["times"])


@pytest.mark.parametrize(
    ("task", "says"),
    [(crash, "makes the program that reads it fail"), (turn_for_ever, "far too long")],
)
def test_what_kills_the_reader_is_a_sentence_and_the_next_file_is_read(task, says):
    with pytest.raises(PictureError, match=f"fin.png .*{says}.*; save it again"):
        ask(task, {"name": "fin.png"}, b"x", PictureError)
    assert bytes(ask(chatter, {"times": 2}, b"ab", PictureError).body) == b"abab"


def test_a_file_that_takes_too_much_memory_is_refused():
    with pytest.raises(FileError, match=r"fin\.svg is too large for this computer's memory"):
        ask(fill, {"name": "fin.svg"}, b"x", FileError)


def test_each_request_has_limits_of_its_own():
    says = ask(limits, {}, b"x", FileError).says
    memory, seconds = says["before"]
    assert memory < 2_000_000_000
    assert seconds < 60
    assert 1_600_000_000 <= says["large"] < 2_500_000_000  # 16 bytes for each of 100 megapixels


def test_one_process_serves_many_files_and_is_quiet(capfd):
    first, second = (ask(chatter, {"times": 1}, b"x", FileError).says["pid"] for _ in range(2))
    assert first == second != os.getpid()
    assert capfd.readouterr().err == ""


def test_answers_go_to_whom_asked():
    wrong = []

    def many(number):
        for _ in range(30):
            body = ask(chatter, {"times": 50_000}, bytes([number]), FileError).body
            if not (np.frombuffer(body, np.uint8) == number).all():
                wrong.append(number)

    threads = [threading.Thread(target=many, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong


def test_a_forked_process_asks_a_reader_of_its_own():
    ours = ask(chatter, {"times": 1}, b"x", FileError).says["pid"]
    receiving, sending = os.pipe()
    child = os.fork()
    if child == 0:
        theirs = ask(chatter, {"times": 1}, b"x", FileError).says["pid"]
        os.write(sending, str(theirs).encode())
        asking._end_all()
        os._exit(0)
    os.waitpid(child, 0)
    assert int(os.read(receiving, 20)) != ours
    os.close(receiving)
    os.close(sending)
    assert ask(chatter, {"times": 1}, b"x", FileError).says["pid"] == ours


def test_a_reader_that_ended_while_it_waited_is_no_fault_of_the_next_file():
    told = {"times": 1}
    waiting = ask(chatter, told, b"x", FileError).says["pid"]
    os.kill(waiting, signal.SIGKILL)
    asking._waiting[-1]._process.wait(5)
    assert ask(chatter, told, b"x", FileError).says["pid"] != waiting


def test_a_name_beyond_all_bounds_is_cut_short():
    assert ask(chatter, {"times": 1, "name": "ç" * 60_000}, b"x", FileError).body is not None
    with pytest.raises(FileError) as caught:
        ask(crash, {"name": "ç" * 60_000}, b"x", FileError)
    assert len(str(caught.value)) < 400

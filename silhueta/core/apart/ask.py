"""Have a stranger's file read in a process of its own, so that only that one can die of it.

A library in C that meets bytes it did not expect may crash, run for ever or fill the memory.
Here the answer is a sentence then. The processes are started ahead, wait for requests, and end
with the program.
"""

from __future__ import annotations

import atexit
import json
import mmap
import os
import select
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple

from silhueta.core.apart.child import LONGEST, Says, in_memory
from silhueta.core.errors import SilhuetaError

_LONGEST_WAIT = 300.0  # s by the clock; one that waits for something uses no processor
_NAME = 250  # letters of a file's name that are passed on; a job may hold any name
_KEPT = 2  # processes that wait for work; more than two pictures at once are not read


class Answer(NamedTuple):
    """What a task said, and the bytes that it gave, if it did."""

    says: Says
    body: memoryview | None


class _Reader:
    """One process that reads strangers' files, and the way to it."""

    def __init__(self, *modules: str) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "silhueta.core.apart.child", str(theirs.fileno()), *modules],
                pass_fds=[theirs.fileno()],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,  # libraries write what they like there
                env={
                    **os.environ,
                    "PYTHONPATH": os.pathsep.join(path or str(Path.cwd()) for path in sys.path),
                    "OPENBLAS_NUM_THREADS": "1",
                },
            )
        self._way = ours

    def answer(self, told: Says, data: bytes) -> tuple[Says, list[int]] | None:
        """Return what is answered, and descriptors; None when the process dies or is too long."""
        handle = in_memory(data)
        try:
            socket.send_fds(self._way, [json.dumps(told).encode()], [handle])
            if not select.select([self._way], [], [], _LONGEST_WAIT)[0]:
                return None
            line, files, _, _ = socket.recv_fds(self._way, LONGEST, 1)
        except OSError:
            return None
        finally:
            os.close(handle)
        return (json.loads(line), files) if line else None

    @property
    def alive(self) -> bool:
        """Whether the process still waits: the system may have ended it meanwhile."""
        return self._process.poll() is None

    def end(self) -> int:
        """End the process; return how it ended."""
        self._way.close()
        try:
            return self._process.wait(1.0)
        except subprocess.TimeoutExpired:
            self._process.kill()
            return self._process.wait()


_waiting: list[_Reader] = []
_lock = threading.Lock()


def ready(*modules: str) -> None:
    """Start a process ahead, with the modules that its first task needs: none waits for it."""
    with suppress(OSError), _lock:  # who asks will be told
        if not _waiting:
            _waiting.append(_Reader(*modules))


def _taken() -> _Reader | None:
    """Return a process that waits for work, or None."""
    while True:
        with _lock:
            reader = _waiting.pop() if _waiting else None
        if reader is None or reader.alive:
            return reader
        reader.end()


def _put_back(reader: _Reader) -> None:
    """Let a process wait for more work, or end where enough do."""
    with _lock:
        if len(_waiting) < _KEPT:
            _waiting.append(reader)
            return
    reader.end()


def ask(task: Callable[..., Any], told: Says, data: bytes, kind: type[SilhuetaError]) -> Answer:
    """Return what `task` makes of `data` in a process of its own.

    Parameters
    ----------
    task : Task
        A function of a module, as in :mod:`silhueta.core.apart.child`.
    told : dict
        What can be said in JSON; "name" is the file's.
    data : bytes
        The file.
    kind : type
        What is raised.

    Raises
    ------
    SilhuetaError
        If the task refuses the file, or the process dies, takes too long or too much memory.

    """
    name = (told.get("name") or "the file")[:_NAME]
    try:
        reader = _taken() or _Reader()
    except OSError as error:
        raise kind(
            f"{name} cannot be read: this computer starts no further program "
            f"({error.strerror}); close others and try again"
        ) from error
    task_name = f"{task.__module__}:{task.__qualname__}"
    asked = {**told, "task": task_name, "name": (told.get("name") or "")[:_NAME]}
    found = reader.answer(asked, data)
    if found is None:
        late = reader.end() in (-signal.SIGXCPU, -signal.SIGKILL)
        what = "takes far too long to read" if late else "makes the program that reads it fail"
        raise kind(f"{name} {what}: it is damaged, or made to do harm; save it again elsewhere")
    _put_back(reader)
    says, files = found
    if says.get("memory"):
        raise kind(f"{name} is too large for this computer's memory; save it smaller")
    if "refused" in says:
        raise kind(says["refused"])
    if not files:
        return Answer(says, None)
    try:
        return Answer(says, memoryview(mmap.mmap(files[0], 0)))
    finally:
        os.close(files[0])


@atexit.register
def _end_all() -> None:
    with _lock:
        while _waiting:
            _waiting.pop().end()


def _forget() -> None:
    """Leave the parent's processes to the parent: two that talk to one get each other's answers."""
    global _lock
    _lock = threading.Lock()
    _waiting.clear()


os.register_at_fork(after_in_child=_forget)

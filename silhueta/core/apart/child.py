"""The process that reads strangers' files: it answers one request after the other, and may die.

    python -m silhueta.core.apart.child DESCRIPTOR [MODULE ...]

A request is one line of JSON with a file in memory beside it; so is an answer. Each request has
its own limits of memory and of processor time, which the system enforces. The modules are brought
in ahead.

Words used here
    task   a function of what is told, the file's bytes and `allow`; it gives what it says and, if
           it has more to give than words, bytes
    allow  tells the system how large a picture is at work, and so how much this request may take
"""

from __future__ import annotations

import importlib
import json
import os
import resource
import socket
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from silhueta.core.errors import SilhuetaError

MEMORY = 1_500_000_000  # bytes beyond what the process has when a request comes
SECONDS = 20  # of the processor; a sound file of a few megabytes takes one or two
BYTES_A_PIXEL = 16  # as decoded with its clearness, laid on white, and on its way
PIXELS_A_SECOND = 2e6  # half of what the slowest decoder did (AV1, the slowest machine of ours)
LONGEST = 100_000  # bytes of what a request or an answer says

Says = dict[str, Any]
Allow = Callable[[int], None]
Task = Callable[[Says, bytes, Allow], tuple[Says, memoryview | None]]


def main(descriptor: int) -> None:
    """Answer what is asked through a socket until the other side closes it."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with socket.socket(fileno=descriptor) as asked:
        while True:
            line, files, _, _ = socket.recv_fds(asked, LONGEST, 1)
            if not line:
                return
            says, body = _done(json.loads(line), files[0])
            kept = [] if body is None else [in_memory(body)]
            socket.send_fds(asked, [json.dumps(says).encode()], kept)
            for handle in kept:
                os.close(handle)
            del body


def in_memory(data: bytes | memoryview) -> int:
    """Return the descriptor of a file in memory that holds `data`."""
    handle = os.memfd_create("silhueta")
    left = memoryview(data).cast("B")
    while left:
        left = left[os.write(handle, left) :]
    return handle


def _done(told: Says, handle: int) -> tuple[Says, memoryview | None]:
    """Return what a task answers, or the sentence with which it refuses."""
    try:
        data = _taken(handle)
        module, _, name = told["task"].partition(":")
        task: Task = getattr(importlib.import_module(module), name)
        _allow(0)
        return task(told, data, _allow)
    except SilhuetaError as error:
        return {"refused": str(error)}, None
    except MemoryError:
        return {"memory": True}, None
    finally:
        _limit(resource.RLIMIT_CPU, resource.RLIM_INFINITY)
        _limit(resource.RLIMIT_AS, resource.RLIM_INFINITY)


def _taken(handle: int) -> bytes:
    """Return the bytes of a file in memory, which is let go."""
    with open(handle, "rb") as file:
        file.seek(0)  # it was written through the same one
        return file.read()


def _allow(pixels: int) -> None:
    """Limit what this request may take from now on, for a picture of so many pixels."""
    used = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    _limit(resource.RLIMIT_AS, used + max(MEMORY, BYTES_A_PIXEL * pixels))
    spent = sum(resource.getrusage(resource.RUSAGE_SELF)[:2])
    _limit(resource.RLIMIT_CPU, int(spent + SECONDS + pixels / PIXELS_A_SECOND) + 1)


def _limit(what: int, most: int) -> None:
    hard = resource.getrlimit(what)[1]
    without = resource.RLIM_INFINITY
    if hard != without:  # set by who started the program; no process may go beyond it
        most = hard if most == without else min(most, hard)
    resource.setrlimit(what, (most, hard))


if __name__ == "__main__":
    for module in sys.argv[2:]:
        importlib.import_module(module)
    main(int(sys.argv[1]))

"""Many pictures through one recipe: a few processes, each file with limits of its own.

Words used here
    worker    a process that takes one file after the other; it may be ended at any time
    row       what came of a file, as the report has it
    log       a file in the output folder with every row as it comes, by which a run is resumed
"""

from __future__ import annotations

import csv
import io
import json
import os
import selectors
import subprocess
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path as File
from typing import Any

from silhueta.core.errors import FileError, reason_of
from silhueta.core.files.atomic import write_whole
from silhueta.core.work import Work

COLUMNS = (
    "file", "state", "width_mm", "width_sigma_mm", "height_mm", "height_sigma_mm", "loops",
    "findings", "seconds", "error",
)  # fmt: skip
LOG = "batch.jsonl"
_LOOK = 0.2  # s between looks at how long a file has taken
# one thread each: several workers share the machine better than they share each other's threads
_ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "NUMBA_NUM_THREADS"), "1")


@dataclass(frozen=True)
class Row:
    """What came of a file.

    Parameters
    ----------
    file : str
        Its name.
    state : {"done", "failed"}
    width_mm, width_sigma_mm, height_mm, height_sigma_mm : float or None
        Size of the outline, and its standard uncertainty where it is known.
    loops, findings : int or None
    seconds : float
        By the clock.
    error : str
        Why it failed, in words.
    job : str
        The job that was kept, which can be opened at what is in doubt; "": none.
    stamp : list of int
        Of the picture (keep.hold.Stamp), empty where there is none: another one is done again.

    """

    file: str
    state: str
    width_mm: float | None = None
    width_sigma_mm: float | None = None
    height_mm: float | None = None
    height_sigma_mm: float | None = None
    loops: int | None = None
    findings: int | None = None
    seconds: float = 0.0
    error: str = ""
    job: str = ""
    stamp: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class Limits:
    """What one file may take.

    Parameters
    ----------
    seconds : float
        By the clock.
    bytes : int
        Of memory.

    """

    seconds: float = 300.0
    bytes: int = 6_000_000_000


def named_apart(files: Sequence[File]) -> list[str]:
    """Return what outputs are named after: the pictures' names, numbered where two are alike."""
    seen: dict[str, int] = {}
    found = []
    for file in files:
        key = file.stem.casefold()
        seen[key] = seen.get(key, 0) + 1
        found.append(file.stem if seen[key] == 1 else f"{file.stem}-{seen[key]}")
    return found


class Log:
    """The rows of a run as they come, so that another run can go on from there."""

    def __init__(self, folder: File, mark: str) -> None:
        self._file, self._mark = folder / LOG, mark

    def done(self) -> dict[str, Row]:
        """Return what is done by this very recipe, by the pictures' paths; a torn end is left."""
        found: dict[str, Row] = {}
        with suppress(OSError), self._file.open(encoding="utf-8") as stream:
            for line in stream:
                with suppress(ValueError, TypeError, KeyError):
                    told = json.loads(line)
                    if told["recipe"] == self._mark:
                        found[told["path"]] = Row(**told["row"])
        return found

    def begin(self) -> None:
        """Begin anew."""
        with suppress(OSError):
            self._file.unlink()

    def add(self, file: File, row: Row) -> None:
        """Put a row to the others, on disk.

        Raises
        ------
        FileError
            If it cannot be written.

        """
        line = json.dumps({"path": str(file.absolute()), "recipe": self._mark, "row": asdict(row)})
        try:
            with self._file.open("a", encoding="utf-8") as stream:
                stream.write(f"{line}\n")
                stream.flush()
                os.fsync(stream.fileno())
        except OSError as error:
            raise FileError(f"cannot write {self._file}: {reason_of(error)}") from error


class Worker:
    """A process that takes one task at a time, as a line of JSON, and answers with one."""

    def __init__(self, command: Sequence[str], limits: Limits) -> None:
        self._command, self._limits = command, limits
        self._process: subprocess.Popen[bytes] | None = None
        self.task: dict[str, Any] | None = None
        self._began = 0.0

    @property
    def stream(self) -> Any:
        """Where its answers come from."""
        assert self._process is not None
        return self._process.stdout

    def start(self, task: dict[str, Any]) -> None:
        """Give it a task."""
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                self._command,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env={**os.environ, **_ONE_THREAD, "SILHUETA_MEMORY": str(self._limits.bytes)},
            )
        assert self._process.stdin is not None
        self.task, self._began = task, time.monotonic()
        with suppress(OSError):  # an end is told by its empty answer
            self._process.stdin.write(json.dumps(task).encode() + b"\n")
            self._process.stdin.flush()

    @property
    def seconds(self) -> float:
        """How long the task takes by now."""
        return time.monotonic() - self._began

    @property
    def late(self) -> bool:
        """Whether the task takes longer than it may."""
        return self.task is not None and self.seconds > self._limits.seconds

    def end(self) -> None:
        """End the process, whatever it does."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for stream in (self._process.stdin, self._process.stdout):
                if stream is not None:
                    with suppress(OSError):
                        stream.close()
            self._process = None
        self.task = None


def run(
    tasks: Sequence[dict[str, Any]],
    command: Sequence[str],
    count: int,
    limits: Limits,
    work: Work | None = None,
) -> Iterator[tuple[dict[str, Any], Row]]:
    """Yield each task with its row, as they are done; a task that fails ends nothing but itself.

    Parameters
    ----------
    tasks : sequence of dict
        Each with its "file".
    command : sequence of str
        Of a worker.
    count : int
        Of workers.
    limits : Limits
        Of each task.
    work : Work or None
        May be stopped; workers end at once then.

    """
    work = work or Work()
    waiting = list(tasks)[::-1]
    workers = [Worker(command, limits) for _ in range(max(1, min(count, len(waiting))))]
    selector = selectors.DefaultSelector()
    done = 0

    def begin(worker: Worker) -> None:
        if waiting:
            worker.start(waiting.pop())
            selector.register(worker.stream, selectors.EVENT_READ, worker)
        else:
            worker.end()

    try:
        for worker in workers:
            begin(worker)
        while selector.get_map():
            work.step(done / max(len(tasks), 1))
            ready = [key.data for key, _ in selector.select(_LOOK)]
            busy = [key.data for key in list(selector.get_map().values())]
            for worker in busy:
                if worker not in ready and not worker.late:
                    continue
                task, spent = worker.task, worker.seconds
                selector.unregister(worker.stream)
                row = _answer(worker, task, spent, worker in ready, limits)
                done += 1
                yield task, row
                begin(worker)
    finally:
        for worker in workers:
            worker.end()
        selector.close()


def _answer(worker: Worker, task: dict[str, Any], spent: float, ready: bool, limits: Limits) -> Row:
    """Return what a worker says of its task; what became of it where it says nothing."""
    name = File(task["file"]).name
    line = worker.stream.readline() if ready else b""
    if line:
        with suppress(ValueError, TypeError):
            return Row(**{**json.loads(line), "seconds": round(spent, 2)})
    worker.end()
    why = (
        f"it took longer than {limits.seconds:g} s"
        if not ready
        else "it took more memory than it may, or the program ended; try it alone"
    )
    return Row(name, "failed", seconds=round(spent, 2), error=why)


def csv_text(rows: Sequence[Row]) -> str:
    """Return rows as CSV."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for row in rows:
        values = (getattr(row, name) for name in COLUMNS)
        writer.writerow("" if value is None else value for value in values)
    return out.getvalue()


def write_csv(rows: Sequence[Row], target: File) -> None:
    """Write rows as CSV, whole or not at all."""
    write_whole(target, csv_text(rows).encode())


assert set(COLUMNS) <= {one.name for one in fields(Row)}

"""Every reader against broken files, each in a forked child with limits of time and memory.

    python -m fuzz.harness [--seconds 600] [--seed 1] [KINDS]

A file may be read, or refused in a sentence with a remedy. All else is a finding: a fault, a child
that dies, more than ten seconds, more than 1.5 GB, a number that is not finite in what was read,
or a library's own words on the standard error. What was found once stays below ``seeds`` and
is tried first.

Words used here
    finding  what went wrong with one file, and that file
"""

from __future__ import annotations

import argparse
import contextlib
import faulthandler
import os
import resource
import signal
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np

from fuzz.corpus import KINDS, mutated

SEEDS = Path(__file__).parent / "seeds"
_LIMIT_S = 10
_MEMORY = 1_500_000_000  # bytes beyond what a child has when it begins
_BATCH = 200  # files a child reads


class Finding(NamedTuple):
    """What went wrong with one file."""

    kind: str
    name: str
    what: str
    data: bytes


def read(kind: str, name: str, data: bytes, room: Path) -> None:
    """Read a file of a kind as the program would.

    Raises
    ------
    ArithmeticError
        If what was read holds a number that is not finite.

    """
    from silhueta.core.files.inspect_file import read_drawing
    from silhueta.core.files.job_file import job_from_bytes
    from silhueta.core.job import PictureFile
    from silhueta.core.keep.journal import read_journal
    from silhueta.core.keep.recipe import read_recipe
    from silhueta.core.picture.decode import decode, decode_colour

    if kind in ("pictures", "pages"):
        decode(PictureFile(data, name))
        decode_colour(PictureFile(data, name))
        return
    if kind == "recipes":
        (room / name).write_bytes(data)
        read_recipe(room / name)
        return
    if kind == "journals":
        (room / name).write_bytes(data)
        back = read_journal(room / name)
        paths = [] if back is None else [c.path for c in back.history.job.outline.contours]
    elif kind == "jobs":
        paths = [contour.path for contour in job_from_bytes(data, name).outline.contours]
    else:
        file = room / name
        file.write_bytes(data)
        paths = read_drawing(file).paths
    for path in paths:
        if not (np.isfinite(path.nodes).all() and np.isfinite(path.bulges).all()):
            raise ArithmeticError("a number that is not finite was read")


def judged(kind: str, name: str, data: bytes, room: Path) -> str:
    """Return what is wrong with how a file is read; "" for nothing."""
    from silhueta.core.errors import SilhuetaError

    signal.alarm(_LIMIT_S)
    with tempfile.TemporaryFile() as stray:
        before = os.dup(2)
        os.dup2(stray.fileno(), 2)
        try:
            read(kind, name, data, room)
            what = ""
        except SilhuetaError as error:
            text = str(error)
            advice = ";" in text or ": " in text
            what = "" if advice and "\n" not in text else f"no advice: {text}"
        except MemoryError:
            what = "over 1.5 GB"
        except BaseException as error:
            what = f"{type(error).__name__}: {error}"[:300]
        finally:
            signal.alarm(0)
            sys.stderr.flush()
            os.dup2(before, 2)
            os.close(before)
        stray.seek(0)
        said = stray.read(400).decode(errors="replace").strip()
    return what or (f"on stderr: {said}" if said else "")


def _child(kind: str, files: list[tuple[str, bytes]], pipe: int) -> None:
    """Judge files one by one, and write a line on each into a pipe."""
    used = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (used + _MEMORY, used + _MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    faulthandler.disable()
    signal.signal(signal.SIGALRM, signal.SIG_DFL)  # a hang in C code ends the child, too
    with tempfile.TemporaryDirectory() as room, os.fdopen(pipe, "w") as out:
        for number, (name, data) in enumerate(files):
            what = judged(kind, name, data, Path(room))
            print(number, what.replace("\n", " "), file=out, flush=True)


def batch(kind: str, files: list[tuple[str, bytes]]) -> list[Finding]:
    """Return the findings of a batch, read in forked children."""
    found: list[Finding] = []
    start = 0
    while start < len(files):
        receiving, sending = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(receiving)
            with contextlib.suppress(BaseException):
                _child(kind, files[start:], sending)
            os._exit(0)
        os.close(sending)
        done = 0
        with os.fdopen(receiving) as lines:
            for line in lines:
                number, _, what = line.strip().partition(" ")
                done = int(number) + 1
                if what:
                    name, data = files[start + done - 1]
                    found.append(Finding(kind, name, what, data))
        _, status = os.waitpid(child, 0)
        start += done
        if start < len(files) and (done == 0 or status):
            name, data = files[start]
            reason = f"over {_LIMIT_S} s" if os.WTERMSIG(status) == signal.SIGALRM else "died"
            found.append(Finding(kind, name, f"{reason} (status {status})", data))
            start += 1
    return found


def seeds() -> Iterator[tuple[str, str, bytes]]:
    """Yield kind, name and bytes of what was found before."""
    for file in sorted(SEEDS.glob("*/*")):
        yield file.parent.name, file.name, file.read_bytes()


def run(
    seconds: float,
    seed: int = 1,
    kinds: tuple[str, ...] = tuple(KINDS),
    tried: Counter[str] | None = None,
) -> Iterator[Finding]:
    """Yield findings among the seeds, the corpus as it is, and mutations for so many seconds.

    `tried` counts the mutations of each kind.
    """
    _warm()
    tried = Counter() if tried is None else tried
    for kind in kinds:
        yield from batch(kind, [(n, d) for k, n, d in seeds() if k == kind])
        yield from batch(kind, KINDS[kind]())
    random = np.random.default_rng(seed)
    corpus = {kind: KINDS[kind]() for kind in kinds}
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        for kind in kinds:
            files = [
                (name, mutated(data, random))
                for name, data in (
                    corpus[kind][int(random.integers(0, len(corpus[kind])))] for _ in range(_BATCH)
                )
            ]
            yield from batch(kind, files)
            tried[kind] += len(files)


def _warm() -> None:
    """Bring in what readers import, so that children need not."""
    with tempfile.TemporaryDirectory() as room:
        for kind, files in KINDS.items():
            for name, data in files():
                read(kind, name, data, Path(room))


def main(arguments: list[str]) -> int:
    """Print findings as they come, and keep their files in ``out/fuzz``."""
    parser = argparse.ArgumentParser(prog="fuzz")
    parser.add_argument("kinds", nargs="*", default=list(KINDS))
    parser.add_argument("--seconds", type=float, default=600.0)
    parser.add_argument("--seed", type=int, default=1)
    told = parser.parse_args(arguments)
    kept = Path("out/fuzz")
    kept.mkdir(parents=True, exist_ok=True)
    count = 0
    tried: Counter[str] = Counter()
    for finding in run(told.seconds, told.seed, tuple(told.kinds), tried):
        count += 1
        (kept / f"{count:04d}-{finding.name}").write_bytes(finding.data)
        print(f"{count:4d} {finding.kind} {finding.name}: {finding.what}", flush=True)
    print(f"{count} findings; mutations tried: {dict(tried)}")
    return min(count, 1)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

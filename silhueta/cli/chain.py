"""One picture through a recipe: the commands one after the other, in a process of its own.

    python -m silhueta.cli.chain

takes tasks as lines of JSON and answers each with a row (core.keep.batch).
"""

from __future__ import annotations

import io
import json
import os
import resource
import sys
import tempfile
from contextlib import redirect_stderr, redirect_stdout, suppress
from dataclasses import asdict
from pathlib import Path as File
from typing import Any

import click

from silhueta.cli.build import build
from silhueta.cli.cut import cut
from silhueta.cli.inspect import inspect
from silhueta.cli.tidy import tidy
from silhueta.cli.trace import trace
from silhueta.cli.true import true
from silhueta.core.errors import SilhuetaError
from silhueta.core.files.atomic import write_whole
from silhueta.core.keep.batch import Row
from silhueta.core.keep.hold import stamp_of
from silhueta.core.keep.recipe import STEPS, Recipe

COMMANDS: dict[str, click.Command] = {
    "trace": trace,
    "tidy": tidy,
    "true": true,
    "build": build,
    "inspect": inspect,
    "cut": cut,
}
_DRAWN = ("trace", "tidy", "true", "build")  # steps that make an outline
_KEPT = ("trace", "tidy", "true")  # and those that can keep it as a job
_PROGRAM = "nc"


class _FailedError(Exception):
    """A command ended with what it said."""


def chained(file: File, recipe: Recipe, folder: File, stem: str) -> Row:
    """Return what came of a picture; its outputs are in the folder, named after it."""
    with tempfile.TemporaryDirectory(prefix="silhueta-") as place:
        chain = _Chain(file, recipe, folder / stem, File(place))
        try:
            chain.run()
            error = ""
        except _FailedError as failed:
            error = str(failed)
        except MemoryError:
            error = "it took more memory than it may"
    row = chain.row()
    return Row(**{**asdict(row), "state": "failed" if error else "done", "error": error})


class _Chain:
    """The commands that a picture goes through, and what they report."""

    def __init__(self, file: File, recipe: Recipe, target: File, place: File) -> None:
        self._file, self._recipe, self._target, self._place = file, recipe, target, place
        self._told: dict[str, Any] = {}
        self._findings: int | None = None
        self._sigma: list[float] | None = None

    def run(self) -> None:
        """Call the commands.

        Raises
        ------
        _FailedError
            With what the one that failed said.

        """
        steps = [step for step in STEPS if step in self._recipe.steps]
        drawn = [step for step in steps if step in _DRAWN]
        is_drawing = self._file.suffix.lower() in (".svg", ".dxf", ".silhueta")
        if "trace" not in drawn and not is_drawing:
            steps, drawn = ["trace", *steps], ["trace", *drawn]
        now = self._file
        outlines = [one for one in self._recipe.formats if one != _PROGRAM]
        for step in steps:
            if step in _DRAWN:
                last = step == drawn[-1]
                made = self._place / f"{step}.dxf"
                files = [self._output(one) for one in outlines] if last else []
                report = self._place / f"{step}.json"
                words = [now, *_outputs([*files, made]), "--report", report]
                if step in _KEPT:
                    kept = self._place / f"{step}.silhueta"
                    words += ["--job", kept]
                    made = kept
                try:
                    self._call(step, words)
                finally:
                    self._keep(self._place / f"{step}.silhueta")
                self._told = json.loads(report.read_text())
                self._sigma = self._told.get("size_sigma_mm") or self._sigma
                now = made
            elif step == "inspect":
                report = self._place / "inspect.json"
                self._call(step, [now, "--report", report], fine=(0, 3))
                told = json.loads(report.read_text())
                self._findings = len(told["findings"])
                self._told = self._told or {"size_mm": told["size_mm"]}
            else:
                programs = [one for one in self._recipe.formats if one == _PROGRAM]
                files = [self._output(one) for one in programs or outlines]
                self._call(step, [now, *_outputs(files)])

    def _keep(self, job: File) -> None:
        """Put a job beside the outputs, also one in which something is in doubt."""
        if job.is_file():
            write_whole(self._output("silhueta"), job.read_bytes())

    def _output(self, ending: str) -> File:
        return self._target.with_name(f"{self._target.name}.{ending}")

    def _call(self, step: str, words: list[object], fine: tuple[int, ...] = (0,)) -> None:
        said, told = io.StringIO(), io.StringIO()
        typed = [*map(str, words), *self._recipe.words(step)]
        try:
            with redirect_stdout(told), redirect_stderr(said):
                code = COMMANDS[step].main(typed, step, standalone_mode=False)
        except click.UsageError as error:
            raise _FailedError(f"{step}: {error.format_message()}") from error
        except click.exceptions.Exit as error:
            code = error.exit_code
        except SilhuetaError as error:
            raise _FailedError(f"{step}: {error}") from error
        except MemoryError:
            raise
        except Exception as error:
            raise _FailedError(f"{step}: a fault in Silhueta ({type(error).__name__})") from error
        if (code or 0) not in fine:
            last = [line for line in said.getvalue().splitlines() if line.strip()][-1:]
            raise _FailedError(f"{step}: {last[0] if last else f'it ended with {code}'}")

    def row(self) -> Row:
        """Return what is known of the picture by now."""
        size = self._told.get("size_mm") or [None, None]
        sigma: list[float | None] = list(self._sigma or (None, None))
        told = self._told
        closed = told["outer_loops"] + told["holes"] if "outer_loops" in told else None
        kept = self._output("silhueta")
        return Row(
            self._file.name,
            "",
            _rounded(size[0]),
            _rounded(sigma[0]),
            _rounded(size[1]),
            _rounded(sigma[1]),
            closed,
            self._findings,
            job=kept.name if kept.is_file() else "",
            stamp=list(stamp_of(self._file) or ()),
        )


def _outputs(files: list[File]) -> list[object]:
    return [word for file in files for word in ("-o", file)]


def _rounded(mm: float | None) -> float | None:
    return None if mm is None else round(mm, 4)


def task_of(file: File, recipe: Recipe, folder: File, stem: str) -> dict[str, Any]:
    """Return what a worker is told."""
    steps = {name: dict(options) for name, options in recipe.steps.items()}
    return {
        "file": str(file),
        "steps": steps,
        "formats": list(recipe.formats),
        "folder": str(folder),
        "stem": stem,
    }


def done(task: dict[str, Any]) -> dict[str, Any]:
    """Return what came of a task, as plain values: for a worker, on whatever machine."""
    recipe = Recipe(task["steps"], tuple(task["formats"]))
    return asdict(chained(File(task["file"]), recipe, File(task["folder"]), task["stem"]))


def main() -> None:
    """Answer tasks until there are no more."""
    out = os.fdopen(os.dup(1), "w", encoding="utf-8")
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # nothing else may come between answers
    most = int(os.environ.get("SILHUETA_MEMORY", "0"))
    if most:
        with suppress(ValueError, OSError):
            hard = resource.getrlimit(resource.RLIMIT_AS)[1]
            resource.setrlimit(resource.RLIMIT_AS, (most, hard))
    with suppress(ImportError):
        import cv2

        cv2.setNumThreads(1)
    for line in sys.stdin:
        out.write(json.dumps(done(json.loads(line))) + "\n")
        out.flush()


if __name__ == "__main__":
    main()

"""Pictures through a recipe on more machines than one, by dask.distributed.

The folders have to be the same on all of them, as on a shared drive.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from silhueta.core.errors import FileError
from silhueta.core.keep.batch import Limits, Row


def spread(
    tasks: Sequence[dict[str, Any]], scheduler: str, limits: Limits
) -> Iterator[tuple[dict[str, Any], Row]]:
    """Yield each task with its row, as the machines of a scheduler have done them.

    Raises
    ------
    FileError
        If dask.distributed is not installed, or nobody answers at that address.

    """
    try:
        from distributed import Client, as_completed
    except ImportError as error:
        raise FileError(
            "more machines need dask.distributed: install silhueta with its extra “cluster”"
        ) from error
    try:
        client = Client(scheduler, timeout="10s")  # type: ignore[no-untyped-call]
    except (OSError, ValueError, TimeoutError) as error:
        raise FileError(f"no scheduler answers at {scheduler}: {error}") from error
    with client:
        futures = {
            client.submit(_bounded, task, limits.seconds, limits.bytes, pure=False): task
            for task in tasks
        }
        for future in as_completed(futures):  # type: ignore[no-untyped-call]
            task = futures[future]
            try:
                yield task, Row(**future.result())
            except Exception as error:  # whatever a machine died of, the others go on
                why = f"its machine failed ({type(error).__name__})"
                yield task, Row(task["file"].rpartition("/")[2], "failed", error=why)


def _bounded(task: dict[str, Any], seconds: float, memory: int) -> dict[str, Any]:
    """Return what comes of a task, in a process of its own with its limits."""
    import sys
    from dataclasses import asdict

    from silhueta.core.keep.batch import run

    worker = [sys.executable, "-m", "silhueta.cli.chain"]
    ((_, row),) = run([task], worker, 1, Limits(seconds, memory))
    return asdict(row)

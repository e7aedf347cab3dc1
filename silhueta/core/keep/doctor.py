"""What this machine has, where things are kept, and whether they can be."""

from __future__ import annotations

import math
import os
import platform
import shutil
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable
from importlib.metadata import PackageNotFoundError, version
from typing import NamedTuple

from silhueta import __version__
from silhueta.core.errors import reason_of
from silhueta.core.keep.places import Places

_NEEDED = (
    *("PySide6_Essentials", "numpy", "scipy", "numba", "opencv-python-headless", "shapely"),
    *("ezdxf", "pillow", "pypdfium2", "reportlab", "msgspec", "click", "platformdirs"),
)
_ROOM = 1_000_000_000  # bytes that should be free: journals of large photos take some hundred MB
_USUAL = (
    0.9  # s that the picture of `speed` takes on the machine of docs/figures.md (two processors)
)
_SLOW = 4.0  # times that, from which a machine is called slow: old laptops take two or three
_SHOW = "from PySide6.QtWidgets import QApplication; QApplication([])"
_PATIENCE = 20.0  # s that a display may take to answer


class Check(NamedTuple):
    """Something that was looked at.

    good : bool or None
        None: it is told, and nothing that could be wrong.
    """

    name: str
    told: str
    good: bool | None = None


def checks(places: Places, speed: Callable[[], list[Check]] | None = None) -> list[Check]:
    """Return all that there is to tell; `speed` takes about ten seconds."""
    found = [
        Check("Silhueta", __version__),
        Check("Python", f"{platform.python_version()}, {sys.executable}"),
        Check("System", f"{platform.system()} {platform.release()}, {os.cpu_count()} processors"),
        *_packages(),
        Check("SQLite", f"{sqlite3.sqlite_version}, {_fts()}"),
        *_kept(places),
        _display(),
    ]
    return found + (speed() if speed is not None else [])


def _packages() -> list[Check]:
    found = []
    for name in _NEEDED:
        try:
            found.append(Check(name, version(name)))
        except PackageNotFoundError:
            found.append(Check(name, "is missing: install Silhueta anew", False))
    return found


def _fts() -> str:
    with sqlite3.connect(":memory:") as index:
        try:
            index.execute("CREATE VIRTUAL TABLE t USING fts5(x)")
        except sqlite3.OperationalError:
            return "without full text search: the shelf is searched more slowly"
    index.close()
    return "with full text search"


def _kept(places: Places) -> list[Check]:
    """Return whether things can be kept where they belong."""
    found = []
    for name, folder in zip(places._fields, places, strict=True):
        try:
            folder.mkdir(parents=True, exist_ok=True)
            trial = folder / f".trial-{os.getpid()}"
            trial.write_bytes(b"x")
            trial.unlink()
            free = shutil.disk_usage(folder).free
            room = f"{free / 1e9:.1f} GB free"
            found.append(Check(name, f"{folder}, {room}", free > _ROOM))
        except OSError as error:
            found.append(Check(name, f"{folder} cannot be written to: {reason_of(error)}", False))
    return found


def _display() -> Check:
    named = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY")
    if named is None and os.environ.get("QT_QPA_PLATFORM") not in ("offscreen", "vnc"):
        return Check("display", "there is none: only the command line works here", None)
    shown = named or os.environ["QT_QPA_PLATFORM"]
    try:  # in a process of its own: without the libraries it needs, Qt ends the program
        tried = subprocess.run(
            [sys.executable, "-c", _SHOW], capture_output=True, timeout=_PATIENCE, check=False
        )
    except (OSError, subprocess.TimeoutExpired):
        return Check("display", f"{shown} does not answer", False)
    if tried.returncode:
        last = tried.stderr.decode(errors="replace").strip().splitlines()[-1:]
        return Check("display", f"{shown} does not work: {''.join(last)[:200]}", False)
    return Check("display", f"{shown} works", True)


def speed() -> list[Check]:
    """Return how fast this machine traces, held against the figures of this version.

    A picture of 12 megapixels with sixty discs and boxes is traced twice: the first time loads
    what is needed.
    """
    import cv2
    import numpy as np

    from silhueta.core.datums import DpiDatum
    from silhueta.core.job import Job, PictureFile
    from silhueta.core.picture.decode import decode
    from silhueta.core.trace.job_trace import trace_job

    wide, high = 4000, 3000
    grey = np.full((high, wide), 255, np.uint8)
    for k in range(60):
        x, y = 300 + 380 * (k % 10), 260 + 480 * (k // 10)
        size = 90 + 12 * (k % 7)
        if k % 2:
            cv2.circle(grey, (x, y), size, 0, -1, cv2.LINE_AA)
        else:
            turn = math.radians(7 * k)
            box = cv2.boxPoints(((x, y), (2 * size, 1.4 * size), math.degrees(turn)))
            cv2.fillConvexPoly(grey, np.rint(box * 16).astype(np.int32), 0, cv2.LINE_AA, 4)
    ready, data = cv2.imencode(".png", grey, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    assert ready
    file = PictureFile(data.tobytes(), "trial.png")
    job = Job(picture=file, datums=(DpiDatum(300),))
    spent = []
    for _ in range(2):
        begin = time.perf_counter()
        trace_job(job, decode(file))
        spent.append(time.perf_counter() - begin)
    return [
        Check("first trace", f"{spent[0]:.1f} s for 12 megapixels"),
        Check("next trace", f"{spent[1]:.2f} s, usual {_USUAL} s", spent[1] < _SLOW * _USUAL),
    ]

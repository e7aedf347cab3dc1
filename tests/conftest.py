"""The harness: a Qt warning, an unexpected log line or a leaked thread fails a test."""

from __future__ import annotations

import io
import logging
import os
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pillow_heif
import pytest
from hypothesis import settings
from PIL import Image

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from silhueta.cli import main
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Loop, reverse
from silhueta.core.job import PictureFile
from silhueta.core.picture.decode import Picture
from silhueta.demo.render import coverage

settings.register_profile("silhueta", deadline=None)  # a first call compiles
settings.load_profile("silhueta")

_EXPECTED_QT = ("This plugin does not support",)  # what the offscreen platform cannot do


@pytest.fixture(autouse=True)
def no_stray_threads() -> Iterator[None]:
    before = set(threading.enumerate())
    yield
    deadline = time.monotonic() + 5
    while time.monotonic() < deadline:
        stray = [t for t in threading.enumerate() if t not in before and t.is_alive()]
        if not stray:
            return
        time.sleep(0.02)
    pytest.fail(f"threads left behind: {stray}")


@pytest.fixture(autouse=True)
def no_stray_log(
    caplog: pytest.LogCaptureFixture, request: pytest.FixtureRequest
) -> Iterator[None]:
    yield
    lines = [r for r in caplog.get_records("call") if r.levelno >= logging.WARNING]
    if lines and request.node.get_closest_marker("expects_log") is None:
        pytest.fail(f"unexpected log lines: {[r.getMessage() for r in lines]}")


@pytest.fixture(autouse=True)
def no_qt_warnings(request: pytest.FixtureRequest) -> Iterator[None]:
    yield
    captured = request.node.funcargs.get("qtlog")
    if captured is not None:
        lines = [r.message for r in captured.records if not r.message.startswith(_EXPECTED_QT)]
        assert not lines, f"Qt said: {lines}"


def square(side: float, at: tuple[float, float] = (0.0, 0.0)) -> Loop:
    """A counter-clockwise square with its lower left at `at`, mm."""
    x, y = at
    return Loop([[x, y], [x + side, y], [x + side, y + side], [x, y + side]])


def drawn(
    loops: list[Loop], width: int, height: int, *, levels: tuple[int, int] = (0, 255)
) -> Picture:
    """A picture of `loops` (px, y up from the bottom edge): dark parts on a light ground.

    The first loop is solid, the rest are holes in it or islands as their sense says.
    """
    outlines = [flatten(loop, 1e-3) * [1, -1] + [0, height] for loop in loops]
    part = coverage(outlines, width, height)
    dark, light = levels
    return grey_picture(np.round(light + (dark - light) * part).astype(np.uint8))


def grey_picture(grey: np.ndarray) -> Picture:
    """A picture of grey values."""
    return Picture(grey, None, None, "PNG")


def hole(loop: Loop) -> Loop:
    """The same loop, clockwise."""
    turned = reverse(loop)
    return Loop(turned.nodes, turned.kinds, turned.bulges, turned.controls)


def encoded(image: Image.Image, kind: str, **options: object) -> PictureFile:
    """A picture file of the given format."""
    stream = io.BytesIO()
    if kind == "HEIF":
        pillow_heif.register_heif_opener()
    image.save(stream, kind, **options)
    return PictureFile(stream.getvalue(), f"part.{kind.lower()}")


@pytest.fixture
def plate_png(tmp_path: Path) -> Path:
    """A plate of 60 x 40 mm with a 20 mm hole, 10 px a mm, drawn with the exact share per pixel."""
    from silhueta.core.geometry.path import circle_loop
    from silhueta.core.geometry.transform import transform

    plate = Loop([[0, 0], [60, 0], [60, 40], [0, 40]])
    loops = [plate, hole(circle_loop((30, 20), 10))]
    scaled = [transform(loop, np.eye(2) * 10, (50, 50)) for loop in loops]
    picture = drawn(scaled, 700, 500)
    target = tmp_path / "plate.png"
    Image.fromarray(picture.grey).save(target, dpi=(254, 254))
    return target


@pytest.fixture
def wait(qtbot) -> Callable[[Callable[[], bool]], None]:
    """Let the window work until something is true."""

    def until(condition: Callable[[], bool]) -> None:
        qtbot.waitUntil(condition, timeout=60_000)

    return until


@pytest.fixture
def call(monkeypatch, capsys):
    """Call the command line; returns its exit code, stdout and stderr."""

    # no line of progress, however slow the machine: what is said must not depend on it
    monkeypatch.setattr("silhueta.cli.progress._EVERY", 1e6)

    def run(*arguments: object) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "argv", ["silhueta", *map(str, arguments)])
        with pytest.raises(SystemExit) as ended:
            main()
        out, err = capsys.readouterr()
        assert "Traceback" not in err
        return int(ended.value.code or 0), out, err

    return run

"""Speed as ratios to a named library call in the same run."""

from __future__ import annotations

import os
import subprocess
import sys
import time

import numpy as np
from numpy.typing import NDArray
from skimage.measure import find_contours

from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.datums import PixelDatum
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.trace import trace

EMPTY = (
    "from PySide6.QtWidgets import QApplication, QMainWindow; a = QApplication([]);"
    "w = QMainWindow(); w.resize(1280, 800); w.show(); a.processEvents()"
)
OURS = (
    "from silhueta.app.main import application; from silhueta.app.window import Window;"
    "a = application(); w = Window(); w.show(); a.processEvents()"
)


def trace_ratio(edge_pixels: int = 40_000) -> dict[str, float]:
    """Return the time of `trace` over one find_contours call on a 12-megapixel picture."""
    grey = np.full((3000, 4000), 255, np.uint8)
    edges = 0
    shapes = list(every_shape().values())
    for i in range(48):
        if edges >= edge_pixels:
            break
        row, column = divmod(i, 8)
        tile = picture(placed(shapes[i % len(shapes)], 480), 480)
        edges += int(((tile > 0) & (tile < 255)).sum())
        grey[row * 490 : row * 490 + 480, column * 490 : column * 490 + 480] = tile
    return {"edge pixels": edges} | beside_find_contours(grey)


def noisy_ratio() -> dict[str, float]:
    """Return the same for 60 discs and boxes that overlap, under a noise of 3 greys."""
    import cv2

    rng = np.random.default_rng(5)
    grey = np.full((3000, 4000), 220, np.uint8)
    for k in range(60):
        x, y, r = (
            int(rng.integers(200, 3800)),
            int(rng.integers(200, 2800)),
            int(rng.integers(40, 300)),
        )
        if k % 2:
            cv2.circle(grey, (x, y), r, 40, -1, cv2.LINE_AA)
        else:
            cv2.rectangle(grey, (x - r, y - r // 2), (x + r, y + r // 2), 40, -1)
    soft = cv2.GaussianBlur(grey, (0, 0), 0.8) + rng.normal(0, 3, grey.shape)
    return beside_find_contours(np.clip(np.round(soft), 0, 255).astype(np.uint8))


def beside_find_contours(grey: NDArray[np.uint8]) -> dict[str, float]:
    """Return the time of `trace` over one find_contours call on a picture."""
    made = Picture(grey, None, None, "PNG")
    settings = TraceSettings(speck=4.0)
    trace(made, PixelDatum(1.0), settings)
    ours, theirs = [], []
    for _ in range(3):
        start = time.perf_counter()
        trace(made, PixelDatum(1.0), settings)
        ours.append(time.perf_counter() - start)
        start = time.perf_counter()
        find_contours(grey, 127.5)
        theirs.append(time.perf_counter() - start)
    return {
        "trace, s": min(ours),
        "skimage find_contours, s": min(theirs),
        "trace / find_contours": min(ours) / min(theirs),
    }


def window_ratio() -> dict[str, float]:
    """Return the time to show our window over that of an empty PySide6 main window.

    In turns, so that both meet the same load; with compiled modules, as set-up leaves them.
    """
    around = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def once(code: str) -> float:
        start = time.perf_counter()
        subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, env=around)
        return time.perf_counter() - start

    once(OURS)
    times = np.array([(once(EMPTY), once(OURS)) for _ in range(10)])
    empty, ours = np.median(times, axis=0)
    return {"empty window, s": empty, "our window, s": ours, "ours / empty": ours / empty}

"""Pen lines, and what tracing costs as pictures grow."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from scipy.spatial import cKDTree

from benchmarks.accuracy import Grey, dense
from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.datums import DpiDatum, PixelDatum
from silhueta.core.geometry.measure import signed_area
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.trace import trace

_TILE = 490


def tiled(megapixels: float, edge_pixels: int) -> tuple[Grey, int]:
    """Return a picture of that size with shapes up to so many edge pixels, and how many it has."""
    width = round(np.sqrt(megapixels * 1e6 * 4 / 3))
    height = round(width * 3 / 4)
    grey = np.full((height, width), 255, np.uint8)
    shapes = list(every_shape().values())
    tiles = [picture(placed(s, _TILE - 10), _TILE - 10) for s in shapes[:48]]
    counts = [int(((t > 0) & (t < 255)).sum()) for t in tiles]
    edges = number = 0
    for top in range(0, height - _TILE, _TILE):
        for left in range(0, width - _TILE, _TILE):
            if edges >= edge_pixels:
                return grey, edges
            tile = tiles[number % len(tiles)]
            grey[top : top + _TILE - 10, left : left + _TILE - 10] = tile
            edges += counts[number % len(tiles)]
            number += 1
    return grey, edges


def seconds(grey: Grey, turns: int = 3) -> float:
    """Return the shortest time of a trace."""
    made = Picture(grey, None, None, "PNG")
    settings = TraceSettings(speck=4.0, many=True)
    times = []
    for _ in range(turns + 1):
        start = time.perf_counter()
        trace(made, PixelDatum(1.0), settings)
        times.append(time.perf_counter() - start)
    return min(times[1:])


def growth() -> dict[str, float]:
    """Return how time grows with pixels, and with edge pixels."""
    small, large = seconds(tiled(12, 40_000)[0]), seconds(tiled(48, 160_000)[0])
    cost = []
    for pixels, edges in ((12, 10_000), (12, 40_000), (48, 150_000), (300, 1_000_000)):
        grey, count = tiled(pixels, edges)
        cost.append((count, seconds(grey, 1)))
    count, taken = np.log(np.array(cost)).T
    slope = float(np.polyfit(count, taken, 1)[0])
    return {
        "48 over 12 megapixels, 160,000 and 40,000 edge pixels": large / small,
        "edge pixels of the largest": cost[-1][0],
        "slope of log time over log edge pixels": slope,
    }


_MEMORY = "from benchmarks.tracing import peak; print(peak())"


def peak() -> float:
    """Return by how many bytes a pixel a trace raises this process's memory at its highest.

    Libraries and the picture are there before. Linux alone: the mark of the highest is put back.
    """
    grey, _ = tiled(48, 160_000)
    settings = TraceSettings(speck=4.0)
    tile = np.ascontiguousarray(grey[:480, :480])
    trace(Picture(tile, None, None, "PNG"), PixelDatum(1.0), settings)
    before = _status("VmRSS")
    Path("/proc/self/clear_refs").write_text("5")
    trace(Picture(grey, None, None, "PNG"), PixelDatum(1.0), settings)
    return (_status("VmHWM") - before) / grey.size


def _status(name: str) -> float:
    """Return a figure of this process's memory, bytes."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return 1024.0 * next(float(line.split()[1]) for line in lines if line.startswith(name))


def memory() -> dict[str, float]:
    """Return the bytes a pixel that a trace of 48 megapixels needs, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-c", _MEMORY],
        check=True,
        capture_output=True,
        text=True,
        env=os.environ | {"PYTHONPATH": "."},
    )
    return {"peak memory above libraries and picture, bytes a pixel": float(done.stdout)}


def pen_line() -> dict[str, float]:
    """Return how true a closed pen line of 0.7 mm with a break of 1.5 mm comes out, at 300 dpi."""
    per_mm, size, finer = 300 / 25.4, 1800, 4
    angle = np.linspace(0, 2 * np.pi, 6000, endpoint=False)
    radius = 600 + 80 * np.sin(5 * angle) + 30 * np.cos(11 * angle)
    true = 900 + radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(true, axis=0).T))])
    drawn = true[along > (1.5 + 0.7) * per_mm]  # the ends are round
    big = np.full((size * finer, size * finer), 255, np.uint8)
    fixed = np.round((drawn * finer - 0.5) * 16).astype(np.int32)
    cv2.polylines(big, [fixed], False, 40, round(0.7 * per_mm * finer), cv2.LINE_8, 4)
    grey = cv2.resize(big, (size, size), interpolation=cv2.INTER_AREA)
    rng = np.random.default_rng(1)
    for _ in range(80):
        at = (int(rng.integers(0, size)), int(rng.integers(0, size)))
        cv2.circle(grey, at, int(rng.integers(1, 4)), int(rng.integers(20, 120)), -1)
    noisy = cv2.GaussianBlur(grey, (0, 0), 0.8) + rng.normal(0, 4, grey.shape)
    made = Picture(np.clip(np.round(noisy), 0, 255).astype(np.uint8), None, None, "PNG")
    settings = TraceSettings(speck=1.0, pen="centre", close_gaps=2.0)
    got = trace(made, DpiDatum(300), settings)
    loop = max(got.outline.loops, key=lambda path: abs(signed_area(path)))
    truth = true / per_mm * [1, -1] + [0, size / per_mm]
    there = cKDTree(dense(loop, 0.02)).query(truth)[0]
    back = cKDTree(truth).query(dense(loop, 0.05))[0]
    return {
        "paths": len(got.outline.taken),
        "closed loops": len(got.outline.loops),
        "mean distance, mm": float(there.mean() + back.mean()) / 2,
        "segments": len(loop.kinds),
        "line width, mm": got.line_width or 0.0,
    }


def drag(megapixels: float = 24.0) -> dict[str, float]:
    """Return the time of the overlay's update while a threshold is dragged, 95th percentile."""
    from PySide6.QtCore import QRectF
    from PySide6.QtGui import QImage, QPainter

    from silhueta.app.main import application
    from silhueta.app.table.outline_layer import OutlineLayer
    from silhueta.app.window import Window
    from silhueta.core.job import Job

    application()
    grey, _ = tiled(megapixels, 40_000)
    window = Window()
    window.resize(1280, 800)
    window.show()
    made, datum = Picture(grey, None, None, "PNG"), PixelDatum(0.1)
    table = window.table
    got = trace(made, datum, TraceSettings(speck=1.0))
    # without a picture of its own the job asks for no trace beside
    window.session.start(replace(Job(datums=(datum,)), outline=got.outline))
    table.set_picture(made)
    layer = OutlineLayer(got.outline)
    image = QImage(table.size(), QImage.Format.Format_ARGB32_Premultiplied)
    times, plain = [], []
    for turn in range(60):
        start = time.perf_counter()
        table.preview(np.arange(256) < 60.0 + 2 * turn)
        table.render(image)
        times.append(time.perf_counter() - start)
        visible = cv2.resize(grey, (table.width(), table.height()), interpolation=cv2.INTER_AREA)
        start = time.perf_counter()
        cv2.threshold(visible, 60 + 2 * turn, 255, cv2.THRESH_BINARY)
        painter = QPainter(image)
        layer.paint(painter, table.view.transform(), QRectF(table.view.shown()), 0.0)
        painter.end()
        plain.append(time.perf_counter() - start)
    table.preview(None)
    window.close()
    late, base = float(np.percentile(times, 95)), float(np.percentile(plain, 95))
    return {
        "overlay's update, 95 %, ms": 1000 * late,
        "threshold of what is seen and drawing the path, 95 %, ms": 1000 * base,
        "update / that": late / base,
    }

"""Points along outlines, segments counted, pictures spoilt; and what a looser tolerance does."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.called import called
from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.geometry.path import Path as Outline

Grey = NDArray[np.uint8]
_TOLERANCES = (0.25, 0.4, 0.6, 1.0, 1.6, 2.5, 4.0, 6.0)  # px


def dense(path: Outline, step: float = 0.1) -> Floats:
    """Return points along `path` hardly more than `step` px apart."""
    points = flatten(path, 1e-4)
    after = np.roll(points, -1, axis=0)
    gaps = np.hypot(*(after - points).T)
    count = np.maximum(np.ceil(gaps / step).astype(int), 1)
    index = np.repeat(np.arange(len(points)), count)
    share = (np.arange(len(index)) - (np.cumsum(count) - count)[index]) / count[index]
    return points[index] + share[:, None] * (after - points)[index]


def segment_count(loops: list[Loop]) -> int:
    """Return the number of segments; a full circle is one."""
    return sum(1 if full_circle(loop) else len(loop.kinds) for loop in loops)


def spoilt(grey: Grey, spoil: str, seed: int = 0) -> Grey:
    """Return a picture with noise of 12 grey levels, or after a JPEG of quality 50."""
    if "noise" in spoil:
        noise = np.random.default_rng(seed).normal(0, 12, grey.shape)
        grey = np.clip(np.round(grey + noise), 0, 255).astype(np.uint8)
    if "jpeg" in spoil:
        stored = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, 50])[1]
        grey = np.asarray(cv2.imdecode(stored, cv2.IMREAD_GRAYSCALE), np.uint8)
    return grey


def monotone(count: int = 60) -> dict[str, float]:
    """Return how often a looser tolerance makes more segments: clean, spoilt, and as a scan."""
    steps = grown = pictures = 0
    worst = 0
    shapes = list(every_shape().values())
    for number, loops in enumerate(shapes[:: max(1, len(shapes) // count)][:count]):
        spoil = ("", "noise jpeg", "noise")[number % 3]
        grey = spoilt(picture(placed(loops, 400), 400), spoil, number)
        light = ["--light", "linear" if number % 2 else "stored"]
        made: list[int] = []
        with tempfile.TemporaryDirectory() as folder:
            file, out, report = (Path(folder) / f"a.{kind}" for kind in ("png", "dxf", "json"))
            Image.fromarray(grey).save(file)
            ends = [str(file), "-o", str(out), "--report", str(report), "--pixel-size", "1mm"]
            for tolerance in _TOLERANCES:
                told = [*light, "--tolerance", f"{tolerance}mm"]
                if called("trace", *ends, *told)[0]:
                    break
                made.append(sum(json.loads(report.read_text())["segments"].values()))
        rises = np.diff(made)
        pictures += len(made) == len(_TOLERANCES)
        steps += len(rises)
        grown += int((rises > 0).sum())
        worst = max(worst, int(rises.max(initial=0)))
    return {
        "pictures": pictures,
        "steps to a looser tolerance": steps,
        "with more segments after it": grown,
        "more segments at most": worst,
    }

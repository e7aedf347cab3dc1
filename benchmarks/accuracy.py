"""How close the traced outline comes to the true one, and with how many segments."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.datums import PixelDatum
from silhueta.core.errors import TraceError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.trace import trace

Grey = NDArray[np.uint8]
_TOLERANCES = (0.25, 0.4, 0.6, 1.0, 1.6, 2.5, 4.0, 6.0)  # px


def dense(path: Path, step: float = 0.1) -> Floats:
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


def compare(
    loops: list[Loop], side: int, tolerance: float | None, spoil: str = ""
) -> tuple[float, float, float, int]:
    """Return mean and largest deviation in px both ways, the segment ratio, and the faults."""
    true = placed(loops, side)
    grey = spoilt(picture(true, side), spoil)
    traced = trace(
        Picture(grey, None, None, "PNG"),
        PixelDatum(1.0),
        TraceSettings(speck=4.0, tolerance=tolerance),
    )
    found = list(traced.outline.loops)
    a, b = np.vstack([dense(p) for p in true]), np.vstack([dense(p) for p in found])
    there, back = cKDTree(b).query(a)[0], cKDTree(a).query(b)[0]
    faults = len(crossings(found)) + abs(len(found) - len(true))
    mean = (there.mean() + back.mean()) / 2
    return mean, max(there.max(), back.max()), segment_count(found) / segment_count(true), faults


def run(side: int = 640, tolerance: float | None = None, spoil: str = "") -> dict[str, float]:
    """Return the figures over every shape."""
    rows = {name: compare(loops, side, tolerance, spoil) for name, loops in every_shape().items()}
    table = np.array(list(rows.values()))
    return {
        "shapes": len(table),
        "mean deviation px, median": float(np.median(table[:, 0])),
        "mean deviation px, worst": float(table[:, 0].max()),
        "largest deviation px, median": float(np.median(table[:, 1])),
        "largest deviation px, 90 %": float(np.percentile(table[:, 1], 90)),
        "largest deviation px, worst": float(table[:, 1].max()),
        "segment ratio, median": float(np.median(table[:, 2])),
        "segment ratio, 90 %": float(np.percentile(table[:, 2], 90)),
        "crossings and lost or invented loops": int(table[:, 3].sum()),
    }


if __name__ == "__main__":
    import sys

    for name, value in run(640, float(sys.argv[1]) if len(sys.argv) > 1 else None).items():
        print(f"{name:40} {value:.4g}")


def monotone(count: int = 60) -> dict[str, float]:
    """Return how often a looser tolerance makes more segments: clean, spoilt, and as a scan."""
    steps = grown = pictures = 0
    worst = 0
    shapes = list(every_shape().values())
    for number, loops in enumerate(shapes[:: max(1, len(shapes) // count)][:count]):
        spoil = ("", "noise jpeg", "noise")[number % 3]
        grey = spoilt(picture(placed(loops, 400), 400), spoil, number)
        settings = TraceSettings(speck=4.0, light="linear" if number % 2 else "stored")
        made = []
        for tolerance in _TOLERANCES:
            try:
                traced = trace(
                    Picture(grey, None, None, "PNG"),
                    PixelDatum(1.0),
                    replace(settings, tolerance=tolerance),
                )
            except TraceError:
                break
            made.append(segment_count(list(traced.outline.loops)))
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

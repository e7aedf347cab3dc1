"""What general libraries give for the same pictures: contour, then polygon approximation."""

from __future__ import annotations

import cv2
import numpy as np
from scipy.spatial import cKDTree
from skimage.measure import approximate_polygon, find_contours

from benchmarks.accuracy import Grey, dense, spoilt
from benchmarks.shapes import every_shape, picture, placed
from silhueta.core.geometry.path import Floats, Loop

_TOLERANCE = 0.5  # px, as Silhueta's own when nothing is said
_SMALL = 4.0  # px²


def opencv(grey: Grey) -> list[Floats]:
    """Return OpenCV's contours of the thresholded picture, approximated, px."""
    mask = (grey < 128).astype(np.uint8)
    found, _ = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    shown = [cv2.approxPolyDP(c, _TOLERANCE, True)[:, 0].astype(np.float64) + 0.5 for c in found]
    return [p for p in shown if len(p) > 2 and cv2.contourArea(p.astype(np.float32)) > _SMALL]


def scikit_image(grey: Grey) -> list[Floats]:
    """Return scikit-image's contours at the half level, approximated, px."""
    out = []
    for contour in find_contours(grey.astype(np.float64), 127.5):
        points = approximate_polygon(contour, _TOLERANCE)[:-1, ::-1] + 0.5
        if len(points) > 2 and cv2.contourArea(points.astype(np.float32)) > _SMALL:
            out.append(points)
    return out


def run(side: int = 640, spoil: str = "") -> dict[str, float]:
    """Return the medians over every shape."""
    rows: dict[str, list[tuple[float, float, float]]] = {"OpenCV": [], "scikit-image": []}
    for loops in every_shape().values():
        true = placed(loops, side)
        grey = spoilt(picture(true, side), spoil)
        a = np.vstack([dense(path) for path in true])
        count = sum(len(path.kinds) for path in true)
        for name, way in (("OpenCV", opencv), ("scikit-image", scikit_image)):
            found = [Loop(p * [1, -1] + [0, side]) for p in way(grey)]
            b = np.vstack([dense(path) for path in found])
            there, back = cKDTree(b).query(a)[0], cKDTree(a).query(b)[0]
            largest = float(max(there.max(), back.max()))
            segments = sum(len(path.kinds) for path in found) / count
            rows[name].append((float(there.mean() + back.mean()) / 2, largest, segments))
    out: dict[str, float] = {}
    for name, values in rows.items():
        mean, largest, segments = np.median(np.array(values), axis=0)
        out[f"{name}: mean deviation px, median"] = float(mean)
        out[f"{name}: largest deviation px, median"] = float(largest)
        out[f"{name}: segment ratio, median"] = float(segments)
    return out

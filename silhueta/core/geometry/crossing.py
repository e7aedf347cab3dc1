"""Where outlines cross themselves or each other, and which ones lie twice."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length
from silhueta.core.geometry.path import Floats, Path


class Crossings(NamedTuple):
    """Places (K, 2) in mm where paths cross, and the two paths that do, (K, 2) of int."""

    places: Floats
    paths: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.places)


def crossings(paths: Sequence[Path], chord_error: float = 0.01, most: int = 10_000) -> Crossings:
    """Return where `paths` cross themselves or each other.

    Found on the paths flattened to `chord_error` mm: pieces that cut through each other. A path
    that only touches is not counted. At most `most` places are returned.
    """
    if not paths:
        return Crossings(np.zeros((0, 2)), np.zeros((0, 2), np.int64))
    pieces, owners = [], []
    for number, path in enumerate(paths):
        points = flatten(path, chord_error)
        after = np.roll(points, -1, axis=0) if path.closed else points[1:]
        pieces.append(np.hstack([points[: len(after)], after]))
        owners.append(np.full(len(after), number))
    lines, owner = np.vstack(pieces), np.concatenate(owners)
    order = np.argsort(np.minimum(lines[:, 0], lines[:, 2]), kind="stable")
    places, pairs = _sweep(np.ascontiguousarray(lines[order]), most)
    return Crossings(places, owner[order[pairs]])


@compiled
def _sweep(lines: Floats, most: int) -> tuple[Floats, NDArray[np.int64]]:
    found = np.zeros((most, 2))
    pairs = np.zeros((most, 2), np.int64)
    count = 0
    total = len(lines)
    for i in range(total):
        ax, ay, bx, by = lines[i]
        right, low, high = max(ax, bx), min(ay, by), max(ay, by)
        for j in range(i + 1, total):
            cx, cy, dx, dy = lines[j]
            if min(cx, dx) > right:
                break
            if min(cy, dy) > high or max(cy, dy) < low:
                continue
            side_c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            side_d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            if side_c * side_d >= 0:
                continue
            side_a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            side_b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if side_a * side_b >= 0:
                continue
            t = side_a / (side_a - side_b)
            found[count, 0] = ax + t * (bx - ax)
            found[count, 1] = ay + t * (by - ay)
            pairs[count, 0], pairs[count, 1] = i, j
            count += 1
            if count == most:
                return found, pairs
    return found[:count], pairs[:count]


def doubles(paths: Sequence[Path], within: float = 0.05) -> list[tuple[int, int]]:
    """Return pairs of paths that lie on each other, no farther than `within` mm apart anywhere."""
    boxes = [bounding_box([path]) for path in paths]
    lengths = [length(path) for path in paths]
    found = []
    tree = shapely.STRtree([shapely.box(*box) for box in boxes])
    for i, path in enumerate(paths):
        for j in tree.query(shapely.box(*boxes[i])):
            alike = j > i and np.abs(np.subtract(boxes[i], boxes[int(j)])).max() <= within
            if not alike or abs(lengths[i] - lengths[int(j)]) > 0.05 * lengths[i] + within:
                continue
            mine = _line_string(path, within)
            other = _line_string(paths[int(j)], within)
            if shapely.hausdorff_distance(mine, other) <= within:
                found.append((i, int(j)))
    return found


def _line_string(path: Path, within: float) -> shapely.LineString:
    points = flatten(path, within / 10)
    return shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points)

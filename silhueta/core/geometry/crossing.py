"""Where outlines cross themselves or each other, and which ones lie twice."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length
from silhueta.core.geometry.path import Floats, Path

if TYPE_CHECKING:
    from shapely import LineString


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
    from silhueta.core.geometry.sweep import sweep  # brings the compiler along

    places, pairs = sweep(np.ascontiguousarray(lines[order]), most)
    return Crossings(places, owner[order[pairs]])


def doubles(paths: Sequence[Path], within: float = 0.05) -> list[tuple[int, int]]:
    """Return pairs of paths that lie on each other, no farther than `within` mm apart anywhere."""
    import shapely

    boxes = [bounding_box([path]) for path in paths]
    lengths = [length(path) for path in paths]
    found = []
    tree = shapely.STRtree([shapely.box(*box) for box in boxes])
    for i, path in enumerate(paths):
        for j in tree.query(shapely.box(*boxes[i])):
            alike = j > i and np.abs(np.subtract(boxes[i], boxes[int(j)])).max() <= within
            if not alike or abs(lengths[i] - lengths[int(j)]) > 0.05 * lengths[i] + within:
                continue
            mine = line_string(path, within / 10)
            other = line_string(paths[int(j)], within / 10)
            if shapely.hausdorff_distance(mine, other) <= within:
                found.append((i, int(j)))
    return found


def line_string(path: Path, chord_error: float) -> LineString:
    """Return `path` as a line of shapely's, closed for a loop, `chord_error` mm off at most."""
    import shapely

    points = flatten(path, chord_error)
    return shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points)

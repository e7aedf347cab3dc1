"""Where outlines cross themselves or each other, and which ones lie twice."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import box_of, length_of
from silhueta.core.geometry.path import Floats, Path
from silhueta.core.geometry.region.segments import chords_of, segments_of

if TYPE_CHECKING:
    from shapely import LineString

MOST = 10_000  # crossings that are looked for


class Crossings(NamedTuple):
    """Places (K, 2) in mm where paths cross, and the two paths that do, (K, 2) of int."""

    places: Floats
    paths: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.places)


def crossings(
    paths: Sequence[Path], chord_error: float = 0.01, most: int = MOST, own: bool = False
) -> Crossings:
    """Return where `paths` cross themselves or each other; with `own`, only themselves.

    Found on the paths flattened to `chord_error` mm: pieces that cut through each other. A path
    that only touches is not counted. At most `most` places are returned.
    """
    if not paths:
        return Crossings(np.zeros((0, 2)), np.zeros((0, 2), np.int64))
    from silhueta.core.geometry.sweep import near_blocks, sweep  # brings the compiler along

    table = segments_of(paths)
    chords = chords_of(table, chord_error)
    owner = table.loop[chords.segment]
    places, pairs = sweep(chords.ends, owner, *near_blocks(chords.ends), most, own)
    return Crossings(places, owner[pairs])


def doubles(paths: Sequence[Path], within: float = 0.05) -> list[tuple[int, int]]:
    """Return pairs of paths that lie on each other, no farther than `within` mm apart anywhere."""
    import shapely
    from scipy.spatial import cKDTree

    if len(paths) < 2:
        return []
    boxes = np.array([box_of(path) for path in paths])
    lengths = [length_of(path) for path in paths]
    found = []
    lines: dict[int, LineString] = {}
    pairs = cKDTree(boxes).query_pairs(within, p=np.inf, output_type="ndarray")
    for i, j in sorted(map(tuple, pairs.tolist())):
        if abs(lengths[i] - lengths[j]) > 0.05 * lengths[i] + within:
            continue
        for k in (i, j):
            if k not in lines:
                lines[k] = line_string(paths[k], within / 10)
        if shapely.hausdorff_distance(lines[i], lines[j]) <= within:
            found.append((i, j))
    return found


def line_string(path: Path, chord_error: float) -> LineString:
    """Return `path` as a line of shapely's, closed for a loop, `chord_error` mm off at most."""
    import shapely

    points = flatten(path, chord_error)
    return shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points)

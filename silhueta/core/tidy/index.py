"""What of an outline is near a place: for the hand, in well under a millisecond."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.flatten import flatten_indexed
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Path
from silhueta.core.geometry.pieces import Place, share_of
from silhueta.core.remembered import Remembered

if TYPE_CHECKING:
    import shapely

_CHORD = 0.02  # mm


class OnPath(NamedTuple):
    """A place on an outline: the contour, where on its path, and how far away, mm."""

    contour: int
    place: Place
    distance: float


class OnNode(NamedTuple):
    """A node of an outline, and how far away it is, mm."""

    contour: int
    node: int
    distance: float


def _cut_up(path: Path) -> tuple[Floats, NDArray[np.int64]]:
    """Return a path's straight pieces, (K, 2, 2), and their segments."""
    points, segment = flatten_indexed(path, _CHORD)
    after = np.concatenate((points[1:], points[:1])) if path.closed else points[1:]
    return np.stack([points[: len(after)], after], axis=1), segment[: len(after)]


_pieces = Remembered(_cut_up)


class Index:
    """An outline's segments and nodes, sorted by place."""

    @classmethod
    def of(cls, outline: Outline, before: Index | None) -> Index:
        """Return the index of `outline`; the one before where the paths are the very same."""
        if before is not None:
            one, two = before.outline.contours, outline.contours
            if len(one) == len(two) and all(
                a.path is b.path for a, b in zip(one, two, strict=True)
            ):
                before.outline = outline
                return before
        return cls(outline)

    def __init__(self, outline: Outline) -> None:
        import shapely
        from scipy.spatial import cKDTree

        self.outline = outline
        pieces, owners, segments = [], [], []
        nodes, holders, numbers = [np.zeros((0, 2))], [], []
        for i, contour in enumerate(outline.contours):
            path = contour.path
            own, segment = _pieces(path)
            pieces.append(own)
            segments.append(segment)
            owners.append(np.full(len(own), i))
            nodes.append(path.nodes)
            holders.append(np.full(len(path.nodes), i))
            numbers.append(np.arange(len(path.nodes)))
        self._owners = _joined(owners)
        self._segments = _joined(segments)
        ends = np.concatenate([np.zeros((0, 2, 2)), *pieces])
        self._ends = ends
        lines: Any = shapely.linestrings(ends)
        self._tree: shapely.STRtree = shapely.STRtree(lines)
        self.nodes: Floats = np.vstack(nodes)
        self._holders, self._numbers = _joined(holders), _joined(numbers)
        self._node_tree = cKDTree(self.nodes) if len(self.nodes) else None

    def on_path(self, x: float, y: float, within: float) -> OnPath | None:
        """Return the place nearest to (x, y) mm, if any is within `within` mm."""
        import shapely

        if not len(self._ends):
            return None
        found = self._tree.query_nearest(
            shapely.Point(x, y), max_distance=within, all_matches=False
        )
        if not len(found):
            return None
        k = int(found[0])
        i, segment = int(self._owners[k]), int(self._segments[k])
        (ax, ay), (bx, by) = self._ends[k].tolist()
        along = ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / max(
            (bx - ax) ** 2 + (by - ay) ** 2, 1e-30
        )
        along = min(max(along, 0.0), 1.0)
        fx, fy = ax + along * (bx - ax), ay + along * (by - ay)
        share = share_of(self.outline.contours[i].path, segment, np.array([fx, fy]))
        distance = float(np.hypot(x - fx, y - fy))
        return OnPath(i, Place(segment, share), distance)

    def on_node(self, x: float, y: float, within: float) -> OnNode | None:
        """Return the node nearest to (x, y) mm, if any is within `within` mm."""
        if self._node_tree is None:
            return None
        distance, k = self._node_tree.query((x, y), distance_upper_bound=within)
        if not np.isfinite(distance):
            return None
        return OnNode(int(self._holders[k]), int(self._numbers[k]), float(distance))

    def nodes_in(self, low: tuple[float, float], high: tuple[float, float]) -> set[tuple[int, int]]:
        """Return the nodes, as (contour, node), in a box from `low` to `high`, mm."""
        inside = ((self.nodes >= low) & (self.nodes <= high)).all(axis=1)
        return {(int(self._holders[k]), int(self._numbers[k])) for k in np.flatnonzero(inside)}

    def nodes_within(self, ring: Floats) -> set[tuple[int, int]]:
        """Return the nodes, as (contour, node), inside a closed line of points (N, 2), mm."""
        import shapely

        if len(ring) < 3:
            return set()
        area = shapely.make_valid(shapely.Polygon(ring))
        inside = shapely.contains_xy(area, self.nodes[:, 0], self.nodes[:, 1])
        return {(int(self._holders[k]), int(self._numbers[k])) for k in np.flatnonzero(inside)}

    def contours_in(self, low: tuple[float, float], high: tuple[float, float]) -> set[int]:
        """Return the contours that lie wholly in a box, mm, by their nodes."""
        outside = ((self.nodes < low) | (self.nodes > high)).any(axis=1)
        return set(np.unique(self._holders).tolist()) - set(
            np.unique(self._holders[outside]).tolist()
        )


def _joined(arrays: list[NDArray[np.int64]]) -> NDArray[np.int64]:
    return np.concatenate(arrays) if arrays else np.zeros(0, np.int64)

"""Places on a path by how far along it they lie."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.path import ARC, CUBIC, Floats, OpenPath, Path
from silhueta.core.geometry.pieces import Place

_SAME = 1e-9  # mm from a node, that is the node


class Along:
    """A path of lines and arcs, ready to be asked for places at distances from its start, mm.

    Raises
    ------
    ValueError
        For a path with cubics; those are made arcs first (geometry.biarcs).

    """

    def __init__(self, path: Path) -> None:
        if (path.kinds == CUBIC).any():
            raise ValueError("a path with cubics has no places by length")
        self.path = path
        chords = path.ends - path.starts
        self.turns = 4 * np.arctan(path.bulges)
        sizes = np.hypot(chords[:, 0], chords[:, 1])
        half = np.abs(self.turns) / 2
        with np.errstate(invalid="ignore", divide="ignore"):
            self.lengths: Floats = np.where(half > 0, sizes * half / np.sin(half), sizes)
        self.starts: Floats = np.concatenate([[0.0], np.cumsum(self.lengths)])
        self._ways = np.arctan2(chords[:, 1], chords[:, 0]) - self.turns / 2

    @property
    def length(self) -> float:
        """The path's length, mm."""
        return float(self.starts[-1])

    def segments(self, at: Floats) -> NDArray[np.int64]:
        """Return in which segment distances (K,) lie."""
        found = np.searchsorted(self.starts, at, "right") - 1
        return np.asarray(np.clip(found, 0, len(self.lengths) - 1))

    def _wrapped(self, at: Floats) -> Floats:
        at = np.atleast_1d(np.asarray(at, np.float64))
        return at % self.length if self.path.closed else np.clip(at, 0, self.length)

    def places(self, at: Floats) -> list[Place]:
        """Return the places at distances (K,), mm; a loop goes on round and round."""
        at = self._wrapped(at)
        which = self.segments(at)
        share = (at - self.starts[which]) / np.maximum(self.lengths[which], 1e-300)
        return [Place(int(i), float(t)) for i, t in zip(which, share, strict=True)]

    def points(self, at: Floats) -> tuple[Floats, Floats]:
        """Return the points (K, 2) at distances (K,), mm, and the ways there, unit vectors."""
        at = self._wrapped(at)
        which = self.segments(at)
        share = (at - self.starts[which]) / np.maximum(self.lengths[which], 1e-300)
        begin, end = self.path.starts[which], self.path.ends[which]
        turn = self.turns[which] * share
        way = self._ways[which] + turn
        points = begin + share[:, None] * (end - begin)
        arcs = self.path.kinds[which] == ARC
        if arcs.any():
            centres, _ = arc_centres(begin[arcs], end[arcs], self.path.bulges[which][arcs])
            spoke = begin[arcs] - centres
            c, s = np.cos(turn[arcs]), np.sin(turn[arcs])
            points[arcs] = centres + np.column_stack(
                [c * spoke[:, 0] - s * spoke[:, 1], s * spoke[:, 0] + c * spoke[:, 1]]
            )
        return points, np.column_stack([np.cos(way), np.sin(way)])

    def opened(self, at: float) -> OpenPath:
        """Return a loop as an open path from a distance along it, mm, round to there again."""
        place = self.places(np.array([at]))[0]
        k, share = place.segment, place.share
        nodes, kinds, bulges = self.path.nodes, self.path.kinds, self.path.bulges
        if min(share, 1 - share) * self.lengths[k] < _SAME:
            first = k if share < 0.5 else (k + 1) % len(nodes)
            order = np.roll(np.arange(len(nodes)), -first)
            around = np.concatenate([nodes[order], nodes[order[:1]]])
            return OpenPath.trusted(around, kinds[order], bulges[order])
        point = self.points(np.array([at]))[0]
        order = np.roll(np.arange(len(nodes)), -(k + 1))
        around = np.concatenate([point, nodes[order], point])
        turn = np.arctan(bulges[k])
        begin, end = np.tan(turn * (1 - share)), np.tan(turn * share)
        turns = np.concatenate([[begin], bulges[order[:-1]], [end]])
        return OpenPath.trusted(around, kinds[np.concatenate([[k], order[:-1], [k]])], turns)

    def corners(self, least: float) -> Floats:
        """Return how far along the nodes lie at which the way turns by more than `least`, radians.

        The ends of an open path are among them.
        """
        leave = self._ways
        arrive = leave + self.turns
        turn = np.abs((np.roll(leave, -1) - arrive + np.pi) % (2 * np.pi) - np.pi)
        found = self.starts[1:][turn > least]
        if not self.path.closed:
            inner = found[found < self.length]
            return np.unique(np.concatenate([[0.0], inner, [self.length]]))
        return np.unique(found % self.length)

    def at(self, place: Place) -> float:
        """Return how far along a place lies, mm."""
        return float(self.starts[place.segment] + place.share * self.lengths[place.segment])

    def curvatures(self) -> Floats:
        """Return the curvature of each segment, 1/mm, positive to the left."""
        return np.asarray(self.turns / np.maximum(self.lengths, 1e-300))

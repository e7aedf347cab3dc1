"""Paths as chains of straight pieces."""

from __future__ import annotations

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Path

_MOST_PIECES = 4096  # of one segment, so that no input can eat the memory


def flatten(path: Path, chord_error: float = 0.01) -> Floats:
    """Return points along `path`, no chord farther than `chord_error` mm from its segment.

    Parameters
    ----------
    path : Path
    chord_error : float, mm

    Returns
    -------
    (K, 2) array of float
        Every node is among them. A loop's first point is not repeated at the end.

    Raises
    ------
    GeometryError
        If `chord_error` is not above zero.

    """
    return flatten_indexed(path, chord_error)[0]


def flatten_indexed(path: Path, chord_error: float = 0.01) -> tuple[Floats, np.ndarray]:
    """Return :func:`flatten`'s points and the segment each belongs to, (K,) of int."""
    if not chord_error > 0:
        raise GeometryError(f"the chord error must be above zero, got {chord_error}")
    if not path.kinds.any():  # lines alone: the nodes
        own = np.arange(len(path.kinds))
        return path.nodes.copy(), own if path.closed else np.append(own, len(own) - 1)
    starts, ends = path.starts, path.ends
    pieces = np.ones(len(starts), dtype=np.int64)
    arcs = np.flatnonzero(path.kinds == ARC)
    cubics = np.flatnonzero(path.kinds == CUBIC)
    if len(arcs):
        centres, radii = arc_centres(starts[arcs], ends[arcs], path.bulges[arcs])
        turns = 4 * np.arctan(path.bulges[arcs])
        step = 2 * np.arccos(np.clip(1 - chord_error / np.maximum(radii, 1e-300), -0.5, 1 - 1e-12))
        pieces[arcs] = np.ceil(np.abs(turns) / step)
    if len(cubics):
        hull = _hulls(path, cubics)
        bend = np.linalg.norm(hull[:, :-2] - 2 * hull[:, 1:-1] + hull[:, 2:], axis=2).max(axis=1)
        # |B''| <= 6 bend, and a chord over a step h leaves the curve by at most h² |B''| / 8
        pieces[cubics] = np.ceil(np.sqrt(0.75 * bend / chord_error))
    pieces = np.clip(pieces, 1, _MOST_PIECES)
    segment = np.repeat(np.arange(len(pieces)), pieces)
    first = np.cumsum(pieces) - pieces
    t = (np.arange(len(segment)) - first[segment]) / pieces[segment]
    points = starts[segment].copy()  # a line has one piece: its start
    if len(arcs):
        rank = np.full(len(pieces), -1)
        rank[arcs] = np.arange(len(arcs))
        own = rank[segment]
        on = (own >= 0) & (t > 0)
        which = own[on]
        toward = starts[arcs] - centres
        angle = np.arctan2(toward[:, 1], toward[:, 0])[which] + t[on] * turns[which]
        points[on] = centres[which] + radii[which, None] * np.column_stack(
            [np.cos(angle), np.sin(angle)]
        )
    if len(cubics):
        rank = np.full(len(pieces), -1)
        rank[cubics] = np.arange(len(cubics))
        own = rank[segment]
        on = (own >= 0) & (t > 0)
        points[on] = cubic_points(hull[own[on]], t[on])
    if not path.closed:
        points = np.vstack([points, path.nodes[-1:]])
        segment = np.append(segment, len(pieces) - 1)
    return points, segment


def cubic_points(hulls: Floats, t: Floats) -> Floats:
    """Return the point at parameter `t` (K,) of each cubic with hull (K, 4, 2), mm."""
    s, t = (1 - t)[:, None], t[:, None]
    a, b, c, d = hulls[:, 0], hulls[:, 1], hulls[:, 2], hulls[:, 3]
    return s * s * s * a + 3 * s * s * t * b + 3 * s * t * t * c + t * t * t * d


def _hulls(path: Path, which: np.ndarray) -> Floats:
    return np.concatenate(
        [path.starts[which, None], path.controls[which], path.ends[which, None]], axis=1
    )


def cubic_hulls(path: Path) -> Floats:
    """Return the four control points of each cubic of `path`, (K, 4, 2), mm."""
    if not (path.kinds == CUBIC).any():
        return np.zeros((0, 4, 2))
    return _hulls(path, np.flatnonzero(path.kinds == CUBIC))

"""Whether each path that was meant is in a file, once, where it should be.

Words used here
    partner   the one path of a file that stands for a path that was meant
    apart     how far two paths lie from each other, where they do so most, mm
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.geometry.arcs import arc_angles
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, boxes_of, circle_of
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Loop, Path

Layered = Sequence[tuple[str, Path]]
_CHORD = 0.25  # of what two paths may be apart, that curves are flattened to
_LEAST_AREA = 1e-3  # mm²; whatever encloses less has no way round that could be told


def without_partner(meant: Layered, found: Layered, off: float) -> tuple[str, Path] | None:
    """Return the first path that has no partner, with its layer; None: each has its own.

    Parameters
    ----------
    meant, found : sequences of (layer, path), mm
        As many on each layer.
    off : float, mm
        How far partners may be apart, in either direction.

    """
    from scipy.spatial import cKDTree

    for layer in dict.fromkeys(name for name, _ in meant):
        wanted = [path for name, path in meant if name == layer]
        there = [path for name, path in found if name == layer]
        if not there:
            return layer, wanted[0]
        tree = cKDTree(boxes_of(there))
        near = tree.query_ball_point(list(boxes_of(wanted)), 2 * off, p=np.inf)
        used: set[int] = set()
        for path, candidates in zip(wanted, near, strict=True):
            free = (k for k in candidates if k not in used)
            partner = next((k for k in free if _alike(path, there[k], off)), None)
            if partner is None:
                return layer, path
            used.add(partner)
    return None


def _alike(meant: Path, found: Path, off: float) -> bool:
    """Return whether a path is where it was meant, arcs being arcs, the same way round."""
    if meant.closed != found.closed:
        return False
    one, two = circle_of(meant), circle_of(found)
    if one is not None and two is not None:  # no beginning, and in DXF no way round
        return float(np.hypot(*np.subtract(one[0], two[0]))) + abs(one[1] - two[1]) <= off
    same = len(meant.nodes) == len(found.nodes) and bool((meant.kinds == found.kinds).all())
    if same and _apart_by_nodes(meant, found) <= off:
        return True
    alike = same or _same_arcs(meant, found, off)
    return alike and _same_way(meant, found, off) and _near(meant, found, off)


def _apart_by_nodes(one: Path, two: Path) -> float:
    """Return how far apart paths of the same segments lie at most: by nodes, sagittas, controls."""
    apart = [np.hypot(*(one.nodes - two.nodes).T).max()]
    if (one.kinds == ARC).any():
        apart.append(np.abs(_sagittas(one) - _sagittas(two)).max())
    cubic = one.kinds == CUBIC
    if cubic.any():
        apart.append(np.hypot(*(one.controls[cubic] - two.controls[cubic]).reshape(-1, 2).T).max())
    return float(np.sum(apart))


def _sagittas(path: Path) -> Floats:
    return np.asarray(path.bulges * np.hypot(*(path.ends - path.starts).T) / 2)


def _same_way(one: Path, two: Path, off: float) -> bool:
    """Return whether two paths run the same way."""
    if isinstance(one, Loop) and isinstance(two, Loop):
        areas = area_of(one), area_of(two)
        return min(map(abs, areas)) < _LEAST_AREA or areas[0] * areas[1] > 0
    return bool(np.hypot(*(one.nodes[0] - two.nodes[0])) <= off)


def _same_arcs(one: Path, two: Path, off: float) -> bool:
    """Return whether as much of two paths is arcs; cubics are written as arcs, and tell nothing."""
    if (one.kinds == CUBIC).any() or (two.kinds == CUBIC).any():
        return True

    def bent(path: Path) -> float:
        _, radii, _, turns = arc_angles(path)
        high = np.abs(_sagittas(path)[path.kinds == ARC]) > off
        return float((radii * np.abs(turns))[high].sum())

    return abs(bent(one) - bent(two)) <= 1e-3 * bent(one) + 10 * off


def _near(one: Path, two: Path, off: float) -> bool:
    """Return whether no place of either path is farther than that from the other path."""
    import shapely

    lines = [
        shapely.LinearRing(points) if path.closed else shapely.LineString(points)
        for path in (one, two)
        for points in [flatten(path, off * _CHORD)]
    ]
    apart: float = shapely.hausdorff_distance(lines[0], lines[1])
    return apart <= off * (1 + _CHORD)

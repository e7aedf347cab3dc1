"""Places at even steps along a path, and how it turns at its nodes."""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Path


def march(path: Path, step: float) -> tuple[Floats, Floats]:
    """Return places about `step` mm apart along `path` and the unit normals to the left there.

    Parameters
    ----------
    path : Path
    step : float, mm

    Returns
    -------
    places, normals : (K, 2) arrays, mm and unit vectors
        At least one place; arcs are followed to a fortieth of the step.

    """
    points = flatten(path, step / 40)
    if path.closed:
        points = np.vstack([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    count = max(1, round(float(along[-1]) / step))
    at = (np.arange(count) + 0.5) * (along[-1] / count)
    piece = np.clip(np.searchsorted(along, at) - 1, 0, len(points) - 2)
    way = points[piece + 1] - points[piece]
    size = np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-300)[:, None]
    way = way / size
    places = points[piece] + (at - along[piece])[:, None] * way
    return places, np.column_stack([-way[:, 1], way[:, 0]])


def node_turns(path: Path) -> Floats:
    """Return how the path turns at each node, (N,), radians, 0 where it is smooth.

    The ends of an open path turn by zero.
    """
    starts, ends = path.starts, path.ends
    leave, arrive = ends - starts, ends - starts  # two arrays: arcs and cubics write into them
    arcs = path.kinds == ARC
    if arcs.any():
        centres, _ = arc_centres(starts[arcs], ends[arcs], path.bulges[arcs])
        sense = np.sign(path.bulges[arcs])[:, None]
        for tangent, where in ((leave, starts[arcs]), (arrive, ends[arcs])):
            spoke = where - centres
            tangent[arcs] = sense * np.column_stack([-spoke[:, 1], spoke[:, 0]])
    cubics = path.kinds == CUBIC
    leave[cubics] = path.controls[cubics, 0] - starts[cubics]
    arrive[cubics] = ends[cubics] - path.controls[cubics, 1]
    if path.closed:
        before, after = np.roll(arrive, 1, axis=0), leave
    else:
        before, after = arrive[:-1], leave[1:]
    turn = np.arctan2(
        before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1)
    )
    return turn if path.closed else np.concatenate([[0.0], turn, [0.0]])

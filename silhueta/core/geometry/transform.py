"""Paths moved, turned, mirrored and scaled."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import ArrayLike

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.measure import hand_on
from silhueta.core.geometry.path import ARC, CUBIC, Floats, Path

P = TypeVar("P", bound=Path)


def transform(path: Path, matrix: ArrayLike, shift: ArrayLike = (0.0, 0.0)) -> Path:
    """Return `path` with every point p at ``matrix @ p + shift``.

    Arcs stay arcs when the matrix keeps shapes (turn, mirror, even scale); otherwise each becomes
    cubics of at most 45 degrees. A loop keeps its sense in the plane's own terms: a mirrored
    outer loop runs clockwise until it is reversed.

    Parameters
    ----------
    path : Path
    matrix : (2, 2) array_like
    shift : (2,) array_like, mm

    Raises
    ------
    GeometryError
        If the matrix flattens the plane or is not finite.

    """
    m = np.asarray(matrix, dtype=np.float64)
    move = np.asarray(shift, dtype=np.float64)
    if m.shape != (2, 2) or not np.isfinite(m).all() or abs(np.linalg.det(m)) < 1e-12:
        raise GeometryError("this change would squash the outline to a line; check the factors")
    product = m @ m.T
    size = product.trace() / 2
    keeps_shapes = np.abs(product - size * np.eye(2)).max() < 1e-12 * size
    if not keeps_shapes and (path.kinds == ARC).any():
        path = arcs_to_cubics(path)
    if np.array_equal(m, np.eye(2)):
        return shifted(path, move)
    sense = float(np.sign(np.linalg.det(m)))
    return type(path)(
        path.nodes @ m.T + move,
        path.kinds,
        path.bulges * sense,
        np.where((path.kinds == CUBIC)[:, None, None], path.controls @ m.T + move, 0.0),
    )


def shifted(path: P, move: ArrayLike) -> P:
    """Return `path` moved by (x, y), mm, with all that is known of its size and shape."""
    by = np.asarray(move, np.float64)
    bent = (path.kinds == CUBIC)[:, None, None]
    controls = np.where(bent, path.controls + by, 0.0) if bent.any() else None
    made = path.with_points(path.nodes + by, controls)
    hand_on(path, made, by)
    return made


def about(path: Path, matrix: ArrayLike, middle: ArrayLike) -> Path:
    """Return `path` with a (2, 2) matrix applied about a place (x, y), mm, which stays."""
    place = np.asarray(middle, np.float64)
    return transform(path, matrix, place - np.asarray(matrix, np.float64) @ place)


def scale(path: Path, factor: float) -> Path:
    """Return `path` scaled evenly about the origin."""
    return transform(path, np.eye(2) * factor)


def arcs_to_cubics(path: Path) -> Path:
    """Return `path` with each arc as cubics of at most 45 degrees each.

    A cubic with handles 4/3 tan(angle/4) leaves a 45 degree arc by 4.2e-6 of its radius
    (M. Goldapp, "Approximation of circular arcs by cubic polynomials", Computer Aided Geometric
    Design 8(3), 1991, 227-238).
    """
    nodes: list[Floats] = []
    kinds: list[int] = []
    bulges: list[float] = []
    controls: list[Floats] = []
    starts, ends = path.starts, path.ends
    for i, kind in enumerate(path.kinds):
        if kind != ARC:
            nodes.append(starts[i])
            kinds.append(int(kind))
            controls.append(path.controls[i])
            continue
        centre, _ = (
            v[0] for v in arc_centres(starts[i : i + 1], ends[i : i + 1], path.bulges[i : i + 1])
        )
        turn = 4 * np.arctan(path.bulges[i])
        pieces = max(1, int(np.ceil(abs(turn) / (np.pi / 4) - 1e-9)))
        step = turn / pieces
        handle = 4 / 3 * np.tan(step / 4)
        rays = [_turned(starts[i] - centre, step * k) for k in range(pieces + 1)]
        for here, there in zip(rays, rays[1:], strict=False):
            nodes.append(starts[i] if here is rays[0] else centre + here)
            kinds.append(CUBIC)
            controls.append(
                np.array(
                    [
                        centre + here + handle * np.array([-here[1], here[0]]),
                        centre + there - handle * np.array([-there[1], there[0]]),
                    ]
                )
            )
    if not path.closed:
        nodes.append(path.nodes[-1])
    bulges = [0.0] * len(kinds)
    return type(path)(
        np.array(nodes), np.array(kinds, np.uint8), np.array(bulges), np.array(controls)
    )


def _turned(vector: Floats, angle: float) -> Floats:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([c * vector[0] - s * vector[1], s * vector[0] + c * vector[1]])

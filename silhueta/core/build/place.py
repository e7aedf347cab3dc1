"""Outlines turned, mirrored and set beside each other."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import Path
from silhueta.core.geometry.transform import about, shifted, transform

MOST = 10_000  # copies


Middle = tuple[float, float]


def middle_of(paths: Sequence[Path]) -> Middle:
    """Return the middle of the box of paths, mm; of none, zero."""
    if not paths:
        return 0.0, 0.0
    left, bottom, right, top = bounding_box(paths)
    return (left + right) / 2, (bottom + top) / 2


def turned(paths: Sequence[Path], degrees: float, middle: Middle | None = None) -> list[Path]:
    """Return paths turned anticlockwise about `middle`, or that of their box; arcs stay arcs."""
    if not paths or degrees % 360 == 0:
        return list(paths)
    turn = math.radians(degrees)
    c, s = math.cos(turn), math.sin(turn)
    return _about(paths, np.array([[c, -s], [s, c]]), middle)


def mirrored(paths: Sequence[Path], axis: str, middle: Middle | None = None) -> list[Path]:
    """Return paths mirrored: "x" exchanges left and right, "y" top and bottom; as for turned."""
    return _about(paths, np.diag([-1.0, 1.0] if axis == "x" else [1.0, -1.0]), middle)


def _about(paths: Sequence[Path], matrix: np.ndarray, middle: Middle | None) -> list[Path]:
    place = np.array(middle_of(paths) if middle is None else middle)
    return [about(path, matrix, place) for path in paths]


def copied(paths: Sequence[Path], across: int, up: int, gap: float) -> list[Path]:
    """Return so many copies of paths in rows and columns, their boxes `gap` mm apart.

    Raises
    ------
    EditError
        If there are more than can be held, or a number that makes no sense.

    """
    if across < 1 or up < 1 or across * up > MOST:
        raise EditError(f"from 1 to {MOST:,} copies can be made, not {across} × {up}")
    if not (math.isfinite(gap) and gap >= 0):
        raise EditError("the gap between copies must be 0 mm or more")
    if not paths or across * up == 1:
        return list(paths)
    left, bottom, right, top = bounding_box(paths)
    step = np.array([right - left + gap, top - bottom + gap])
    return [
        shifted(path, step * (column, row))
        for row in range(up)
        for column in range(across)
        for path in paths
    ]


def copied_round(paths: Sequence[Path], count: int, centre: tuple[float, float]) -> list[Path]:
    """Return so many copies of paths evenly round a centre, the first where it is.

    Raises
    ------
    EditError
        If there are more than can be held.

    """
    if not 1 <= count <= MOST:
        raise EditError(f"from 1 to {MOST:,} copies can be made, not {count}")
    made: list[Path] = []
    for k in range(count):
        c, s = math.cos(2 * math.pi * k / count), math.sin(2 * math.pi * k / count)
        matrix = np.array([[c, -s], [s, c]])
        made += [about(path, matrix, centre) if k else path for path in paths]
    return made


def moved(paths: Sequence[Path], x: float, y: float) -> list[Path]:
    """Return paths moved by so many mm."""
    return [transform(path, np.eye(2), (x, y)) for path in paths]


def centred_on(paths: Sequence[Path], place: tuple[float, float]) -> list[Path]:
    """Return paths moved so that the middle of their box is at a place."""
    left, bottom, right, top = bounding_box(paths)
    return moved(paths, place[0] - (left + right) / 2, place[1] - (bottom + top) / 2)

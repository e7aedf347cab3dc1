"""Outlines turned, mirrored and set beside each other."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import Path
from silhueta.core.geometry.transform import about, transform

MOST = 10_000  # copies


def turned(paths: Sequence[Path], degrees: float) -> list[Path]:
    """Return paths turned about the middle of their box, anticlockwise; arcs stay arcs."""
    if not paths or degrees % 360 == 0:
        return list(paths)
    turn = math.radians(degrees)
    c, s = math.cos(turn), math.sin(turn)
    return _about_middle(paths, np.array([[c, -s], [s, c]]))


def mirrored(paths: Sequence[Path], axis: str) -> list[Path]:
    """Return paths mirrored in their box: "x" exchanges left and right, "y" top and bottom."""
    return _about_middle(paths, np.diag([-1.0, 1.0] if axis == "x" else [1.0, -1.0]))


def _about_middle(paths: Sequence[Path], matrix: np.ndarray) -> list[Path]:
    if not paths:
        return []
    left, bottom, right, top = bounding_box(paths)
    middle = np.array([(left + right) / 2, (bottom + top) / 2])
    return [about(path, matrix, middle) for path in paths]


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
        transform(path, np.eye(2), step * (column, row))
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

"""What a file is held against: an outline, or a job with the tools that it was planned for."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as File
from typing import NamedTuple

import numpy as np
import shapely

from silhueta.core.cutting.planned import planned
from silhueta.core.files.inspect_file import is_job, to_inspect
from silhueta.core.files.plan_job import drawing_of_plan
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.inspect_settings import Process
from silhueta.core.job import Job
from silhueta.core.rehearsal.kerfs import Piece
from silhueta.core.rehearsal.steps import Step

_CHORD = 0.002  # mm, within which curves of what is wanted are followed
_PLACED = 0.9  # of both, that a piece and what is wanted share where they are the same


class Wanted(NamedTuple):
    """What should stay, and what a job's plan says of tools.

    widths : mapping of int to float
        Of the tools, by their numbers.
    tables : tuple of int
        Numbers of the tools whose zero is on the table.
    held : bool
        Whether tabs hold the parts.
    """

    parts: tuple[shapely.Polygon, ...]
    process: Process | None = None
    thickness: float = 0.0
    width: float | None = None
    widths: dict[int, float] | None = None
    tables: tuple[int, ...] = ()
    held: bool = False


def wanted_of(source: File) -> Wanted:
    """Return what a drawing or a job wants to stay; a job's in the coordinates of its files.

    Raises
    ------
    FileError, EditError
        If it cannot be read, or its plan cannot be made.

    """
    job = to_inspect(source).job
    if not is_job(source) or job.inspect.process is None:
        return Wanted(parts_of(job, (0.0, 0.0)))
    plan = planned(job)
    shift = drawing_of_plan(job, plan, None, File("x.nc")).shift
    outer = [one for one in plan.entries if one.operation == "cut" and one.level % 2 == 0]
    return Wanted(
        parts_of(job, shift),
        plan.process,
        plan.thickness,
        plan.tools[0].diameter_mm if plan.tools else None,
        {tool.number: tool.diameter_mm for tool in plan.tools},
        tuple(tool.number for tool in plan.tools if tool.zero == "table"),
        bool(outer) and all(one.tabs for one in outer),
    )


def parts_of(job: Job, shift: tuple[float, float]) -> tuple[shapely.Polygon, ...]:
    """Return the parts that a job's cut loops enclose, moved."""
    cut: dict[object, list[Loop]] = {}
    for contour in job.outline.contours:
        if contour.cut and isinstance(contour.path, Loop):
            cut.setdefault(contour.colour, []).append(contour.path)
    found = [polygon_of(solid, _CHORD) for loops in cut.values() for solid in solids(loops)]
    return tuple(_moved(one, *shift) for one in found if not one.is_empty)


def laid_on(
    parts: Sequence[shapely.Polygon], pieces: Sequence[Piece]
) -> tuple[tuple[shapely.Polygon, ...], tuple[float, float]]:
    """Return what is wanted where the file cuts it, and by how much it was moved, mm.

    Files may count from another place than the outline does: where nothing that comes free is where
    it is wanted, the largest part is laid on the largest piece, if they are alike then.
    """
    parts = tuple(parts)
    if not parts or not pieces:
        return parts, (0.0, 0.0)
    part = max(parts, key=lambda one: one.area)
    solid = shapely.Polygon(part.exterior)
    if max(_shared(solid, one.shape) for one in pieces) > _PLACED:
        return parts, (0.0, 0.0)
    piece = max(pieces, key=lambda one: one.shape.area).shape
    x, y = (np.array(piece.bounds[:2]) - solid.bounds[:2]).tolist()
    if _shared(_moved(solid, x, y), piece) < _PLACED:
        return parts, (0.0, 0.0)
    return tuple(_moved(one, x, y) for one in parts), (x, y)


def _moved(shape: shapely.Polygon, x: float, y: float) -> shapely.Polygon:
    """Return a shape moved by so many mm."""
    return shapely.transform(shape, lambda points: points + [x, y])


def _shared(one: shapely.Polygon, two: shapely.Polygon) -> float:
    """Return what two shapes share, as a part of what they cover together."""
    return float(one.intersection(two).area / max(one.union(two).area, 1e-12))


def tables_of(steps: Sequence[Step], process: Process | None) -> tuple[int, ...]:
    """Return the tools whose Z seems to count from the table: those that never go below zero."""
    if process != "router":
        return ()
    lowest: dict[int, float] = {}
    for one in steps:
        if one.motion.kind in ("cut", "plunge"):
            low = float(one.motion.points[:, 2].min())
            lowest[one.tool] = min(lowest.get(one.tool, low), low)
    return tuple(number for number, low in lowest.items() if low >= -_CHORD)

"""What a file is held against: an outline, or a job with the tools that it was planned for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path as File
from typing import Any, NamedTuple

import shapely

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.planned import planned
from silhueta.core.files.inspect_file import is_job, to_inspect
from silhueta.core.files.plan_job import drawing_of_plan
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import Box
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.inspect_settings import Process
from silhueta.core.inspection.limits import sheet_box
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from silhueta.core.rehearsal.bench import Bench, Field
from silhueta.core.rehearsal.steps import Step
from silhueta.core.shop.machines import Machine

_CHORD = 0.002  # mm, within which curves of what is wanted are followed
_BESIDE = 0.5  # mm beside a tool's way, that it may still go as deep: roundings of files are less


class Wanted(NamedTuple):
    """What should stay, and what a job's plan says of tools.

    tools : mapping of int to Tool
        By their numbers.
    fields : tuple of Field
        How deep it was planned to go, and where.
    sheet, margin, slats
        As `Bench` has them.
    tables : tuple of int
        Numbers of the tools whose zero is on the table.
    held : bool
        Whether tabs hold the parts.
    feeds : tuple of float, mm/min
        What was planned.
    """

    parts: tuple[shapely.Polygon, ...]
    process: Process | None = None
    thickness: float = 0.0
    width: float | None = None
    tools: dict[int, Tool] | None = None
    fields: tuple[Field, ...] = ()
    sheet: Box | None = None
    margin: float = 0.0
    slats: float = 0.0
    tables: tuple[int, ...] = ()
    held: bool = False
    feeds: tuple[float, ...] = ()


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
    return wanted_of_plan(job, plan, drawing_of_plan(job, plan, None, File("x.nc")).shift)


def wanted_of_plan(job: Job, plan: Plan, shift: tuple[float, float]) -> Wanted:
    """Return what a job's plan wants, moved as its file is."""
    outer = [one for one in plan.entries if one.operation == "cut" and one.level % 2 == 0]
    box, limits = sheet_box(plan.limits), plan.limits
    x, y = shift
    return Wanted(
        parts_of(job, shift),
        plan.process,
        plan.thickness,
        plan.tools[0].diameter_mm if plan.tools else None,
        {tool.number: tool for tool in plan.tools},
        () if plan.flat else tuple(_fields(job, plan, shift)),
        None if box is None else (box[0] + x, box[1] + y, box[2] + x, box[3] + y),
        limits.margin or 0.0,
        limits.slats or 0.0,
        tuple(tool.number for tool in plan.tools if tool.zero == "table"),
        bool(outer) and all(one.tabs for one in outer),
        tuple({feed for one in plan.entries for feed in (one.feed, one.plunge) if feed > 0}),
    )


def bench_for(wanted: Wanted, machine: Machine | None, width: float = 0.0) -> Bench:
    """Return a bench as a job's plan has it."""
    return Bench(
        wanted.process,
        wanted.width or width,
        wanted.tools or {},
        wanted.thickness,
        wanted.sheet,
        wanted.margin,
        wanted.slats,
        machine,
        wanted.parts,
        wanted.fields,
        wanted.held,
        wanted.tables,
        wanted.feeds,
    )


def _fields(job: Job, plan: Plan, shift: tuple[float, float]) -> Iterator[Field]:
    """Yield where a plan's tools go, and how deep; pockets with their floors."""
    paths = {one.key: one.path for one in job.outline.contours}
    for entry in plan.entries:
        radius = entry.tool.diameter_mm / 2
        deep = max(entry.steps, default=entry.depth)
        for way in entry.ways:
            if way.depths is not None:
                deep = float(max(deep, way.depths.max()))
        if entry.operation == "pocket":
            own = [paths[key] for key in entry.keys if key in paths]
            loops = [path for path in own if isinstance(path, Loop)]
            shapes = [polygon_of(one, _CHORD) for one in solids(loops)]
            for shape in shapes:
                yield Field(_moved(shape, *shift), entry.depth, True, radius)
        lines = [
            shapely.LineString(flatten(path, _CHORD))
            for way in entry.ways
            for path in (way.path, *way.leads)
            if len(path.nodes) > 1
        ]
        places = [shapely.Point(way.begin) for way in entry.ways if len(way.path.nodes) < 2]
        reach = shapely.union_all([*lines, *places]).buffer(radius + _BESIDE)
        yield Field(_moved(reach, *shift), deep)


def parts_of(job: Job, shift: tuple[float, float]) -> tuple[shapely.Polygon, ...]:
    """Return the parts that a job's cut loops enclose, moved."""
    cut: dict[object, list[Loop]] = {}
    for contour in job.outline.contours:
        if contour.cut and isinstance(contour.path, Loop):
            cut.setdefault(contour.colour, []).append(contour.path)
    found = [polygon_of(solid, _CHORD) for loops in cut.values() for solid in solids(loops)]
    return tuple(_moved(one, *shift) for one in found if not one.is_empty)


def _moved(shape: Any, x: float, y: float) -> Any:
    """Return a shape moved by so many mm."""
    return shapely.transform(shape, lambda points: points + [x, y])


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

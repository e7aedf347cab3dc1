"""A job's cut plan written as files, each proven, and told as a report."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from pathlib import Path as File

from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.cutting.plan_drawing import PlanDrawing, layer_of, plan_drawing
from silhueta.core.cutting.timing import Times
from silhueta.core.errors import FileError
from silhueta.core.files.export import export
from silhueta.core.files.formats import format_of
from silhueta.core.files.proof import Proof
from silhueta.core.inspection.registry import finding_report
from silhueta.core.job import Job
from silhueta.core.truing.zero import zero_of
from silhueta.core.wording import counted
from silhueta.core.work import Work


def drawing_of_plan(
    job: Job, plan: Plan, page: tuple[float, float] | None, target: File
) -> PlanDrawing:
    """Return what goes into a file of a job's plan: in its unit, from its zero point.

    Raises
    ------
    FileError
        If nothing is planned, or the zero point is missing.

    """
    how, form = job.cut_file, format_of(target)
    shift = (0.0, 0.0)
    if how.origin == "corner" or (how.origin == "chosen" and form.paged):
        left, bottom, _, _ = job.outline.bounds
        shift = (-left, -bottom)
    elif how.origin == "chosen":
        zero = zero_of(job.outline, job.zero)
        if zero is None:
            raise FileError(
                "the edges that the zero point was put on are gone; choose it anew at True up, or "
                "another one at Cut file"
            )
        shift = (-zero[0], -zero[1])
    own = page if how.origin == "picture" else None
    made = plan_drawing(plan, how.units, shift, own, form.paged, job.name)
    return replace(made, zero=zero_words(job))


def zero_words(job: Job) -> str:
    """Return where X 0, Y 0 of a job's program is."""
    place = {
        "corner": "the lower left corner of the outline",
        "picture": "where the file that it came from has it",
        "chosen": "the place that was chosen on the part",
    }
    return f"X 0, Y 0 is {place[job.cut_file.origin]}"


def export_plan(
    job: Job,
    plan: Plan,
    page: tuple[float, float] | None,
    target: File,
    work: Work | None = None,
) -> tuple[PlanDrawing, Proof]:
    """Write a job's plan to a file and return what was written, and the proof.

    Raises
    ------
    FileError
        As :func:`drawing_of_plan` and :func:`silhueta.core.files.export.export`.

    """
    drawing = drawing_of_plan(job, plan, page, target)
    return drawing, export(drawing, target, job.cut_file, work)


_SPLIT: dict[str, str] = {"cut": "profile", "vgroove": "groove"}  # names of files by operation


def by_tool(plan: Plan) -> list[tuple[str, Plan]]:
    """Return a plan for each run of one tool, in order, and what tells its file apart: 1-pocket."""
    runs: list[list[Entry]] = []
    for one in plan.entries:
        if not runs or runs[-1][-1].tool != one.tool:
            runs.append([])
        runs[-1].append(one)
    found = []
    for k, run in enumerate(runs, 1):
        operation = run[0].operation
        own = replace(plan, entries=tuple(run), tools=(run[0].tool,))
        found.append((f"{k}-{_SPLIT.get(operation, operation)}", own))
    return found


def what_it_is(entry: Entry) -> str:
    """Return in a word or two what an entry is."""
    if entry.operation != "cut":
        return {"vgroove": "V-groove", "drill": "drilled hole", "engrave": "engraving"}.get(
            entry.operation, entry.operation
        )
    if not entry.ways[0].closed:
        return "line"
    if entry.level % 2:
        return "hole"
    return "island" if entry.level else "outer"


def plan_report(plan: Plan, times: Times) -> dict[str, object]:
    """Return a plan under the names that reports use."""
    machine = plan.machine
    return {
        "process": plan.process,
        "material": plan.material.name if plan.material else None,
        "thickness_mm": plan.limits.thickness,
        "compensate": plan.settings.compensate,
        "machine": {
            "name": machine.name,
            "bed_mm": list(machine.bed_mm),
            "max_feed_mm_min": machine.max_feed_mm_min,
            "rapid_mm_min": machine.rapid_mm_min,
            "acceleration_mm_s2": machine.acceleration_mm_s2,
        },
        "order": [_entry_report(one) for one in plan.entries],
        "pierces": times.pierces,
        "rapid_mm": round(times.rapid_mm, 3),
        "cut_mm": round(times.cut_mm, 3),
        "seconds": round(times.seconds, 2),
        "tools": [
            {
                "number": tool.number,
                "kind": tool.kind,
                "diameter_mm": round(tool.diameter_mm, 6),
                "angle_deg": tool.angle_deg,
                "zero": tool.zero,
                "seconds": round(times.by_tool.get(tool.number, 0.0), 2),
            }
            for tool in plan.tools
        ],
        "left_out": [
            {"keys": list(one.keys), "at_mm": [round(v, 6) for v in one.at], "text": one.text}
            for one in plan.left_out
        ],
        "findings": [finding_report(one) for one in plan.findings],
        "notes": list(plan.notes),
    }


def _entry_report(one: Entry) -> dict[str, object]:
    return {
        "key": one.key,
        "keys": list(one.keys),
        "is": what_it_is(one),
        "operation": one.operation,
        "layer": layer_of(one),
        "tool": one.tool.number,
        "side": one.side,
        "depth_mm": round(one.depth, 6),
        "passes": len(one.steps),
        "tabs": one.tabs,
        "leads": sum(way.lead_in is not None for way in one.ways),
        "begin_mm": [round(v, 6) for v in one.begin],
        "feed_mm_min": one.feed,
    }


def told_plan(plan: Plan, times: Times) -> list[str]:
    """Return a plan in a few lines, for people."""
    kinds = Counter(what_it_is(one) for one in plan.entries)
    listed = ", ".join(counted(count, name) for name, count in kinds.items())
    tools = ", ".join(
        f"{tool.number} ({tool.kind} {tool.diameter_mm:g} mm"
        + (f" {tool.angle_deg:g}°)" if tool.angle_deg else ")")
        for tool in plan.tools
    )
    minutes, seconds = divmod(round(times.seconds), 60)
    tabs = sum(one.tabs for one in plan.entries)
    return [
        f"plan         {listed}" + (f"; {tabs} tabs" if tabs else ""),
        f"tools        {tools}",
        f"time         {minutes}:{seconds:02d} on {plan.machine.name}",
        f"cut          {times.cut_mm:,.0f} mm, {times.pierces} pierces, "
        f"{times.rapid_mm:,.0f} mm between cuts",
    ]

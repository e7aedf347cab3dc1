"""What a process, a sheet and a person ask of a part: the limits that findings hold it against."""

from __future__ import annotations

from dataclasses import replace

from silhueta.core.geometry.measure import Box
from silhueta.core.inspect_settings import PROCESSES as PROCESSES
from silhueta.core.inspect_settings import Limits as Limits
from silhueta.core.inspect_settings import Process as Process
from silhueta.core.inspection.processes import Profile, profile_of
from silhueta.core.job import Job
from silhueta.core.shop.materials import kerf_of

_SLOT = 3.0  # least widths: a longer hole is a slot (common practice, no source)


def limits_of(job: Job) -> Limits:
    """Return what a job is held against: as a person set it, and what follows from the job.

    The part's thickness is the sheet's where no other is told. A sheet lies round the part's
    middle, since whoever cuts from the part's corner puts the part where there is room; where the
    file's zero is the picture's corner or a chosen place, the sheet's lower left is there.
    """
    limits, outline = job.inspect, job.outline
    if limits.thickness is None and job.optics.thickness > 0:
        limits = replace(limits, thickness=job.optics.thickness)
    if limits.sheet is None or not outline.taken or job.cut_file.origin == "picture":
        return limits
    if job.cut_file.origin == "chosen":
        from silhueta.core.truing.zero import zero_of

        return replace(limits, at=zero_of(outline, job.zero) or limits.at)
    left, bottom, right, top = outline.bounds
    wide, high = limits.sheet
    return replace(limits, at=((left + right - wide) / 2, (bottom + top - high) / 2))


def asked(limits: Limits) -> Profile:
    """Return what the process asks for; nothing where none was told."""
    return Profile() if limits.process is None else profile_of(limits.process)


def tool_of(limits: Limits) -> float:
    """Return how wide the tool cuts, mm: as told, as the material's record has it, as is usual."""
    if limits.width is not None:
        return limits.width
    if limits.process is not None and limits.material is not None:
        kerf = kerf_of(limits.process, limits.material, limits.thickness)
        if kerf:
            return kerf
    return asked(limits).width_mm


def least_hole(limits: Limits, long: float = 0.0) -> tuple[float, str]:
    """Return how wide a hole must be at least, mm (0: any), and why.

    `long` is its longer side, mm: what a process asks in thicknesses of the sheet is asked of holes
    about as long as wide; a slot is cut along, like any outline.
    """
    known = asked(limits)
    by_tool = max(known.hole_mm, known.hole_widths * tool_of(limits))
    by_sheet = known.hole_thickness * (limits.thickness or 0.0)
    return by_tool if long > _SLOT * by_sheet else max(by_tool, by_sheet), known.why_hole


def least_web(limits: Limits) -> tuple[float, str]:
    """Return how wide webs must be at least, mm (0: any), and why."""
    if limits.web is not None:
        return limits.web, "as was asked for"
    known = asked(limits)
    return max(known.web_mm, known.web_widths * tool_of(limits)), known.why_web


def least_corner(limits: Limits) -> tuple[float, str]:
    """Return the least radius of an inside corner, mm (0: any), and why."""
    known = asked(limits)
    return known.corner_widths * tool_of(limits), known.why_corner


def least_piece(limits: Limits) -> tuple[float, str]:
    """Return how wide a piece must be at least, mm (0: any), and why."""
    known = asked(limits)
    if limits.slats and limits.process is not None and limits.slats > known.piece_mm:
        return limits.slats, f"the slats are {limits.slats:g} mm apart, and it drops between them"
    return known.piece_mm, known.why_piece


def pierce_room(limits: Limits) -> tuple[float, str]:
    """Return how far a pierce must be from the line that stays, mm (0: any), and why."""
    known = asked(limits)
    return max(
        known.pierce_mm, known.pierce_thickness * (limits.thickness or 0.0)
    ), known.why_pierce


def sheet_box(limits: Limits) -> Box | None:
    """Return where the sheet lies, mm: left, bottom, right, top."""
    if limits.sheet is None:
        return None
    x, y = limits.at
    return x, y, x + limits.sheet[0], y + limits.sheet[1]

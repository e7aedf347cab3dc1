"""What a process, a sheet and a person ask of a part: the limits that findings hold it against."""

from __future__ import annotations

from silhueta.core.geometry.measure import Box
from silhueta.core.inspect_settings import PROCESSES as PROCESSES
from silhueta.core.inspect_settings import Limits as Limits
from silhueta.core.inspect_settings import Process as Process
from silhueta.core.inspection.processes import Profile, profile_of


def asked(limits: Limits) -> Profile:
    """Return what the process asks for; nothing where none was told."""
    return Profile() if limits.process is None else profile_of(limits.process)


def tool_of(limits: Limits) -> float:
    """Return how wide the tool cuts, mm."""
    return asked(limits).width_mm if limits.width is None else limits.width


def least_hole(limits: Limits) -> tuple[float, str]:
    """Return how wide a hole must be at least, mm (0: any), and why."""
    known = asked(limits)
    least = max(
        known.hole_mm,
        known.hole_thickness * (limits.thickness or 0.0),
        known.hole_widths * tool_of(limits),
    )
    return least, known.why_hole


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

"""Findings on how a part lies on its sheet."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from silhueta.core.geometry.measure import Box
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.limits import sheet_box
from silhueta.core.inspection.remedies import moved, turned
from silhueta.core.job import Job

_OFF = 1e-6  # mm: what adding up coordinates may leave


def _off_sheet(scene: Scene) -> Iterator[Finding]:
    sheet, outline = sheet_box(scene.limits), scene.job.outline
    if sheet is None or not outline.taken:
        return
    left, bottom, right, top = outline.bounds
    beyond = {
        "to the left": sheet[0] - left,
        "below": sheet[1] - bottom,
        "to the right": right - sheet[2],
        "above": top - sheet[3],
    }
    way, most = max(beyond.items(), key=lambda item: item[1])
    if most <= _OFF:
        return
    wide, high = sheet[2] - sheet[0], sheet[3] - sheet[1]
    told, remedies = _mended(scene, outline.bounds)
    place = {
        "to the left": (left, (bottom + top) / 2),
        "below": ((left + right) / 2, bottom),
        "to the right": (right, (bottom + top) / 2),
        "above": ((left + right) / 2, top),
    }[way]
    yield Finding(
        "off-sheet",
        "stop",
        place,
        (left, bottom, right, top),
        f"the part reaches {most:.2f} mm over the sheet of {wide:g} x {high:g} mm {way}; {told}",
        most,
        0.0,
        remedies=remedies,
    )


def _mended(scene: Scene, part: Box) -> tuple[str, tuple[Remedy, ...]]:
    """Return in words whether a part fits a sheet at all, and how, and what would make it."""
    assert scene.limits.sheet is not None
    wide, high = part[2] - part[0], part[3] - part[1]
    if _fits((wide, high), scene.limits.sheet):
        return "moved, it fits", (_moving(scene, part),)
    angle = _turn_that_fits(scene, scene.limits.sheet)
    if angle is not None:
        turn = Remedy(
            f"Turn it by {angle:.4g}°", partial(onto_sheet, degrees=angle, limits=scene.limits)
        )
        return f"turned by {angle:.4g}°, it fits", (turn,)
    remedies = (Remedy("Cut it into sections at Build", stop="build"),)
    return "it does not fit turned either: sections would", remedies


def _turn_that_fits(scene: Scene, sheet: tuple[float, float]) -> float | None:
    """Return by how many degrees the part must be turned to fit a sheet; None where it never does.

    A quarter turn if that is enough; else the smallest that lays an edge of the part's hull along
    the sheet: one of these fits if any turn does that matters (the narrowest box round a convex
    shape lies along one of its edges: H. Freeman and R. Shapira, CACM 18, 1975).
    """
    import shapely

    from silhueta.core.geometry.flatten import flatten

    points = np.concatenate([flatten(path, 0.01) for path in scene.job.outline.taken])
    hull = np.asarray(shapely.convex_hull(shapely.MultiPoint(points)).boundary.coords)
    if len(hull) < 3:
        return None
    way = np.diff(hull, axis=0)
    along = -np.degrees(np.arctan2(way[:, 1], way[:, 0]))
    angles = np.concatenate([along, along + 90])
    angles = (angles + 90) % 180 - 90  # the smaller of both ways to turn
    for angle in (90.0, *sorted(angles.tolist(), key=abs)):
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        sides = np.ptp(hull @ np.array([[c, s], [-s, c]]), axis=0)
        if _fits((float(sides[0]), float(sides[1])), sheet):
            return float(angle)
    return None


def _fits(part: tuple[float, float], sheet: tuple[float, float]) -> bool:
    return part[0] <= sheet[0] + _OFF and part[1] <= sheet[1] + _OFF


def _moving(scene: Scene, part: Box) -> Remedy:
    """Return the remedy that moves a part into the margins, no farther than needed."""
    x, y = _shift(scene.limits, part)
    return Remedy("Move it onto the sheet", partial(moved, keys=(), x=x, y=y))


def _shift(limits: Limits, part: Box) -> tuple[float, float]:
    """Return how far a part must move to lie within the margins, or else in the sheet's middle."""
    sheet, margin = sheet_box(limits), limits.margin or 0.0
    assert sheet is not None
    found = []
    for axis in (0, 1):
        low, high = sheet[axis] + margin, sheet[2 + axis] - margin
        if part[2 + axis] - part[axis] > high - low:
            found.append((sheet[axis] + sheet[2 + axis] - part[axis] - part[2 + axis]) / 2)
        else:
            found.append(max(low - part[axis], min(high - part[2 + axis], 0.0)))
    return found[0], found[1]


def onto_sheet(job: Job, degrees: float, limits: Limits) -> Job:
    """Return the job turned and moved onto its sheet."""
    made = turned(job, degrees)
    x, y = _shift(limits, made.outline.bounds)
    return moved(made, (), x, y)


def _margin(scene: Scene) -> Iterator[Finding]:
    sheet, margin, outline = sheet_box(scene.limits), scene.limits.margin, scene.job.outline
    if sheet is None or not margin or not outline.taken:
        return
    part = left, bottom, right, top = outline.bounds
    rooms = {
        (left, (bottom + top) / 2): left - sheet[0],
        ((left + right) / 2, bottom): bottom - sheet[1],
        (right, (bottom + top) / 2): sheet[2] - right,
        ((left + right) / 2, top): sheet[3] - top,
    }
    place = min(rooms, key=lambda at: rooms[at])
    least = rooms[place]
    if not -_OFF <= least < margin - _OFF:
        return
    wide, high = sheet[2] - sheet[0] - 2 * margin, sheet[3] - sheet[1] - 2 * margin
    remedies: tuple[Remedy, ...] = (
        Remedy("Take a larger sheet, or move it at Build", stop="build"),
    )
    if _fits((right - left, top - bottom), (wide, high)):
        remedies = (_moving(scene, part),)
    elif min(wide, high) > 0 and (angle := _turn_that_fits(scene, (wide, high))) is not None:
        turn = partial(onto_sheet, degrees=angle, limits=scene.limits)
        remedies = (Remedy(f"Turn it by {angle:.4g}°", turn), *remedies)
    yield Finding(
        "margin",
        "hurt",
        place,
        part,
        f"the part lies {least:.2f} mm from the sheet's edge, {margin:g} mm are asked for",
        least,
        margin,
        remedies=remedies,
    )


FINDERS = (
    Finder("off-sheet", "Over the sheet", "parts that reach over the sheet", _off_sheet),
    Finder("margin", "Margin too small", "parts too near to the sheet's edge", _margin),
)

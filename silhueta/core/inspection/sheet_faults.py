"""Findings on how a part lies on its sheet."""

from __future__ import annotations

from collections.abc import Iterator

from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene

_OFF = 1e-6  # mm: what adding up coordinates may leave


def _off_sheet(scene: Scene) -> Iterator[Finding]:
    sheet, outline = scene.limits.sheet, scene.job.outline
    if sheet is None or not outline.taken:
        return
    left, bottom, right, top = outline.bounds
    beyond = {
        "to the left": -left,
        "below": -bottom,
        "to the right": right - sheet[0],
        "above": top - sheet[1],
    }
    way, most = max(beyond.items(), key=lambda item: item[1])
    if most <= _OFF:
        return
    wide, high = right - left, top - bottom
    told, remedies = _mended(wide, high, sheet)
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
        f"the part reaches {most:.2f} mm over the sheet of {sheet[0]:g} x {sheet[1]:g} mm {way}; "
        f"{told}",
        most,
        0.0,
        remedies=remedies,
    )


def _mended(wide: float, high: float, sheet: tuple[float, float]) -> tuple[str, tuple[Remedy, ...]]:
    """Return in words whether a part fits a sheet at all, and how, and what would make it."""
    if wide <= sheet[0] + _OFF and high <= sheet[1] + _OFF:
        return "moved, it fits", (Remedy("Move it at Build", stop="build"),)
    if high <= sheet[0] + _OFF and wide <= sheet[1] + _OFF:
        return "turned by 90°, it fits", (Remedy("Turn it at Build", stop="build"),)
    remedies = (Remedy("Cut it into sections at Build", stop="build"),)
    return "it does not fit turned either: sections would", remedies


def _margin(scene: Scene) -> Iterator[Finding]:
    sheet, margin, outline = scene.limits.sheet, scene.limits.margin, scene.job.outline
    if sheet is None or not margin or not outline.taken:
        return
    left, bottom, right, top = outline.bounds
    least = min(left, bottom, sheet[0] - right, sheet[1] - top)
    if -_OFF <= least < margin - _OFF:
        sides = {
            (left, (bottom + top) / 2): left,
            ((left + right) / 2, bottom): bottom,
            (right, (bottom + top) / 2): sheet[0] - right,
            ((left + right) / 2, top): sheet[1] - top,
        }
        place = min(sides, key=lambda at: sides[at])
        yield Finding(
            "margin",
            "hurt",
            place,
            (left, bottom, right, top),
            f"the part lies {least:.2f} mm from the sheet's edge, {margin:g} mm are asked for",
            least,
            margin,
            remedies=(Remedy("Move it at Build", stop="build"),),
        )


FINDERS = (
    Finder("off-sheet", "parts that reach over the sheet", _off_sheet),
    Finder("margin", "parts too near to the sheet's edge", _margin),
)

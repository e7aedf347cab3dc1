"""Edits of a job at Build that lay it out: sections side by side, pieces on sheets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from silhueta.core.build import place
from silhueta.core.build.edits import exchanged, loops_of, put
from silhueta.core.build.sections import Joint, divided, numbered
from silhueta.core.build.sheet import MOST_SHEETS, Sheet, placed
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.geometry.solids import solids
from silhueta.core.geometry.transform import transform
from silhueta.core.job import Job

_APART = 20.0  # mm between sections as they are laid out


def divide(
    job: Job,
    bed: tuple[float, float],
    joint: Joint,
    clearance: float,
    at: Sequence[float] | None = None,
) -> tuple[Job, tuple[str, ...]]:
    """Return the job in sections side by side, numbered, with marks, and what is not clear.

    `at`: from the left, mm, where joints that run up are put; None lets them be found.

    Raises
    ------
    EditError
        If the bed is too small, or everything fits it already.

    """
    loops = loops_of(job)
    left = bounding_box(loops)[0]
    nowhere: list[float] = []
    chosen = None if at is None else ([left + x for x in at], nowhere)
    cut = divided(loops, bed, joint, clearance, chosen)
    if len(cut.sections) < 2:
        raise EditError("it fits the bed as it is")
    paths: list[Path] = []
    marks: list[Path] = []
    for section, number in zip(cut.sections, numbered(cut.sections), strict=True):
        shift = (section.column * _APART, section.row * _APART)
        paths += [transform(loop, np.eye(2), shift) for loop in section.loops]
        own: list[Path] = [*cut.marks_of(section), *number]
        marks += [transform(mark, np.eye(2), shift) for mark in own]
    return put(exchanged(job, (), paths), marks, "mark"), cut.doubts


def pieces(job: Job) -> list[list[Contour]]:
    """Return the contours of each solid piece, with what is marked or engraved on it."""
    cut = [c for c in job.outline.contours if c.cut and isinstance(c.path, Loop)]
    found: list[list[Contour]] = []
    boxes = []
    for solid in sorted(solids(loops_of(job)), key=lambda s: bounding_box([s.outer])[:2]):
        found.append([cut[k] for k in (solid.place, *solid.inside)])
        boxes.append(bounding_box([solid.outer]))
    for contour in job.outline.contours:
        if not contour.taken or contour.cut:
            continue
        x, y = contour.path.nodes.mean(axis=0).tolist()
        for k, (left, bottom, right, top) in enumerate(boxes):
            if left <= x <= right and bottom <= y <= top:
                found[k].append(contour)
                break
    return found


def beds(sheet: Sheet, count: int) -> list[tuple[float, float, float, float]]:
    """Return where so many sheets lie side by side: (left, bottom, right, top), mm."""
    step = sheet.width + _APART
    return [(k * step, 0.0, k * step + sheet.width, sheet.height) for k in range(count)]


def on_sheet(job: Job, sheet: Sheet, count: int = 1) -> tuple[Job, list[float]]:
    """Return the job with each piece placed on sheets, side by side, and how full these are.

    Raises
    ------
    EditError
        If one does not fit.

    """
    parts = pieces(job)
    if not 1 <= count <= place.MOST:
        raise EditError(f"from 1 to {place.MOST:,} copies can be made, not {count:,}")
    shapes = [[contour.path for contour in part] for part in parts]
    got = placed(shapes * count, sheet, most_sheets=MOST_SHEETS)
    if got.left:
        left, bottom, right, top = bounding_box(shapes[got.left[0] % len(shapes)])
        raise EditError(
            f"{len(got.left)} of {len(parts) * count} pieces do not fit the sheet, such as one of "
            f"{right - left:.1f} × {top - bottom:.1f} mm; take a larger sheet"
        )
    made = [
        replace(contour, path=transform(path, np.eye(2), bed[:2]), origin="drawn", key=0)
        for bed, own in zip(beds(sheet, len(got.sheets)), got.sheets, strict=True)
        for number, paths in own
        for path, contour in zip(paths, parts[number % len(parts)], strict=True)
    ]
    return replace(job, outline=Outline(tuple(made)), words=()), got.fill

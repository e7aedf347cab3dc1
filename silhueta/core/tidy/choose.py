"""Which loops are cut: what each one is, and edits that take it along or leave it out.

Words used here
    outer, hole, island   a loop that lies in no other that is cut, in one, in two; and so on
    chosen                a person decided over cut or skip: a new trace keeps to it
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.measure import area_of, box_of, length_of
from silhueta.core.geometry.nesting import nest
from silhueta.core.geometry.outline import Operation, Outline
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.job import Job, with_outline
from silhueta.core.trace_settings import Keep

Role = Literal["outer", "hole", "island", "open"]
_ON_FRAME = 0.5  # mm, within which a loop touches the picture's frame


@dataclass(frozen=True)
class Row:
    """What is to be known of one contour.

    Parameters
    ----------
    index : int
        Its place in the outline.
    role : {"outer", "hole", "island", "open"}
        By what is cut around it.
    size : (width, height), mm
    area : float, mm²
        That it encloses; 0 for an open path.
    length : float, mm
    nodes : int
    taken, locked : bool
    operation : {"cut", "engrave", "mark"}
    key : int
        By which it is known within its job.
    frame : bool
        Whether it touches the picture's frame.

    """

    index: int
    role: Role
    size: tuple[float, float]
    area: float
    length: float
    nodes: int
    taken: bool
    locked: bool
    frame: bool
    operation: Operation = "cut"
    key: int = 0


def depths(outline: Outline) -> NDArray[np.int64]:
    """Return how many loops that are cut lie around each contour, (N,); -1 for open paths.

    Loops of different colours meet, and do not nest.
    """
    found = np.full(len(outline.contours), -1, np.int64)
    groups: dict[object, list[int]] = {}
    for i, contour in enumerate(outline.contours):
        if isinstance(contour.path, Loop):
            groups.setdefault(contour.colour, []).append(i)
    for members in groups.values():
        loops = [c.path for i in members if isinstance((c := outline.contours[i]).path, Loop)]
        depth, parent = nest(loops)
        around = np.zeros(len(members), np.int64)
        for k in np.argsort(depth, kind="stable"):
            up = parent[k]
            if up >= 0:
                around[k] = around[up] + outline.contours[members[up]].cut
        found[members] = around
    return found


def _area(path: Path) -> float:
    return area_of(path) if isinstance(path, Loop) else 0.0


def turned(outline: Outline) -> NDArray[np.bool_]:
    """Return which loops run against their role, (N,): solids clockwise, holes the other way."""
    areas = np.array([_area(c.path) for c in outline.contours])
    found = depths(outline)
    turned: NDArray[np.bool_] = (found >= 0) & ((areas > 0) != (found % 2 == 0)) & (areas != 0)
    return turned


def rows(outline: Outline, frame: tuple[float, float] | None = None) -> list[Row]:
    """Return what is to be known of each contour, in the outline's order.

    Parameters
    ----------
    outline : Outline
    frame : (width, height), mm
        Of the picture, its lower left at (0, 0).

    """
    found = []
    for i, (contour, depth) in enumerate(
        zip(outline.contours, depths(outline).tolist(), strict=True)
    ):
        left, bottom, right, top = box_of(contour.path)
        role: Role = "open"
        if depth >= 0:
            role = "hole" if depth % 2 else ("outer" if depth == 0 else "island")
        on_frame = frame is not None and (
            min(left, bottom, frame[0] - right, frame[1] - top) < _ON_FRAME
        )
        found.append(
            Row(
                i,
                role,
                (right - left, top - bottom),
                abs(_area(contour.path)),
                length_of(contour.path),
                len(contour.path.nodes),
                contour.taken,
                contour.locked,
                on_frame,
                contour.operation,
                contour.key,
            )
        )
    return found


def set_taken(job: Job, which: Collection[int], taken: bool) -> Job:
    """Return `job` with these contours cut, or skipped."""
    wanted = set(which)
    states = [taken if i in wanted else c.taken for i, c in enumerate(job.outline.contours)]
    return _with_states(job, states)


def set_operation(job: Job, which: Collection[int], operation: Operation) -> Job:
    """Return `job` with these contours taken along, to be cut, engraved or marked."""
    wanted = set(which)
    made = tuple(
        replace(c, taken=True, operation=operation, chosen=True)
        if i in wanted and (c.operation != operation or not c.taken)
        else c
        for i, c in enumerate(job.outline.contours)
    )
    same = all(one is two for one, two in zip(made, job.outline.contours, strict=True))
    return job if same else with_outline(job, Outline(made))


def swap(job: Job) -> Job:
    """Return `job` with what is cut skipped, and what is skipped cut."""
    return _with_states(job, [not c.taken for c in job.outline.contours])


def keep_largest(job: Job) -> Job:
    """Return `job` with the largest outer loop cut and the holes right in it, all else skipped."""
    loops = [i for i, c in enumerate(job.outline.contours) if isinstance(c.path, Loop)]
    if not loops:
        return job
    sizes = [abs(_area(job.outline.contours[i].path)) for i in loops]
    best = int(np.argmax(sizes))
    paths = [job.outline.contours[i].path for i in loops]
    parent = nest([path for path in paths if isinstance(path, Loop)]).parent
    kept = {loops[best]} | {loops[k] for k in np.flatnonzero(parent == best)}
    return _with_states(job, [i in kept for i in range(len(job.outline.contours))])


def keep_only(job: Job, keep: Keep) -> Job:
    """Return `job` with loops deeper than `keep` says skipped, too; open paths stay as they are."""
    deepest = {"all": np.inf, "outer": 0, "outer+holes": 1}[keep]
    found = depths(job.outline)
    states = [
        c.taken and bool(d <= deepest) for c, d in zip(job.outline.contours, found, strict=True)
    ]
    return _with_states(job, states)


def _with_states(job: Job, states: list[bool]) -> Job:
    contours = job.outline.contours
    made = tuple(
        c if c.taken == state else replace(c, taken=state, chosen=True)
        for c, state in zip(contours, states, strict=True)
    )
    same = all(one is two for one, two in zip(made, contours, strict=True))
    return job if same else with_outline(job, Outline(made))

"""True up by hand: what a person says of one edge or hole, or of two."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from silhueta.core.errors import EditError, TruingError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, LINE, Floats, Path
from silhueta.core.job import Job
from silhueta.core.relations import WHOLE, Kind, Ref, Relation
from silhueta.core.truing.edits import parted, with_truth
from silhueta.core.truing.refs import renumbered
from silhueta.core.truing.solve import solve

_UNMAKES: dict[str, tuple[str, ...]] = {  # what a new relation of an edge takes the place of
    "level": ("level", "plumb", "angle"),
    "plumb": ("level", "plumb", "angle"),
    "angle": ("level", "plumb", "angle"),
    "radius": ("radius",),
    "length": ("length",),
}
_LEAST_TURN = math.radians(3)  # of a corner that is rounded or cut off


def relate(job: Job, kind: Kind, refs: Sequence[Ref], value: float | None = None) -> Job:
    """Return the job in which something holds exactly, beside what held before.

    A size or a direction takes the place of the one that the same edge had.

    Raises
    ------
    TruingError
        If it cannot hold for that, or not together with what holds already.

    """
    made = Relation(kind, tuple(refs), value)
    named = {(ref.key, ref.segment) for ref in refs}

    def unmade(one: Relation) -> bool:
        same = {(ref.key, ref.segment) for ref in one.refs} == named
        return same and one.kind in _UNMAKES.get(kind, ())

    before, idle = ([one for one in some if not unmade(one)] for some in parted(job))
    try:
        outline = solve(job.outline, [*before, made]).outline
    except TruingError as error:
        if error.relation is None:
            raise
        raise TruingError(
            f"{kind} cannot hold together with what holds already; release that first", 0
        ) from error
    return with_truth(job, outline, (*idle, *before, made))


def corner_of(job: Job, refs: Sequence[Ref]) -> tuple[int, int]:
    """Return the contour's place and the node between two edges that follow each other.

    Raises
    ------
    EditError
        If they do not.

    """
    if len(refs) != 2 or refs[0].key != refs[1].key or WHOLE in (refs[0].segment, refs[1].segment):
        raise EditError("choose two straight edges of one loop that meet in a corner")
    place = next((i for i, c in enumerate(job.outline.contours) if c.key == refs[0].key), None)
    if place is None:
        raise EditError("that loop is not there any more")
    path = job.outline.contours[place].path
    count = len(path.kinds)
    for one, two in ((refs[0], refs[1]), (refs[1], refs[0])):
        following = (one.segment + 1) % count if path.closed else one.segment + 1
        if two.segment == following and following < count:
            if path.kinds[one.segment] != LINE or path.kinds[two.segment] != LINE:
                break
            return place, following % len(path.nodes)
    raise EditError("choose two straight edges of one loop that meet in a corner")


def corner_cut(job: Job, refs: Sequence[Ref], size: float, rounded: bool) -> Job:
    """Return the job with a corner rounded by a radius, or cut off so far along both edges, mm.

    Raises
    ------
    EditError
        If there is no such corner, or the edges are too short.

    """
    place, k = corner_of(job, refs)
    contour = job.outline.contours[place]
    path = contour.path
    here = path.nodes[k]
    before, after = path.nodes[k - 1] - here, path.nodes[(k + 1) % len(path.nodes)] - here
    long = np.hypot(*np.array([before, after]).T)
    u, v = before / long[0], after / long[1]
    turn = math.atan2(-(u[0] * v[1] - u[1] * v[0]), float(-u @ v))
    if abs(turn) < _LEAST_TURN or not size > 0:
        raise EditError("there is no corner to round between these edges")
    touch = size * math.tan(abs(turn) / 2) if rounded else size
    if touch >= long.min():
        raise EditError(
            f"it would take {touch:.2f} mm of an edge that is {long.min():.2f} mm long; "
            "give a smaller one"
        )
    ends = np.array([here + touch * u, here + touch * v])
    bulge = math.tan(turn / 4) if rounded else 0.0
    made = _with_segment(path, k, ends, bulge)
    contours = list(job.outline.contours)
    contours[place] = replace(contour, path=made)
    moved = renumbered(job, contour.key, lambda segment: segment + (segment >= k))
    return with_truth(moved, Outline(tuple(contours)), moved.relations)


def _with_segment(path: Path, k: int, ends: Floats, bulge: float) -> Path:
    """Return a path with a segment in place of node k, which stands between two lines."""
    kind = ARC if bulge else LINE
    return type(path)(
        np.insert(np.delete(path.nodes, k, 0), k, ends, axis=0),
        np.insert(path.kinds, k, kind),
        np.insert(path.bulges, k, bulge),
        np.insert(path.controls, k, np.zeros((2, 2)), axis=0),
    )

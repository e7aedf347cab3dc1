"""A ragged stretch of a loop as one straight edge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely

from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import LINE, Floats, OpenPath, Path
from silhueta.core.job import Job
from silhueta.core.relations import Ref
from silhueta.core.truing.edits import with_truth
from silhueta.core.truing.refs import renumbered

_STEP = 0.2  # mm between points that stand for the stretch
_MEET = 0.1  # sine of the angle under which a neighbour is drawn out to meet the edge
_FAR = 3.0  # times the stretch's own length, that it is drawn out by at most


def straightened(job: Job, refs: Sequence[Ref]) -> Job:
    """Return the job with all from one edge to another as one straight edge.

    The shorter way round; the line lies nearest to what it takes the place of (least squares
    across it). Straight neighbours are trimmed or drawn out to meet it.

    Raises
    ------
    EditError
        If the edges are not of one loop, or too little would be left of it.

    """
    if len(refs) != 2 or refs[0].key != refs[1].key or refs[0].segment == refs[1].segment:
        raise EditError("choose the first and the last edge of a stretch of one loop")
    place = next((i for i, c in enumerate(job.outline.contours) if c.key == refs[0].key), None)
    if place is None:
        raise EditError("that loop is not there any more")
    contour = job.outline.contours[place]
    path, count = contour.path, len(contour.path.kinds)
    first, last = sorted(ref.segment for ref in refs)
    if not 0 <= first < last < count:
        raise EditError("these edges are not there any more; choose them anew")
    if path.closed:
        around = [_long(path, k) for k in range(count)]
        if sum(around[first + 1 : last]) > sum(around) - sum(around[first : last + 1]):
            first, last = last, first + count  # the other way round is shorter
    many = last - first + 1
    if path.closed and count - many < 2:
        raise EditError("too little of the loop would be left beside one straight edge")
    turn = first if path.closed else 0  # the loop begins with the new edge
    made = _with_line(_begun_at(path, turn), first - turn, many)

    def number(segment: int) -> int:
        k = (segment - turn) % count
        after = k - (many - 1) if k >= first - turn + many else k
        return after if k <= first - turn or k >= first - turn + many else count

    contours = list(job.outline.contours)
    contours[place] = replace(contour, path=made)
    run = {k % count for k in range(first, last + 1)}
    moved = renumbered(job, contour.key, number)
    relations = tuple(
        after
        for before, after in zip(job.relations, moved.relations, strict=True)
        if not any(ref.key == contour.key and ref.segment in run for ref in before.refs)
    )
    return with_truth(moved, Outline(tuple(contours)), relations)


def _long(path: Path, k: int) -> float:
    return float(np.hypot(*(path.ends[k] - path.starts[k])))


def _begun_at(path: Path, k: int) -> Path:
    if not k:
        return path
    return type(path)(
        np.roll(path.nodes, -k, axis=0),
        np.roll(path.kinds, -k),
        np.roll(path.bulges, -k),
        np.roll(path.controls, -k, axis=0),
    )


def _with_line(path: Path, first: int, many: int) -> Path:
    """Return a path with a line in place of `many` segments from number `first` on."""
    count, last = len(path.kinds), first + many - 1
    run = OpenPath(
        np.vstack([path.starts[first : last + 1], path.ends[last : last + 1]]),
        path.kinds[first : last + 1],
        path.bulges[first : last + 1],
        path.controls[first : last + 1],
    )
    points = shapely.get_coordinates(
        shapely.segmentize(shapely.LineString(flatten(run, 0.005)), _STEP)
    )
    middle = points.mean(axis=0)
    way = np.linalg.svd(points - middle)[2][0]
    reach = _FAR * max(_long(path, k) for k in range(first, last + 1)) + float(
        np.hypot(*(points[-1] - points[0]))
    )
    nodes = path.nodes.copy()
    ends = []
    for end, beside in ((first, first - 1), (last + 1, last + 1)):
        at = path.starts[first] if end == first else path.ends[last]
        there = 0 <= beside < count or path.closed
        ends.append(_met(path, beside % count if there else -1, at, middle, way, reach))
    keep = np.r_[0 : first + 1, last + 1 : count]
    nodes[first] = ends[0]
    if path.closed:
        nodes[(last + 1) % count] = ends[1]
        nodes = nodes[keep]
    else:
        nodes[last + 1] = ends[1]
        nodes = np.delete(nodes, np.arange(first + 1, last + 1), axis=0)
    kinds, bulges, controls = path.kinds[keep], path.bulges[keep].copy(), path.controls[keep].copy()
    kinds = kinds.copy()
    kinds[first], bulges[first], controls[first] = LINE, 0.0, 0.0
    return type(path)(nodes, kinds, bulges, controls)


def _met(path: Path, beside: int, at: Floats, middle: Floats, way: Floats, reach: float) -> Floats:
    """Return where the line meets the segment beside it; where it does not, the foot of `at`."""
    foot: Floats = middle + (at - middle) @ way * way
    if beside < 0 or path.kinds[beside] != LINE:
        return foot
    other = path.ends[beside] - path.starts[beside]
    across = float(way[0] * other[1] - way[1] * other[0])
    if abs(across) < _MEET * float(np.hypot(*other)):
        return foot
    off = path.starts[beside] - middle
    met: Floats = middle + float(off[0] * other[1] - off[1] * other[0]) / across * way
    return met if float(np.hypot(*(met - foot))) <= reach else foot

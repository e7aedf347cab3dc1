"""Edits Job -> Job on chosen nodes and segments of its outline.

Words used here
    pick    a node, as (contour, node), or a segment, as (contour, segment)
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace

from silhueta.core.errors import EditError
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Path, reverse
from silhueta.core.geometry.pieces import Place, place_of
from silhueta.core.job import Job, with_outline
from silhueta.core.tidy import edit
from silhueta.core.tidy.offers.crossed import both_places
from silhueta.core.tidy.offers.offer import edited

Pick = tuple[int, int]
_CHORD = 0.002  # mm, for crossings
_APART = 1e-6  # of a segment, that two nodes on it lie apart at least


def by_contour(picks: Collection[Pick]) -> dict[int, set[int]]:
    """Return the picks grouped by contour."""
    found: dict[int, set[int]] = {}
    for contour, number in picks:
        found.setdefault(contour, set()).add(number)
    return found


def _changed(
    job: Job, picks: Collection[Pick], change: Callable[[Path, set[int]], list[Path]]
) -> Job:
    """Return `job` with each picked contour's path put through `change`.

    Raises
    ------
    EditError
        If one of them is locked.

    """
    wanted = by_contour(picks)
    contours: list[Contour] = []
    same = True
    for i, contour in enumerate(job.outline.contours):
        if i not in wanted:
            contours.append(contour)
            continue
        if contour.locked:
            raise EditError("this loop is locked; unlock it first")
        paths = change(contour.path, wanted[i])
        same = same and len(paths) == 1 and paths[0] is contour.path
        contours.extend(
            contour if path is contour.path else edited(contour, path) for path in paths
        )
    return job if same else with_outline(job, Outline(tuple(contours)))


def move(job: Job, nodes: Collection[Pick], dx: float, dy: float) -> Job:
    """Return `job` with nodes moved by (dx, dy), mm."""
    if not (dx or dy):
        return job
    return _changed(job, nodes, lambda path, which: [edit.moved(path, which, dx, dy)])


def delete(job: Job, nodes: Collection[Pick], *, straight: bool = False) -> Job:
    """Return `job` without nodes; a contour of which too little would be left goes altogether."""

    def change(path: Path, which: set[int]) -> list[Path]:
        left = edit.without(path, which, straight=straight)
        return [] if left is None else [left]

    return _changed(job, nodes, change)


def add(job: Job, contour: int, place: Place) -> Job:
    """Return `job` with a node more on a contour."""
    return _changed(job, [(contour, 0)], lambda path, _: [edit.with_node(path, place)])


def halve(job: Job, segments: Collection[Pick]) -> Job:
    """Return `job` with a node more in the middle of each segment."""

    def change(path: Path, which: set[int]) -> list[Path]:
        for segment in sorted(which, reverse=True):  # from the back, so that numbers stay
            path = edit.with_node(path, Place(segment, 0.5))
        return [path]

    return _changed(job, segments, change)


def add_at_crossings(job: Job, contours: Collection[int]) -> Job:
    """Return `job` with a node where each of some contours crosses another, or itself.

    Raises
    ------
    EditError
        If there is no crossing.

    """
    paths = [contour.path for contour in job.outline.contours]
    found = crossings(paths, _CHORD)
    places: dict[int, list[Place]] = {}
    for at, pair in zip(found.places, found.paths.tolist(), strict=True):
        for i in set(pair) & set(contours):
            both = both_places(paths[i], at) if pair[0] == pair[1] else (place_of(paths[i], at),)
            places.setdefault(i, []).extend(both)
    if not places:
        raise EditError("nothing crosses what is chosen")

    def change(i: int, path: Path) -> Path:
        after = Place(-1, 1.0)
        for place in sorted(places[i], reverse=True):  # from the back, so that numbers stay
            left = after.share if place.segment == after.segment else 1.0
            if place.share < left - _APART:
                path = edit.with_node(path, Place(place.segment, place.share / left))
                after = place
        return path

    for i in places:
        job = _changed(job, [(i, 0)], lambda path, _, i=i: [change(i, path)])  # type: ignore[misc]
    return job


def set_kind(job: Job, segments: Collection[Pick], kind: int) -> Job:
    """Return `job` with segments made lines, arcs or curves."""

    def change(path: Path, which: set[int]) -> list[Path]:
        for segment in which:
            path = edit.as_kind(path, segment, kind)
        return [path]

    return _changed(job, segments, change)


def bend(job: Job, contour: int, segment: int, point: tuple[float, float]) -> Job:
    """Return `job` with a segment made the arc through a point."""
    return _changed(job, [(contour, segment)], lambda path, _: [edit.through(path, segment, point)])


def set_handle(job: Job, contour: int, segment: int, end: int, to: tuple[float, float]) -> Job:
    """Return `job` with a curve's control point elsewhere."""
    return _changed(
        job, [(contour, segment)], lambda path, _: [edit.move_handle(path, segment, end, to)]
    )


def smooth(job: Job, nodes: Collection[Pick]) -> Job:
    """Return `job` smooth at nodes."""
    return _each(job, nodes, edit.smooth)


def sharp(job: Job, nodes: Collection[Pick]) -> Job:
    """Return `job` with corners at nodes."""
    return _each(job, nodes, edit.sharp)


def _each(job: Job, nodes: Collection[Pick], change: Callable[[Path, int], Path]) -> Job:
    def all_of(path: Path, which: set[int]) -> list[Path]:
        for node in which:
            path = change(path, node)
        return [path]

    return _changed(job, nodes, all_of)


def break_at(job: Job, node: Pick) -> Job:
    """Return `job` with a contour broken at a node."""
    return _changed(job, [node], lambda path, _: edit.broken_at(path, node[1]))


def drop_segment(job: Job, segment: Pick) -> Job:
    """Return `job` without a segment."""
    return _changed(job, [segment], lambda path, _: edit.without_segment(path, segment[1]))


def turn(job: Job, contours: Collection[int]) -> Job:
    """Return `job` with contours run the other way."""
    return _changed(job, [(i, 0) for i in contours], lambda path, _: [reverse(path)])


def start(job: Job, node: Pick) -> Job:
    """Return `job` with a loop that starts at a node."""
    return _changed(job, [node], lambda path, _: [edit.started_at(path, node[1])])


def join(job: Job, one: Pick, two: Pick, *, merge: bool) -> Job:
    """Return `job` with two ends joined, by a line or merged; `one` and `two` are end nodes.

    Raises
    ------
    EditError
        If one is no end of an open path, or locked.

    """
    contours = job.outline.contours
    lasts = []
    for i, node in (one, two):
        path = contours[i].path
        if path.closed or node not in (0, len(path.nodes) - 1):
            raise EditError("choose two ends of open paths to join")
        if contours[i].locked:
            raise EditError("this path is locked; unlock it first")
        lasts.append(node != 0)
    (i, _), (k, _) = one, two
    made = edit.joined(contours[i].path, lasts[0], contours[k].path, lasts[1], merge=merge)
    kept = [edited(c, made) if n == i else c for n, c in enumerate(contours) if n == i or n != k]
    return with_outline(job, Outline(tuple(kept)))


def lock(job: Job, contours: Collection[int], locked: bool) -> Job:
    """Return `job` with contours locked, so that nothing changes them, or free again."""
    wanted = set(contours)
    made = tuple(
        replace(c, locked=locked) if i in wanted and c.locked != locked else c
        for i, c in enumerate(job.outline.contours)
    )
    same = all(a is b for a, b in zip(made, job.outline.contours, strict=True))
    return job if same else with_outline(job, Outline(made))

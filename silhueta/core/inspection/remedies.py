"""The edits that mend findings: each is one step that can be undone, and touches nothing else.

What an edit needs besides the job is looked for when it is taken, not when the fault is found.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.job import Job, with_outline
from silhueta.core.tidy.choose import set_operation, set_taken
from silhueta.core.tidy.offers.kinds import find_offer, take
from silhueta.core.tidy.offers.offer import Item, Kind, edited, limits_of

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

SPARE = 0.002  # mm that what is mended gets more than was asked, so that no last digit finds it
SHORT = 0.02  # mm of a segment: a machine stops at each end; common practice, no source
_TOUCHES = 1e-3  # mm, within which what is grown belongs to the place that it is grown for
_AWAY = 20  # widths round a part, in which a slot's own void is looked at; any few would do


def _place_of(job: Job, key: int) -> int:
    place = next((k for k, c in enumerate(job.outline.contours) if c.key == key), None)
    if place is None:
        raise EditError("what this was about is gone")
    return place


def _contour(job: Job, key: int) -> Contour:
    return job.outline.contours[_place_of(job, key)]


def marked(job: Job, key: int) -> Job:
    """Return the job with a contour marked, to be drilled or done by hand."""
    return set_operation(job, [_place_of(job, key)], "mark")


def skipped(job: Job, key: int) -> Job:
    """Return the job with a contour left out."""
    return set_taken(job, [_place_of(job, key)], False)


def piece_skipped(job: Job, keys: Sequence[int]) -> Job:
    """Return the job with all contours of a piece left out."""
    return set_taken(job, [_place_of(job, key) for key in keys], False)


def all_cut(job: Job) -> Job:
    """Return the job with all that was skipped cut again."""
    return set_taken(job, range(len(job.outline.contours)), True)


def tidied(job: Job, kind: Kind, key: int, at: tuple[float, float] | None = None) -> Job:
    """Return the job with what Tidy offers for one contour taken; `at`: only the nearest to there.

    Raises
    ------
    EditError
        If Tidy has nothing of the kind to offer for it.

    """
    offer = find_offer(job.outline, kind, limits_of(job), job.page)
    number = _place_of(job, key)
    mine = [item for item in offer.items if number in item.contours]
    if not mine:
        raise EditError("nothing of that kind is there any more")
    if at is not None:
        mine = [min(mine, key=lambda item: _far(item, at))]
    return with_outline(job, take(offer, mine))


def _far(item: Item, at: tuple[float, float]) -> float:
    return float(np.hypot(item.place[0] - at[0], item.place[1] - at[1]))


def closed(job: Job, key: int) -> Job:
    """Return the job with an open line closed straight across."""
    from silhueta.core.geometry.pieces import chained

    contour = _contour(job, key)
    made = edited(contour, chained([contour.path], close=True))
    return _with(job, {key: [made]})


def without_cluster(job: Job, key: int, first: int, last: int) -> Job:
    """Return the job with one straight line in place of a run of a contour's segments.

    `first` and `last` are the nodes at its ends; the run may go over the loop's first node.
    """
    from silhueta.core.tidy.offers.nodes import without_nodes

    contour = _contour(job, key)
    count = len(contour.path.nodes)
    inner = np.array([(first + k) % count for k in range(1, (last - first) % count)], np.int64)
    made = without_nodes(contour.path, inner)
    if made is None:
        raise EditError("too little of the outline would be left; take it out at Tidy")
    return _with(job, {key: [edited(contour, made)]})


def welded(job: Job, one: int, two: int) -> Job:
    """Return the job with two loops that cross made one; a hole is cut out of the other."""
    from silhueta.core.geometry.region.region import cut_away, united

    around = _depths(job)
    first, second = _contour(job, one), _contour(job, two)
    if not (isinstance(first.path, Loop) and isinstance(second.path, Loop)):
        raise EditError("an open line has nothing inside to weld; close it or mark it first")
    holes = [around[key] % 2 for key in (one, two)]
    if holes[0] == holes[1]:
        made = united([first.path], [second.path], "nonzero")
    elif holes[0]:
        made = cut_away([second.path], [first.path], "nonzero")
    else:
        made = cut_away([first.path], [second.path], "nonzero")
    if not made:
        raise EditError("nothing would be left of them; skip one of the two instead")
    if all(holes):
        made = [reverse_loop(path) for path in made]  # holes run the other way round
    return _with(job, {one: [edited(first, path) for path in made], two: []})


def tied(
    job: Job, key: int, at: tuple[float, float], width: float, count: int, radius: float = 0.0
) -> Job:
    """Return the job with the island of a contour tied to what is round it, beside a place.

    Inside corners beside the bridges are as a tool of a `radius`, mm, leaves them.
    """
    from silhueta.core.build.bridges import tied_at
    from silhueta.core.build.edits import exchanged
    from silhueta.core.build.offset import offset
    from silhueta.core.geometry.solids import solids

    colour = _contour(job, key).colour
    mine = [c for c in job.outline.contours if c.cut and c.path.closed and c.colour == colour]
    loops = [c.path for c in mine if isinstance(c.path, Loop)]
    number = next(k for k, c in enumerate(mine) if c.key == key)
    every = solids(loops)
    island = next((s for s in every if number in (s.place, *s.inside)), None)
    round_it = next((s for s in every if island is not None and island.within in s.inside), None)
    if island is None or round_it is None:
        raise EditError("there is no island any more")
    some = (round_it.place, island.within, island.place, *island.inside)
    done = tied_at([loops[k] for k in some], at, width, count).loops
    made = exchanged(job, [mine[k].key for k in some], done)
    old = {id(c.path) for c in job.outline.contours}
    around, new = _depths(made), {}
    for contour in made.outline.contours:
        if not contour.cut or id(contour.path) in old or not isinstance(contour.path, Loop):
            continue
        first = -radius if around[contour.key] % 2 else radius
        fitted = offset(offset([contour.path], first), -first) if radius else [contour.path]
        fitted = [_without_short(loop, None) for loop in fitted]
        if fitted:  # a slot that the tool does not fit at all is told as such
            turned = [reverse_loop(loop) if first < 0 else loop for loop in fitted]
            new[contour.key] = [replace(contour, path=loop) for loop in turned]
    return _with(made, new) if new else made


def moved(job: Job, keys: Collection[int], x: float, y: float) -> Job:
    """Return the job with some contours (or all) moved, mm."""
    from silhueta.core.build.edits import move

    return move(job, tuple(keys), x, y)


def turned(job: Job, degrees: float) -> Job:
    """Return the job turned."""
    from silhueta.core.build.edits import turn

    return turn(job, (), degrees)


def grown(
    job: Job, keys: Sequence[int], at: tuple[float, float], wide: float, least: float, radius: float
) -> Job:
    """Return the job with the web at a place, now `wide`, grown to `least`, mm, on both sides.

    Inside corners that come of it are as a tool of a `radius`, mm, leaves them.
    """
    mine = _solid_of(job, keys, _AWAY * least)
    more = _broader(mine, at, wide, least)
    made = _changed(job, keys, more, solid=True)
    return _as_left(made, keys, more, radius)


def widened(
    job: Job, keys: Sequence[int], at: tuple[float, float], wide: float, least: float, radius: float
) -> Job:
    """Return the job with the slot at a place, now `wide`, widened to `least`, mm."""
    mine = _solid_of(job, keys, _AWAY * least)
    more = _broader([_frame(mine, _AWAY * least), *mine], at, wide, least)
    made = _changed(job, keys, more, solid=False)
    return _as_left(made, keys, more, radius)


def _broader(
    loops: Sequence[Loop], at: tuple[float, float], wide: float, least: float
) -> list[Loop]:
    """Return what makes the narrow place of a region as wide as asked, on both sides of it.

    Of the region, what no disc of that width reaches is grown by half of what the narrowest of it
    lacks.
    """
    from silhueta.core.build.offset import offset
    from silhueta.core.geometry.region.region import cut_away

    half = least / 2
    reached = offset(offset(list(loops), -half), half)
    narrow = cut_away(list(loops), reached, "evenodd") if reached else list(loops)
    here = _beside(narrow, at, wide)
    if not here:
        raise EditError(_BY_HAND)
    return offset(here, (least - wide) / 2 + SPARE)


def _as_left(job: Job, keys: Sequence[int], more: Sequence[Loop], radius: float) -> Job:
    """Return the job with inside corners as a tool leaves them, where something was changed."""
    from silhueta.core.build.offset import offset
    from silhueta.core.geometry.region.region import cut_away

    if not radius:
        return job
    mine = _solid_of(job, keys, _AWAY * radius)
    left = cut_away(offset(offset(mine, radius), -radius), mine, "evenodd")
    beside = _touching(left, more)
    return _changed(job, keys, beside, solid=True) if beside else job


def rounded(job: Job, keys: Sequence[int], at: tuple[float, float], radius: float) -> Job:
    """Return the job with the inside corner at a place rounded as a round tool leaves it."""
    from silhueta.core.build.offset import offset
    from silhueta.core.geometry.region.region import cut_away

    mine = _solid_of(job, keys, _AWAY * radius)
    left = cut_away(offset(offset(mine, radius), -radius), mine, "evenodd")
    return _changed(job, keys, _beside(left, at, 0.0), solid=True)


def opened_corner(job: Job, keys: Sequence[int], at: tuple[float, float], centre: Floats) -> Job:
    """Return the job with a round relief at an inside corner, so that a square one goes in."""
    from silhueta.core.geometry.path import circle_loop

    relief = circle_loop(centre, float(np.hypot(*(np.array(at) - centre))))
    return _changed(job, keys, [relief], solid=False)


_BY_HAND = "it cannot be done here without changing more of the part; do it by hand at Build"


def _solid_of(job: Job, keys: Sequence[int], far: float) -> list[Loop]:
    """Return what some contours bound, as if nothing else were there; round holes alone a frame."""
    around = _depths(job)
    mine = [c.path for c in job.outline.contours if c.key in keys and isinstance(c.path, Loop)]
    if not mine:
        raise EditError("what this was about is gone")
    if all(around[key] % 2 for key in keys):
        return [_frame(mine, far), *mine]
    return mine


def _depths(job: Job) -> dict[int, int]:
    """Return how many loops lie round each contour, by key."""
    from silhueta.core.tidy.choose import depths

    around = depths(job.outline).tolist()
    return {c.key: deep for c, deep in zip(job.outline.contours, around, strict=True)}


def _frame(loops: Sequence[Loop], far: float) -> Loop:
    """Return a rectangle so far round some loops, mm."""
    from silhueta.core.geometry.measure import bounding_box

    left, bottom, right, top = bounding_box(loops)
    sides = [(left - far, bottom - far), (right + far, bottom - far)]
    sides += [(right + far, top + far), (left - far, top + far)]
    return Loop(np.array(sides))


def _beside(pieces: Sequence[Loop], at: tuple[float, float], reach: float) -> list[Loop]:
    """Return those pieces, with their holes, that come as near to a place as a finding reaches."""
    import shapely

    return _near(pieces, shapely.Point(at), reach / 2)


def _touching(pieces: Sequence[Loop], others: Sequence[Loop]) -> list[Loop]:
    """Return those pieces, with their holes, that touch any of others."""
    import shapely

    from silhueta.core.geometry.solids import polygon_of, solids

    there = shapely.union_all([polygon_of(piece, _TOUCHES) for piece in solids(others)])
    return _near(pieces, there, 0.0)


def _near(pieces: Sequence[Loop], there: BaseGeometry, reach: float) -> list[Loop]:
    """Return those pieces, with their holes, no farther from something than `reach`, mm."""
    from silhueta.core.geometry.solids import polygon_of, solids

    found: list[Loop] = []
    for piece in solids(pieces):
        if polygon_of(piece, _TOUCHES).distance(there) <= reach + _TOUCHES:
            found += [piece.outer, *piece.holes]
    return found


def _changed(job: Job, keys: Sequence[int], more: Sequence[Loop], solid: bool) -> Job:
    """Return the job with more material (`solid`), or less, along some contours and nowhere else.

    Raises
    ------
    EditError
        If there is nothing to add or take away: the fault is not to be mended so.

    """
    from silhueta.core.geometry.region.region import cut_away, united

    if not more:
        raise EditError(_BY_HAND)
    around, new = _depths(job), {}
    for key in keys:
        contour = _contour(job, key)
        if not isinstance(contour.path, Loop):
            continue
        hole = bool(around[key] % 2)
        made = (cut_away if hole == solid else united)([contour.path], list(more), "evenodd")
        if not made:
            raise EditError(_BY_HAND)
        clean = [_without_short(loop, contour.path) for loop in made]
        turned = [reverse_loop(loop) if hole else loop for loop in clean]
        new[key] = [edited(contour, loop) for loop in turned]
    return _with(job, new)


def _without_short(loop: Loop, before: Loop | None) -> Loop:
    """Return a loop without the segments, too short to see, that came of putting loops together."""
    from silhueta.core.tidy.offers.nodes import chords, without_segments

    if before is not None and chords(before).min() < SHORT:
        return loop  # it had such segments of its own, which are told
    short = np.flatnonzero(chords(loop) < SHORT)
    made = without_segments(loop, short) if len(short) else loop
    return made if isinstance(made, Loop) else loop


def _with(job: Job, new: dict[int, list[Contour]]) -> Job:
    """Return the job with others in place of some contours; the first keeps the key."""
    contours: list[Contour] = []
    for contour in job.outline.contours:
        if contour.key not in new:
            contours.append(contour)
            continue
        made = new[contour.key]
        contours += [replace(c, key=contour.key if not k else 0) for k, c in enumerate(made)]
    return with_outline(job, Outline(tuple(contours)))

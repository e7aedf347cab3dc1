"""In which order a sheet is cut: what lies inside first, and the shortest way among equals.

Words used here
    rank     of operations: what needs the whole sheet comes before what cuts it through
    equals   entries of which none lies in another: they may be cut in any order
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.cutting.plan import Entry, places_of
from silhueta.core.cutting.route import shortest
from silhueta.core.geometry.path import Floats
from silhueta.core.plan_settings import Operation, PlanSettings

RANK: dict[Operation, int] = {
    "mark": 0,
    "engrave": 1,
    "vgroove": 2,
    "pocket": 3,
    "drill": 4,
    "cut": 5,
}
_APART = 6  # entries that lie between two neighbours, where heat is spread (common practice)


def ordered(
    entries: Sequence[Entry], settings: PlanSettings, start: tuple[float, float]
) -> tuple[tuple[Entry, ...], tuple[str, ...]]:
    """Return entries in the order of work, and what is not as a person put it, in words.

    Parameters
    ----------
    entries : sequence of Entry
    settings : PlanSettings
    start : (x, y), mm
        Where the tool is.

    """
    at = np.asarray(start, np.float64)
    made: list[Entry] = []
    light = [one for one in entries if one.operation != "cut"]
    groups: dict[int, list[Entry]] = {}
    for one in light:
        groups.setdefault(one.tool.number, []).append(one)
    for group in sorted(groups.values(), key=lambda some: min(RANK[e.operation] for e in some)):
        for rank in sorted({RANK[e.operation] for e in group}):
            at = _gone(made, [e for e in group if RANK[e.operation] == rank], at, settings)
    _cuts(made, [one for one in entries if one.operation == "cut"], at, settings)
    if settings.first:
        return _by_hand(made, settings.first)
    return tuple(made), ()


def _cuts(made: list[Entry], cuts: Sequence[Entry], at: Floats, settings: PlanSettings) -> None:
    """Put cuts behind what is there already: always with all that lies inside them done before.

    One tool goes on as long as there is anything for it that may be cut.
    """
    left = list(cuts)
    while left:
        deepest: dict[int, int] = {}
        for one in left:
            deepest[one.part] = max(deepest.get(one.part, 0), one.level)
        open_ = [one for one in left if one.level == deepest[one.part]]
        number = max(
            {one.tool.number for one in open_},
            key=lambda n: (sum(one.tool.number == n for one in open_), -n),
        )
        own = _reachable(left, number)
        at = _gone_by_level(made, own, at, settings)
        done = set(map(id, own))
        left = [one for one in left if id(one) not in done]


def _reachable(left: Sequence[Entry], number: int) -> list[Entry]:
    """Return what one tool can cut: all in which nothing lies that another one has to cut first."""
    barred: dict[int, int] = {}
    for one in left:
        if one.tool.number != number:
            barred[one.part] = max(barred.get(one.part, -1), one.level)
    return [
        one for one in left if one.tool.number == number and one.level >= barred.get(one.part, -1)
    ]


def _gone_by_level(
    made: list[Entry], some: Sequence[Entry], at: Floats, settings: PlanSettings
) -> Floats:
    if settings.order == "holes":
        for level in sorted({one.level for one in some}, reverse=True):
            at = _gone(made, [one for one in some if one.level == level], at, settings)
        return at
    parts: dict[int, list[Entry]] = {}
    for one in some:
        parts.setdefault(one.part, []).append(one)
    # a part is gone to where its last cut lies
    last = [min(own, key=lambda one: one.level) for own in parts.values()]
    chosen = _sequence(last, at, settings)
    every = list(parts.values())
    for k in chosen:
        own = every[k]
        for level in sorted({one.level for one in own}, reverse=True):
            equals = [one for one in own if one.level == level]
            at = _gone(made, equals, at, settings)
    return at


def _gone(made: list[Entry], equals: Sequence[Entry], at: Floats, settings: PlanSettings) -> Floats:
    """Put equals behind what is there already, by the shortest way; return where it ends."""
    if not equals:
        return at
    made += [equals[k] for k in _sequence(equals, at, settings)]
    return np.array(made[-1].end)


def _sequence(equals: Sequence[Entry], at: Floats, settings: PlanSettings) -> list[int]:
    if len(equals) == 1:
        return [0]
    begin, end = places_of(equals)
    order = shortest(at, begin, end).tolist()
    return _spread(order) if settings.spread else order


def _spread(order: list[int]) -> list[int]:
    """Return an order in which neighbours on the way do not follow each other."""
    stride = max(1, -(-len(order) // _APART))
    return [order[k] for first in range(stride) for k in range(first, len(order), stride)]


def _by_hand(
    made: Sequence[Entry], first: Sequence[int]
) -> tuple[tuple[Entry, ...], tuple[str, ...]]:
    """Return entries as a person put them, as far as nothing is cut before what lies in it."""
    place = {key: k for k, key in enumerate(first)}
    # what a person did not put anywhere stays right before what it was before
    rank = float(len(first))
    ranks: list[float] = []
    for one in reversed(made):
        rank = float(place[one.key]) if one.key in place else rank - 1e-6
        ranks.append(rank)
    ranks.reverse()
    wished = [made[k] for k in np.argsort(np.array(ranks), kind="stable").tolist()]
    waiting: list[Entry] = []
    found: list[Entry] = []
    notes: list[str] = []
    left: dict[int, Entry] = {id(one): one for one in wished}

    def inner(one: Entry) -> Entry | None:
        """Return something that has to be cut before an entry and is not yet, or None."""
        for other in left.values():
            before = bool(other.part == one.part) and (
                other.level > one.level or (other.operation != "cut" and one.operation == "cut")
            )
            if before and other is not one:
                return other
        return None

    for one in wished:
        blocker = inner(one)
        if blocker is not None and one.operation == "cut":
            waiting.append(one)
            x, y = one.begin
            notes.append(
                f"the cut at {x:.0f}, {y:.0f} mm cannot come that early: what lies in it at "
                f"{blocker.begin[0]:.0f}, {blocker.begin[1]:.0f} mm would move or drop; it comes "
                "right after that"
            )
            continue
        found.append(one)
        del left[id(one)]
        for other in list(waiting):
            if inner(other) is None:
                waiting.remove(other)
                found.append(other)
                del left[id(other)]
    return (*found, *waiting), tuple(notes)

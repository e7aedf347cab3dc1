"""Clean-up offers: what is wrong with an outline, where, and the edit that puts it right.

Words used here
    offer    one kind of thing that is wrong, and all the places where it is
    item     one of these places
    limits   how small, how near, how far: what counts as wrong
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from typing import NamedTuple, get_args

from silhueta.core.geometry.outline import Operation, Outline
from silhueta.core.tidy.offers.offer import Frame, Item, Kind, Limits, Offer, Search
from silhueta.core.work import Work

_Find = Callable[[Search], Sequence[Item]]
_Take = Callable[[Offer, Sequence[Item]], Outline]


def _rules() -> dict[Kind, tuple[_Find, _Take]]:
    """Return how each kind is found and put right, in the order they are best taken."""
    from silhueta.core.tidy.offers import crossed, doubles, gaps, necks, nodes, specks, thin

    return {
        "frame": (specks.find_frames, specks.take),
        "specks": (specks.find_specks, specks.take),
        "coincident": (nodes.find_coincident, nodes.take_segments),
        "doubles": (doubles.find, doubles.take),
        "gaps": (gaps.find, gaps.take),
        "spikes": (nodes.find_spikes, nodes.take_spikes),
        "crossings": (crossed.find, crossed.take),
        "short": (nodes.find_short, nodes.take_segments),
        "thin": (thin.find, thin.take),
        "necks": (necks.find, necks.take),
    }


KINDS: tuple[Kind, ...] = get_args(Kind)  # in the order they are best taken


def find_offer(
    outline: Outline,
    kind: Kind,
    limits: Limits,
    frame: Frame | None = None,
    work: Work | None = None,
) -> Offer:
    """Return where `outline` has things of one kind wrong.

    Only what is worked and not locked is looked at. What is cut, engraved and marked is neither
    double to each other nor joined; small marks and engravings are meant.

    Parameters
    ----------
    outline : Outline
    kind : Kind
    limits : Limits
    frame : (left, bottom, right, top), mm, optional
        Of the picture, or of the page that the outline came on.
    work : Work, optional

    """
    find, _ = _rules()[kind]
    search = Search(outline, limits, frame, work or Work())
    there = {c.operation for c in outline.contours if c.taken}
    ways = [operation for operation in get_args(Operation) if operation in there]
    if kind == "specks":
        searches = [replace(search, operation="cut")]
    elif kind in ("doubles", "gaps") and len(ways) > 1:
        searches = [replace(search, operation=operation) for operation in ways]
    else:
        searches = [search]
    return Offer(kind, tuple(item for own in searches for item in find(own)), outline, limits)


def find_offers(
    outline: Outline,
    limits: Limits,
    frame: Frame | None = None,
    work: Work | None = None,
    kinds: Collection[Kind] = KINDS,
) -> list[Offer]:
    """Return the offers of all `kinds` that have something to offer, in the order to take them."""
    work = work or Work()
    found = []
    for number, kind in enumerate(KINDS):
        if kind in kinds:
            with work.stage(kind):
                work.step(number / len(KINDS))
                found.append(find_offer(outline, kind, limits, frame, work))
    return [offer for offer in found if offer.items]


def take(offer: Offer, items: Sequence[Item] | None = None) -> Outline:
    """Return the offer's outline with `items` put right; None: all that are sure."""
    chosen = offer.sure if items is None else tuple(items)
    if not chosen:
        return offer.outline
    _, edit = _rules()[offer.kind]
    return edit(offer, chosen)


class Tidied(NamedTuple):
    """An outline, how many things of each kind were put right, and how many a person must see."""

    outline: Outline
    counts: dict[Kind, int]
    asked: dict[Kind, int]


def take_all(
    outline: Outline,
    limits: Limits,
    frame: Frame | None = None,
    work: Work | None = None,
    kinds: Collection[Kind] = KINDS,
) -> Tidied:
    """Return the outline after all offers, one kind after the other, and how many of each.

    Each kind is looked for in what the kind before it left.
    """
    work = work or Work()
    counts: dict[Kind, int] = {}
    asked: dict[Kind, int] = {}
    for kind in KINDS:
        if kind not in kinds:
            continue
        with work.stage(kind):
            offer = find_offer(outline, kind, limits, frame, work)
            unsure = len(offer.items) - len(offer.sure)
            if unsure:
                asked[kind] = unsure
            offer = replace(offer, items=offer.sure)
            if offer.items:
                counts[kind] = offer.count
                outline = take(offer)
    return Tidied(outline, counts, asked)

"""Clean-up offers: what is wrong with an outline, where, and the edit that puts it right.

Words used here
    offer    one kind of thing that is wrong, and all the places where it is
    item     one of these places
    limits   how small, how near, how far: what counts as wrong
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, NamedTuple, get_args

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Path
from silhueta.core.work import Work

Kind = Literal[
    "frame",
    "specks",
    "coincident",
    "doubles",
    "gaps",
    "spikes",
    "crossings",
    "short",
    "thin",
    "necks",
]
Frame = tuple[float, float, float, float]  # left, bottom, right, top of a page, mm
KeepDouble = Literal["outer", "inner", "middle"]


@dataclass(frozen=True)
class Limits:
    """What counts as wrong; 0 takes a kind out.

    Parameters
    ----------
    speck : float, mm²
        Loops that enclose less; open paths shorter than the side of such a square.
    double : float, mm
        Paths that follow each other within this.
    keep_double : {"outer", "inner", "middle"}
        Of two loops that do.
    gap : float, mm
        Ends no farther apart are joined.
    extend : bool
        Join ends where their own directions meet, if that is no farther; else straight.
    same : float, mm
        Nodes no farther apart are one.
    short : float, mm
        Segments shorter than this.
    spike : float, degrees
        Turns that leave no more than this between the way there and the way back.
    tolerance : float, mm
        How far an outline with fewer nodes may leave the one it is made from.
    neck, neck_width : float, mm
        Pieces no farther apart are joined by a neck so wide.

    """

    speck: float = 1.0
    double: float = 0.2
    keep_double: KeepDouble = "outer"
    gap: float = 0.5
    extend: bool = True
    same: float = 0.001
    short: float = 0.0
    spike: float = 8.0
    tolerance: float = 0.05
    neck: float = 0.0
    neck_width: float = 2.0

    def __post_init__(self) -> None:
        for name in ("speck", "double", "gap", "same", "short", "spike", "tolerance", "neck"):
            value = getattr(self, name)
            if not 0 <= value < 1e6:
                raise EditError(
                    f"the limit of {name} must be from 0 to under 1,000,000, got {value:g}"
                )
        if not 0 < self.neck_width < 1e6:
            raise EditError(f"a neck must be wider than 0 mm, got {self.neck_width:g}")


_ORDINARY = 50.0  # mm across, from which on a drawing's size does not matter
_LEAST = 1e-3  # of the ordinary limits


def limits_for(outline: Outline) -> Limits:
    """Return the limits for somebody's drawing: those of a small one are smaller in proportion."""
    left, bottom, right, top = outline.bounds if outline.taken else (0.0, 0.0, _ORDINARY, 0.0)
    share = min(max(math.hypot(right - left, top - bottom) / _ORDINARY, _LEAST), 1.0)
    usual = Limits()
    return replace(
        usual,
        speck=usual.speck * share * share,
        double=usual.double * share,
        gap=usual.gap * share,
        tolerance=usual.tolerance * share,
        same=usual.same * share,
    )


@dataclass(frozen=True, eq=False)
class Item:
    """One place where something is wrong.

    Parameters
    ----------
    place : (x, y), mm
    contours : tuple of int
        Which ones, by their places in the outline.
    data : object
        What the edit needs besides.
    sure : bool
        False: taken only when a person says so.

    """

    place: tuple[float, float]
    contours: tuple[int, ...]
    data: Any = None
    sure: bool = True


@dataclass(frozen=True, eq=False)
class Offer:
    """One kind of thing that is wrong with `outline`, and where."""

    kind: Kind
    items: tuple[Item, ...]
    outline: Outline
    limits: Limits

    @property
    def count(self) -> int:
        """How many things: nodes for thinning, places otherwise."""
        if self.kind == "thin":
            return sum(int(item.data.spared) for item in self.items)
        return len(self.items)

    @property
    def sure(self) -> tuple[Item, ...]:
        """The items that need no second look."""
        return tuple(item for item in self.items if item.sure)


@dataclass(frozen=True, eq=False)
class Search:
    """What is looked at: an outline, the limits, its page or picture, and the work token."""

    outline: Outline
    limits: Limits
    frame: Frame | None = None
    work: Work = field(default_factory=Work)

    @cached_property
    def contours(self) -> list[tuple[int, Contour]]:
        """The contours that offers look at, with their places: cut, and not locked."""
        return [(i, c) for i, c in enumerate(self.outline.contours) if c.taken and not c.locked]


_Find = Callable[[Search], Sequence[Item]]
_Take = Callable[[Offer, Sequence[Item]], Outline]


def _rules() -> dict[Kind, tuple[_Find, _Take]]:
    """Return how each kind is found and put right, in the order they are best taken."""
    from silhueta.core.tidy import crossed, doubles, gaps, necks, nodes, specks, thin

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

    Only what is cut and not locked is looked at.

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
    return Offer(kind, tuple(find(Search(outline, limits, frame, work or Work()))), outline, limits)


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


def edited(contour: Contour, path: Path) -> Contour:
    """Return `contour` with another path, marked as changed by hand."""
    return replace(contour, path=path, origin="drawn" if contour.origin == "drawn" else "edited")


def left_out(outline: Outline, which: Collection[int]) -> Outline:
    """Return `outline` without some contours: traced ones stay, skipped; others are deleted."""
    gone = set(which)
    return Outline(
        tuple(
            replace(c, taken=False, chosen=True) if i in gone else c
            for i, c in enumerate(outline.contours)
            if i not in gone or c.origin == "traced"
        )
    )


def with_paths(outline: Outline, paths: dict[int, Path]) -> Outline:
    """Return `outline` with other paths at some places."""
    return Outline(
        tuple(edited(c, paths[i]) if i in paths else c for i, c in enumerate(outline.contours))
    )

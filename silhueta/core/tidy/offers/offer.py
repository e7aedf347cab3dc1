"""One kind of thing that is wrong with an outline, and where: what all kinds of offers share.

Words used here
    offer    one kind of thing that is wrong, and all the places where it is
    item     one of these places
    limits   how small, how near, how far: what counts as wrong
"""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any, Literal

from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Contour, Operation, Outline
from silhueta.core.geometry.path import Path
from silhueta.core.job import Frame as Frame
from silhueta.core.job import Job
from silhueta.core.tidy_settings import KeepDouble
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


@dataclass(frozen=True)
class Limits:
    """What counts as wrong; 0 takes a kind out.

    Parameters
    ----------
    speck : float, mm²
        Loops that enclose less; open paths shorter than the side of such a square.
    dust : float, mm
        Of what counts as a speck, things larger across than this are asked about: a drawing's
        claws and eyes are meant, however small. No limit where a person has set `speck`.
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
    dust: float = math.inf
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


_SHORT = 0.02  # mm
_DUST = 0.65  # mm across, up to which a thing in somebody's drawing is taken for dust; no source
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
        dust=_DUST * share,
        double=usual.double * share,
        gap=usual.gap * share,
        tolerance=usual.tolerance * share,
        same=usual.same * share,
    )


def limits_of(job: Job) -> Limits:
    """Return the limits that suit a job's outline, and over them those that a person has set."""
    imported = any(contour.origin == "imported" for contour in job.outline.contours)
    usual = limits_for(job.outline) if imported else Limits()
    set_ = {
        field.name: value
        for field in fields(job.tidy)
        if (value := getattr(job.tidy, field.name)) is not None
    }
    return replace(usual, **{"short": _SHORT} | with_speck(set_))


def with_speck(given: dict[str, Any]) -> dict[str, Any]:
    """Return limits that a person has set; with a `speck` among them, all that is less goes."""
    return given | {"dust": math.inf} if "speck" in given else given


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
    """What is looked at: an outline, the limits, its page or picture, and the work token.

    With an `operation`, only what is worked so.
    """

    outline: Outline
    limits: Limits
    frame: Frame | None = None
    work: Work = field(default_factory=Work)
    operation: Operation | None = None

    @cached_property
    def contours(self) -> list[tuple[int, Contour]]:
        """The contours that offers look at, with their places: worked, and not locked."""
        return [
            (i, c)
            for i, c in enumerate(self.outline.contours)
            if c.taken and not c.locked and self.operation in (None, c.operation)
        ]


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

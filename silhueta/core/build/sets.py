"""Outlines put together: welded, cut away, bordered, backed, their thin webs grown."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from silhueta.core.build.offset import Corners, offset, outer_only
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.region.region import combined, common, covered, cut_away, united
from silhueta.core.geometry.solids import solids

How = Literal["union", "subtract", "intersect", "exclude"]
Marks = NDArray[np.bool_]
_KEEPS: dict[How, Callable[[Marks], Marks]] = {
    "union": lambda inside: np.asarray(inside.any(axis=0)),
    "subtract": lambda inside: inside[0] & ~inside[1:].any(axis=0),
    "intersect": lambda inside: np.asarray(inside.all(axis=0)),
    "exclude": lambda inside: inside.sum(axis=0) % 2 == 1,
}
_STEPS = 4  # of width, in which thin webs are grown
_CORNER = 1.25  # of the square of half a width: what is left of a corner of 45 degrees
_FAR = 10.0  # mm that a parting line reaches beyond
_SLIVER = 1e-6  # mm²


def put_together(how: How, groups: Sequence[Sequence[Loop]]) -> list[Loop]:
    """Return what a set operation makes of groups of loops, mm; the first is the base.

    Raises
    ------
    EditError
        If a group has no closed outline, or nothing is left.

    """
    if not all(groups) or len(groups) < 1:
        raise EditError("one of them has no closed outline; close its gaps at Tidy first")
    made = combined([list(group) for group in groups], _KEEPS[how], "evenodd")
    if not made:
        raise EditError("nothing is left: the result is empty")
    return made


def parted(
    loops: Sequence[Loop], a: tuple[float, float], b: tuple[float, float]
) -> tuple[list[Loop], list[Loop]]:
    """Return what lies left and right of the line from a to b, mm; together they are the whole.

    Raises
    ------
    EditError
        If the line is none, or does not cross anything.

    """
    one, two = np.array(a, float), np.array(b, float)
    long = float(np.hypot(*(two - one)))
    if not long > 1e-6:
        raise EditError("a parting line needs two places")
    left, bottom, right, top = bounding_box(loops)
    size = (
        np.hypot(right - left, top - bottom)
        + _FAR
        + float(np.hypot(*(one - ((left + right) / 2, (bottom + top) / 2))))
    )
    way = (two - one) / long
    aside = np.array([-way[1], way[0]])
    start, end = one - size * way, one + size * way
    half = Loop(np.array([start, end, end + size * aside, start + size * aside]))
    sides = (common(list(loops), [half], "evenodd"), cut_away(list(loops), [half], "evenodd"))
    if not all(sides):
        raise EditError("the line does not cross the part")
    return sides


def border(loops: Sequence[Loop], wide: float, corners: Corners = "round") -> list[Loop]:
    """Return the ring between an outline and the same grown by so many mm.

    Raises
    ------
    EditError
        If the width is none.

    """
    if not wide > 0:
        raise EditError("a border must be wider than 0 mm")
    outer = outer_only(list(loops))
    return cut_away(offset(outer, wide, corners), outer, "nonzero")


def backing(loops: Sequence[Loop], margin: float) -> list[Loop]:
    """Return one solid shape behind everything, larger by a margin, mm."""
    return outer_only(offset(outer_only(list(loops)), margin))


def thickened(loops: Sequence[Loop], least: float) -> list[Loop]:
    """Return an outline whose webs are nowhere thinner than `least`, mm; the rest is untouched.

    What a disc of a width cannot reach is thinner than it: in steps of a quarter of `least`, such
    webs are grown to both sides by what they lack. Corners of 45 degrees and more stay as they are.

    Raises
    ------
    EditError
        If the width is none.

    """
    if not 0 < least <= 1000:
        raise EditError("webs can be made up to 1,000 mm thick")
    whole = covered(list(loops), "evenodd")
    made = whole
    wider = whole
    for step in range(1, _STEPS + 1):
        half = least / 2 * step / _STEPS
        reached = offset(offset(whole, -half), half)
        thin = cut_away(wider, reached, "nonzero") if reached else wider
        wider = reached
        webs = _webs(thin, half)
        if webs:
            lacking = least / 2 - least / 2 * (step - 1) / _STEPS
            made = united(made, offset(webs, lacking), "nonzero")
        if not wider:
            break
    return made


def _webs(thin: Sequence[Loop], half: float) -> list[Loop]:
    """Return what of thin places is more than the corners that a disc does not reach."""
    found: list[Loop] = []
    for part in solids(thin):
        area = abs(signed_area(part.outer)) - sum(abs(signed_area(hole)) for hole in part.holes)
        if area > max(_CORNER * half * half, _SLIVER):
            found += [part.outer, *part.holes]
    return found

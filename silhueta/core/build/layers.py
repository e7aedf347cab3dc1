"""A picture's colours as layers: each cut from its own sheet and laid over the ones below.

Words used here
    trap    by which a layer reaches under those above it, so that no gap shows
    base    one solid piece below all
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from silhueta.core.build.offset import offset, outer_only
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.region.region import common, covered, united
from silhueta.core.geometry.transform import transform
from silhueta.core.trace_settings import Rgb

_MARK = 6.0  # mm across a registration mark
_AWAY = 4.0  # mm from what is cut
_MOST_TRAP = 20.0  # mm


class Layer(NamedTuple):
    """A layer: its colour (None: the base), what is cut, and its registration marks."""

    colour: Rgb | None
    loops: list[Loop]
    marks: list[Path]

    @property
    def outline(self) -> Outline:
        """What is cut and what is marked of it."""
        cut = [Contour(loop) for loop in self.loops]
        return Outline((*cut, *(Contour(path, operation="mark") for path in self.marks)))

    @property
    def name(self) -> str:
        """What tells its file from the others': its colour as six digits, or "base"."""
        return "base" if self.colour is None else "{:02x}{:02x}{:02x}".format(*self.colour)


def layers(
    groups: Sequence[tuple[Rgb, Sequence[Loop]]],
    trap: float = 0.0,
    base: bool = False,
    marks: bool = True,
    mirrored: str | bool = False,
) -> list[Layer]:
    """Return the layers of colours, the lowest first.

    The colour with most area lies lowest; each reaches under all above it by the trap.

    Parameters
    ----------
    groups : sequence of (colour, loops in mm)
    trap : float, mm
    base : bool
        A solid piece below all, as large as all together.
    marks : bool
        Four registration marks round all, at the same places in every layer.
    mirrored : bool or {"x", "y", ""}
        True, "x": left and right exchanged, as for transfers that are cut from behind; "y": top
        and bottom.

    Raises
    ------
    EditError
        If there are no colours, or the trap is none.

    """
    if not groups:
        raise EditError("the outline has no colours; split the picture by colours at Trace first")
    if not 0 <= trap <= _MOST_TRAP:
        raise EditError(f"layers can overlap by 0 to {_MOST_TRAP:g} mm, not {trap:g} mm")
    order = sorted(groups, key=lambda group: -_area(group[1]))
    everything = [loop for _, loops in order for loop in loops]
    made: list[tuple[Rgb | None, list[Loop]]] = []
    for k, (colour, loops) in enumerate(order):
        own = covered(list(loops), "evenodd")
        above = [covered(list(some), "evenodd") for _, some in order[k + 1 :]]
        if trap and above:
            under = common(offset(own, trap), _all(above), "nonzero")
            own = united(own, under, "nonzero")
        made.append((colour, own))
    if base:
        made.insert(0, (None, outer_only(_all([loops for _, loops in made]))))
    crosses = _marks(bounding_box(everything)) if marks else []
    if not mirrored:
        return [Layer(colour, loops, crosses) for colour, loops in made]
    left, bottom, right, top = bounding_box(everything)
    flip, shift = np.diag([-1.0, 1.0]), (left + right, 0.0)
    if mirrored == "y":
        flip, shift = np.diag([1.0, -1.0]), (0.0, bottom + top)
    return [
        Layer(
            colour,
            [p for loop in loops if isinstance(p := transform(loop, flip, shift), Loop)],
            [transform(path, flip, shift) for path in crosses],
        )
        for colour, loops in made
    ]


def _all(groups: Sequence[Sequence[Loop]]) -> list[Loop]:
    return covered([loop for group in groups for loop in group], "nonzero")


def _area(loops: Sequence[Loop]) -> float:
    return sum(signed_area(loop) for loop in covered(list(loops), "evenodd"))


def _marks(box: tuple[float, float, float, float]) -> list[Path]:
    """Return a ring with a cross at each corner outside a box."""
    left, bottom, right, top = box
    off = _AWAY + _MARK / 2
    found: list[Path] = []
    for x in (left - off, right + off):
        for y in (bottom - off, top + off):
            half = _MARK / 2
            found += [
                circle_loop((x, y), half / 2),
                OpenPath(np.array([[x - half, y], [x + half, y]])),
                OpenPath(np.array([[x, y - half], [x, y + half]])),
            ]
    return found

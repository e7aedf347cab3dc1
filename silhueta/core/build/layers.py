"""A picture's colours as layers: each cut from its own sheet and laid over the ones below.

Words used here
    trap    by which a layer reaches under those above it, so that no gap shows
    base    one solid piece below all
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from silhueta.core.build.offset import offset, outer_only
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.region.region import common, covered, united
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.geometry.transform import transform
from silhueta.core.trace_settings import Rgb
from silhueta.core.wording import counted

_MARK = 6.0  # mm across a registration mark
_AWAY = 4.0  # mm from what is cut
_CHORD = 0.01  # mm, to which curves are followed to tell which layer a line lies on
_MOST_TRAP = 20.0  # mm


class Layer(NamedTuple):
    """A layer: its colour (None: the base), what is cut, and its registration marks.

    `lines`: what is engraved or marked on it, and lines with two ends.
    """

    colour: Rgb | None
    loops: list[Loop]
    marks: list[Path]
    lines: tuple[Contour, ...] = ()

    @property
    def outline(self) -> Outline:
        """What is cut, engraved and marked of it."""
        cut = [Contour(loop) for loop in self.loops]
        marks = [Contour(path, operation="mark") for path in self.marks]
        return Outline((*cut, *self.lines, *marks))

    @property
    def name(self) -> str:
        """What tells its file from the others': its colour as six digits, or "base"."""
        return "base" if self.colour is None else "{:02x}{:02x}{:02x}".format(*self.colour)


def layered(
    outline: Outline, trap: float = 0.0, base: bool = False, mirrored: str | bool = False
) -> list[Layer]:
    """Return the layers of an outline, the lowest first, with all that is worked on each.

    What is engraved or marked lies on the layer of its colour; without one, on the uppermost layer
    that is seen where it begins.

    Raises
    ------
    EditError
        As :func:`layers`, and where something is cut that has no colour: it belongs to no layer.

    """
    bare = sum(c.cut and c.colour is None for c in outline.contours)
    groups = [
        (colour, [path for path in paths if isinstance(path, Loop)])
        for colour, paths in outline.groups
        if colour is not None
    ]
    if bare and groups:
        raise EditError(
            f"{counted(bare, 'line')} that {'is' if bare == 1 else 'are'} cut belong"
            f"{'s' if bare == 1 else ''} to no colour, and so to no layer; engrave or mark "
            f"{'it' if bare == 1 else 'them'}, or skip {'it' if bare == 1 else 'them'}"
        )
    own = {colour: loops for colour, loops in groups if loops}
    made = layers(list(own.items()), trap, base, True, mirrored)
    on: dict[Rgb | None, list[Contour]] = {layer.colour: [] for layer in made}
    order = [layer.colour for layer in made if layer.colour is not None]
    for contour in outline.contours:
        if contour.taken and not (contour.cut and contour.path.closed):
            known = contour.colour in own
            seen = contour.colour if known else _seen_at(order, own, contour.path)
            on[seen].append(contour)
    flip = _flip(mirrored, [loop for _, loops in groups for loop in loops])
    return [
        layer._replace(
            lines=tuple(
                replace(c, path=transform(c.path, *flip), mirrored=not c.mirrored) if flip else c
                for c in on[layer.colour]
            )
        )
        for layer in made
    ]


def _seen_at(order: Sequence[Rgb], own: Mapping[Rgb, Sequence[Loop]], path: Path) -> Rgb:
    """Return which colour, the lowest first, is uppermost where a path begins; else the lowest."""
    import shapely

    place = shapely.Point(path.nodes[0])
    for colour in reversed(order):
        pieces = (polygon_of(solid, _CHORD) for solid in solids(own[colour]))
        if any(piece.covers(place) for piece in pieces):
            return colour
    return order[0]


def _flip(
    mirrored: str | bool, loops: Sequence[Loop]
) -> tuple[np.ndarray, tuple[float, float]] | None:
    """Return the matrix and shift that mirror `loops` in their box, or None where nothing is."""
    if not mirrored:
        return None
    left, bottom, right, top = bounding_box(loops)
    if mirrored == "y":
        return np.diag([1.0, -1.0]), (0.0, bottom + top)
    return np.diag([-1.0, 1.0]), (left + right, 0.0)


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
    flip = _flip(mirrored, everything)
    if flip is None:
        return [Layer(colour, loops, crosses) for colour, loops in made]
    return [
        Layer(
            colour,
            [p for loop in loops if isinstance(p := transform(loop, *flip), Loop)],
            [transform(path, *flip) for path in crosses],
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

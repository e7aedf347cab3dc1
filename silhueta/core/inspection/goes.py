"""What goes and what stays once everything is cut.

Words used here
    stays    a piece of the part: what is solid
    goes     what falls away inside the part: a slug, or a whole window
"""

from __future__ import annotations

from typing import NamedTuple

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of, bounding_box
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.solids import solids
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.materials import mass

_CHORDS = 200  # of a piece's size, to which a place for its letter is looked for


class Piece(NamedTuple):
    """One piece of what stays, or of what goes.

    loops : tuple of Loop
        Its outer loop, and what is cut out of it.
    area : float, mm²
    mass : float or None, g
    inside : (x, y), mm
        A place well inside it.
    """

    loops: tuple[Loop, ...]
    area: float
    mass: float | None
    inside: tuple[float, float]


class Outcome(NamedTuple):
    """All pieces, the largest first, and how much of the sheet is scrap (None: no sheet told).

    `loose`: how many of the pieces that stay lie loose in what goes.
    """

    stays: tuple[Piece, ...]
    goes: tuple[Piece, ...]
    scrap: float | None
    loose: int

    @property
    def kept_mass(self) -> float | None:
        """What all that stays weighs, g."""
        return _sum(self.stays)

    @property
    def gone_mass(self) -> float | None:
        """What all that goes weighs, g."""
        return _sum(self.goes)


def outcome(outline: Outline, limits: Limits) -> Outcome:
    """Return what goes and what stays of the closed contours that are cut, colour by colour."""
    stays: list[Piece] = []
    goes: list[Piece] = []
    loose = 0
    for _, paths in outline.groups:
        loops = [path for path in paths if isinstance(path, Loop)]
        every = solids(loops)
        for solid in every:
            stays.append(_piece((solid.outer, *solid.holes), limits))
            loose += solid.depth >= 2
            for place, hole in zip(solid.inside, solid.holes, strict=True):
                islands = [one.outer for one in every if one.within == place]
                goes.append(_piece((hole, *islands), limits))
    kept = sum(piece.area for piece in stays)
    scrap = None
    if limits.sheet is not None:
        whole = limits.sheet[0] * limits.sheet[1]
        scrap = max(0.0, 1 - kept / whole)
    return Outcome(_sorted(stays), _sorted(goes), scrap, loose)


def _piece(loops: tuple[Loop, ...], limits: Limits) -> Piece:
    areas = [abs(area_of(loop)) for loop in loops]
    area = areas[0] - sum(areas[1:])
    weight = mass(area, limits.thickness, limits.material)
    return Piece(loops, area, weight, _inside(loops))


def _inside(loops: tuple[Loop, ...]) -> tuple[float, float]:
    """Return the middle of about the largest circle in a piece."""
    import shapely

    left, bottom, right, top = bounding_box(loops[:1])
    size = max(right - left, top - bottom)
    rings = [flatten(loop, size / _CHORDS) for loop in loops]
    whole = [ring for ring in rings if len(ring) > 2]
    shape = shapely.Polygon(rings[0], whole[1:]).buffer(0) if len(rings[0]) > 2 else None
    if shape is None or shape.is_empty:
        return (left + right) / 2, (bottom + top) / 2
    x, y = shapely.maximum_inscribed_circle(shape, size / _CHORDS).coords[0]
    return float(x), float(y)


def _sorted(pieces: list[Piece]) -> tuple[Piece, ...]:
    return tuple(sorted(pieces, key=lambda piece: (-piece.area, bounding_box(piece.loops))))


def _sum(pieces: tuple[Piece, ...]) -> float | None:
    known = [piece.mass for piece in pieces if piece.mass is not None]
    return sum(known) if pieces and len(known) == len(pieces) else None

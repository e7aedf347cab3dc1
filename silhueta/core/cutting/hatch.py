"""Fields filled by parallel lines: how an area is engraved."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely

from silhueta.core.errors import EditError
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.geometry.solids import polygon_of, solids

_CHORD = 5e-3  # mm, within which fields are followed by chords: less than any beam is wide
_MOST = 200_000  # lines in one field: a metre at 0.005 mm
_LEAST = 1e-3  # mm: shorter pieces of a line are nothing


def hatched(loops: Sequence[Loop], gap: float, degrees: float) -> list[OpenPath]:
    """Return lines that fill what loops enclose, every second one the other way, mm.

    Parameters
    ----------
    loops : sequence of Loop
        Loops in each other are left out, by turns.
    gap : float, mm
        From line to line.
    degrees : float
        To which the lines run, from the x axis.

    Raises
    ------
    EditError
        If the gap is none, or there would be more lines than any job has.

    """
    if not gap > 0:
        raise EditError("the gap between lines must be more than 0 mm")
    field = shapely.MultiPolygon(
        [one for s in solids(loops) if isinstance(one := polygon_of(s, _CHORD), shapely.Polygon)]
    ).buffer(0)
    if field.is_empty:
        return []
    turn = math.radians(degrees)
    c, s = math.cos(turn), math.sin(turn)
    level = shapely.transform(field, lambda p: p @ np.array([[c, -s], [s, c]]))
    left, bottom, right, top = level.bounds
    if (top - bottom) / gap > _MOST:
        raise EditError(f"a gap of {gap:g} mm makes too many lines here; type a larger one")
    count = max(1, round((top - bottom) / gap))
    rows = bottom + (np.arange(count) + 0.5) / count * (top - bottom)
    ends = np.stack(
        [
            np.column_stack([np.full(count, left - 1), rows]),
            np.column_stack([np.full(count, right + 1), rows]),
        ],
        axis=1,
    )
    found: list[OpenPath] = []
    cuts = np.asarray(shapely.intersection(level, shapely.linestrings(ends)))
    for k, cut in enumerate(cuts):
        parts = [p for p in shapely.get_parts(cut) if p.length > _LEAST]
        parts.sort(key=lambda part: part.bounds[0], reverse=bool(k % 2))
        for part in parts:
            low, y, high, _ = part.bounds
            row = np.array([[high, y], [low, y]] if k % 2 else [[low, y], [high, y]])
            found.append(OpenPath(row @ np.array([[c, s], [-s, c]])))
    return found

"""What becomes of decisions and edits when a picture is traced again.

Words used here
    twin    the contour of another outline that is most of the same
"""

from __future__ import annotations

from dataclasses import replace

import shapely

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline

_ALIKE = 0.6  # of the larger of two loops that both cover
ALIKE_CHORD = 0.05  # mm
_MANY = 2000  # contours before and after, over which matching takes seconds
_ALONG = 0.5  # mm, that a line may lie off another that runs along it


def beside(fresh: Outline, kept: tuple[Contour, ...]) -> Outline:
    """Return what was traced anew with the `kept` contours in place of their own traces.

    A fresh loop gives way to a kept one that covers most of the same ground, a fresh line to one
    that runs along most of it.
    """
    twins = _twins(fresh.contours, kept)
    free = tuple(c for c, twin in zip(fresh.contours, twins, strict=True) if twin is None)
    return Outline((*kept, *free))


def known_again(before: Outline, fresh: Outline) -> Outline:
    """Return what was traced anew under its old keys, cut or skipped as a person decided before.

    Of very many contours only those that a person decided over are known again.
    """
    many = len(before.contours) + len(fresh.contours) > _MANY
    known = tuple(c for c in before.contours if c.chosen or not many)
    if not known:
        return fresh
    twins = _twins(fresh.contours, known)

    def named(contour: Contour, twin: Contour) -> Contour:
        if not twin.chosen:
            return replace(contour, key=twin.key)
        return replace(
            contour, key=twin.key, taken=twin.taken, operation=twin.operation, chosen=True
        )

    return Outline(
        tuple(
            c if twin is None else named(c, known[twin])
            for c, twin in zip(fresh.contours, twins, strict=True)
        )
    )


def _twins(contours: tuple[Contour, ...], others: tuple[Contour, ...]) -> list[int | None]:
    """Return for each contour which of `others` is most of the same, or None."""

    def shape(contour: Contour) -> shapely.Polygon | shapely.LineString:
        points = flatten(contour.path, ALIKE_CHORD)
        closed = contour.path.closed and len(points) > 2
        return shapely.Polygon(points) if closed else shapely.LineString(points)

    held = [shapely.make_valid(shape(contour)) for contour in others]
    tree = shapely.STRtree(held)
    found: list[int | None] = []
    for contour in contours:
        own = shapely.make_valid(shape(contour))
        twin = None
        for k in tree.query(own).tolist():
            if contour.path.closed:
                common = shapely.area(shapely.intersection(own, held[k]))
                whole = max(shapely.area(own), shapely.area(held[k]), 1e-9)
            else:
                common = shapely.length(shapely.intersection(own, held[k].buffer(_ALONG)))
                whole = max(shapely.length(own), 1e-9)
            if common > _ALIKE * whole:
                twin = int(k)
        found.append(twin)
    return found

"""Offer: a loop that crosses itself becomes what it goes round, by the rule of fills."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.crossing import MOST, crossings
from silhueta.core.geometry.measure import length, signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import Place, place_of, segment_of
from silhueta.core.geometry.region.region import covered
from silhueta.core.tidy.offers.offer import Item, Offer, Search, edited

_CHORD = 0.002  # mm
_MOST = 200  # crossings of one loop that are shown


def find(search: Search) -> list[Item]:
    """Return the places where a loop crosses itself.

    What goes round is asked only of what is filled, and no filled shape of a file crosses itself
    once it is opened as it looks. A line that does is drawn so; it is sure only where a knot no
    larger than a speck would go.
    """
    loops = [
        (i, contour.path) for i, contour in search.contours if contour.cut and contour.path.closed
    ]
    found = crossings([path for _, path in loops], _CHORD, own=True)
    which = {loops[k][0] for k in np.unique(found.paths).tolist()}
    items: list[Item] = []
    # one that crosses itself without end would leave no room for the others
    for i, path in loops:
        if i in which or len(found) >= MOST:
            places = crossings([path], _CHORD, _MOST).places.tolist()
            if places:
                sure = _knots(path, search.limits.speck)
                items.extend(Item((x, y), (i,), sure=sure) for x, y in places)
    return items


def _knots(path: Path, least: float) -> bool:
    """Return whether of a loop nothing but knots, each no larger than a speck, would go."""
    assert isinstance(path, Loop)
    try:
        left = sum(length(piece) for piece in uncrossed(path, least))
    except GeometryError:
        return False  # crosses itself too often to tell
    return length(path) - left <= 4 * float(np.sqrt(least))


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Return the outline with those loops uncrossed; all crossings of a loop go together."""
    which = {item.contours[0] for item in items}
    contours: list[Contour] = []
    for i, contour in enumerate(offer.outline.contours):
        if i not in which:
            contours.append(contour)
            continue
        assert isinstance(contour.path, Loop)
        contours.extend(edited(contour, p) for p in uncrossed(contour.path, offer.limits.speck))
    return Outline(tuple(contours))


def uncrossed(loop: Loop, least: float = 0.0) -> list[Loop]:
    """Return what a loop goes round, the largest piece first, run the same way round.

    What was a line, an arc or a cubic stays one; where the loop crossed itself is a node. Pieces
    of less than `least` mm² are left out, but for the largest.
    """
    pieces = sorted(covered([loop]), key=lambda piece: -abs(signed_area(piece)))
    if not pieces:
        return [loop]
    kept = [piece for k, piece in enumerate(pieces) if not k or abs(signed_area(piece)) >= least]
    return kept if signed_area(loop) >= 0 else [reverse_loop(piece) for piece in kept]


def both_places(path: Path, at: Floats) -> tuple[Place, Place]:
    """Return the two places at which `path` passes through `at`, (2,), where it crosses itself."""
    first = place_of(path, at)
    count = len(path.kinds)
    best, second = np.inf, first
    for k in range(count):
        if k == first.segment:
            continue
        single = segment_of(path, k)
        found = nearest(single, at)
        off = float(found.distance[0])
        beside = k in ((first.segment + 1) % count, (first.segment - 1) % count)
        if beside and off < best:
            # at the node that both share is no crossing
            share = place_of(single, at).share
            joint = 0.0 if k == (first.segment + 1) % count else 1.0
            if abs(share - joint) < 1e-6:
                continue
        if off < best:
            best, second = off, Place(k, place_of(single, at).share)
    return first, second

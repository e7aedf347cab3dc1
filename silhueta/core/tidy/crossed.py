"""Offer: a loop that crosses itself keeps its larger side."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.pieces import Place, chained, place_of, segment_of, stretch
from silhueta.core.tidy.offers import Item, Offer, Search, with_paths

_CHORD = 0.002  # mm
_MOST = 200  # crossings of one loop that are put right


def find(search: Search) -> list[Item]:
    """Return the places where a loop crosses itself."""
    items = []
    for i, contour in search.contours:
        if contour.path.closed:
            for x, y in crossings([contour.path], _CHORD, _MOST).places.tolist():
                items.append(Item((x, y), (i,)))
    return items


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Return the outline with those loops uncrossed; all crossings of a loop go together."""
    paths: dict[int, Path] = {}
    for i in {item.contours[0] for item in items}:
        path = offer.outline.contours[i].path
        assert isinstance(path, Loop)
        paths[i] = uncrossed(path)
    return with_paths(offer.outline, paths)


def uncrossed(loop: Loop) -> Loop:
    """Return the largest part of a loop that does not cross itself, run the same way round.

    What was a line, an arc or a cubic stays one; where the loop crossed itself is a node.
    """
    for _ in range(_MOST):
        found = crossings([loop], _CHORD, 1)
        if not len(found):
            break
        one, two = both_places(loop, found.places[0])
        sides = []
        for a, b in ((one, two), (two, one)):
            side = chained([stretch(loop, a, b)], close=True, meet=4 * _CHORD)
            assert isinstance(side, Loop)
            sides.append(side)
        larger = max(sides, key=lambda side: abs(signed_area(side)))
        if len(larger.kinds) >= len(loop.kinds) + 2:
            break  # nothing was cut off: the two places are one
        loop = larger
    return loop


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

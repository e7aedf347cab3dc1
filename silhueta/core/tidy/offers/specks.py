"""Offers: specks too small to be worth a cut, and the frame that a picture or page had."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import LINE, Loop, Path
from silhueta.core.tidy.offers.offer import Item, Offer, Search, left_out

_NEAR = 0.02  # of a page's smaller side, that its frame may lie off its border
_LEVEL = 0.01  # of a side, that a frame's side may be out of level


def find_specks(search: Search) -> list[Item]:
    """Return what encloses less than the limit, and open paths shorter than its square's side.

    An open path with an end where it could be joined to another is a piece of that, however short.
    """
    found = []
    joined = _joined(search)
    for i, contour in search.contours:
        path = contour.path
        if isinstance(path, Loop):
            small = abs(signed_area(path)) < search.limits.speck
        else:
            small = length(path) ** 2 < search.limits.speck and i not in joined
        if small:
            left, bottom, right, top = bounding_box([path])
            across = max(right - left, top - bottom)
            found.append(Item(_middle(path), (i,), sure=across <= search.limits.dust))
    return found


def _joined(search: Search) -> set[int]:
    """Return the open paths with an end no farther than a gap from one of another."""
    from scipy.spatial import cKDTree

    opened = [(i, c.path) for i, c in search.contours if not c.path.closed]
    if len(opened) < 2:
        return set()
    ends = np.concatenate([path.nodes[[0, -1]] for _, path in opened])
    near = max(search.limits.gap, search.limits.same)
    pairs = cKDTree(ends).query_pairs(near, output_type="ndarray") // 2
    apart = pairs[pairs[:, 0] != pairs[:, 1]]
    return {opened[k][0] for k in np.unique(apart).tolist()}


def find_frames(search: Search) -> list[Item]:
    """Return the rectangles round everything else: sure where they are a page's own border."""
    work_on, frame = search.contours, search.frame
    if len(work_on) < 2:
        return []
    boxes = {i: bounding_box([c.path]) for i, c in work_on}
    whole = bounding_box([c.path for _, c in work_on])
    found = []
    for i, contour in work_on:
        if not _is_level_rectangle(contour.path):
            continue
        on_page = frame is not None and _alike(boxes[i], frame)
        rest = [boxes[k] for k, _ in work_on if k != i]
        left, bottom, right, top = boxes[i]
        holds = all(left <= b[0] and bottom <= b[1] and right >= b[2] and top >= b[3] for b in rest)
        if on_page or (holds and _alike(boxes[i], whole)):
            found.append(Item((left, bottom), (i,), sure=on_page))
    return found


def take(offer: Offer, items: Sequence[Item]) -> Outline:
    """Leave them out."""
    return left_out(offer.outline, {item.contours[0] for item in items})


def _middle(path: Path) -> tuple[float, float]:
    left, bottom, right, top = bounding_box([path])
    return 0.5 * (left + right), 0.5 * (bottom + top)


def _alike(one: tuple[float, ...], two: tuple[float, ...]) -> bool:
    near = _NEAR * min(two[2] - two[0], two[3] - two[1])
    return bool(np.abs(np.subtract(one, two)).max() <= near)


def _is_level_rectangle(path: Path) -> bool:
    """Return whether a loop is a rectangle of level and upright lines, whatever its nodes."""
    if not isinstance(path, Loop) or (path.kinds != LINE).any():
        return False
    left, bottom, right, top = bounding_box([path])
    off = np.abs(
        np.column_stack(
            [
                path.nodes[:, 0] - left,
                path.nodes[:, 0] - right,
                path.nodes[:, 1] - bottom,
                path.nodes[:, 1] - top,
            ]
        )
    ).min(axis=1)
    level = off.max() <= _LEVEL * min(right - left, top - bottom)
    return bool(level) and abs(signed_area(path)) > 0.97 * (right - left) * (top - bottom)

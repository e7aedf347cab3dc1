"""Offers about nodes: several in one place, hairpins, and segments too short to be cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.march import node_turns
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Path
from silhueta.core.tidy.offers.offer import Item, Offer, Search, with_paths

_ROUND = 0.5  # bulge: with more, a segment is longer than its chord tells


def _items(search: Search, found: list[tuple[int, NDArray[np.int64]]]) -> list[Item]:
    items = []
    for i, which in found:
        nodes = search.outline.contours[i].path.nodes
        for k in which.tolist():
            x, y = nodes[k].tolist()
            items.append(Item((x, y), (i,), k))
    return items


def _by_contour(items: Sequence[Item]) -> dict[int, NDArray[np.int64]]:
    grouped: dict[int, list[int]] = {}
    for item in items:
        grouped.setdefault(item.contours[0], []).append(item.data)
    return {i: np.array(sorted(set(which))) for i, which in grouped.items()}


def chords(path: Path) -> NDArray[np.float64]:
    """Return the length of each segment's chord, (M,), mm; infinite where it is no measure."""
    found = np.hypot(*(path.ends - path.starts).T)
    bowed = (path.kinds == ARC) & (np.abs(path.bulges) > _ROUND)
    reach = np.abs(path.controls - path.starts[:, None]).max(axis=(1, 2))
    bowed |= (path.kinds == CUBIC) & (reach > 2 * found + 1e-9)
    return np.where(bowed, np.inf, found)


def find_coincident(search: Search) -> list[Item]:
    """Return the nodes that lie on the node after them."""
    found = []
    for i, contour in search.contours:
        which = np.flatnonzero(chords(contour.path) <= search.limits.same)
        found.append((i, which))
    return _items(search, found)


def find_short(search: Search) -> list[Item]:
    """Return the segments, by their first nodes, shorter than the limit."""
    found = []
    for i, contour in search.contours:
        sizes = chords(contour.path)
        short = (sizes < search.limits.short) & (sizes > search.limits.same)
        found.append((i, np.flatnonzero(short)))
    return _items(search, found)


def take_segments(offer: Offer, items: Sequence[Item]) -> Outline:
    """Put one node in place of each segment that is nothing, or too short."""
    return _changed(offer, items, without_segments)


def _changed(
    offer: Offer,
    items: Sequence[Item],
    change: Callable[[Path, NDArray[np.int64]], Path | None],
) -> Outline:
    paths: dict[int, Path] = {}
    for i, which in _by_contour(items).items():
        made = change(offer.outline.contours[i].path, which)
        if made is not None:
            paths[i] = made
    return with_paths(offer.outline, paths)


def without_segments(path: Path, which: NDArray[np.int64]) -> Path | None:
    """Return `path` without some segments, the nodes of each run of them put in their middle.

    The ends of an open path stay. None when too little would be left.
    """
    count = len(path.nodes)
    gone = np.zeros(len(path.kinds), np.bool_)
    gone[which] = True
    # the nodes at both ends of a segment that goes are one
    group = np.arange(count)
    for k in range(len(path.kinds)):
        if gone[k] and k + 1 < count:
            group[k + 1] = group[k]
    if path.closed and gone[-1]:
        group[group == group[-1]] = group[0]
    names, member = np.unique(group, return_inverse=True)
    share = np.bincount(member)
    nodes = np.column_stack(
        [np.bincount(member, weights=path.nodes[:, axis]) / share for axis in (0, 1)]
    )
    if not path.closed:
        nodes[0], nodes[-1] = path.nodes[0], path.nodes[-1]
    kept = ~gone
    kinds = path.kinds[kept]
    least = 2 if (kinds != LINE).any() or not path.closed else 3
    if len(names) < least or not kept.any():
        return None
    # where a run goes over a loop's first node, the last segment leads to it again
    return type(path)(nodes, kinds, path.bulges[kept], path.controls[kept])


def find_spikes(search: Search) -> list[Item]:
    """Return the nodes where the path turns back on itself between two lines.

    Sure are those thinner than the tolerance all along: others may be real, sharp tips.
    """
    items = []
    for i, contour in search.contours:
        path = contour.path
        if not search.limits.spike or len(path.nodes) < 4:
            continue
        back = np.abs(node_turns(path)) > np.pi - np.radians(search.limits.spike)
        line = path.kinds == LINE
        before = np.roll(line, 1) if path.closed else np.concatenate([[False], line])
        after = line if path.closed else np.concatenate([line, [False]])
        which = np.flatnonzero(back & before & after)
        thin = tip_widths(path, which) <= max(search.limits.tolerance, search.limits.same)
        for item, sure in zip(_items(search, [(i, which)]), thin.tolist(), strict=True):
            items.append(replace(item, sure=sure))
    return items


def tip_widths(path: Path, which: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return how wide the tip at each of these nodes is where its shorter side ends, (K,), mm."""
    count = len(path.nodes)
    tip = path.nodes[which]
    one, two = path.nodes[which - 1] - tip, path.nodes[(which + 1) % count] - tip
    far, near = np.hypot(*one.T), np.hypot(*two.T)
    short = np.minimum(far, near)
    with np.errstate(divide="ignore", invalid="ignore"):
        across = one / far[:, None] - two / near[:, None]
    return np.asarray(np.nan_to_num(short * np.hypot(*across.T)))


def take_spikes(offer: Offer, items: Sequence[Item]) -> Outline:
    """Leave the tips out."""
    return _changed(offer, items, without_nodes)


def without_nodes(path: Path, which: NDArray[np.int64]) -> Path | None:
    """Return `path` without some nodes; a straight line is put where each was.

    None when too little would be left.
    """
    keep = np.ones(len(path.nodes), np.bool_)
    keep[which] = False
    left = np.flatnonzero(keep)
    if len(left) < (3 if path.closed else 2):
        return None
    segments = left if path.closed else left[:-1]
    after = np.roll(left, -1) if path.closed else left[1:]
    whole = after == (segments + 1) % len(path.nodes)
    kinds = np.where(whole, path.kinds[segments], LINE).astype(np.uint8)
    bulges = np.where(whole, path.bulges[segments], 0.0)
    controls = np.where(whole[:, None, None], path.controls[segments], 0.0)
    return type(path)(path.nodes[left], kinds, bulges, controls)

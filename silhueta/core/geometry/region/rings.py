"""Closed chains of edges round what is kept, and the segments that they came of."""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.path import Floats
from silhueta.core.geometry.region.segments import Ints


def rings_of(at: Floats, start: Ints, end: Ints) -> list[Ints]:
    """Return directed edges as rings that touch neither themselves nor cross each other.

    Parameters
    ----------
    at : (V, 2)
        Vertices.
    start, end : (E,) of int
        What is kept lies to the left of each edge.

    Returns
    -------
    list of (K,) of int
        Edges in order.

    """
    after = _following(at, start, end)
    left = np.ones(len(start), np.bool_)
    rings: list[Ints] = []
    follow = after.tolist()
    busy = np.bincount(start, minlength=len(at)) > 1
    for first in range(len(follow)):
        if not left[first]:
            continue
        ring, edge = [], first
        while left[edge]:
            left[edge] = False
            ring.append(edge)
            edge = follow[edge]
        own = np.array(ring)
        rings.extend(_parted(own, start) if busy[start[own]].any() else [own])
    return rings


def _following(at: Floats, start: Ints, end: Ints) -> Ints:
    """Return the edge after each: the first to the left of where it came from."""
    order = np.argsort(start, kind="stable")
    first = np.searchsorted(start[order], end)
    many = np.searchsorted(start[order], end, side="right") - first
    after = order[np.minimum(first, len(order) - 1)]
    way = at[end] - at[start]
    angle = np.arctan2(way[:, 1], way[:, 0])
    for edge in np.flatnonzero(many > 1).tolist():
        choices = order[first[edge] : first[edge] + many[edge]]
        back = angle[edge] + np.pi
        turn = (back - angle[choices]) % (2 * np.pi)
        turn[turn < 1e-12] = 2 * np.pi
        after[edge] = choices[np.argmin(turn)]
    return np.asarray(after)


def _parted(ring: Ints, start: Ints) -> list[Ints]:
    """Return a ring cut apart where it comes to a vertex again."""
    found: list[Ints] = []
    stack: list[int] = []
    place: dict[int, int] = {}
    for edge in ring.tolist():
        vertex = int(start[edge])
        if vertex in place:
            cut = place[vertex]
            found.append(np.array(stack[cut:]))
            for gone in stack[cut:]:
                del place[int(start[gone])]
            del stack[cut:]
        place[vertex] = len(stack)
        stack.append(edge)
    return [*found, np.array(stack)]

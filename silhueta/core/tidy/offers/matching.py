"""Which ends go together where several could: the cheapest way to join as many as possible."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats

if TYPE_CHECKING:
    import networkx as nx

_CLOSES = 0.5  # what a link costs that closes something, of what it would
_AS_GOOD = 1.5  # times what is taken: others that cost less would do as well
_MANY = 60  # ends near each other, beyond which others are only looked for one by one


def matched(
    pairs: NDArray[np.int64], cost: Floats, meet: NDArray[np.bool_], owners: Sequence[int]
) -> Iterator[tuple[int, bool]]:
    """Yield which of the possible links are taken, and whether nothing else would do as well.

    As many ends are joined as can be, for the least cost (networkx, after Edmonds 1965). Groups of
    ends that know no others are taken one after the other, the smallest first; what those joined
    counts as one, and to close one on itself is cheaper.

    Parameters
    ----------
    pairs : (L, 2) of int
        The two ends of each link.
    cost : (L,)
    meet : (L,) of bool
        Links of ends that are at one place: always sure, for nothing moves.
    owners : sequence of int
        Which path each end belongs to.

    """
    import networkx as nx
    from networkx.utils import UnionFind

    graph = nx.Graph()
    for k, (a, b) in enumerate(pairs.tolist()):
        graph.add_edge(a, b, link=k)
    joined = UnionFind(owners)
    groups = [sorted(group) for group in nx.connected_components(graph)]
    for group in sorted(groups, key=lambda group: (len(group), group)):
        part = graph.subgraph(group)
        for a, b, data in part.edges(data=True):
            closes = joined[owners[a]] == joined[owners[b]]
            data["weight"] = cost[data["link"]] * (_CLOSES if closes else 1.0)
        taken = _cheapest(part)
        for a, b in sorted(taken):
            link = part.edges[a, b]["link"]
            yield link, bool(meet[link]) or not _as_good(part, taken, (a, b))
            joined.union(owners[a], owners[b])


Links = set[tuple[int, int]]


def _cheapest(part: nx.Graph) -> Links:
    """Return the links of the cheapest of the largest matchings; of many ends, a cheap one."""
    import networkx as nx

    if len(part) == 2:
        return {tuple(sorted(part))}
    if len(part) <= _MANY:
        return {(min(pair), max(pair)) for pair in nx.min_weight_matching(part)}
    used: set[int] = set()
    found: Links = set()
    for a, b, _ in sorted(part.edges(data="weight"), key=lambda edge: (edge[2], edge[:2])):
        if a not in used and b not in used:
            used |= {a, b}
            found.add((min(a, b), max(a, b)))
    return found


def _as_good(part: nx.Graph, taken: Links, link: tuple[int, int]) -> bool:
    """Return whether as many ends could be joined without this link for little more."""
    if len(part) == 2:
        return False
    own = float(part.edges[link]["weight"])
    if len(part) > _MANY:
        beside = [part.edges[edge]["weight"] for end in link for edge in part.edges(end)]
        nearly = sum(weight < _AS_GOOD * own for weight in beside)
        return bool(nearly > 2)  # it itself is there twice
    without = part.copy()
    without.remove_edge(*link)
    other = _cheapest(without)
    if len(other) < len(taken):
        return False

    def sum_of(links: Iterable[tuple[int, int]]) -> float:
        return float(sum(part.edges[pair]["weight"] for pair in links))

    return sum_of(other - taken) < _AS_GOOD * sum_of(taken - other)

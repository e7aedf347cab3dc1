"""What outlines cover together: by a fill rule, welded, in common, or cut away.

Lines stay lines and arcs stay arcs: what is inside is decided on chords a few tolerances from the
outlines, and each stretch that is kept is then cut out of its own segment. Segments that nothing
crosses stay the same values, and loops that nothing crosses the same objects; new nodes are only
where segments cross, at the crossing of the segments themselves.

Words used here
    rule    what a group of loops covers: places that they go round at all ("nonzero"), or an odd
            number of times ("evenodd"), W3C Scalable Vector Graphics 1.1, section 11.3; or more
            often counter-clockwise than clockwise ("positive").
    stretch what is kept of one segment without a break
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, Path
from silhueta.core.geometry.region.arrange import Edges, Marks, arranged, split_chords
from silhueta.core.geometry.region.rings import rings_of
from silhueta.core.geometry.region.segments import (
    Chords,
    Ints,
    Segments,
    nearest_along,
    points_at,
    segments_of,
    speeds_at,
)

Rule = Literal["nonzero", "evenodd", "positive"]
TOLERANCE = 1e-4  # mm, at most
_SHARE = 1e-6  # of the size of what is given
_DIGITS = 1e-9  # of the largest coordinate, that a tolerance is at least
_NEWTON = 12
_THIN = 2.0  # tolerances: what is thinner all over is nothing


def covered(loops: Sequence[Loop], rule: Rule = "nonzero") -> list[Loop]:
    """Return the outline of what `loops` cover; solids counter-clockwise, holes clockwise.

    Loops may cross themselves and each other, touch, and lie on each other.
    """
    return combined([loops], lambda inside: inside[0], rule)


def united(a: Sequence[Loop], b: Sequence[Loop], rule: Rule = "nonzero") -> list[Loop]:
    """Return the outline of what `a` or `b` covers."""
    return combined([a, b], lambda inside: inside[0] | inside[1], rule)


def common(a: Sequence[Loop], b: Sequence[Loop], rule: Rule = "nonzero") -> list[Loop]:
    """Return the outline of what both `a` and `b` cover."""
    return combined([a, b], lambda inside: inside[0] & inside[1], rule)


def cut_away(a: Sequence[Loop], b: Sequence[Loop], rule: Rule = "nonzero") -> list[Loop]:
    """Return the outline of what `a` covers and `b` does not."""
    return combined([a, b], lambda inside: inside[0] & ~inside[1], rule)


def combined(
    groups: Sequence[Sequence[Loop]], keep: Callable[[Marks], Marks], rule: Rule = "nonzero"
) -> list[Loop]:
    """Return the outline of what `keep` keeps.

    Parameters
    ----------
    groups : G sequences of Loop
    keep : function
        Of (G, F) booleans, whether each group covers each of F faces; returns (F,).
    rule : {"nonzero", "evenodd", "positive"}

    """
    plane = Plane([list(group) for group in groups])
    inside = np.zeros((len(groups), plane.faces), np.bool_)
    own, face, covers = plane.covers([rule] * len(groups))
    inside[own[covers], face[covers]] = True
    return plane.outline(keep(inside))


class Plane:
    """Groups of loops, and lines that cover nothing, and how they cut up the plane."""

    def __init__(self, groups: list[list[Loop]], lines: Sequence[Path] = ()) -> None:
        self.loops: list[Path] = [*lines, *(loop for group in groups for loop in group)]
        self.group = np.concatenate(
            [
                len(groups) + np.arange(len(lines)),
                np.repeat(np.arange(len(groups)), [len(own) for own in groups]),
            ]
        ).astype(np.int64)
        self.faces = 0
        self.shown: set[int] = set()  # groups with a part in an outline
        if self.loops:
            self.table = segments_of(self.loops)
            self.tolerance = tolerance_for(self.table)
            self.chords = split_chords(self.table, self.tolerance)
            self.edges = arranged(self.table, self.chords, self.group, self.tolerance, bool(lines))
            self.faces = self.edges.inside.many

    def covers(self, rules: Sequence[Rule]) -> tuple[Ints, Ints, Marks]:
        """Return groups and faces, (K,) each, and whether that group covers that face."""
        if not self.loops:
            none = np.zeros(0, np.int64)
            return none, none, none.astype(np.bool_)
        inside = self.edges.inside
        odd, left = (np.array([rule == name for rule in rules]) for name in ("evenodd", "positive"))
        real = inside.group < len(rules)  # lines cover nothing
        own, face, times = inside.group[real], inside.face[real], inside.times[real]
        return own, face, (~odd[own] | (times % 2 == 1)) & (~left[own] | (times > 0))

    @property
    def built(self) -> Built:
        """What makes paths of edges again."""
        return Built(self.loops, self.table, self.chords, self.edges, self.tolerance)

    def outline(self, faces: Marks) -> list[Loop]:
        """Return the outline of faces (F,) that are kept."""
        if not faces.any():
            return []
        edges = self.edges
        kept = np.append(faces, False)  # the last is the outside, -1
        left, right = kept[edges.faces[:, 0]], kept[edges.faces[:, 1]]
        some = np.flatnonzero(left != right)
        segments = self.chords.segment[edges.chord[some]]
        self.shown.update(np.unique(self.group[self.table.loop[segments]]).tolist())
        forth = left[some]
        start = np.where(forth, edges.ends[some, 0], edges.ends[some, 1])
        end = np.where(forth, edges.ends[some, 1], edges.ends[some, 0])
        rings = rings_of(edges.at, start, end)
        return self.built.loops(rings, some, start, end)


def tolerance_for(table: Segments) -> float:
    """Return within which distance, mm, two things are the same."""
    every = np.concatenate(
        [table.start, table.end, table.controls[table.kinds == CUBIC].reshape(-1, 2)]
    )
    size = float(np.ptp(every, axis=0).max())
    return max(min(TOLERANCE, _SHARE * size), _DIGITS * float(np.abs(every).max()), 1e-12)


class _Stretches(NamedTuple):
    """Of all rings, one after the other: segment, places where it begins and ends, ring."""

    segment: Ints
    begin: Floats
    finish: Floats
    ring: Ints


class Built:
    """Loops again, of rings of edges."""

    def __init__(
        self,
        loops: list[Path],
        table: Segments,
        chords: Chords,
        edges: Edges,
        tolerance: float,
    ) -> None:
        self.given, self.table, self.chords = loops, table, chords
        self.edges, self.tolerance = edges, tolerance
        way = table.end - table.start
        self.lengths = np.maximum(np.hypot(*way.T), np.abs(table.radii * table.turns))
        cubics = table.kinds == CUBIC
        arms = np.concatenate([table.start[:, None], table.controls, table.end[:, None]], axis=1)
        hull = np.hypot(*np.diff(arms, axis=1).T).T.sum(1)
        self.lengths = np.where(cubics, hull, self.lengths)

    def loops(self, rings: list[Ints], some: Ints, start: Ints, end: Ints) -> list[Loop]:
        """Return a loop for each ring that is not too thin to be one."""
        order = np.concatenate(rings)
        ring = np.repeat(np.arange(len(rings)), [len(own) for own in rings])
        area, round_ = self._sizes(order, ring, start, end, len(rings))
        real = np.abs(area) > 0.5 * _THIN * round_
        order, ring = order[real[ring]], ring[real[ring]]
        if not len(order):
            return []
        stretches = self._stretches(some[order], start[order], end[order], ring)
        return self._made(stretches)

    def _sizes(
        self, order: Ints, ring: Ints, start: Ints, end: Ints, many: int
    ) -> tuple[Floats, Floats]:
        """Return area and way round of each ring, in tolerances."""
        a, b = self.edges.at[start[order]], self.edges.at[end[order]]
        middle = self.edges.at.mean(0)
        a, b = a - middle, b - middle
        area = 0.5 * np.bincount(ring, a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], minlength=many)
        round_ = np.bincount(ring, np.hypot(*(b - a).T), minlength=many)
        return np.asarray(area, np.float64), np.asarray(round_, np.float64)

    def _stretches(self, edges: Ints, start: Ints, end: Ints, ring: Ints) -> _Stretches:
        """Return runs of edges that came of one segment, in one direction."""
        chord = self.edges.chord[edges]
        segment = self.chords.segment[chord]
        begin = self.along(chord, self.edges.at[start])
        finish = self.along(chord, self.edges.at[end])
        near = 2 * self.tolerance / np.maximum(self.lengths[segment], 1e-300)
        for place in (begin, finish):
            place[place < near] = 0.0
            place[place > 1 - near] = 1.0
        rising = finish > begin
        after = _after(ring)
        gap = np.abs(begin[after] - finish) > np.maximum(8 * near, 1e-9)
        breaks = (segment[after] != segment) | (rising[after] != rising) | gap
        last = np.flatnonzero(breaks)
        # a ring without a break is one segment that ends where it begins
        whole = np.setdiff1d(np.unique(ring), ring[last])
        if len(whole):
            ends = np.searchsorted(ring, whole, side="right") - 1
            last = np.sort(np.concatenate([last, ends]))
        first = after[last]
        # the run that ends at last[i] began after the break before it in its ring
        own = ring[last]
        before = np.roll(np.arange(len(last)), 1)
        opening = np.append(True, own[1:] != own[:-1]) if len(own) else own.astype(bool)
        closing = np.searchsorted(own, own, side="right") - 1
        before = np.where(opening, closing, before)
        return _Stretches(segment[last], begin[first[before]], finish[last], own)

    def along(self, chord: Ints, at: Floats) -> Floats:
        """Return how far along its segment each vertex (K, 2) lies on a chord, (K,)."""
        a, b = self.chords.ends[chord, 0], self.chords.ends[chord, 1]
        way = b - a
        share = ((at * self.tolerance - a) * way).sum(1) / np.maximum((way**2).sum(1), 1e-300)
        near = self.tolerance / np.maximum(np.hypot(*way.T), 1e-300)
        share = np.where(share < near, 0.0, np.where(share > 1 - near, 1.0, share))
        low, high = self.chords.along[chord].T
        return np.asarray(np.where(share >= 1, high, low + share * (high - low)))

    def _made(self, runs: _Stretches) -> list[Loop]:
        """Return loops of stretches whose ends are put on each other."""
        begin, finish = runs.begin.copy(), runs.finish.copy()
        after = _after(runs.ring)
        leaves, comes = finish, begin[after]
        free = ((leaves > 0) & (leaves < 1)), ((comes > 0) & (comes < 1))
        node = points_at(self.table, runs.segment, leaves)
        second = points_at(self.table, runs.segment[after], comes)
        node[free[0] & ~free[1]] = second[free[0] & ~free[1]]
        both = np.flatnonzero(free[0] & free[1])
        if len(both):
            node[both] = self._crossed(
                runs.segment[both], leaves[both], runs.segment[after[both]], comes[both]
            )
        for which, segment, place in (
            (free[0], runs.segment, leaves),
            (free[1], runs.segment[after], comes),
        ):
            own = np.flatnonzero(which)
            place[own] = nearest_along(self.table, segment[own], place[own], node[own])
        begin = np.empty_like(comes)
        begin[after] = comes
        opening = np.empty_like(node)
        opening[after] = node
        short = np.hypot(*(node - opening).T) < self.tolerance
        bends = np.abs(leaves - begin) * self.lengths[runs.segment] > 4 * self.tolerance
        kept = ~short | bends
        segment, ring = runs.segment[kept], runs.ring[kept]
        begin, leaves, opening = begin[kept], leaves[kept], opening[kept]
        lone = np.flatnonzero(np.bincount(ring)[ring] == 1)  # two nodes make a loop
        if len(lone):
            half = 0.5 * (begin[lone] + leaves[lone])
            within = points_at(self.table, segment[lone], half)
            last = leaves[lone]
            leaves[lone] = half
            at = lone + 1
            segment, ring = np.insert(segment, at, segment[lone]), np.insert(ring, at, ring[lone])
            begin, leaves = np.insert(begin, at, half), np.insert(leaves, at, last)
            opening = np.insert(opening, at, within, axis=0)
        return self._loops(_Stretches(segment, begin, leaves, ring), opening)

    def _crossed(self, one: Ints, along: Floats, two: Ints, beside: Floats) -> Floats:
        """Return where segments cross, (K, 2), sought from places on both."""
        t, s = along.copy(), beside.copy()
        reach = 60 * self.tolerance
        for _ in range(_NEWTON):
            away = points_at(self.table, two, s) - points_at(self.table, one, t)
            u, v = speeds_at(self.table, one, t), speeds_at(self.table, two, s)
            cross = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
            size = np.hypot(*u.T) * np.hypot(*v.T)
            fine = np.abs(cross) > 1e-6 * np.maximum(size, 1e-300)
            safe = np.where(fine, cross, 1.0)
            dt = np.where(fine, (away[:, 0] * v[:, 1] - away[:, 1] * v[:, 0]) / safe, 0.0)
            ds = np.where(fine, (away[:, 0] * u[:, 1] - away[:, 1] * u[:, 0]) / safe, 0.0)
            t = np.clip(t + dt, 0, 1)
            s = np.clip(s + ds, 0, 1)
        first, second = points_at(self.table, one, t), points_at(self.table, two, s)
        start = 0.5 * (points_at(self.table, one, along) + points_at(self.table, two, beside))
        good = (np.hypot(*(first - second).T) < self.tolerance) & (
            np.hypot(*(first - start).T) < reach
        )
        return np.asarray(np.where(good[:, None], 0.5 * (first + second), start))

    def _loops(self, runs: _Stretches, nodes: Floats) -> list[Loop]:
        """Return loops of stretches, each beginning at its node."""
        table = self.table
        segment, begin, finish, ring = runs
        kinds = table.kinds[segment]
        forth, back = (begin == 0) & (finish == 1), (begin == 1) & (finish == 0)
        bulges = np.where(kinds == ARC, np.tan(table.turns[segment] * (finish - begin) / 4), 0.0)
        bulges = np.where(forth, table.bulges[segment], bulges)
        bulges = np.where(back, -table.bulges[segment], bulges)
        none = (kinds == ARC) & (np.abs(bulges) < 1e-12)
        kinds = np.where(none, np.uint8(LINE), kinds)
        bulges = np.where(none, 0.0, bulges)
        controls = np.zeros((len(segment), 2, 2))
        cubics = np.flatnonzero(kinds == CUBIC)
        if len(cubics):
            controls[cubics] = _between(table, segment[cubics], begin[cubics], finish[cubics])
            whole = cubics[forth[cubics]]
            controls[whole] = table.controls[segment[whole]]
            whole = cubics[back[cubics]]
            controls[whole] = table.controls[segment[whole]][:, ::-1]
        out: list[Loop] = []
        edges = np.flatnonzero(np.append(True, ring[1:] != ring[:-1])) if len(ring) else ring
        for low, high in zip(edges, np.append(edges[1:], len(ring)), strict=True):
            own = slice(low, high)
            same = self._given_again(segment[own], forth[own], back[own])
            if same is not None:
                out.append(same)
            elif high - low >= (2 if kinds[own].any() else 3):
                out.append(Loop(nodes[own], kinds[own], bulges[own], controls[own]))
        return out

    def _given_again(self, segment: Ints, forth: Marks, back: Marks) -> Loop | None:
        """Return the loop that was given, where the stretches are all of it and nothing else."""
        number = int(self.table.loop[segment[0]])
        loop = self.given[number]
        count = len(loop.kinds)
        if not isinstance(loop, Loop) or len(segment) != count:
            return None
        if not (forth.all() or back.all()):
            return None
        first = int(np.searchsorted(self.table.loop, number))
        step = 1 if forth.all() else -1
        wanted = first + (segment[0] - first + step * np.arange(count)) % count
        if not (segment == wanted).all():
            return None
        return loop if step > 0 else reverse_loop(loop)


def _after(ring: Ints) -> Ints:
    """Return the place of the next one in the same ring, rings lying one after the other."""
    after = np.arange(1, len(ring) + 1)
    ends = np.flatnonzero(np.append(ring[1:] != ring[:-1], True))
    after[ends] = np.append(0, ends[:-1] + 1)
    return after


def _between(table: Segments, segment: Ints, begin: Floats, finish: Floats) -> Floats:
    """Return the control points (K, 2, 2) of cubics from one place to another, by blossoms."""
    hull = np.concatenate(
        [table.start[segment, None], table.controls[segment], table.end[segment, None]], axis=1
    )

    def blossom(*places: Floats) -> Floats:
        points = hull
        for place in places:
            points = points[:, :-1] + place[:, None, None] * np.diff(points, axis=1)
        return points[:, 0]

    return np.stack([blossom(begin, begin, finish), blossom(begin, finish, finish)], axis=1)

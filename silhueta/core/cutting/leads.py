"""Where a cut begins and how it is led in: from the waste, along an arc or a line.

Words used here
    candidate   one way to lead in: at a place of the way, an arc or a line, of a length
    room        what a lead must keep off: all that stays, grown by half the tool

What stays lies on the right of a way, so all leads come from its left.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.geometry.along import Along
from silhueta.core.geometry.arcs import arc_centres
from silhueta.core.geometry.measure import Box, circle_of
from silhueta.core.geometry.path import ARC, LINE, Floats, Loop, OpenPath
from silhueta.core.plan_settings import LeadKind

_PLACES = 24  # along a way, at which it may begin
_RUNS = 6  # longest stretches, at whose middles it may, too
_CORNER = math.radians(20)  # by which the way turns at least where it has a corner
_SHORTER = (1.0, 0.7, 0.5, 0.35, 0.25, 0.15)  # of the length, tried one after the other
# which places are tried in turn, the best first, with which shares of the length
_ROUNDS = (
    (0, 1, _SHORTER[:1]),
    (0, 1, _SHORTER),
    (1, 4, _SHORTER),
    (4, 10, _SHORTER),
    (10, _PLACES + _RUNS, _SHORTER),
)
_ASLANT = math.radians(45)  # between a line that leads in and the way, where there is room
_OFF = 2e-3  # mm, that a lead may come nearer to what stays: chords are that far off their arcs
_LEAST = 0.05  # mm: a lead that is shorter does nothing
_FEW = 8  # arcs that a circle is made of at most
_MIDDLE = 2.0  # leads that a hole is across, under which it is begun in its middle
_QUARTER = math.tan(math.pi / 8)  # bulge of a quarter of a circle
_ARC = 7  # points along an arc that leads in, when it is held against what stays
_AT_ONCE = 400_000  # lines that are looked at in one go: they take about 300 MB
_KEPT = 0.5  # of the lead-in, that the lead-out is long


class Wanted(NamedTuple):
    """A way that is to be led in: closed, what stays on its right.

    hole : bool
        Whether the waste is inside it.
    start : (x, y) or None
        Where a person wants it to begin.
    backward : bool
        Whether it is gone the other way round, what stays on the left then.
    off : tuple of (x, y)
        Places of tabs that a person chose: it does not begin within `reach` mm of one.
    """

    path: Loop
    kind: LeadKind
    length: float
    width: float
    hole: bool
    start: tuple[float, float] | None = None
    backward: bool = False
    off: tuple[tuple[float, float], ...] = ()
    reach: float = 0.0


class Led(NamedTuple):
    """Where a way begins, mm along it, and its leads; None where there is no room for one."""

    at: float
    lead_in: OpenPath | None
    lead_out: OpenPath | None
    way: Along


class Room:
    """What leads must keep off: what stays, and what lies beyond the sheet."""

    def __init__(self, stays: Sequence[shapely.Polygon], sheet: Box | None) -> None:
        self._tree = shapely.STRtree(list(stays))
        self._sheet = None if sheet is None else shapely.box(*sheet)
        if self._sheet is not None:
            shapely.prepare(self._sheet)

    def free(self, lines: NDArray[np.object_], clear: Floats) -> NDArray[np.bool_]:
        """Return which lines (K,) keep their distance `clear` (K,), mm, from all that stays."""
        found = np.ones(len(lines), bool)
        if not len(lines):
            return found
        line, _ = self._tree.query(lines, "dwithin", np.maximum(clear - _OFF, 0.0))
        found[line] = False
        if self._sheet is not None:
            found &= shapely.covers(self._sheet, lines)
        return found


def led_in(wanted: Sequence[Wanted], room: Room) -> list[Led]:
    """Return where ways begin and how they are led in.

    The best candidates are held against the room all at once, then the next best of those ways
    that have none yet, until there are no more.
    """
    open_ = list(range(len(wanted)))
    found: list[Led | None] = [None] * len(wanted)
    ways = [Along(one.path) for one in wanted]
    places = [_off_tabs(one, way, _places(one, way)) for one, way in zip(wanted, ways, strict=True)]
    tried_first = ((k, _middle(wanted[k], ways[k])) for k in open_)
    middles = {k: one for k, one in tried_first if one is not None}
    for low, high, shares in _ROUNDS:
        tried: list[tuple[int, _Candidate]] = []
        for k in open_:
            if low == 0 and k in middles:
                tried.append((k, middles[k]))
            at = places[k][low:high]
            tried += [(k, c) for c in _candidates(wanted[k], ways[k], at, shares)]
        for k, candidate in _first_free(tried, wanted, room):
            if found[k] is None:
                found[k] = candidate.led(wanted[k], ways[k])
        open_ = [k for k in open_ if found[k] is None]
        if not open_:
            break
    led: list[Led] = [
        got or Led(float(places[k][0]) if len(places[k]) else 0.0, None, None, ways[k])
        for k, got in enumerate(found)
    ]
    return _without_blocked(led, wanted, room)


def _without_blocked(made: list[Led], wanted: Sequence[Wanted], room: Room) -> list[Led]:
    """Return the same, without the lead-outs that there is no room for."""
    some = [k for k, one in enumerate(made) if one.lead_out is not None]
    outs = [_chords(one.lead_out) for one in made if one.lead_out is not None]
    if not some:
        return made
    lines = np.array([shapely.LineString(points) for points in outs], object)
    free = room.free(lines, np.array([wanted[k].width / 2 for k in some]))
    for k, good in zip(some, free.tolist(), strict=True):
        if not good:
            made[k] = made[k]._replace(lead_out=None)
    return made


class _Candidate(NamedTuple):
    """One way to lead in: at `at`, mm along; by an arc of a radius, or a line at a slant."""

    at: float
    line: Floats  # (N, 2): the lead, an arc as chords
    arc: float = 0.0  # bulge of the lead, 0: a line
    out: float = 0.0  # length of the lead-out

    def led(self, wanted: Wanted, way: Along) -> Led:
        begin, end = self.line[0], self.line[-1]
        lead_in = _lead(begin, end, self.arc)
        if not self.out or wanted.hole:
            return Led(self.at, lead_in, None, way)
        points, ways = way.points(np.array([self.at]))
        point, (u, v) = points[0], ways[0]
        aside = np.array([-v, u])
        ahead = -ways[0] if wanted.backward else ways[0]
        if self.arc:
            # a quarter of a smaller circle, on the other side of the beginning
            radius = 2 * self.out / math.pi
            return Led(
                self.at, lead_in, _lead(point, point + radius * (ahead + aside), self.arc), way
            )
        far = point + self.out * (math.cos(_ASLANT) * ahead + math.sin(_ASLANT) * aside)
        return Led(self.at, lead_in, _lead(point, far, 0.0), way)


def _chords(lead: OpenPath) -> Floats:
    """Return the places along a lead: its ends, or some along its quarter of a circle."""
    bulge = float(lead.bulges[0])
    if not bulge:
        return lead.nodes
    turn = np.linspace(0, 4 * math.atan(bulge), _ARC)
    centres, _ = arc_centres(lead.nodes[:1], lead.nodes[1:], lead.bulges)
    spoke = lead.nodes[0] - centres[0]
    c, s = np.cos(turn), np.sin(turn)
    turned = np.column_stack([c * spoke[0] - s * spoke[1], s * spoke[0] + c * spoke[1]])
    places: Floats = centres[0] + turned
    return places


def _lead(begin: Floats, end: Floats, bulge: float) -> OpenPath:
    kind = ARC if bulge else LINE
    ends = np.array([begin, end])
    return OpenPath.trusted(ends, np.array([kind], np.uint8), np.array([bulge]))


def _first_free(
    tried: Sequence[tuple[int, _Candidate]], wanted: Sequence[Wanted], room: Room
) -> list[tuple[int, _Candidate]]:
    """Return the candidates that there is room for, in the order that they were given."""
    found = []
    for low in range(0, len(tried), _AT_ONCE):
        some = tried[low : low + _AT_ONCE]
        counts = [len(c.line) for _, c in some]
        points = np.concatenate([c.line for _, c in some]) if some else np.zeros((0, 2))
        lines = np.asarray(
            shapely.linestrings(points, indices=np.repeat(np.arange(len(some)), counts))
        )
        clear = np.array([wanted[k].width / 2 for k, _ in some])
        free = room.free(lines, clear)
        found += [one for one, good in zip(some, free.tolist(), strict=True) if good]
    return found


def _places(one: Wanted, way: Along) -> Floats:
    """Return where a way may begin, mm along it, the best first: on long runs, off corners."""
    if one.start is not None:
        return np.array([_nearest(way, one.start)])
    corners = _turns(way, one.length)
    even = (np.arange(_PLACES) + 0.5) / _PLACES * way.length
    if not len(corners):
        return np.asarray(even - even[0])  # all as good: the first node saves parting a segment
    ends = np.append(corners, corners[0] + way.length)
    runs = np.diff(ends)
    longest = np.argsort(-runs, kind="stable")[:_RUNS]
    middles = (ends[longest] + runs[longest] / 2) % way.length
    gap = np.abs((even[:, None] - corners[None, :] + way.length / 2) % way.length - way.length / 2)
    far = gap.min(axis=1)
    return np.concatenate([middles, even[np.argsort(-far, kind="stable")]])


def _off_tabs(one: Wanted, way: Along, at: Floats) -> Floats:
    """Return the places at which no tab is; all where there would be none."""
    if not one.off or not len(at):
        return at
    points = way.points(at)[0]
    apart = np.hypot(*(points[:, None] - np.array(one.off)[None, :]).transpose(2, 0, 1))
    free = apart.min(axis=1) >= one.reach
    return at[free] if free.any() else at


def _turns(way: Along, length: float) -> Floats:
    """Return where a way has corners, sharp or round ones tighter than a lead, mm along it."""
    tight = np.abs(way.curvatures()) * max(length, _LEAST) > 1
    middles = (way.starts[:-1] + way.starts[1:])[tight] / 2
    return np.unique(np.concatenate([way.corners(_CORNER), middles]))


def _nearest(way: Along, place: tuple[float, float]) -> float:
    from silhueta.core.geometry.pieces import place_of

    return way.at(place_of(way.path, np.asarray(place, np.float64)))


def _middle(one: Wanted, way: Along) -> _Candidate | None:
    """Return the candidate that begins in the middle of a small round hole; None for all others."""
    path = one.path
    if not one.hole or one.kind == "none" or one.start is not None:
        return None
    if len(path.kinds) > _FEW or not path.bulges.all() or way.length >= math.pi * 2 * one.length:
        return None  # no circle, or not a small one
    circle = circle_of(path)
    if circle is None:
        return None
    centre, radius = np.asarray(circle[0]), circle[1]
    if 2 * radius >= _MIDDLE * one.length:
        return None
    point = way.points(np.zeros(1))[0][0]
    # straight out: a hole that small has no room for an arc that is worth one
    return _Candidate(0.0, np.array([centre, point]))


def _candidates(one: Wanted, way: Along, at: Floats, shares: tuple[float, ...]) -> list[_Candidate]:
    """Return the candidates at some places: arcs before lines, long before short ones.

    `shares` of the length are tried; straight leads, too, once it comes to the short ones.
    """
    if one.kind == "none" or not len(at):
        return []
    points, ways = way.points(at)
    left = np.column_stack([-ways[:, 1], ways[:, 0]])
    made = []
    ahead = -ways if one.backward else ways
    turn = -_QUARTER if one.backward else _QUARTER
    for point, along, aside, where in zip(points, ahead, left, at.tolist(), strict=True):
        for share in shares:
            length = share * one.length
            if length < _LEAST:
                break
            if one.kind == "arc":
                made.append(_by_arc(point, along, aside, where, length, turn))
            made.append(_by_line(point, along, aside, where, length, _ASLANT))
        if shares == _SHORTER[:1]:
            continue
        straight = max(0.35 * one.length, _LEAST)  # where no slant has room
        made.append(_by_line(point, along, aside, where, straight, math.pi / 2))
    return made


def _by_arc(
    point: Floats, along: Floats, aside: Floats, at: float, length: float, bulge: float
) -> _Candidate:
    """Return a quarter of a circle that comes to a place along its way."""
    radius = 2 * length / math.pi
    turn = np.linspace(-math.pi / 2, 0, _ARC)
    line = (
        point
        + radius * np.sin(turn)[:, None] * along
        + radius * (1 - np.cos(turn))[:, None] * aside
    )
    return _Candidate(at, line, bulge, _KEPT * length)


def _by_line(
    point: Floats, along: Floats, aside: Floats, at: float, length: float, slant: float
) -> _Candidate:
    begin = point + length * (math.sin(slant) * aside - math.cos(slant) * along)
    return _Candidate(at, np.array([begin, point]), 0.0, _KEPT * length)

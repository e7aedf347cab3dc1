"""Worn edges: runs of a loop that wave about one straight line by some tenths of a millimetre.

Words used here
    run     neighbouring segments that run on smoothly from one to the next
    off     how far the run leaves the straight line that lies nearest to it
    waves   it bends now to one side and now to the other, or crosses that line again and again

What the noise of the trace explains is put together unasked (`merge`). A run that is off by more
was traced as it is; that it was straight once is a guess, and a better one where it waves: a worn
or sawn edge does, one that was drawn with a bow bends one way all along, and by more.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import CUBIC, LINE, Path
from silhueta.core.relations import Ref
from silhueta.core.truing.offer import TruingOffer
from silhueta.core.truing.one_edge import one_edge, points_of

_MOST_OFF, _SHARE_OFF = 0.4, 0.004  # mm, and of the length, that a run may be off
_SHORTEST = 25.0  # mm
_BENT = math.radians(4.0)  # of a joint, that a run goes on over
_LONGEST, _MANY = 200, 2000  # segments of a run; of a loop that is looked at
_LESS = 0.9  # of a run that is not straight, that is tried next
_STEP = 0.5  # mm between points that stand for a run
_SIDE = 0.3  # of how far it is off, from which a run is on one side
_CROSSES = 3  # of its line, from which a run waves
_RISES = 0.2  # of how far a run is off, that its arcs rise at least to count as bends
_FLAT = 0.002  # of its length, that a bend rises: nobody draws one as flat
_LIKELY, _MAYBE = 0.85, 0.7  # probability that it was straight; common practice, no source


class _Run(NamedTuple):
    first: int
    many: int
    long: float
    off: float
    waves: bool


def worn_edges(outline: Outline) -> list[TruingOffer]:
    """Return an offer for each run that may be a straight edge, the longest of a loop first."""
    return [
        _offer(contour, run)
        for contour in outline.contours
        if contour.taken and not contour.locked and len(contour.path.kinds) <= _MANY
        for run in _runs(contour.path)
    ]


def edges_of(outline: Outline, worn: Sequence[TruingOffer]) -> list[tuple[int, int, int]]:
    """Return contour, first segment and count of each run, numbered as those before it leave it."""
    left = [(offer.run[0], offer.run[1]) for offer in worn if offer.run is not None]
    places = {contour.key: i for i, contour in enumerate(outline.contours)}
    paths = {contour.key: contour.path for contour in outline.contours}
    found = []
    while left:
        (ref, many), *left = left
        found.append((places[ref.key], ref.segment, many))
        paths[ref.key], number = one_edge(paths[ref.key], ref.segment, many)
        left = [
            (replace(r, segment=number(r.segment)) if r.key == ref.key else r, m) for r, m in left
        ]
    return found


def without_wear(outline: Outline, worn: Sequence[TruingOffer]) -> Outline:
    """Return the outline with each such run as one straight edge."""
    contours = list(outline.contours)
    for place, first, many in edges_of(outline, worn):
        path = one_edge(contours[place].path, first, many)[0]
        contours[place] = replace(contours[place], path=path)
    return Outline(tuple(contours))


def _offer(contour: Contour, run: _Run) -> TruingOffer:
    path, count = contour.path, len(contour.path.kinds)
    middle = (run.first + run.many // 2) % count
    x, y = ((path.starts[middle] + path.ends[middle]) / 2).tolist()
    what = "waves" if run.waves else "bends"
    text = (
        f"edge of {run.long:.1f} mm {what} by {run.off:.2f} mm: worn, it seems, and meant straight"
    )
    share = _LIKELY if run.waves or run.off < _FLAT * run.long else _MAYBE
    run_of = (Ref(contour.key, run.first, (x, y)), run.many)
    return TruingOffer("straight", (), share, text, (x, y), (), run_of)


def _runs(path: Path) -> list[_Run]:
    """Return runs of a path that do not overlap, the longest first."""
    count = len(path.kinds)
    if count < 3:
        return []
    smooth = _smooth(path)
    # begun after a corner, where there is one, so that no run is cut in two
    start = next((k + 1 for k in range(count) if not smooth[k]), 0) if path.closed else 0
    found = []
    k = 0
    while k < count:
        first, many = (start + k) % count, 1
        most = min(_LONGEST, count - 2 if path.closed else count - first, count - k)
        while many < most and smooth[(first + many - 1) % count]:
            many += 1
        run = None
        while many >= 1 and run is None:
            run = _run(path, first, many)
            many = min(many - 1, int(_LESS * many))
        if run is not None and not (run.many == 1 and path.kinds[first] == LINE):
            found.append(run)
        k += 1 if run is None else run.many
    return sorted(found, key=lambda run: -run.long)


def _smooth(path: Path) -> list[bool]:
    """Return whether the path runs on from each segment to the next."""
    ways = path.ends - path.starts
    angle = np.arctan2(ways[:, 1], ways[:, 0])
    half = 2 * np.arctan(path.bulges)
    turn = np.roll(angle - half, -1) - (angle + half)
    curved = (path.kinds == CUBIC) | np.roll(path.kinds == CUBIC, -1)
    on = (np.abs(np.remainder(turn + np.pi, 2 * np.pi) - np.pi) < _BENT) & ~curved
    return [bool(one) for one in on]


def _run(path: Path, first: int, many: int) -> _Run | None:
    """Return what a run looks like from its line; None where it is not straight at all."""
    count = len(path.kinds)
    index = np.arange(first, first + many) % count
    starts, ends = path.starts[index], path.ends[index]
    chord = float(np.hypot(*(ends[-1] - starts[0])))
    if chord < _SHORTEST:
        return None
    most = min(_MOST_OFF, _SHARE_OFF * chord)
    # quickly first: nodes and the arcs' own rise
    rise = 0.5 * np.abs(path.bulges[index]) * np.hypot(*(ends - starts).T)
    across = np.array([starts[0, 1] - ends[-1, 1], ends[-1, 0] - starts[0, 0]]) / chord
    if rise.max() > 2 * most or np.abs((starts - starts[0]) @ across).max() > 2 * most:
        return None
    points = points_of(path, first, many, _STEP)
    middle = points.mean(axis=0)
    way = np.linalg.svd(points - middle, full_matrices=False)[2][0]
    off = (points - middle) @ np.array([-way[1], way[0]])
    worst = float(np.abs(off).max())
    if worst > most:
        return None
    sides = np.sign(off[np.abs(off) > _SIDE * worst])
    bends = np.sign(path.bulges[index][rise > _RISES * worst])
    waves = bool((np.diff(sides) != 0).sum() >= _CROSSES or (np.diff(bends) != 0).any())
    return _Run(first, many, chord, worst, waves)

"""What is cut through and what comes free, run after run.

Words used here
    run       one way of the tool through the sheet, from where it goes in to where it comes out
    kerf      what a run takes away: its way, as wide as the tool
    cluster   kerfs that touch each other
    freed     what a cluster has all round it
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely

from silhueta.core.geometry.measure import Box
from silhueta.core.geometry.path import Floats

_LEAST = 0.01  # mm²: what is smaller is rounding of where kerfs meet, and no piece
_AROUND = 1000.0  # mm of nothing round a sheet
_ROUND = 32  # lines in a quarter of a circle: 0.0006 of the tool's radius off


class Run(NamedTuple):
    """A way through the sheet.

    points : (N, 2) ndarray, mm
    width : float, mm
    at_s : float
        When it ends.
    line : int
        Its first one, of the file.
    first, last : int
        Its steps.
    """

    points: Floats
    width: float
    at_s: float
    line: int
    first: int = 0
    last: int = 0


class Piece(NamedTuple):
    """What came free: where, and after which run."""

    shape: shapely.Polygon
    run: int


def kerf_of(run: Run) -> shapely.Polygon:
    """Return what a run takes away."""
    line = shapely.LineString(run.points)
    made = line.buffer(max(run.width, 1e-3) / 2, quad_segs=_ROUND)
    assert isinstance(made, shapely.Polygon)
    return made


def freed(runs: Sequence[Run], sheet: Box | None) -> tuple[list[Piece], list[shapely.Polygon]]:
    """Return what comes free, in its order, and the kerfs.

    Clusters are looked up by their boxes, so that a run is held against its neighbours alone.
    """
    kerfs = [kerf_of(run) for run in runs]
    if not kerfs:
        return [], []
    clusters: dict[int, shapely.Geometry] = {}
    owner: list[int] = []  # of each kerf, its cluster
    if sheet is not None:
        box = shapely.box(*sheet)
        # what lies beyond the sheet's edge is away already
        clusters[-1] = box.buffer(_AROUND, join_style="mitre").difference(box)
    tree = shapely.STRtree(kerfs)
    touching = tree.query(kerfs, "intersects")
    before: list[list[int]] = [[] for _ in kerfs]
    for one, two in touching.T.tolist():
        if two < one:
            before[one].append(two)
    edge = None if sheet is None else shapely.box(*sheet).boundary
    pieces: list[Piece] = []
    for k, kerf in enumerate(kerfs):
        joined = {owner[j] for j in before[k]}
        if edge is not None and kerf.intersects(edge):
            joined.add(-1)
        joined = {_root(clusters, owner, c) for c in joined}
        old = [hole for c in joined for hole in _holes(clusters[c])]
        merged = shapely.union_all([kerf, *(clusters[c] for c in joined)])
        name = -1 if -1 in joined else k
        for c in joined:
            del clusters[c]
        clusters[name] = merged
        owner = [name if o in joined else o for o in owner] if joined else owner
        owner.append(name)
        pieces += [Piece(hole, k) for hole in _new(_holes(merged), old, -1 in joined)]
    return pieces, kerfs


def _root(clusters: dict[int, shapely.Geometry], owner: list[int], cluster: int) -> int:
    return cluster if cluster in clusters else owner[cluster]


def _holes(cluster: shapely.Geometry) -> list[shapely.Polygon]:
    """Return what a cluster has all round it."""
    found = [
        shapely.Polygon(ring) for part in shapely.get_parts(cluster) for ring in part.interiors
    ]
    return [hole for hole in found if hole.area > _LEAST]


def _new(
    now: list[shapely.Polygon], before: list[shapely.Polygon], at_edge: bool
) -> list[shapely.Polygon]:
    """Return which of the holes were none before: a hole that only lost some of itself is none.

    Of a sheet that is cut in two the larger half is the sheet.
    """
    taken: set[int] = set()
    found = []
    for hole in sorted(now, key=lambda one: -one.area):
        at = hole.representative_point()
        old = next((k for k, one in enumerate(before) if one.contains(at)), None)
        if old is None or (old in taken and at_edge):
            found.append(hole)
        if old is not None:
            taken.add(old)
    return found


def left_of(piece: shapely.Polygon, kerfs: Sequence[shapely.Polygon]) -> shapely.Geometry:
    """Return what is left of a piece without what was cut in it, before or after it came free."""
    own = [kerf for kerf in kerfs if kerf.intersects(piece)]
    inner = [shapely.Polygon(kerf.exterior) for kerf in own if piece.contains(kerf)]
    return piece.difference(shapely.union_all(own + inner)) if own else piece


def chain(points: Sequence[Floats]) -> Floats:
    """Return places that follow each other as one chain, none twice in a row."""
    whole = np.concatenate(points)
    keep = np.concatenate([[True], np.hypot(*np.diff(whole, axis=0).T) > 1e-9])
    found: Floats = whole[keep]
    return found if len(found) > 1 else np.repeat(found, 2, axis=0)

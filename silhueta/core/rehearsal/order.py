"""What the order of runs does: what is cut while it is free already, cut twice, or may tip up."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np
import shapely

from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.kerfs import Piece, Run
from silhueta.core.rehearsal.scene import MOST, Scene

_AGAIN = 0.99  # of a kerf, that lies in what is cut already, from which it is cut again
_OVER = 0.25  # of a piece's shorter side, that a rapid goes over before it can be caught by it
_HEAD = 2.0  # mm that a head without Z rides above the sheet (common practice, no source)


def order(
    scene: Scene, runs: Sequence[Run], pieces: Sequence[Piece], kerfs: Sequence[shapely.Polygon]
) -> Iterator[Event]:
    """Yield what is cut in pieces that are free already, cut twice, or may tip up."""
    if not kerfs:
        return
    tree = shapely.STRtree(list(kerfs))
    yield from _in_free_pieces(runs, pieces, kerfs, tree)
    for k, kerf in enumerate(kerfs):
        before = [j for j in tree.query(kerf, "intersects").tolist() if j < k]
        if not before:
            continue
        done = shapely.union_all([kerfs[j] for j in before])
        if kerf.intersection(done).area > _AGAIN * kerf.area:
            u, v = runs[k].points[0].tolist()
            yield Event("cut-again", runs[k].at_s, (u, v), runs[k].line, "this is cut already")
    if scene.bench.slats and scene.flat:
        yield from _tipping(scene, runs, pieces)


def _in_free_pieces(
    runs: Sequence[Run],
    pieces: Sequence[Piece],
    kerfs: Sequence[shapely.Polygon],
    tree: shapely.STRtree,
) -> Iterator[Event]:
    said = 0
    for piece in pieces:
        inside = [
            k
            for k in sorted(tree.query(piece.shape, "intersects").tolist())
            if k > piece.run and kerfs[k].intersection(piece.shape).area > 0.5 * kerfs[k].area
        ]
        if not inside or said >= MOST:
            continue
        said += 1
        run = runs[piece.run]
        x, y = piece.shape.representative_point().coords[0]
        yield Event(
            "freed-early", run.at_s, (x, y), run.line,
            f"the piece is free before {len(inside)} of its cuts are done",
        )  # fmt: skip
        for k in inside[:MOST]:
            u, v = runs[k].points[0].tolist()
            yield Event(
                "cut-again", runs[k].at_s, (u, v), runs[k].line,
                "it cuts in a piece that is free already",
            )  # fmt: skip


def _tipping(scene: Scene, runs: Sequence[Run], pieces: Sequence[Piece]) -> Iterator[Event]:
    """Yield where the next rapid goes over a piece that may stand up between the slats.

    A piece that is longer than the slats are apart and shorter than twice that lies on one of them
    at least, and not surely on two: it may tip about it, and rise by half of its shorter side.
    Shorter ones drop, longer ones lie.
    """
    said = 0
    for piece in pieces:
        box = shapely.minimum_rotated_rectangle(piece.shape)
        corners = shapely.get_coordinates(box)
        sides = sorted(math.dist(corners[k], corners[k + 1]) for k in range(2))
        if said >= MOST or not scene.bench.slats < sides[1] < 2 * scene.bench.slats:
            continue
        after = runs[piece.run].last + 1
        table, tops = scene.table, scene.tops
        for k in range(after, len(scene.steps)):
            if table.cut[k]:
                break
            if not table.rapid[k]:
                continue
            way = shapely.LineString([table.first[k, :2], table.last[k, :2]])
            over = way.intersection(piece.shape).length
            height = float(table.low[k, 2] - tops[k])
            if over > _OVER * sides[0] and max(height, _HEAD) < sides[0] / 2:
                said += 1
                text = (
                    f"a piece of {sides[0]:.0f} x {sides[1]:.0f} mm may tip up between the slats, "
                    "and the next way goes over it"
                )
                yield scene.event("tip-up", k, text, np.array(piece.shape.centroid.coords[0]))
                break

"""A file held against what was wanted: what it cuts into, what it misses, how far it is off."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import numpy as np
import shapely

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.kerfs import Piece, Run, freed, kerf_of, left_of
from silhueta.core.rehearsal.relief import Relief
from silhueta.core.rehearsal.scene import Scene
from silhueta.core.rehearsal.through import gaps, runs_of
from silhueta.core.units import MM_PER_INCH

_INTO_PART = 0.05  # mm into what should stay, over which that is said
_ALMOST = 0.12  # of that factor, within which a size is one of the other unit: leads reach out
_MISSED = 0.5  # of a loop's length that no kerf reaches, from which it was missed
_LONG = 4.0  # widths of the tool that are uncut in one stretch, from which that is missed, and
_LEAST = 8.0  # mm at least: what a round tool leaves in a sharp corner is shorter
_EVERY = 1.0  # mm between places at which that is looked for
_WALL = 0.02  # mm that a pocket's wall may be off, before a corner of it is narrower than a bit
_FINE = 64  # lines in a quarter of a circle: 0.00004 of the tool's radius off
_FLOOR = 0.5  # mm between places of a pocket's floor that are looked at
_RIDGE = 0.1  # mm that a floor may be off its depth: more is felt with a finger


class Off(NamedTuple):
    """How far something is off what was wanted, mm, and where."""

    mm: float
    at: tuple[float, float]


def unit(scene: Scene) -> list[Event]:
    """Return whether it is 25.4 times as large, or as small, as what was wanted."""
    cut = scene.table.cut
    if not scene.bench.wanted or not cut.any():
        return []
    size = float((scene.table.high[cut].max(axis=0) - scene.table.low[cut].min(axis=0))[:2].max())
    left, bottom, right, top = shapely.total_bounds(list(scene.bench.wanted))
    factor = size / max(right - left, top - bottom)
    for one, words in ((MM_PER_INCH, "large"), (1 / MM_PER_INCH, "small")):
        if abs(factor / one - 1) < _ALMOST:
            text = f"it is about 25.4 times too {words}: mm and inches are mixed up"
            return [Event("unit-suspect", 0.0, (0.0, 0.0), scene.steps[0].line, text)]
    return []


def into_parts(
    scene: Scene, runs: Sequence[Run], kerfs: Sequence[shapely.Polygon]
) -> Iterator[Event]:
    """Yield where runs go into what should stay."""
    solid = list(scene.bench.wanted)
    tree = shapely.STRtree([part.buffer(-_INTO_PART) for part in solid])
    for run, kerf in zip(runs, kerfs, strict=True):
        for n in tree.query(kerf, "intersects").tolist():
            common = kerf.intersection(solid[n])
            corners = np.asarray(shapely.points(shapely.get_coordinates(common)))
            deep = shapely.distance(corners, solid[n].boundary)
            k = int(deep.argmax())
            x, y = corners[k].coords[0]
            yield Event(
                "cuts-part", run.at_s, (x, y), run.line,
                f"it cuts {float(deep[k]):.2f} mm into what should stay",
            )  # fmt: skip


def missed(scene: Scene, runs: Sequence[Run], kerfs: Sequence[shapely.Polygon]) -> Iterator[Event]:
    """Yield which loops of what is wanted are not cut, or not in a stretch longer than any tab.

    Kerfs lead over tabs here.
    """
    end = float(scene.when[-1]) if len(scene.when) else 0.0
    line = scene.steps[-1].line if scene.steps else 0
    tree = shapely.STRtree(list(kerfs))
    # a tool that is wider than a corner leaves it: its radius is allowed for
    near = max((run.width for run in runs), default=scene.bench.width) / 2 + 2 * _INTO_PART
    for part in scene.bench.wanted:
        for ring in (part.exterior, *part.interiors):
            count = max(16, int(ring.length / _EVERY))
            share = (np.arange(count) + 0.5) / count
            places = np.asarray(shapely.line_interpolate_point(ring, share, normalized=True))
            hit = np.zeros(count, bool)
            if len(kerfs):
                hit[tree.query(places, "dwithin", near)[0]] = True
            first, long = _longest(~hit)
            stretch = long * ring.length / count
            if 1 - hit.mean() > _MISSED or stretch > max(_LONG * near * 2, _LEAST):
                x, y = places[(first + long // 2) % count].coords[0]
                text = f"{ring.length * (1 - hit.mean()):.0f} mm of this outline are not cut"
                yield Event("missed", end, (x, y), line, text)


def _longest(free: np.ndarray) -> tuple[int, int]:
    """Return where the longest stretch of what is true begins, round and round, and how many."""
    if free.all():
        return 0, len(free)
    first = int((~free).argmax())
    turned = np.concatenate([np.roll(free, -first), [False]])
    edges = np.flatnonzero(np.diff(np.concatenate([[0], turned.astype(int)])))
    if not len(edges):
        return 0, 0
    longs = edges[1::2] - edges[::2]
    k = int(longs.argmax())
    return (int(edges[2 * k]) + first) % len(free), int(longs[k])


def over_tabs(
    scene: Scene, runs: list[Run], pieces: list[Piece], kerfs: list[shapely.Polygon]
) -> tuple[list[Run], list[Piece], list[shapely.Polygon], list[shapely.Polygon]]:
    """Return runs, pieces and kerfs as they are once tabs are broken off, and where those were."""
    whole = runs_of(scene, over_tabs=True)
    filled = gaps(whole, scene.bench.wanted)
    same = len(whole) == len(runs) and all(
        len(a.points) == len(b.points) for a, b in zip(whole, runs, strict=True)
    )
    if not filled and same:
        return runs, pieces, kerfs, []
    every = whole + filled
    loose, cut = freed(every, scene.bench.sheet)
    return every, loose, cut, [kerf_of(one) for one in filled]


def off_outline(
    scene: Scene,
    runs: Sequence[Run],
    pieces: Sequence[Piece],
    kerfs: Sequence[shapely.Polygon],
    tabs: Sequence[shapely.Polygon],
) -> tuple[Off | None, float | None]:
    """Return how far freed parts are off what was wanted at most; None: nothing came free.

    The second number is what is left of that once sharp inner corners are as round as the tool has
    to leave them. What lies at tabs, which torch and beam leave straight, is not looked at.
    """
    worst: Off | None = None
    beyond: float | None = None
    radius = max((run.width for run in runs), default=scene.bench.width) / 2
    beside = shapely.union_all([tab.buffer(_INTO_PART) for tab in tabs]) if tabs else None
    for part in scene.bench.wanted:
        at = part.representative_point()
        own = [one for one in pieces if one.shape.contains(at)]
        if not own:
            continue
        left = left_of(min(own, key=lambda one: one.shape.area).shape, kerfs)
        corners = np.asarray(shapely.points(shapely.get_coordinates(left)))
        if beside is not None:
            corners = corners[~shapely.intersects(beside, corners)]
        if not len(corners):
            continue
        off = shapely.distance(corners, part.boundary)
        k = int(off.argmax())
        if worst is None or off[k] > worst.mm:
            worst = Off(float(off[k]), corners[k].coords[0])
        # closed by a disc: inner corners are filled as far as the tool cannot reach into them
        filled = part.buffer(radius, quad_segs=_FINE)
        reached = shapely.buffer(filled, -radius, quad_segs=_FINE)
        more = float(shapely.distance(corners, reached.boundary).max()) if radius else float(off[k])
        beyond = max(beyond or 0.0, min(more, float(off[k])))
    return worst, beyond


def loose(scene: Scene, runs: Sequence[Run], pieces: Sequence[Piece]) -> Iterator[Event]:
    """Yield which parts come free although tabs should hold them."""
    if not scene.bench.held:
        return
    for part in scene.bench.wanted:
        at = part.representative_point()
        own = [one for one in pieces if one.shape.contains(at)]
        if own:
            run = runs[min(own, key=lambda one: one.shape.area).run]
            text = "it comes free, though tabs should hold it"
            yield Event("freed-early", run.at_s, (at.x, at.y), run.line, text)


def floors(scene: Scene, relief: Relief) -> tuple[Off | None, list[Event]]:
    """Return how far pockets' floors are off their depth at most, and which were not cleared."""
    worst: Off | None = None
    found: list[Event] = []
    end = float(scene.when[-1]) if len(scene.when) else 0.0
    line = scene.steps[-1].line if scene.steps else 0
    for field in scene.bench.fields:
        if not field.pocket:
            continue
        # a round bit leaves the corners, and its middle stays its radius off the wall: what it
        # reaches is the shape, opened by its radius
        radius = field.radius
        opened = shapely.buffer(field.shape, -radius - _WALL)
        floor: Any = shapely.buffer(opened, radius - relief.cell)
        deeper = [one.shape for one in scene.bench.fields if one.depth > field.depth + _INTO_PART]
        if deeper:
            floor = shapely.difference(floor, shapely.buffer(shapely.union_all(deeper), 0.1))
        if floor.is_empty:
            continue
        places = _grid(floor)
        high = relief.at_all(places)
        off = high + field.depth
        if not len(off):
            continue
        k = int(np.abs(off).argmax())
        x, y = places[k].tolist()
        if worst is None or abs(off[k]) > worst.mm:
            worst = Off(float(abs(off[k])), (x, y))
        if off[k] > _RIDGE:
            share = float((off > _RIDGE).mean())
            text = f"{share:.0%} of a pocket's floor is not cleared, {off[k]:.2f} mm too high here"
            found.append(Event("missed", end, (x, y), line, text))
    return worst, found


def _grid(shape: shapely.Geometry) -> Floats:
    """Return places inside a shape, (N, 2) mm, in rows and columns."""
    left, bottom, right, top = shapely.bounds(shape).tolist()
    x, y = np.meshgrid(np.arange(left, right, _FLOOR), np.arange(bottom, top, _FLOOR))
    inside = shapely.contains_xy(shape, x.ravel(), y.ravel())
    found: Floats = np.column_stack([x.ravel(), y.ravel()])[inside]
    return found

"""What goes wrong at single steps of a file: feeds, beds, clamps, depths, what is on or off."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.scene import MOST, Scene
from silhueta.core.rehearsal.table import Flags
from silhueta.core.units import MM_PER_INCH

_BED = 1.0  # mm below the sheet that a bit may go into the board under it (common practice)
_DEEPER = 0.05  # mm deeper than was planned there, over which that is said: burrs are thicker
_ROUND = 1e-3  # mm: what a file's decimals leave
_NEAR = 0.03  # of 25.4 times a planned feed, within which a feed is one of the other unit
_FAR = 5.0  # times off all that was planned, without which it is somebody's choice


def beside(scene: Scene) -> Iterator[Event]:
    """Yield what goes wrong at single steps, at most `MOST` of each kind."""
    if not len(scene.steps):
        return
    yield from _switched(scene)
    yield from _fed(scene)
    yield from _bounds(scene)
    yield from _clamps(scene)
    if not scene.flat:
        yield from _sunk(scene)
        yield from _too_deep(scene)
    if scene.steps[-1].on:
        what = "torch or beam" if scene.flat else "spindle"
        yield scene.event("left-on", len(scene.steps) - 1, f"it ends with the {what} on")


def _few(which: Flags) -> list[int]:
    """Return the first steps of which something is true."""
    found: list[int] = np.flatnonzero(which)[:MOST].tolist()
    return found


def _switched(scene: Scene) -> Iterator[Event]:
    """Yield where the tool is on while it should not be, or off while it should cut."""
    table = scene.table
    goes = table.flat > 1e-6
    if scene.flat:
        for k in _few(table.rapid & goes & table.on):
            yield scene.event("left-on", k, "the torch or beam is on while it goes on at rapid")
        idle, what = table.cut & ~table.on & goes, "the torch or beam is off"
    else:
        deep = table.low[:, 2] < scene.tops - _ROUND
        idle, what = table.cut & ~table.on & goes & deep, "the spindle stands still"
    for k in _few(idle):
        yield scene.event("no-pierce", k, f"it would cut, and {what}")


def _fed(scene: Scene) -> Iterator[Event]:
    """Yield where a feed is one of the other unit, or more than the machine can do.

    One that stays is told once.
    """
    machine, table, planned = scene.bench.machine, scene.table, np.array(scene.bench.feeds)
    working = np.flatnonzero(table.working)
    feed = table.feed[working]
    new = np.concatenate([[True], np.diff(feed) != 0])[: len(feed)]
    if len(planned):
        for k in working[new & _other_unit(feed, planned)][:1].tolist():
            text = f"{table.feed[k]:g} mm/min are 25.4 times off what was planned: mm or inches?"
            yield scene.event("unit-suspect", k, text)
    if machine is None:
        return
    over = feed > machine.max_feed_mm_min + _ROUND
    for k in working[over & new][:MOST].tolist():
        most = machine.max_feed_mm_min
        text = f"{table.feed[k]:g} mm/min are more than {machine.name} can do ({most:g})"
        yield scene.event("over-feed", k, text)


def _other_unit(feed: Floats, planned: Floats) -> Flags:
    """Return which feeds are 25.4 times more or less than one that was planned."""
    off = (feed < planned.min() / _FAR) | (feed > planned.max() * _FAR)
    times = np.maximum(feed, _ROUND)[:, None] / planned[None, :]
    times = np.where(times < 1, 1 / times, times) / MM_PER_INCH
    found: Flags = off & (np.abs(times - 1) < _NEAR).any(axis=1)
    return found


def _sunk(scene: Scene) -> Iterator[Event]:
    """Yield where a bit goes on at rapid in the sheet, or into what lies under it."""
    table, thickness = scene.table, scene.bench.thickness
    bottom, low = scene.bottoms, table.low[:, 2]
    top = bottom + thickness
    for k in _few(table.rapid & (table.flat > 1e-6) & (low < top - _ROUND)):
        text = f"at rapid, {top[k] - low[k]:.2f} mm below the sheet's top"
        yield scene.event("rapid-in-material", k, text)
    if thickness:
        for k in _few(table.working & (low < bottom - _BED - _ROUND)):
            text = f"{bottom[k] - low[k]:.2f} mm below the sheet, into what is under it"
            yield scene.event("into-bed", k, text)


def _bounds(scene: Scene) -> Iterator[Event]:
    """Yield what lies off the bed or the sheet, the first step of each."""
    cutting = np.flatnonzero(scene.table.working)
    if not len(cutting):
        return
    low, high = scene.table.low[cutting, :2], scene.table.high[cutting, :2]
    machine, sheet = scene.bench.machine, scene.bench.sheet
    if machine is not None:
        start = low.min(axis=0)
        beyond = ((high - start) > np.array(machine.bed_mm) + 1e-6).any(axis=1)
        if beyond.any():
            k = int(cutting[beyond.argmax()])
            wide, deep = (high.max(axis=0) - start).tolist()
            bed = f"{machine.bed_mm[0]:g} x {machine.bed_mm[1]:g} mm"
            text = f"it needs {wide:.1f} x {deep:.1f} mm, the bed has {bed}"
            yield scene.event("off-bed", k, text)
    if sheet is not None:
        off = (low < np.array(sheet[:2]) - 1e-6) | (high > np.array(sheet[2:]) + 1e-6)
        if off.any():
            k = int(cutting[off.any(axis=1).argmax()])
            yield scene.event("off-sheet", k, "it leaves the sheet")


def _clamps(scene: Scene) -> Iterator[Event]:
    """Yield the first of the cuts that follow each other where clamps are: in the margin."""
    sheet, margin, table = scene.bench.sheet, scene.bench.margin, scene.table
    if sheet is None or not margin:
        return
    radius = scene.widths / 2
    inward = np.minimum(table.low[:, :2] - sheet[:2], np.array(sheet[2:]) - table.high[:, :2])
    room = inward.min(axis=1) - radius
    near = table.cut & table.on & (room < margin - _ROUND)
    # what lies off the sheet is told as that
    first = near & ~np.concatenate([[False], near[:-1]]) & (room > -2 * radius)
    for k in _few(first):
        text = f"{max(float(room[k]), 0.0):.1f} mm beside the sheet's edge, where clamps are"
        yield scene.event("clamp", k, text)


def _too_deep(scene: Scene) -> Iterator[Event]:
    """Yield where a bit goes deeper than what was planned at that place."""
    fields, table = scene.bench.fields, scene.table
    cutting = np.flatnonzero(table.working)
    if not fields or not len(cutting):
        return
    ends = table.last[cutting]
    deep = scene.tops[cutting] - ends[:, 2]
    tree = shapely.STRtree([one.shape for one in fields])
    allowed = np.full(len(cutting), -1.0)
    which, of = tree.query(shapely.points(ends[:, :2]), "intersects")
    np.maximum.at(allowed, which, np.array([one.depth for one in fields])[of])
    over = (allowed >= 0) & (deep > allowed + _DEEPER)
    starts = np.flatnonzero(over & ~np.concatenate([[False], over[:-1]]))
    for n in starts[:MOST].tolist():
        text = f"{deep[n]:.2f} mm deep, where {allowed[n]:.2f} mm were planned"
        yield scene.event("over-depth", int(cutting[n]), text)

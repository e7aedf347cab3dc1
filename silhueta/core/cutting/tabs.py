"""Holding tabs: short stretches that stay standing, evenly along a piece, where a file can reach.

Words used here
    fit      the places along a way at which the middle of a tab may be
    even     how far a tab may be moved off its even place: what that leaves is the evenness

Tabs are put on straight runs or gentle bends, off corners, and where the waste beside them is wide
enough for a file.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.cutting.plan import Tab
from silhueta.core.geometry.along import Along
from silhueta.core.geometry.path import Floats, Path
from silhueta.core.geometry.pieces import place_of

_CORNER = math.radians(20)  # by which the way turns at least where it has a corner
_BEND = 3.0  # widths of a tab, that the radius of a bend has at least (common practice, no source)
_FILE = 6.0  # mm that a flat file needs beside a tab (common practice, no source)
_STEPS = 1500  # places along a way that are looked at: 0.5 mm on 750 mm
_PHASES = 240  # beginnings that are tried for the first tab
_EVEN = 0.1  # of the spacing, that a tab is moved at most if any beginning allows it


def fitting(
    way: Along, width: float, tool: float, off: Floats, room: shapely.Geometry | None
) -> tuple[Floats, NDArray[np.bool_]]:
    """Return places along a way, mm, and at which of them a tab may be.

    Parameters
    ----------
    way : Along
    width : float, mm
        Of the tab, that stays.
    tool : float, mm
        Width of the tool: that much more of the way is left.
    off : (K,) ndarray, mm
        Places along the way that tabs keep off, as where it begins.
    room : geometry or None
        What stays round about: a file must fit between it and the tab.

    """
    count = int(np.clip(way.length / 0.5, 60, _STEPS))  # half a millimetre apart on small ones
    at = (np.arange(count) + 0.5) / count * way.length
    half = (width + tool) / 2
    good = np.ones(count, bool)
    for others, keep in ((way.corners(_CORNER), half + width / 2), (off, half + width)):
        if len(others):
            apart = np.abs(at[:, None] - others[None, :])
            if way.path.closed:
                apart = np.minimum(apart, way.length - apart)
            good &= apart.min(axis=1) >= keep
    bent = np.abs(way.curvatures()) * _BEND * width > 1
    if bent.any():
        # no part of a tab on a small arc
        for k in np.flatnonzero(bent).tolist():
            off_it = half + width / 2
            low, high = way.starts[k] - off_it, way.starts[k + 1] + off_it
            middle, reach = (low + high) / 2, (high - low) / 2
            apart = np.abs(at - middle)
            if way.path.closed:
                apart = np.minimum(apart, way.length - apart)
            good &= apart >= reach
    if room is not None and good.any():
        points, ways = way.points(at)
        left = np.column_stack([-ways[:, 1], ways[:, 0]])
        # what stays is on the right; the file comes from the left
        beside = shapely.linestrings(
            np.stack([points + (tool / 2 + 0.1) * left, points + (tool / 2 + _FILE) * left], axis=1)
        )
        shapely.prepare(room)
        good &= ~shapely.intersects(room, beside)
    return at, good


def placed(at: Floats, good: NDArray[np.bool_], length: float, count: int) -> Floats:
    """Return places for tabs, (K <= count,), mm along a loop: where they fit, as even as can be.

    Of all beginnings the one is taken from which the tabs have to be moved least.
    """
    fit = at[good]
    if not len(fit) or count < 1:
        return np.zeros(0)
    spacing = length / count
    phases = np.arange(_PHASES) / _PHASES * spacing
    wanted = (phases[:, None] + np.arange(count)[None, :] * spacing) % length
    ring = np.concatenate([[fit[-1] - length], fit, [fit[0] + length]])
    near = np.searchsorted(ring, wanted)
    below, above = ring[np.maximum(near - 1, 0)], ring[np.minimum(near, len(ring) - 1)]
    best = np.where(wanted - below <= above - wanted, below, above)
    moved = np.abs(best - wanted)
    # the worst tab counts first, then all together
    k = int(np.argmin(moved.max(axis=1) + 1e-3 * moved.mean(axis=1)))
    return np.unique(np.round(best[k] % length, 6))


def tabs_on(
    path: Path,
    width: float,
    tool: float,
    count: int,
    off: Floats,
    room: shapely.Geometry | None = None,
) -> tuple[Tab, ...]:
    """Return tabs on a closed way: `count` of them where there is room, none on each other.

    Parameters
    ----------
    path : Path
        Closed, of lines and arcs, mm; what stays lies on its right.
    width, tool : float, mm
        What stays of a tab; the tool's width.
    count : int
    off : (K,) ndarray, mm
        Places along the way to keep off.
    room : geometry or None
        What stays round about.

    """
    way = Along(path)
    at, good = fitting(way, width, tool, off, room)
    if not good.any():  # rather where no file fits than none at all
        at, good = fitting(way, width, tool, off, None)
    found = placed(at, good, way.length, count)
    return _tabs(way, found, width, tool)


def tabs_at(
    path: Path, places: Sequence[tuple[float, float]], width: float, tool: float
) -> tuple[Tab, ...]:
    """Return tabs at the places of a way nearest to those that a person chose."""
    way = Along(path)
    found = [way.at(place_of(path, np.asarray(place, np.float64))) for place in places]
    return _tabs(way, np.sort(np.array(found)), width, tool)


def _tabs(way: Along, middles: Floats, width: float, tool: float) -> tuple[Tab, ...]:
    """Return tabs about places, without those that would run into the one before."""
    half = (width + tool) / 2
    made: list[Tab] = []
    for at, point in zip(middles.tolist(), way.points(middles)[0].tolist(), strict=True):
        if made and at - half < made[-1].high + tool:
            continue
        if made and way.path.closed and at + half - way.length > made[0].low - tool:
            continue
        made.append(Tab(at - half, at + half, (point[0], point[1])))
    return tuple(made)

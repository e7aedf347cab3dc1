"""Where a file goes through the sheet: its runs, in their order, and where tabs part them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from scipy.spatial import KDTree

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, LINE, Floats, OpenPath
from silhueta.core.rehearsal.kerfs import Run, chain
from silhueta.core.rehearsal.scene import Scene
from silhueta.core.rehearsal.steps import Step

_CHORD = 0.002  # mm, within which arcs are followed
_THROUGH = 0.05  # mm above the underside, from which a bit is through: burrs are thicker
_TAB = 15.0  # mm: a longer stretch that is left uncut is no tab (common practice, no source)


def runs_of(scene: Scene, over_tabs: bool = False) -> list[Run]:
    """Return the ways that a file cuts through the sheet.

    Parameters
    ----------
    scene : Scene
    over_tabs : bool
        Whether a bit that rises over a tab and goes on through the sheet makes one run of it: as
        the part is once its tabs are broken off.

    """
    steps, table = scene.steps, scene.table
    through = table.cut & table.on
    if scene.flat:
        through &= ~np.array([one.light for one in steps], bool)
    else:
        bench = scene.bench
        through &= table.high[:, 2] <= scene.bottoms + _THROUGH
        through &= bool(bench.thickness or bench.tables)
    still = np.array([one.motion.kind == "wait" for one in steps], bool)
    if not scene.flat:
        still |= table.plunge
    widths = scene.widths
    found: list[Run] = []
    chosen: list[int] = []
    waiting: list[int] = []  # cuts above the underside, that may be over a tab
    room = 0.0

    def close() -> None:
        waiting.clear()
        if chosen:
            first, last = chosen[0], chosen[-1]
            points = chain([places(steps[k]) for k in chosen])
            width, end = float(widths[first]), float(scene.when[last])
            found.append(Run(points, width, end, steps[first].line, first, last))
        chosen.clear()

    for k in range(len(steps)):
        if through[k]:
            chosen.extend(waiting)
            waiting.clear()
            chosen.append(k)
        elif over_tabs and chosen and not scene.flat and table.working[k]:
            if not waiting:
                # a bit leaves the way for a tab earlier than the tab begins, by its own width
                room = _TAB + 2 * widths[k]
            waiting.append(k)
            room -= table.flat[k]
            if room < 0:
                close()
        elif not still[k]:
            close()
    close()
    return found


def gaps(runs: Sequence[Run], wanted: Sequence[shapely.Polygon]) -> list[Run]:
    """Return the gaps that torch or beam left uncut as tabs, as runs straight over them.

    A gap leads from where a run ends to where the nearest one begins, both along the same loop of
    what is wanted.
    """
    open_ones = [run for run in runs if np.hypot(*(run.points[-1] - run.points[0])) > 1e-3]
    rings = [ring for part in wanted for ring in (part.exterior, *part.interiors)]
    if not open_ones or not rings:
        return []
    begins = np.array([run.points[0] for run in open_ones])
    far, nearest = KDTree(begins).query([run.points[-1] for run in open_ones])
    tree = shapely.STRtree(rings)
    found = []
    for run, gap, k in zip(open_ones, np.array(far), np.array(nearest), strict=True):
        if not 0 < gap <= _TAB:
            continue
        reach = run.width / 2 + 0.1  # a kerf's middle lies so far from what it leaves
        at_both = [
            set(tree.query(shapely.Point(*place), "dwithin", reach).tolist())
            for place in (run.points[-1], begins[k])
        ]
        if at_both[0] & at_both[1]:
            line = np.array([run.points[-1], begins[k]])
            found.append(run._replace(points=line))
    return found


def places(step: Step) -> Floats:
    """Return the places along a step, (N, 2) mm, arcs as chords."""
    motion = step.motion
    if not motion.bulges.any():
        return motion.points[:, :2]
    kinds = np.where(motion.bulges != 0, ARC, LINE).astype(np.uint8)
    return flatten(OpenPath(motion.points[:, :2], kinds, motion.bulges), _CHORD)


def places_deep(step: Step) -> Floats:
    """Return the places along a step, (N, 3) mm: along an arc its depth changes evenly."""
    points = step.motion.points
    if not step.motion.bulges.any():
        return points
    flat = places(step)
    far = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(flat, axis=0).T))])
    # a step has one segment, or two halves of one arc: its depth is even along all of it
    share = far / max(float(far[-1]), 1e-12)
    return np.column_stack([flat, points[0, 2] + share * (points[-1, 2] - points[0, 2])])

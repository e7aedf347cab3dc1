"""Fields and lines that do not go through the sheet: engraved, cleared, carved."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from silhueta.core.cutting.hatch import hatched
from silhueta.core.cutting.kerf import CURVE
from silhueta.core.cutting.plan import Entry, Way
from silhueta.core.cutting.pocket import cleared
from silhueta.core.cutting.scene import Scene, said, told
from silhueta.core.cutting.through import on_line
from silhueta.core.cutting.vgroove import grooves
from silhueta.core.errors import EditError
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.geometry.pieces import Place, stretch
from silhueta.core.geometry.solids import solids
from silhueta.core.plan_settings import ByHand, Operation, Tool
from silhueta.core.work import Work

# contours that are worked alike: operation, tool's number, depth, passes
_Same = tuple[Operation, int | None, float | None, int | None]


def areas(scene: Scene, work: Work) -> list[Entry]:
    """Return the entries of what is engraved, cleared or carved."""
    found: dict[_Same, list[tuple[Contour, ByHand]]] = {}
    made: list[Entry] = []
    for contour in scene.job.outline.contours:
        if not contour.taken or contour.operation != "engrave":
            continue
        hand = scene.hand(contour)
        operation: Operation = hand.operation or "engrave"
        if not contour.path.closed:
            made += on_line(scene, contour, hand, "engrave")
            continue
        same = (operation, hand.tool, hand.depth, hand.passes)
        found.setdefault(same, []).append((contour, hand))
    for (operation, *_), some in found.items():
        for field_ in _fields(some):
            work.step(0.3)
            made += _area(scene, operation, field_)
    return made


def _fields(some: Sequence[tuple[Contour, ByHand]]) -> list[list[tuple[Contour, ByHand]]]:
    """Return contours by field: a loop, and the islands right inside it."""
    loops = [c.path for c, _ in some if isinstance(c.path, Loop)]
    return [[some[s.place], *(some[k] for k in s.inside)] for s in solids(loops)]


def _area(
    scene: Scene, operation: Operation, some: Sequence[tuple[Contour, ByHand]]
) -> list[Entry]:
    """Return the entries of one field."""
    tools, hand = scene.tools, some[0][1]
    contours = [contour for contour, _ in some]
    loops = [c.path for c in contours if isinstance(c.path, Loop)]
    try:
        tool, fault = tools.tool(operation, hand)
        depth = tools.depth(operation, hand)
        feed, plunge = tools.feeds(operation, tool)
        if operation == "vgroove":
            return _grooved(scene, contours, loops, tool, depth, hand)
        ways = _field_ways(scene, operation, loops, tool)
    except EditError as error:
        scene.leave(contours, str(error))
        return []
    if fault:
        scene.unfit(contours[0], fault)
    if not ways:
        scene.leave(
            contours,
            f"the bit of {tool.diameter_mm:g} mm does not fit into the field at "
            f"{said(contours[0])}; take a narrower one",
        )
        return []
    keys = tuple(c.key for c in contours)
    steps = tools.steps(operation, depth, tool, hand)
    return [
        Entry(
            keys, operation, tool, "on" if operation == "engrave" else "inside", depth, steps,
            tuple(ways), 0, keys[0], feed, plunge, colour=contours[0].colour,
            by_hand=not hand.empty,
        )
    ]  # fmt: skip


def _field_ways(scene: Scene, operation: Operation, loops: Sequence[Loop], tool: Tool) -> list[Way]:
    settings = scene.settings
    if operation == "pocket":
        paths = cleared(
            loops, tool.diameter_mm, tool.stepover, settings.pocket_way, settings.finish
        )
        return [Way(path, _is_closed(path)) for path in paths]
    if settings.hatch_gap is not None:
        return [Way(path) for path in hatched(loops, settings.hatch_gap, settings.hatch_angle)]
    closed = [with_arcs(loop, CURVE) for loop in loops]
    return [Way(stretch(one, Place(0, 0.0), Place(0, 0.0)), True) for one in closed]


def _is_closed(path: OpenPath) -> bool:
    return bool(np.hypot(*(path.nodes[0] - path.nodes[-1])) < 1e-6)


def _grooved(
    scene: Scene,
    contours: Sequence[Contour],
    loops: Sequence[Loop],
    tool: Tool,
    depth: float,
    hand: ByHand,
) -> list[Entry]:
    """Return the entries of a V-groove: its own, and the one that clears its floor."""
    tools, settings = scene.tools, scene.settings
    keys = tuple(c.key for c in contours)
    found = grooves(loops, tool.angle_deg, depth)
    feed, plunge = tools.feeds("vgroove", tool)
    made = []
    if found.floor:
        flat = next(
            (one for one in tools.tools if one.number == settings.flat_tool and one.kind == "flat"),
            None,
        )
        if flat is not None:
            paths = cleared(found.floor, flat.diameter_mm, flat.stepover, settings.pocket_way)
            if paths:
                f, p = tools.feeds("pocket", flat)
                made.append(
                    Entry(
                        keys, "pocket", flat, "inside", depth,
                        tools.steps("pocket", depth, flat, ByHand(keys[0])),
                        tuple(Way(path, _is_closed(path)) for path in paths), 0, keys[0], f, p,
                        colour=contours[0].colour,
                    )
                )  # fmt: skip
        else:
            scene.findings.append(
                told(
                    "flat-bottom",
                    "look",
                    contours[0],
                    f"the groove at {said(contours[0])} is broader than the bit cuts at "
                    f"{depth:g} mm: its middle stays standing; choose a second bit at Tools, "
                    "or a larger depth",
                )
            )
    ways = tuple(Way(one.path, depths=one.depths) for one in found.ways)
    if not ways:
        scene.leave(contours, f"nothing of the groove at {said(contours[0])} can be seen")
        return made
    deepest = max(float(one.depths.max()) for one in found.ways)
    made.append(
        Entry(
            keys, "vgroove", tool, "inside", deepest, (deepest,), ways, 0, keys[0], feed, plunge,
            colour=contours[0].colour, by_hand=not hand.empty,
        )
    )  # fmt: skip
    return made

"""Contours that are cut through: which side, where each begins, its leads and tabs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np
import shapely

from silhueta.core.cutting.kerf import CURVE, counter_clockwise, tool_loops
from silhueta.core.cutting.leads import Led, Room, Wanted, led_in
from silhueta.core.cutting.plan import Entry, Tab, Way
from silhueta.core.cutting.scene import Group, Scene, said, told
from silhueta.core.cutting.tabs import tabs_at, tabs_on
from silhueta.core.errors import EditError
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import circle_of, length_of
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import Loop, OpenPath, reverse
from silhueta.core.geometry.pieces import Place, place_of, stretch
from silhueta.core.plan_settings import ByHand, Operation, Side, Tool
from silhueta.core.work import Work

_TAB_WIDTH = 10.0  # mm that stay of a router's tab (common practice, no source)
_TAB_SPACING = 140.0  # mm from tab to tab: fifteen on a part of 680 mm, some 2,100 mm round
_FEWEST_TABS = 3  # that hold a piece in its plane
_TAB_SHARE = 0.08  # of a piece's way round, that one tab takes at most where nobody said


class _Cut(NamedTuple):
    """A contour that is cut through, before it has leads."""

    contour: Contour
    hand: ByHand
    tool: Tool
    side: Side
    loops: list[Loop]
    level: int
    part: int
    hole: bool


def through(scene: Scene, group: Group, work: Work) -> list[Entry]:
    """Return the entries of closed contours of one colour that are cut through."""
    cuts: list[_Cut] = []
    made: list[Entry] = []
    depth = group.nesting.depth.tolist()
    for k, contour in enumerate(group.contours):
        work.step(0.3)
        hand = scene.hand(contour)
        circle = circle_of(contour.path)
        drill = hand.operation == "drill" or (
            hand.operation is None
            and not scene.tools.flat
            and circle is not None
            and depth[k] % 2 == 1
            and 2 * circle[1] <= scene.settings.drill_up_to + 1e-6
        )
        if drill:
            one = _drilled(scene, contour, hand, depth[k], group.part[k])
            if one is not None:
                made.append(one)
            continue
        cut = _aside(scene, contour, hand, depth[k], group.part[k])
        if cut is not None:
            cuts.append(cut)
    return made + _with_leads(scene, group, cuts)


def _drilled(scene: Scene, contour: Contour, hand: ByHand, level: int, part: int) -> Entry | None:
    circle = circle_of(contour.path)
    if circle is None:
        scene.leave([contour], "only round holes are drilled; choose another operation")
        return None
    try:
        tool, fault = scene.tools.tool("drill", hand, 2 * circle[1])
        depth = scene.tools.depth("drill", hand)
    except EditError as error:
        scene.leave([contour], str(error))
        return None
    if fault:
        scene.unfit(contour, fault)
    x, y = circle[0]
    way = Way(OpenPath(np.array([[x, y], [x + 1e-6, y]])))  # a place: a path has two nodes
    feed, plunge = scene.tools.feeds("drill", tool)
    steps = scene.tools.steps("drill", depth, tool, hand)
    return Entry(
        (contour.key,), "drill", tool, "on", depth, steps, (way,), level, part, feed, plunge,
        through=True, colour=contour.colour, by_hand=not hand.empty,
    )  # fmt: skip


def _aside(scene: Scene, contour: Contour, hand: ByHand, level: int, part: int) -> _Cut | None:
    """Return a contour with where the tool's middle goes; None where it cannot."""
    try:
        tool, fault = scene.tools.tool("cut", hand)
        scene.tools.depth("cut", hand)
    except EditError as error:
        scene.leave([contour], str(error))
        return None
    if fault:
        scene.unfit(contour, fault)
    hole = level % 2 == 1
    side: Side = hand.side or ("inside" if hole else "outside")
    if not tool.diameter_mm:
        side = "on"
    assert isinstance(contour.path, Loop)
    loops = tool_loops(contour.path, side, tool.diameter_mm, solid=not hole)
    if not loops:
        what = "hole" if hole else "loop"
        scene.leave(
            [contour],
            f"the tool of {tool.diameter_mm:g} mm does not fit into the {what} at "
            f"{said(contour)}; take a narrower one, or make it larger at Inspect",
        )
        return None
    if not scene.settings.climb:
        loops = [reverse_loop(one) for one in loops]
    return _Cut(contour, hand, tool, side, loops, level, part, hole)


def _with_leads(scene: Scene, group: Group, cuts: Sequence[_Cut]) -> list[Entry]:
    """Return cuts as entries: where each begins, its leads and tabs."""
    wanted: list[Wanted] = []
    for cut in cuts:
        kind, length = scene.tools.lead("cut", cut.hand)
        for loop in cut.loops:
            # leads come from the left: what stays lies on the right, whichever way it is cut
            right = loop if scene.settings.climb else reverse_loop(loop)
            width, start = cut.tool.diameter_mm, cut.hand.start
            back = not scene.settings.climb
            tabs = cut.hand.tabs or ()
            reach = width + (scene.settings.tab_width or _TAB_WIDTH)
            wanted.append(Wanted(right, kind, length, width, cut.hole, start, back, tabs, reach))
    leads = iter(_led(scene, group, wanted))
    asked = iter(wanted)
    made = []
    for cut in cuts:
        own = [(next(asked), next(leads)) for _ in cut.loops]
        made.append(_entry(scene, group, cut, own))
    return made


def _led(scene: Scene, group: Group, wanted: Sequence[Wanted]) -> list[Led]:
    """Return where ways begin: their leads off the sheet's margin, where clamps are, if they can.

    Where no other place has room a lead reaches into the margin, and that is told.
    """
    sheet, margin = scene.sheet, scene.tools.limits.margin
    if sheet is None or not margin:
        return led_in(wanted, Room(group.stays, sheet))
    left, bottom, right, top = sheet
    clear = (left + margin, bottom + margin, right - margin, top - margin)
    found = led_in(wanted, Room(group.stays, clear))
    none = [k for k, one in enumerate(found) if one.lead_in is None and wanted[k].kind != "none"]
    again = led_in([wanted[k] for k in none], Room(group.stays, sheet))
    for k, one in zip(none, again, strict=True):
        found[k] = one
        if one.lead_in is not None:
            x, y = one.lead_in.nodes[0].tolist()
            scene.notes.append(
                f"the cut that begins at {x:.1f}, {y:.1f} mm begins in the sheet's margin: keep "
                "clamps off that place"
            )
    return found


def _entry(scene: Scene, group: Group, cut: _Cut, own: Sequence[tuple[Wanted, Led]]) -> Entry:
    tools, settings = scene.tools, scene.settings
    ways = []
    for asked, led in own:
        if asked.kind != "none" and led.lead_in is None:
            scene.findings.append(
                told(
                    "no-lead",
                    "hurt",
                    cut.contour,
                    f"there is no room for a lead at {said(cut.contour)}: the cut begins on the "
                    "part's own edge",
                )
            )
        way = _begun(led)
        if asked.backward:
            way = replace(way, path=_turned(way.path))
        ways.append(replace(way, overcut=tools.overcut))
    if settings.compensate == "machine" and cut.side != "on":
        ways = [_on_outline(cut.contour, way, settings.climb != cut.hole) for way in ways]
    depth = tools.depth("cut", cut.hand)
    feed, plunge = tools.feeds("cut", cut.tool)
    through = tools.flat or depth >= tools.thickness - 1e-9
    height = tools.height if through else 0.0
    if not cut.hole or cut.hand.tabs is not None:
        ways = [_tabbed(scene, group, cut, way) for way in ways]
    return Entry(
        (cut.contour.key,), "cut", cut.tool, cut.side, depth,
        tools.steps("cut", depth, cut.tool, cut.hand), tuple(ways), cut.level, cut.part, feed,
        plunge, min(height, max(depth, 0.0)) if not tools.flat else 0.0, through,
        cut.contour.colour, not cut.hand.empty,
    )  # fmt: skip


def _begun(led: Led) -> Way:
    """Return a loop as a way from where it is led in."""
    return Way(led.way.opened(led.at), True, led.lead_in, led.lead_out)


def _turned(path: OpenPath) -> OpenPath:
    made = reverse(path)
    assert isinstance(made, OpenPath)
    return made


def _on_outline(contour: Contour, way: Way, clockwise: bool) -> Way:
    """Return the way on the outline itself, where the machine moves its tool aside.

    It begins where the tool would, and is led in from the same place, straight.
    """
    plain = with_arcs(contour.path, CURVE)
    assert isinstance(plain, Loop)
    loop = counter_clockwise(plain)
    if clockwise:
        loop = reverse_loop(loop)
    place = place_of(loop, way.path.nodes[0])
    path = stretch(loop, place, place)

    def led(end: np.ndarray, first: bool) -> OpenPath:
        ends = [end, path.nodes[0]] if first else [path.nodes[-1], end]
        return OpenPath(np.array(ends))

    lead_in = None if way.lead_in is None else led(way.lead_in.nodes[0], True)
    lead_out = None if way.lead_out is None else led(way.lead_out.nodes[-1], False)
    return replace(way, path=path, lead_in=lead_in, lead_out=lead_out)


def _tabbed(scene: Scene, group: Group, cut: _Cut, way: Way) -> Way:
    """Return a way with its tabs."""
    settings = scene.settings
    if cut.hand.tabs is None and not _wants_tabs(scene):
        return way
    around = length_of(way.path)
    width = settings.tab_width
    loop = Loop(way.path.nodes[:-1], way.path.kinds, way.path.bulges, way.path.controls)
    if cut.hand.tabs is not None:
        tabs = tabs_at(loop, cut.hand.tabs, width or _TAB_WIDTH, cut.tool.diameter_mm)
        return replace(way, tabs=_from_begin(tabs, around))
    count = _tab_count(scene, around)
    if not count:
        return way
    if width is None:
        width = min(_TAB_WIDTH, _TAB_SHARE * around)
    right = loop if settings.climb else reverse_loop(loop)
    room = shapely.MultiPolygon(group.stays) if len(group.stays) > 1 else None
    own = tabs_on(right, width, cut.tool.diameter_mm, count, np.zeros(1), room)
    if not settings.climb:
        own = tuple(Tab(around - t.high, around - t.low, t.at) for t in reversed(own))
    if len(own) < count:
        scene.findings.append(
            told(
                "few-tabs",
                "look" if own else "hurt",
                cut.contour,
                f"only {len(own)} of {count} tabs have room at {said(cut.contour)}: straight runs "
                "are too short; type narrower tabs, or put them by hand",
            )
        )
    return replace(way, tabs=_from_begin(own, around))


def _from_begin(tabs: Sequence[Tab], around: float) -> tuple[Tab, ...]:
    """Return tabs without those that reach over where the way begins."""
    return tuple(tab for tab in tabs if tab.low >= 0 and tab.high <= around)


def _wants_tabs(scene: Scene) -> bool:
    """Return whether pieces get tabs at all."""
    settings = scene.settings
    if settings.tabs is not None:
        return settings.tabs > 0
    return settings.tab_spacing is not None or scene.tools.process == "router"


def _tab_count(scene: Scene, around: float) -> int:
    """Return how many tabs a piece gets that is so many mm round."""
    settings = scene.settings
    if settings.tabs is not None:
        return settings.tabs
    if settings.tab_spacing is not None:
        return max(_FEWEST_TABS, round(around / settings.tab_spacing))
    return max(_FEWEST_TABS, round(around / _TAB_SPACING))


def lines(scene: Scene) -> list[Entry]:
    """Return the paths with two ends that are cut or marked, and loops that are marked."""
    made = []
    for contour in scene.job.outline.contours:
        if not contour.taken or contour.operation == "engrave":
            continue
        if contour.cut and contour.path.closed:
            continue
        hand = scene.hand(contour)
        # a path with two ends makes no part: it is cut along itself
        operation: Operation = "cut" if contour.cut else "mark"
        made += on_line(scene, contour, hand, operation)
    return made


def on_line(scene: Scene, contour: Contour, hand: ByHand, operation: Operation) -> list[Entry]:
    """Return the entry of a path that is followed as it is."""
    tools = scene.tools
    try:
        tool, fault = tools.tool(operation, hand)
        depth = tools.depth(operation, hand)
    except EditError as error:
        scene.leave([contour], str(error))
        return []
    if fault:
        scene.unfit(contour, fault)
    feed, plunge = tools.feeds(operation, tool)
    steps = tools.steps(operation, depth, tool, hand)
    return [
        Entry(
            (contour.key,), operation, tool, "on", depth, steps, (_followed(contour),), 0,
            contour.key, feed, plunge, through=operation == "cut", colour=contour.colour,
            by_hand=not hand.empty,
        )
    ]  # fmt: skip


def _followed(contour: Contour) -> Way:
    path = with_arcs(contour.path, CURVE)
    if isinstance(path, Loop):
        return Way(stretch(path, Place(0, 0.0), Place(0, 0.0)), True)
    assert isinstance(path, OpenPath)
    return Way(path)

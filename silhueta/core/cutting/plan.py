"""The cut plan as it comes out: what is cut with which tool, where it begins, in which order.

Words used here
    entry     one piece of work: a contour cut, a pocket cleared, a hole drilled
    way       where the tool's middle goes, from its beginning; a cut may have several
    lead      the way from the pierce, in the waste, to where the cut begins, and away from its end
    level     how many loops lie round a contour: what lies deepest is cut first
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from silhueta.core.geometry.outline import Operation as Kind
from silhueta.core.geometry.path import Floats, OpenPath
from silhueta.core.inspect_settings import Limits, Process
from silhueta.core.inspection.finding import Finding
from silhueta.core.plan_settings import Operation, PlanSettings, Side, Tool
from silhueta.core.shop.machines import Machine
from silhueta.core.shop.materials import Material

# what a contour is in the outline for each operation of a plan: fields make no part
KIND: dict[Operation, Kind] = {
    "cut": "cut",
    "drill": "cut",
    "mark": "mark",
    "engrave": "engrave",
    "pocket": "engrave",
    "vgroove": "engrave",
}
TWO_D: frozenset[Process] = frozenset({"plasma", "laser", "water", "knife", "saw"})


class Tab(NamedTuple):
    """A stretch of a way that stays standing: from where to where, mm along it, and its middle.

    `low` and `high` count the tool's own width in: what remains is narrower by that.
    """

    low: float
    high: float
    at: tuple[float, float]


@dataclass(frozen=True, eq=False)
class Way:
    """Where the tool's middle goes.

    Parameters
    ----------
    path : OpenPath
        Lines and arcs, mm, from where it begins; a closed one ends where it began.
    closed : bool
    lead_in, lead_out : OpenPath or None
    tabs : tuple of Tab
    depths : (N,) ndarray or None, mm
        Below the sheet's top at each node, where a V-bit sinks and rises.
    overcut : float, mm
        How far it goes on beyond its beginning.

    """

    path: OpenPath
    closed: bool = False
    lead_in: OpenPath | None = None
    lead_out: OpenPath | None = None
    tabs: tuple[Tab, ...] = ()
    depths: Floats | None = None
    overcut: float = 0.0

    @property
    def begin(self) -> tuple[float, float]:
        """Where the tool goes down, mm."""
        x, y = (self.path if self.lead_in is None else self.lead_in).nodes[0].tolist()
        return x, y

    @property
    def end(self) -> tuple[float, float]:
        """Where the tool comes up, mm."""
        x, y = (self.path if self.lead_out is None else self.lead_out).nodes[-1].tolist()
        return x, y

    @property
    def leads(self) -> tuple[OpenPath, ...]:
        """What leads there are."""
        return tuple(lead for lead in (self.lead_in, self.lead_out) if lead is not None)


@dataclass(frozen=True, eq=False)
class Entry:
    """One piece of work.

    Parameters
    ----------
    keys : tuple of int
        Of the contours that it works; the first is the one that it is known by.
    operation : str
    tool : Tool
    side : {"outside", "inside", "on"}
    depth : float, mm
        Below the sheet's top; a through cut's over-depth counts in. 0 where nothing sinks.
    steps : tuple of float, mm
        Depths of the passes, the last one being `depth`; one where nothing sinks.
    ways : tuple of Way
    level : int
    part : int
        Key of the outermost contour that it lies in: a part is one such contour and all in it.
    feed, plunge : float, mm/min
    tab_height : float, mm
        Above the sheet's underside.
    through : bool
        Whether the sheet is cut through.
    colour : tuple of int or None
    by_hand : bool
        Whether a person set something of it.

    """

    keys: tuple[int, ...]
    operation: Operation
    tool: Tool
    side: Side
    depth: float
    steps: tuple[float, ...]
    ways: tuple[Way, ...]
    level: int
    part: int
    feed: float
    plunge: float
    tab_height: float = 0.0
    through: bool = False
    colour: tuple[int, int, int] | None = None
    by_hand: bool = False

    @property
    def key(self) -> int:
        """By which it is known."""
        return self.keys[0]

    @property
    def begin(self) -> tuple[float, float]:
        """Where its first way begins."""
        return self.ways[0].begin

    @property
    def end(self) -> tuple[float, float]:
        """Where its last way ends."""
        return self.ways[-1].end

    @property
    def tabs(self) -> int:
        """How many tabs it has."""
        return sum(len(way.tabs) for way in self.ways)


class LeftOut(NamedTuple):
    """A contour that the plan cannot work, and why, in words."""

    keys: tuple[int, ...]
    at: tuple[float, float]
    text: str


@dataclass(frozen=True, eq=False)
class Plan:
    """How a part is cut.

    Parameters
    ----------
    process : str
    entries : tuple of Entry
        In the order of work.
    tools : tuple of Tool
        Those in use, in the order that they come.
    machine : Machine
    material : Material or None
    settings : PlanSettings
    limits : Limits
        What it was planned for: width, thickness, sheet.
    left_out : tuple of LeftOut
    findings : tuple of Finding
        What a person should know of it.
    notes : tuple of str
        What was taken for granted, in words.

    """

    process: Process
    entries: tuple[Entry, ...]
    tools: tuple[Tool, ...]
    machine: Machine
    material: Material | None
    settings: PlanSettings
    limits: Limits
    left_out: tuple[LeftOut, ...] = ()
    findings: tuple[Finding, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def flat(self) -> bool:
        """Whether no tool sinks: torch, beam, jet, knife."""
        return self.process in TWO_D

    @property
    def thickness(self) -> float:
        """Of the sheet, mm; 0 where nobody said."""
        return self.limits.thickness or 0.0

    @property
    def listed(self) -> list[tuple[int, ...]]:
        """The keys of each entry, in the order of work, and then of what is left out."""
        return [one.keys for one in self.entries] + [one.keys for one in self.left_out]

    def entry_of(self, key: int) -> Entry | None:
        """Return the entry that works a contour."""
        return next((one for one in self.entries if key in one.keys), None)


def places_of(entries: Sequence[Entry]) -> tuple[Floats, Floats]:
    """Return where entries begin and end, (N, 2) each, mm."""
    begin = np.array([one.begin for one in entries], np.float64).reshape(-1, 2)
    end = np.array([one.end for one in entries], np.float64).reshape(-1, 2)
    return begin, end

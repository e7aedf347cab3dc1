"""What a file is run on, and what it is held against."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import shapely

from silhueta.core.cutting.plan import TWO_D
from silhueta.core.geometry.measure import Box
from silhueta.core.inspect_settings import Process
from silhueta.core.plan_settings import Tool
from silhueta.core.shop.machines import Machine


class Field(NamedTuple):
    """Where something is worked, and how deep, mm below the sheet's top.

    pocket : bool
        Whether it has a flat floor at that depth; else the tool may go as deep there.
    radius : float, mm
        Of the tool, which leaves that much along a pocket's walls and in its corners.
    """

    shape: shapely.Geometry
    depth: float
    pocket: bool = False
    radius: float = 0.0


@dataclass(frozen=True, eq=False)
class Bench:
    """What a file is run on, and what it is held against.

    Parameters
    ----------
    process : str or None
        None: a program that goes below zero is a router's, another one a beam's.
    width : float, mm
        Of the tool; `tools` knows it better by the tool's number.
    tools : mapping of int to Tool
    thickness : float, mm
        Of the sheet; 0: not told.
    sheet : (left, bottom, right, top) or None, mm
    margin : float, mm
        Along the sheet's edge, where clamps are.
    slats : float, mm
        How far apart the bars are that the sheet lies on; 0: it lies on none.
    machine : Machine or None
        None: no limit of feed or bed is looked at.
    wanted : tuple of Polygon
        What should stay, laid on what is cut where the file counts from elsewhere; empty: nothing
        is held against it.
    fields : tuple of Field
        How deep it may go, in the same coordinates; empty: nobody said.
    held : bool
        Whether tabs should hold what is wanted.
    tables : tuple of int
        Numbers of the tools whose Z counts from the table.
    feeds : tuple of float, mm/min
        What was planned; empty: nobody said.
    drawing : bool
        Whether the file is a drawing: its lines have no depth, and go through.

    """

    process: Process | None = None
    width: float = 0.0
    tools: dict[int, Tool] = field(default_factory=dict)
    thickness: float = 0.0
    sheet: Box | None = None
    margin: float = 0.0
    slats: float = 0.0
    machine: Machine | None = None
    wanted: tuple[shapely.Polygon, ...] = ()
    fields: tuple[Field, ...] = ()
    held: bool = False
    tables: tuple[int, ...] = ()
    feeds: tuple[float, ...] = ()
    drawing: bool = False

    def width_of(self, tool: int) -> float:
        """Return how wide a tool is, mm, by its number."""
        known = self.tools.get(tool)
        return self.width if known is None else known.diameter_mm

    def is_flat(self, lowest: float) -> bool:
        """Return whether nothing sinks: of no known process, where Z never goes below the top."""
        if self.drawing:
            return True
        return self.process in TWO_D if self.process else lowest >= -1e-6

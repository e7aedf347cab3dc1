"""What a person decides of how a part is cut: the cut plan's settings, as a job keeps them.

Words used here
    operation    what is done along a contour, or inside it
    by hand      what a person set for one contour; all else is proposed anew from the outline
    tab          a short stretch that stays standing, so that the piece does not come loose
    over-depth   how far below the sheet a through cut goes
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from typing import Any, Literal, get_args

from silhueta.core.errors import EditError

Operation = Literal["cut", "pocket", "engrave", "mark", "vgroove", "drill"]
OPERATIONS: tuple[Operation, ...] = get_args(Operation)
Side = Literal["outside", "inside", "on"]
SIDES: tuple[Side, ...] = get_args(Side)
LeadKind = Literal["arc", "line", "none"]
LEADS: tuple[LeadKind, ...] = get_args(LeadKind)
Compensate = Literal["file", "machine"]
Zero = Literal["top", "table"]
ToolKind = Literal["flat", "ball", "vbit", "drill", "torch", "beam", "blade"]
KINDS: tuple[ToolKind, ...] = get_args(ToolKind)
BITS: frozenset[ToolKind] = frozenset({"flat", "ball", "vbit", "drill"})  # they turn, and sink
_MOST = 1e5  # mm, mm/min, turns a minute: what is typed larger is a slip
_MOST_TABS = 500  # on one contour: more are a slip
_MOST_PASSES = 1000  # of one cut: more are a slip


@dataclass(frozen=True)
class Tool:
    """A tool as it was planned with; what is 0 is not told, and taken from the material.

    Parameters
    ----------
    number : int
        By which the machine knows it.
    kind : {"flat", "ball", "vbit", "drill", "torch", "beam", "blade"}
    diameter_mm : float
        Of a bit; the kerf of torch and beam; 0 for a blade.
    angle_deg : float
        Of a V-bit, from flank to flank.
    feed_mm_min, plunge_mm_min : float
    depth_per_pass_mm : float
    stepover : float
        How far the next way lies beside the last, as a part of the diameter.
    speed_rpm : float
        Of the spindle.
    power_percent : float
        Of a beam.
    pierce_height_mm, pierce_seconds : float
        Of a torch.
    flutes : int
    zero : {"top", "table"}
        What a person sets the tool's zero on: the sheet's top, or the table under it.
    note : str

    """

    number: int = 1
    kind: ToolKind = "flat"
    diameter_mm: float = 0.0
    angle_deg: float = 0.0
    feed_mm_min: float = 0.0
    plunge_mm_min: float = 0.0
    depth_per_pass_mm: float = 0.0
    stepover: float = 0.4
    speed_rpm: float = 0.0
    power_percent: float = 0.0
    pierce_height_mm: float = 0.0
    pierce_seconds: float = 0.0
    flutes: int = 0
    zero: Zero = "top"
    note: str = ""

    def __post_init__(self) -> None:
        """Refuse what no tool can be."""
        for name, value in ((f.name, getattr(self, f.name)) for f in fields(self)):
            if isinstance(value, float | int) and not (math.isfinite(value) and 0 <= value < _MOST):
                raise EditError(f"{name} of tool {self.number} must be from 0, got {value:g}")
        if self.kind not in KINDS:
            raise EditError(f"a tool is {', '.join(KINDS)}; {str(self.kind)[:40]!r} is none")
        if self.zero not in ("top", "table"):
            raise EditError(f"tool {self.number}: zero is top or table")
        if self.kind == "vbit" and not 1 <= self.angle_deg <= 175:
            raise EditError(f"V-bit {self.number} needs an angle from 1 to 175 degrees")
        if not 0.02 <= self.stepover <= 1:  # less takes for ever, more leaves ridges
            raise EditError(f"the stepover of tool {self.number} must be 0.02 to 1 of its diameter")


@dataclass(frozen=True)
class ByHand:
    """What a person set for one contour; None: as it is proposed.

    Parameters
    ----------
    key : int
        Of the contour.
    operation, side, lead : str or None
    tool : int or None
        Its number.
    depth : float or None, mm
        Below the sheet's top.
    passes : int or None
    start : (x, y) or None, mm
        Where the cut begins: the nearest place on the contour.
    lead_length : float or None, mm
    tabs : tuple of (x, y) or None, mm
        Where tabs are: the nearest places on the contour. Empty: none.

    """

    key: int
    operation: Operation | None = None
    tool: int | None = None
    side: Side | None = None
    depth: float | None = None
    passes: int | None = None
    start: tuple[float, float] | None = None
    lead: LeadKind | None = None
    lead_length: float | None = None
    tabs: tuple[tuple[float, float], ...] | None = None

    @property
    def empty(self) -> bool:
        """Whether nothing is set."""
        return self == ByHand(self.key)


@dataclass(frozen=True)
class PlanSettings:
    """How a part is cut, as far as a person decided it; None: as the process proposes.

    Parameters
    ----------
    compensate : {"file", "machine"}
        Whether the ways in the file are the tool's middle, or the outline itself.
    lead : {"arc", "line", "none"} or None
    lead_length : float or None, mm
        Along the lead.
    tabs : int or None
        On each piece that comes free; 0: none.
    tab_spacing : float or None, mm
        Apart, where no number is told.
    tab_width, tab_height : float or None, mm
        What remains standing; the height counts from the sheet's underside.
    passes : int or None
    depth_per_pass : float or None, mm
    depth : float or None, mm
        Of pockets, engraving and the largest depth of V-grooves.
    over_depth : float, mm
    zero : {"top", "table"}
    feed : float or None, mm/min
    v_angle : float or None, degrees
    drill_up_to : float, mm
        Round holes up to this diameter are drilled; 0: none.
    peck : float, mm
        Depth after which a drill is drawn back; 0: in one go.
    hatch_gap : float or None, mm
        Between the lines that fill what is engraved; None: on the line only.
    hatch_angle : float, degrees
    pocket_way : {"spiral", "raster"}
        From inside outward along the wall, or to and fro.
    finish : float, mm
        Left at a pocket's wall for a last way round; 0: nothing.
    entry : {"ramp", "helix", "plunge"}
        How a bit goes down: on a ramp along its way and back, over one whole round of it, or
        straight.
    climb : bool
        Whether the part lies on the right of the way.
    order : {"parts", "holes"}
        A part is finished before the next is begun, or all holes come first.
    spread : bool
        Whether what follows each other lies apart, so that heat spreads.
    overcut : float or None, mm
        How far a cut goes on beyond where it began.
    flat_tool : int or None
        Number of the bit that clears the flat bottom of broad V-grooves.
    machine : str or None
        Name of a record.
    tools : tuple of Tool
        Those that the job is planned with; empty: what is usual for process and material.
    by_hand : tuple of ByHand
    first : tuple of int
        Keys of contours that a person put into this order.

    """

    compensate: Compensate = "file"
    lead: LeadKind | None = None
    lead_length: float | None = None
    tabs: int | None = None
    tab_spacing: float | None = None
    tab_width: float | None = None
    tab_height: float | None = None
    passes: int | None = None
    depth_per_pass: float | None = None
    depth: float | None = None
    over_depth: float = 0.0
    zero: Zero = "top"
    feed: float | None = None
    v_angle: float | None = None
    drill_up_to: float = 0.0
    peck: float = 0.0
    hatch_gap: float | None = None
    hatch_angle: float = 45.0
    pocket_way: Literal["spiral", "raster"] = "spiral"
    finish: float = 0.0
    entry: Literal["ramp", "helix", "plunge"] = "ramp"
    climb: bool = True
    order: Literal["parts", "holes"] = "parts"
    spread: bool = False
    overcut: float | None = None
    flat_tool: int | None = None
    machine: str | None = None
    tools: tuple[Tool, ...] = ()
    by_hand: tuple[ByHand, ...] = ()
    first: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        """Refuse numbers that no plan can have."""
        lengths = (
            "lead_length",
            "tab_spacing",
            "tab_width",
            "tab_height",
            "depth_per_pass",
            "depth",
            "over_depth",
            "drill_up_to",
            "peck",
            "hatch_gap",
            "finish",
            "overcut",
        )
        for name in lengths:
            value = getattr(self, name)
            if value is not None and not 0 <= value < _MOST:
                raise EditError(f"the {_said(name)} must be 0 mm or more, got {value:g}")
        for name in ("depth_per_pass", "tab_spacing", "hatch_gap", "feed", "passes"):
            if getattr(self, name) == 0:
                raise EditError(f"the {_said(name)} must be more than 0")
        if self.feed is not None and not 0 < self.feed < _MOST:
            raise EditError(f"the feed must be more than 0 mm/min, got {self.feed:g}")
        if self.passes is not None and not 1 <= self.passes <= _MOST_PASSES:
            raise EditError(f"there can be 1 to {_MOST_PASSES:,} passes, got {self.passes}")
        if self.tabs is not None and not 0 <= self.tabs <= _MOST_TABS:
            raise EditError(f"there can be 0 to {_MOST_TABS} tabs, got {self.tabs}")
        if self.v_angle is not None and not 1 <= self.v_angle <= 175:
            raise EditError(f"a V-bit has an angle from 1 to 175 degrees, got {self.v_angle:g}")

    def hand(self, key: int) -> ByHand:
        """Return what a person set for a contour."""
        return next((one for one in self.by_hand if one.key == key), ByHand(key))

    def setting(self, keys: tuple[int, ...], **changes: Any) -> PlanSettings:
        """Return settings with something set by hand for contours; what is all None is gone."""
        kept = [one for one in self.by_hand if one.key not in keys]
        made = [replace(self.hand(key), **changes) for key in keys]
        return replace(self, by_hand=(*kept, *(one for one in made if not one.empty)))


def _said(name: str) -> str:
    return name.replace("_", " ")

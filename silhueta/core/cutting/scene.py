"""A job while it is planned, with what several steps ask of it worked out once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import shapely

from silhueta.core.cutting.plan import KIND, LeftOut
from silhueta.core.cutting.tooling import Tooling
from silhueta.core.geometry.measure import Box, box_of
from silhueta.core.geometry.nesting import Nesting, nest, polygons
from silhueta.core.geometry.outline import Contour
from silhueta.core.geometry.path import Loop
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.inspection.finding import Finding, Remedy
from silhueta.core.inspection.limits import sheet_box
from silhueta.core.job import Job
from silhueta.core.plan_settings import ByHand, PlanSettings

_CHORD = 1e-3  # mm, within which what stays is followed when leads are held against it


@dataclass(eq=False)
class Scene:
    """A job that is planned, with what several steps ask of it worked out once."""

    job: Job
    tools: Tooling
    left_out: list[LeftOut] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    @property
    def settings(self) -> PlanSettings:
        """What a person decided."""
        return self.tools.settings

    @cached_property
    def groups(self) -> list[Group]:
        """The closed contours that are cut through, by colour: those of two colours meet."""
        found: dict[object, list[Contour]] = {}
        for contour in self.job.outline.contours:
            if contour.cut and contour.path.closed:
                found.setdefault(contour.colour, []).append(contour)
        return [Group(tuple(some)) for some in found.values()]

    @cached_property
    def sheet(self) -> Box | None:
        """Where the sheet lies, mm; None where nobody told its size."""
        return sheet_box(self.tools.limits)

    def hand(self, contour: Contour) -> ByHand:
        """Return what was set by hand for a contour; an operation that it cannot have is told."""
        hand = self.settings.hand(contour.key)
        if hand.operation is not None and KIND[hand.operation] != contour.operation:
            self.unfit(contour, f"{hand.operation} was set, and it is {contour.operation} now")
            hand = replace(hand, operation=None)
        return hand

    def unfit(self, contour: Contour, text: str) -> None:
        """Say that what was set by hand for a contour fits no more."""
        self.findings.append(told("unfit", "look", contour, f"set by hand, fits no more: {text}"))

    def leave(self, contours: Sequence[Contour], text: str) -> None:
        """Leave contours out of the plan, and say why."""
        at = middle(contours[0])
        self.left_out.append(LeftOut(tuple(c.key for c in contours), at, text))
        self.findings.append(told("not-planned", "stop", contours[0], f"not cut: {text}"))


@dataclass(frozen=True, eq=False)
class Group:
    """Closed contours of one colour that are cut through, and how they lie in each other."""

    contours: tuple[Contour, ...]

    @cached_property
    def loops(self) -> list[Loop]:
        """Their paths."""
        return [c.path for c in self.contours if isinstance(c.path, Loop)]

    @cached_property
    def nesting(self) -> Nesting:
        """How they lie in each other."""
        return nest(self.loops)

    @cached_property
    def part(self) -> list[int]:
        """Key of the outermost contour round each."""
        parent = self.nesting.parent.tolist()
        found = []
        for k in range(len(parent)):
            at = k
            while parent[at] >= 0:
                at = parent[at]
            found.append(self.contours[at].key)
        return found

    @cached_property
    def stays(self) -> list[shapely.Polygon]:
        """What stays, as polygons."""
        rings = polygons(self.loops, _CHORD)
        sound = shapely.is_valid(rings) & ~shapely.is_empty(rings)
        found = []
        for solid in solids(self.loops):
            if not solid.holes and sound[solid.place]:
                found.append(rings[solid.place])
                continue
            parts = shapely.get_parts(polygon_of(solid, _CHORD))
            found += [part for part in parts if not part.is_empty]
        return found


def middle(contour: Contour) -> tuple[float, float]:
    """Return the middle of a contour's box, mm."""
    left, bottom, right, top = box_of(contour.path)
    return (left + right) / 2, (bottom + top) / 2


def said(contour: Contour) -> str:
    """Return where a contour is, in words."""
    x, y = middle(contour)
    return f"{x:.1f}, {y:.1f} mm"


def told(code: str, severity: str, contour: Contour, text: str) -> Finding:
    """Return a finding of a plan, on a contour."""
    return Finding(
        code,
        severity,  # type: ignore[arg-type]
        middle(contour),
        box_of(contour.path),
        text,
        keys=(contour.key,),
        remedies=(Remedy("Change it at Cut file", stop="cut_file"),),
    )

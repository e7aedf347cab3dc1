"""A finding: one thing that would go wrong at the machine, as data.

Words used here
    code      what kind of thing it is; stays the same between versions, as reports name it
    remedy    what would mend it: an edit of the job, or the stop where a person does it
    scene     a job, with what several finders ask of it worked out once
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal, NamedTuple

from silhueta.core.geometry.crossing import Crossings, crossings, doubles
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import Box, box_of, circle_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Path
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.figures import MOST_COMPARED
from silhueta.core.job import Job
from silhueta.core.remembered import Remembered
from silhueta.core.tidy.choose import depths
from silhueta.core.tidy.offers.kinds import find_offer
from silhueta.core.tidy.offers.offer import Item, limits_of

NONE = Limits()
_CHORD = 0.002  # mm: how finely a loop is followed to tell how wide it is
# stops the cut; will hurt; worth a look
Severity = Literal["stop", "hurt", "look"]


class Remedy(NamedTuple):
    """What would mend a finding.

    text : str
        What it does to the part, as a button says it.
    edit : callable or None
        Of a job: one step that can be undone.
    stop : str
        Where there is no edit: the stop at which a person mends it.
    """

    text: str
    edit: Callable[[Job], Job] | None = None
    stop: str = ""


class Finding(NamedTuple):
    """One thing found wrong.

    code : str
    severity : {"stop", "hurt", "look"}
    place : (x, y) in mm
        Where it is seen best.
    extent : (left, bottom, right, top) in mm
        What it reaches over.
    text : str
        A sentence for a person, without a full stop.
    measured, limit : float or None, mm
        What was measured, and what it should be at least or at most; None where nothing is
        measured.
    keys : tuple of int
        The contours that it is about.
    remedies : tuple of Remedy
        The first is what most people want.
    across : ((x, y), (x, y)) or None, mm
        The ends of what was measured, where that is a length across something.
    """

    code: str
    severity: Severity
    place: tuple[float, float]
    extent: Box
    text: str
    measured: float | None = None
    limit: float | None = None
    keys: tuple[int, ...] = ()
    remedies: tuple[Remedy, ...] = ()
    across: tuple[tuple[float, float], tuple[float, float]] | None = None


class Finder(NamedTuple):
    """What finds one kind of thing: what one of them is called, and (`title`) what several are."""

    code: str
    one: str
    title: str
    find: Callable[[Scene], Iterable[Finding]]


@dataclass(frozen=True, eq=False)
class Scene:
    """A job that is looked through."""

    job: Job
    limits: Limits = NONE
    left_out: Mapping[str, int] = field(
        default_factory=dict
    )  # of the file that it came from, by kind

    @cached_property
    def nested(self) -> tuple[tuple[Contour, int], ...]:
        """The closed contours that are cut, each with how many of its colour lie round it.

        Of two that lie on each other the second is left out: it is told, and is to go.
        """
        pairs = [(self.cut[one], self.cut[two]) for one, two in self.doubles]
        twice = {two.key for one, two in pairs if one.colour == two.colour}
        outline = self.job.outline
        if twice:
            outline = Outline(
                tuple(replace(c, taken=c.taken and c.key not in twice) for c in outline.contours)
            )
        every = zip(outline.contours, depths(outline).tolist(), strict=True)
        return tuple((c, depth) for c, depth in every if c.cut and c.path.closed)

    @cached_property
    def colours(self) -> list[list[Contour]]:
        """The closed contours that are cut, by colour: those of two colours meet."""
        found: dict[object, list[Contour]] = {}
        for contour, _ in self.nested:
            found.setdefault(contour.colour, []).append(contour)
        return list(found.values())

    @cached_property
    def _numbers(self) -> dict[int, int]:
        return {c.key: k for k, c in enumerate(self.job.outline.contours)}

    def number_of(self, key: int) -> int:
        """Return a contour's place in the outline."""
        return self._numbers[key]

    @cached_property
    def _depths(self) -> dict[int, int]:
        return {c.key: depth for c, depth in self.nested}

    def depth_of(self, key: int) -> int:
        """Return how many loops lie round a contour that is cut; 0 for an open one."""
        return self._depths.get(key, 0)

    @cached_property
    def gaps(self) -> tuple[Item, ...]:
        """The ends that Tidy would join."""
        if all(c.path.closed for c in self.cut):
            return ()
        return find_offer(self.job.outline, "gaps", limits_of(self.job)).items

    def width_of(self, contour: Contour) -> float:
        """Return how wide a loop is where the largest circle fits into it, mm."""
        return _widths(contour.path)

    def middle_of(self, contour: Contour) -> tuple[tuple[float, float], Box]:
        """Return the middle of a contour's box, and the box."""
        left, bottom, right, top = box_of(contour.path)
        return ((left + right) / 2, (bottom + top) / 2), (left, bottom, right, top)

    @cached_property
    def cut(self) -> tuple[Contour, ...]:
        """The contours that are cut."""
        return tuple(c for c in self.job.outline.contours if c.cut)

    @cached_property
    def paths(self) -> tuple[Path, ...]:
        """The paths that are cut."""
        return tuple(c.path for c in self.cut)

    @cached_property
    def doubles(self) -> list[tuple[int, int]]:
        """Pairs of paths that are cut and lie on each other; none where there are too many."""
        return doubles(self.paths) if len(self.paths) <= MOST_COMPARED else []

    @cached_property
    def crossings(self) -> Crossings:
        """Where paths that are cut cross themselves or, of one colour, each other."""
        found = crossings(self.paths)
        colours = [c.colour for c in self.cut]
        same = [colours[one] == colours[two] for one, two in found.paths.tolist()]
        return Crossings(found.places[same], found.paths[same])


def _width(path: Path) -> float:
    circle = circle_of(path)
    if circle is not None:
        return 2 * circle[1]
    import shapely

    points = flatten(path, _CHORD)
    loop = shapely.Polygon(points if len(points) > 2 else None).buffer(0)
    if loop.is_empty:
        return 0.0
    return 2 * float(shapely.maximum_inscribed_circle(loop, _CHORD).length)


_widths: Remembered[Path, float] = Remembered(_width)

"""A part that is larger than the bed, cut into sections that meet again.

Words used here
    joint      the line between two sections, straight, stepped, or with tongues in grooves
    clear      away from holes and from webs that are too thin to be parted
    clearance  by which a groove is larger than its tongue; shoulders meet exactly

Joints run straight across the whole part, up or across. Where they run is the cheapest choice
among places a millimetre or so apart that leaves every section within the bed: dynamic programming
over the places, each priced by how near holes lie and by how thin what it parts is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from silhueta.core.build.lettering import lettered
from silhueta.core.build.place import centred_on
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import Floats, Loop, OpenPath
from silhueta.core.geometry.region.region import common
from silhueta.core.geometry.solids import polygon_of, solids
from silhueta.core.words import Lettering

Joint = Literal["straight", "step", "tongue"]
MOST = 400  # sections
CLEAR, _WIDE = 3.0, 15.0  # mm, that a joint keeps from holes where it can; where it can easily
_THIN = 8.0  # mm: what is thinner is no place for a joint, where there is another
_UNEVEN = 3.0  # of a hole that is cut, that a section counts which is next to nothing
_SMALL = 60.0  # mm of a hole, that no joint should run through
_PLACES = 600  # that a joint may run at, at most
_CHORD = 0.01  # mm
_SLIVER = 1e-6  # mm²
_TONGUE, _WIDEST = 0.4, 30.0  # of what a joint parts, that a tongue is wide, and mm at most
_NECK = 0.15  # of its width, that a tongue is narrower on either side at its root
_APART = 150.0  # mm of a joint, that get a tongue each
_DEEP = 0.5  # of its width, that a tongue reaches over
_DEEPEST = 12.0  # mm
_NUMBER, _LEAST_NUMBER = 10.0, 2.0  # mm of cap height
_MARK = 6.0  # mm of a registration mark, half on either side


class Section(NamedTuple):
    """A piece of the whole: its place in rows and columns from the lower left, and its outline."""

    column: int
    row: int
    loops: list[Loop]

    @property
    def size(self) -> tuple[float, float]:
        """Width and height, mm."""
        left, bottom, right, top = bounding_box(self.loops)
        return right - left, top - bottom


class Divided(NamedTuple):
    """Sections, where the joints run (x of those up, y of those across), and what is not clear.

    marks : list of ((x, y), (x, y))
        Across the joints, by which sections are lined up again, mm.
    doubts : tuple of str
    """

    sections: list[Section]
    ups: tuple[float, ...]
    acrosses: tuple[float, ...]
    marks: list[tuple[tuple[float, float], tuple[float, float]]]
    doubts: tuple[str, ...]

    def marks_of(self, section: Section) -> list[OpenPath]:
        """Return the halves of registration marks that lie on a section."""
        left, bottom, right, top = bounding_box(section.loops)
        middle = np.array([(left + right) / 2, (bottom + top) / 2])
        found = []
        for a, b in self.marks:
            ends = np.array([a, b])
            at = ends.mean(axis=0)
            axis = 0 if a[1] == b[1] else 1
            where = self.ups if axis == 0 else self.acrosses
            place = section.column if axis == 0 else section.row
            sides = [k for k in (place - 1, place) if 0 <= k < len(where)]
            if not any(abs(where[k] - at[axis]) < 1e-9 for k in sides):
                continue
            if not (bottom, left)[axis] < at[1 - axis] < (top, right)[axis]:
                continue
            near = min(ends, key=lambda end: abs(end[axis] - middle[axis]))
            found.append(OpenPath(np.array([at, near])))
        return found


def divided(
    loops: Sequence[Loop],
    bed: tuple[float, float],
    joint: Joint = "straight",
    clearance: float = 0.0,
    at: tuple[Sequence[float], Sequence[float]] | None = None,
) -> Divided:
    """Return a part in sections, each of which fits the bed in one of its turns.

    Parameters
    ----------
    loops : sequence of Loop, mm
    bed : (width, height), mm
    joint : {"straight", "step", "tongue"}
    clearance : float, mm
        Of tongues in their grooves, all round but at the shoulders.
    at : (x of joints that run up, y of joints that run across) or None
        Chosen places; None lets them be found.

    Raises
    ------
    EditError
        If the bed is smaller than a joint needs, or would make too many sections.

    """
    if not all(side > 0 for side in bed):
        raise EditError("the bed must have a width and a height above 0 mm")
    if not 0 <= clearance <= 5:
        raise EditError("the clearance of a joint must be from 0 to 5 mm")
    box = bounding_box(loops)
    wide, high = box[2] - box[0], box[3] - box[1]
    ways = (bed, (bed[1], bed[0]))
    reach = _DEEPEST if joint != "straight" else 0.0
    if min(bed) <= 4 * reach + 1.0:
        over = f" for this joint, which reaches {reach:g} mm over; take straight ones, or"
        raise EditError(
            f"sections of {min(bed):g} mm are too small{over if reach else '; take'} larger "
            "sections"
        )
    bed = min(ways, key=lambda b: math.ceil(wide / b[0]) * math.ceil(high / b[1]))
    if math.ceil(wide / (bed[0] - reach)) * math.ceil(high / (bed[1] - reach)) > MOST:
        raise EditError(f"that would be more than {MOST} sections; take a larger bed")
    part = _polygon(loops)
    if at is None:
        ups = _places(part, (box[0], box[2]), bed[0] - reach, 0, reach)
        acrosses = _places(part, (box[1], box[3]), bed[1] - reach, 1, reach)
    else:
        ups, acrosses = (tuple(sorted(values)) for values in at)
    lines = [_joint_lines(part, where, 0, joint, clearance) for where in ups]
    flats = [_joint_lines(part, where, 1, joint, clearance) for where in acrosses]
    sections = _cut(loops, box, lines, flats)
    doubts = [
        f"the joint at {'x' if axis == 0 else 'y'} {where - box[axis]:.1f} mm {why}"
        for axis, places in ((0, ups), (1, acrosses))
        for where in places
        if (why := _not_clear(part, where, axis))
    ]
    for section in sections:
        size = section.size
        if not any(size[0] <= b[0] + 1e-6 and size[1] <= b[1] + 1e-6 for b in ways):
            doubts.append(
                f"section {section.column + 1}, {section.row + 1} of {size[0]:.1f} × "
                f"{size[1]:.1f} mm is larger than the bed"
            )
    marks = [mark for where in ups for mark in _marks(part, where, 0)]
    marks += [mark for where in acrosses for mark in _marks(part, where, 1)]
    return Divided(sections, ups, acrosses, marks, tuple(doubts))


def _polygon(loops: Sequence[Loop]) -> BaseGeometry:
    return shapely.union_all([polygon_of(solid, _CHORD) for solid in solids(loops)])


def numbered(sections: Sequence[Section]) -> list[list[Loop]]:
    """Return the number of each section as outlines to be marked on it; none where it has no room.

    From 1 on, in the order of the sections, in the middle of the largest circle inside.
    """
    found: list[list[Loop]] = []
    for number, section in enumerate(sections, 1):
        inside = _largest_circle(section.loops)
        x, y = inside.coords[0]
        high = min(_NUMBER, inside.length)  # its radius: half of the circle is left free
        if high < _LEAST_NUMBER:
            found.append([])
            continue
        words = lettered(Lettering(str(number), high))
        moved = centred_on(words, (float(x), float(y)))
        found.append([path for path in moved if isinstance(path, Loop)])
    return found


def _largest_circle(loops: Sequence[Loop]) -> shapely.LineString:
    """Return the largest circle inside an outline: from its middle to its edge."""
    pieces = [polygon_of(solid, _CHORD) for solid in solids(loops)]
    largest = max(pieces, key=lambda piece: piece.area)
    found = shapely.maximum_inscribed_circle(largest, tolerance=0.5)
    assert isinstance(found, shapely.LineString)
    return found


# where joints run


def _places(
    part: BaseGeometry, span: tuple[float, float], most: float, axis: int, reach: float
) -> tuple[float, ...]:
    """Return where joints run so that no section is larger than `most`, as clear as may be."""
    low, high = span
    if high - low <= most + 1e-9:
        return ()
    count = min(_PLACES, max(int(high - low), 60))
    where = np.linspace(low, high, count + 1)
    holes = np.array([hole.bounds for hole in _holes(part)]).reshape(-1, 4)[:, [axis, axis + 2]]
    price = np.array([_price(part, w, axis, reach, holes) for w in where[1:-1].tolist()])
    price = np.concatenate([[0.0], price, [0.0]])
    fewest = math.ceil((high - low) / most - 1e-9)
    even = (high - low) / fewest
    cost = np.full(count + 1, np.inf)
    came = np.zeros(count + 1, np.int64)
    cost[0] = 0.0
    for j in range(1, count + 1):
        first = int(np.searchsorted(where, where[j] - most - 1e-9))
        before = np.arange(first, j)
        if not len(before):
            continue
        # a section more is dear, an uneven one less so
        uneven = _UNEVEN * ((where[j] - where[before]) / even - 1) ** 2
        total = cost[before] + 10.0 + uneven + price[j]
        best = int(np.argmin(total))
        cost[j], came[j] = total[best], before[best]
    if not np.isfinite(cost[-1]):
        raise EditError("no joints can be placed so that every section fits the bed")
    found: list[float] = []
    k = int(came[-1])
    while k > 0:
        found.append(float(where[k]))
        k = int(came[k])
    return tuple(sorted(found))


def _across(part: BaseGeometry, where: float, axis: int) -> list[tuple[float, float]]:
    """Return what a line at `where` runs through, as stretches along it, mm."""
    left, bottom, right, top = part.bounds
    ends = [(where, bottom - 1), (where, top + 1)]
    if axis == 1:
        ends = [(left - 1, where), (right + 1, where)]
    met = shapely.intersection(part, shapely.LineString(ends))
    parts = shapely.get_parts(met)  # between two parts that lie apart: none, or an empty one
    lines = [one for one in parts if isinstance(one, shapely.LineString) and not one.is_empty]
    along = [np.array(line.coords)[:, 1 - axis] for line in lines]
    return sorted((float(a.min()), float(a.max())) for a in along if np.ptp(a) > 1e-6)


def _edges_along(
    part: BaseGeometry, where: float, axis: int, low: float, high: float, crossed: int
) -> float:
    """Return by how much more edge lies from `low` to `high` beside a joint than what crosses it.

    In units of that band's width; an edge that crosses squarely counts nothing.
    """
    left, bottom, right, top = part.bounds
    band = shapely.box(where + low, bottom - 1, where + high, top + 1)
    if axis == 1:
        band = shapely.box(left - 1, where + low, right + 1, where + high)
    near = float(shapely.intersection(part.boundary, band).length)
    return max(near / (high - low) - 2 * crossed, 0.0)


def _price(part: BaseGeometry, where: float, axis: int, reach: float, holes: Floats) -> float:
    """Return how bad a place is for a joint: thin webs, holes cut or close, edges along it.

    `holes` (N, 2) holds from where to where each reaches.
    """
    stretches = _across(part, where, axis)
    thin = sum(max(1.0 - (b - a) / _THIN, 0.0) for a, b in stretches)
    beside = _edges_along(part, where, axis, -CLEAR, reach + CLEAR, len(stretches))
    farther = _edges_along(part, where, axis, -_WIDE, reach + _WIDE, len(stretches))
    near = ((holes[:, 0] - reach - CLEAR < where) & (where < holes[:, 1] + CLEAR)).sum()
    return float(3.0 * thin + 0.5 * len(stretches) + 0.3 * beside + 0.1 * farther + near)


def _not_clear(part: BaseGeometry, where: float, axis: int) -> str:
    """Return what is wrong about a joint's place, or ""."""
    stretches = _across(part, where, axis)
    if not stretches:
        return "parts nothing"
    thinnest = min(b - a for a, b in stretches)
    if thinnest < _THIN / 2:
        return f"runs through a web of {thinnest:.1f} mm"
    for hole in _holes(part):
        low, high = hole.bounds[axis], hole.bounds[axis + 2]
        if low - CLEAR < where < high + CLEAR and high - low < _SMALL:
            return f"runs through or close by a hole of {high - low:.1f} mm"
    return ""


def _holes(part: BaseGeometry) -> list[shapely.Polygon]:
    return [shapely.Polygon(ring) for piece in shapely.get_parts(part) for ring in piece.interiors]


# the joints' lines

_Line = list[tuple[float, float]]


def _joint_lines(
    part: BaseGeometry, where: float, axis: int, joint: Joint, clearance: float
) -> tuple[Floats, Floats]:
    """Return the line that ends the section before a joint, and the one that the next begins with.

    They are one but for clearance; as (along, across) from low to high along the joint.
    """
    one: _Line = []
    two: _Line = []
    if joint != "straight":
        for low, high in _across(part, where, axis):
            if joint == "step":
                _add_step(one, two, (low, high), clearance)
            else:
                _add_tongues(one, two, (low, high), clearance)
    return _placed(one, where, axis, part), _placed(two, where, axis, part)


def _add_step(one: _Line, two: _Line, stretch: tuple[float, float], clearance: float) -> None:
    """Add a step half-way along a stretch; thin webs stay straight."""
    low, high = stretch
    deep, gap = min(0.2 * (high - low), _DEEPEST), clearance / 2
    if deep < 2 * clearance + 1.0:
        return
    middle = (low + high) / 2
    one += [(low, 0.0), (middle + gap, 0.0), (middle + gap, deep), (high, deep)]
    two += [(low, 0.0), (middle - gap, 0.0), (middle - gap, deep), (high, deep)]


def _add_tongues(one: _Line, two: _Line, stretch: tuple[float, float], clearance: float) -> None:
    """Add tongues evenly along a stretch, narrower at their roots; thin webs stay straight."""
    low, high = stretch
    count = max(round((high - low) / _APART), 1)
    wide = min(_TONGUE * (high - low) / count, _WIDEST)
    deep, neck = min(_DEEP * wide, _DEEPEST), _NECK * wide
    if wide < 4 * clearance + 2.0:
        return
    for k in range(count):
        middle = low + (k + 0.5) * (high - low) / count
        a, b, c = middle - wide / 2, middle + wide / 2, clearance
        one += [(a + neck, 0.0), (a, deep), (b, deep), (b - neck, 0.0)]
        two += [(a + neck - c, 0.0), (a - c, deep + c), (b + c, deep + c), (b - neck + c, 0.0)]


def _placed(line: _Line, where: float, axis: int, part: BaseGeometry) -> Floats:
    low, high = part.bounds[1 - axis] - 10.0, part.bounds[3 - axis] + 10.0
    if not line:
        line = [(low, 0.0), (high, 0.0)]
    else:
        line = [(low, line[0][1]), *line, (high, line[-1][1])]
    points = np.array(line)
    return np.column_stack(
        [where + points[:, 1], points[:, 0]] if axis == 0 else [points[:, 0], where + points[:, 1]]
    )


def _cut(
    loops: Sequence[Loop],
    box: tuple[float, float, float, float],
    lines: list[tuple[Floats, Floats]],
    flats: list[tuple[Floats, Floats]],
) -> list[Section]:
    left, bottom, right, top = (box[0] - 10, box[1] - 10, box[2] + 10, box[3] + 10)
    columns = _cells(lines, (left, right), lambda v: np.array([[v, bottom], [v, top]]))
    rows = _cells(flats, (bottom, top), lambda v: np.array([[left, v], [right, v]]))
    made = []
    for i, column in enumerate(columns):
        strip = common(list(loops), [column], "evenodd")
        for j, row in enumerate(rows):
            piece = common(strip, [row], "evenodd") if len(rows) > 1 else strip
            piece = [loop for loop in piece if abs(signed_area(loop)) > _SLIVER]
            if piece:
                made.append(Section(i, j, piece))
    return made


def _cells(
    lines: list[tuple[Floats, Floats]],
    span: tuple[float, float],
    plain: Callable[[float], Floats],
) -> list[Loop]:
    """Return the cells between joints, from one border to the other."""
    starts = [plain(span[0]), *(second for _, second in lines)]
    ends = [*(first for first, _ in lines), plain(span[1])]
    return [Loop(np.vstack([a, b[::-1]])) for a, b in zip(starts, ends, strict=True)]


def _marks(
    part: BaseGeometry, where: float, axis: int
) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Return a registration mark across a joint, near one end of each stretch that has room."""
    found = []
    for low, high in _across(part, where, axis):
        if high - low < 2 * _MARK:
            continue
        at = low + 0.12 * (high - low)
        a, b = (where - _MARK / 2, at), (where + _MARK / 2, at)
        found.append((a, b) if axis == 0 else ((a[1], a[0]), (b[1], b[0])))
    return found

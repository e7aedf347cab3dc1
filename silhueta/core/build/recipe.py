"""A whole way of building, from outlines to what is written: what the command line asks for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from silhueta.core.build import place
from silhueta.core.build.bridges import bridged, islands, stencilled
from silhueta.core.build.lettering import crowded, lettered
from silhueta.core.build.offset import Corners, offset, outer_only
from silhueta.core.build.sections import Joint, divided, numbered
from silhueta.core.build.sets import How, put_together, thickened
from silhueta.core.build.shapes import negative, plate_round
from silhueta.core.build.sheet import MOST_SHEETS, Sheet, placed
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, in_common, repeated
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.words import Lettering
from silhueta.core.work import Work

_TIE = 15.0  # of the cap height, that ties of a stencil are wide where no width is told
_PLATE_MARGIN, _SHEET_MARGIN = 10.0, 5.0  # mm
Size = tuple[float, float]


@dataclass(frozen=True)
class Recipe:
    """What is built, lengths in mm; None: not asked for.

    In this order: text, transform, sets, offset, plate, ties, sections, copies, sheet.
    """

    turn: float = 0.0
    mirror: str = ""
    text: Lettering | None = None
    stencil: bool = False
    how: How | None = None
    offset: float = 0.0
    corners: Corners = "round"
    outer_only: bool = False
    thicken: float | None = None
    plate: Size | None = None
    radius: float = 0.0
    margin: float | None = None
    negative: bool = False
    bridge: float | None = None
    bridges: int = 2
    sections: Size | None = None
    joint: Joint = "straight"
    clearance: float = 0.0
    copies: tuple[int, int] | None = None
    gap: float = 5.0
    sheet: Size | None = None


@dataclass
class Built:
    """What came of it.

    Parameters
    ----------
    files : list of list of Contour
        What goes into each file, mm.
    sections : list of (width, height), mm
    islands, bridges : int
        Pieces that would fall out, and ties.
    placed : int or None
    fill : list of float
        Of each sheet, 0 to 1.
    doubts : list of str
    """

    files: list[list[Contour]] = field(default_factory=list)
    sections: list[Size] = field(default_factory=list)
    islands: int = 0
    bridges: int = 0
    placed: int | None = None
    fill: list[float] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)


def built(parts: Sequence[Sequence[Contour]], recipe: Recipe, work: Work | None = None) -> Built:
    """Return what a recipe makes of outlines, the first of which is the base.

    What is engraved or marked, and lines with two ends, goes along as it is: nothing of it is
    welded, offset or bridged.

    Raises
    ------
    EditError
        If something of it cannot be, or nothing is left.

    """
    work = work or Work()
    done = Built()
    groups, besides = _parted(_moved(parts, recipe, done))
    loose = recipe.how is None and len(groups) > 1  # each a part of its own, on a sheet
    if recipe.how is not None:
        made = put_together(recipe.how, [_loops(group) for group in groups])
        every = [c for group in groups for c in group]
        colours = {c.colour for c in every}
        # one piece of several colours has none
        own = colours.pop() if len(colours) == 1 else None
        groups = [[replace(c, colour=own) for c in in_common(every, made)]]
        besides = [[line for own in besides for line in own]]
    shaped = [
        _shaped(group, recipe, done) if group or not own else []
        for group, own in zip(groups, besides, strict=True)
    ]
    if not any(shaped) and not any(besides):
        raise EditError("nothing is left: the result is empty")
    done.islands = sum(len(islands(_loops(group))) for group in shaped)
    pieces = [[*group, *own] for group, own in zip(shaped, besides, strict=True)]
    if recipe.sections is not None:
        if any(besides):
            count = sum(map(len, besides))
            many = "line that is not cut is" if count == 1 else "lines that are not cut are"
            done.doubts.append(
                f"{count} {many} left out: sections are made of closed outlines that are cut"
            )
        pieces = _divided(shaped, recipe, done)
    _lay_out(pieces, recipe, done, loose, work)
    return done


def _parted(groups: list[list[Contour]]) -> tuple[list[list[Contour]], list[list[Contour]]]:
    """Return the closed outlines of groups that are cut, and all else, which goes along."""
    cut: list[list[Contour]] = []
    besides: list[list[Contour]] = []
    for group in groups:
        closed = [c.operation == "cut" and isinstance(c.path, Loop) for c in group]
        cut.append([c for c, is_cut in zip(group, closed, strict=True) if is_cut])
        besides.append([c for c, is_cut in zip(group, closed, strict=True) if not is_cut])
    return cut, besides


def _loops(contours: Sequence[Contour]) -> list[Loop]:
    return [c.path for c in contours if isinstance(c.path, Loop)]


def _paths(contours: Sequence[Contour]) -> list[Path]:
    return [c.path for c in contours]


def _moved(parts: Sequence[Sequence[Contour]], recipe: Recipe, done: Built) -> list[list[Contour]]:
    groups = [list(part) for part in parts]
    words: list[Contour] = []
    if recipe.text is not None:
        loops: list[Path] = list(_words(recipe, recipe.text, done))
        if groups:
            left, bottom, right, top = bounding_box(_paths(groups[0]))
            loops = place.centred_on(loops, ((left + right) / 2, (bottom + top) / 2))
        words = [Contour(path, origin="drawn") for path in loops]
    # the words turn and mirror with the base that they stand on, about its middle
    moved = [groups[0], words] if groups else [words]
    if recipe.turn:
        middle = place.middle_of(_paths(moved[0]))
        turned = [place.turned(_paths(own), recipe.turn, middle) for own in moved]
        moved = [_with_paths(own, paths) for own, paths in zip(moved, turned, strict=True)]
    if recipe.mirror:
        middle = place.middle_of(_paths(moved[0]))
        turned = [place.mirrored(_paths(own), recipe.mirror, middle) for own in moved]
        moved = [
            [replace(c, mirrored=not c.mirrored) for c in _with_paths(own, paths)]
            for own, paths in zip(moved, turned, strict=True)
        ]
    if groups:
        groups[0] = moved[0]
    return [*groups, moved[-1]] if recipe.text is not None else groups


def _with_paths(contours: Sequence[Contour], paths: Sequence[Path]) -> list[Contour]:
    return [replace(c, path=path) for c, path in zip(contours, paths, strict=True)]


def _words(recipe: Recipe, text: Lettering, done: Built) -> list[Loop]:
    words = lettered(text)
    if told := crowded(text):
        done.doubts.append(told)
    if recipe.stencil and recipe.plate is None:
        return _tied_letters(words, recipe, text, done)
    return words


def _tied_letters(words: list[Loop], recipe: Recipe, text: Lettering, done: Built) -> list[Loop]:
    width = recipe.bridge or text.cap_height / _TIE
    tied = stencilled(words, width, recipe.bridges)
    done.bridges += len(tied.ties)
    if tied.left:
        raise EditError(
            f"{len(tied.left)} islands of these letters are too small for ties of {width:.2f} mm; "
            "take narrower ones or larger letters"
        )
    return tied.loops


def _shaped(group: Sequence[Contour], recipe: Recipe, done: Built) -> list[Contour]:
    loops = _loops(group)
    if recipe.thicken is not None:
        loops = list(thickened(loops, recipe.thicken))
    if recipe.offset:
        loops = list(offset(loops, recipe.offset, recipe.corners))
    if recipe.outer_only:
        loops = list(outer_only(loops))
    if not loops:
        raise EditError("nothing is left: the result is empty")
    made = in_common(group, loops)
    if recipe.plate is not None:
        margin = _PLATE_MARGIN if recipe.margin is None else recipe.margin
        plate = plate_round(loops, "rectangle", recipe.plate, recipe.radius, margin)
        loops = [
            path
            for path in (negative(loops, plate) if recipe.negative else [*plate, *loops])
            if isinstance(path, Loop)
        ]
        made = in_common(made, loops)
    width = recipe.bridge
    if width is None and recipe.stencil and recipe.plate is not None and recipe.text is not None:
        width = recipe.text.cap_height / _TIE
    if width is not None and not (recipe.stencil and recipe.plate is None):
        tied = bridged(loops, width, recipe.bridges)
        done.bridges += len(tied.ties)
        done.doubts += [
            f"the island at {x:.1f}, {y:.1f} mm has no room for a tie of {width:g} mm"
            for x, y in tied.left
        ]
        made = in_common(made, tied.loops)
    return made


def _divided(made: list[list[Contour]], recipe: Recipe, done: Built) -> list[list[Contour]]:
    assert recipe.sections is not None
    pieces: list[list[Contour]] = []
    for group in made:
        cut = divided(_loops(group), recipe.sections, recipe.joint, recipe.clearance)
        done.doubts += cut.doubts
        for section, number in zip(cut.sections, numbered(cut.sections), strict=True):
            marks = [
                Contour(path, operation="mark", origin="drawn")
                for path in (*cut.marks_of(section), *number)
            ]
            pieces.append([*in_common(group, section.loops), *marks])
            done.sections.append(section.size)
    return pieces


def _lay_out(
    pieces: list[list[Contour]], recipe: Recipe, done: Built, loose: bool, work: Work
) -> None:
    """Copy the pieces and put them into files or onto sheets."""
    across, up = recipe.copies or (1, 1)
    if recipe.sheet is not None:
        _on_sheets(pieces, recipe, done, work)
        return
    if loose and recipe.sections is None:
        raise EditError(
            "tell what becomes of several outlines: union, subtract, intersect, exclude, or a sheet"
        )
    for piece in pieces:
        paths = place.copied(_paths(piece), across, up, recipe.gap) if recipe.copies else []
        last = max((c.group for c in piece), default=0)
        done.files.append(repeated(piece, paths, last) if paths else piece)


def _on_sheets(pieces: list[list[Contour]], recipe: Recipe, done: Built, work: Work) -> None:
    assert recipe.sheet is not None
    across, up = recipe.copies or (1, 1)
    if not 1 <= across * up <= place.MOST or across < 1:
        raise EditError(f"from 1 to {place.MOST:,} copies can be made, not {across} × {up}")
    margin = _SHEET_MARGIN if recipe.margin is None else recipe.margin
    sheet = Sheet(*recipe.sheet, margin, recipe.gap)
    whole = [_paths(piece) for piece in pieces]
    got = placed(whole * (across * up), sheet, most_sheets=MOST_SHEETS, work=work)
    if got.left:
        k = got.left[0] % len(pieces)
        left, bottom, right, top = bounding_box(whole[k])
        raise EditError(
            f"{len(got.left)} of {len(pieces) * across * up} parts do not fit the sheet, such as "
            f"number {k + 1} of {right - left:.1f} × {top - bottom:.1f} mm on {sheet.width:g} × "
            f"{sheet.height:g} mm with a margin of {margin:g} mm; take a larger sheet"
        )
    done.placed, done.fill = got.placed, got.fill
    for on in got.sheets:
        done.files.append([])
        for number, paths in on:
            done.files[-1] += _with_paths(pieces[number % len(pieces)], paths)

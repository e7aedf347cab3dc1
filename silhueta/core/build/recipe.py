"""A whole way of building, from outlines to what is written: what the command line asks for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

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
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.wording import counted
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
    files : list of list of Path
        What goes into each file, mm.
    marks : list of list of Path
        Marked in each.
    sections : list of (width, height), mm
    islands, bridges : int
        Pieces that would fall out, and ties.
    placed : int or None
    fill : list of float
        Of each sheet, 0 to 1.
    doubts : list of str
    """

    files: list[list[Path]] = field(default_factory=list)
    marks: list[list[Path]] = field(default_factory=list)
    sections: list[Size] = field(default_factory=list)
    islands: int = 0
    bridges: int = 0
    placed: int | None = None
    fill: list[float] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)


def built(parts: Sequence[Sequence[Path]], recipe: Recipe, work: Work | None = None) -> Built:
    """Return what a recipe makes of outlines, the first of which is the base.

    Raises
    ------
    EditError
        If something of it cannot be, or nothing is left.

    """
    work = work or Work()
    done = Built()
    groups, lines = _parted(_moved(parts, recipe, done))
    loose = recipe.how is None and len(groups) > 1  # each a part of its own, on a sheet
    if recipe.how is not None:
        groups = [list(put_together(recipe.how, [_loops(group) for group in groups]))]
        lines = [[line for own in lines for line in own]]
    made = [
        _shaped(group, recipe, done) if group or not own else []
        for group, own in zip(groups, lines, strict=True)
    ]
    if not any(made) and not any(lines):
        raise EditError("nothing is left: the result is empty")
    done.islands = sum(len(islands(_loops(group))) for group in made)
    pieces: list[list[Path]] = made
    marks: list[list[Path]] = lines
    if recipe.sections is not None:
        if any(lines):
            count = sum(map(len, lines))
            done.doubts.append(
                f"{counted(count, 'open line')} of the file {'is' if count == 1 else 'are'} left "
                "out: sections are cut of closed outlines alone"
            )
        pieces, marks = _divided(made, recipe, done)
    _lay_out(pieces, marks, recipe, done, loose, work)
    return done


def _parted(groups: list[list[Path]]) -> tuple[list[list[Path]], list[list[Path]]]:
    """Return the closed outlines of groups, and their open lines, which are marked."""
    lines = [[path for path in group if not isinstance(path, Loop)] for group in groups]
    return [list(_loops(group)) for group in groups], lines


def _loops(paths: Sequence[Path]) -> list[Loop]:
    return [path for path in paths if isinstance(path, Loop)]


def _moved(parts: Sequence[Sequence[Path]], recipe: Recipe, done: Built) -> list[list[Path]]:
    groups = [list(part) for part in parts]
    words: list[Path] = []
    if recipe.text is not None:
        words = list(_words(recipe, recipe.text, done))
        if groups:
            left, bottom, right, top = bounding_box(groups[0])
            words = place.centred_on(words, ((left + right) / 2, (bottom + top) / 2))
    # the words turn and mirror with the base that they stand on, about its middle
    base = groups[0] if groups else []
    middle = place.middle_of(base or words)
    if recipe.turn:
        base = place.turned(base, recipe.turn, middle)
        words = place.turned(words, recipe.turn, middle)
    if recipe.mirror:
        middle = place.middle_of(base or words)
        base = place.mirrored(base, recipe.mirror, middle)
        words = place.mirrored(words, recipe.mirror, middle)
    if groups:
        groups[0] = base
    return [*groups, words] if recipe.text is not None else groups


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


def _shaped(group: Sequence[Path], recipe: Recipe, done: Built) -> list[Path]:
    paths = list(group)
    loops = _loops(paths)
    if recipe.thicken is not None:
        paths = list(thickened(loops, recipe.thicken))
        loops = _loops(paths)
    if recipe.offset:
        paths = list(offset(loops, recipe.offset, recipe.corners))
        loops = _loops(paths)
    if recipe.outer_only:
        paths = list(outer_only(loops))
        loops = _loops(paths)
    if not paths:
        raise EditError("nothing is left: the result is empty")
    if recipe.plate is not None:
        margin = _PLATE_MARGIN if recipe.margin is None else recipe.margin
        plate = plate_round(loops, "rectangle", recipe.plate, recipe.radius, margin)
        paths = list(negative(loops, plate)) if recipe.negative else [*plate, *loops]
        loops = _loops(paths)
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
        paths = [*tied.loops, *(path for path in paths if not isinstance(path, Loop))]
    return paths


def _divided(
    made: list[list[Path]], recipe: Recipe, done: Built
) -> tuple[list[list[Path]], list[list[Path]]]:
    assert recipe.sections is not None
    pieces: list[list[Path]] = []
    marks: list[list[Path]] = []
    for group in made:
        cut = divided(_loops(group), recipe.sections, recipe.joint, recipe.clearance)
        done.doubts += cut.doubts
        for section, number in zip(cut.sections, numbered(cut.sections), strict=True):
            pieces.append(list(section.loops))
            done.sections.append(section.size)
            marks.append([*cut.marks_of(section), *number])
    return pieces, marks


def _lay_out(
    pieces: list[list[Path]],
    marks: list[list[Path]],
    recipe: Recipe,
    done: Built,
    loose: bool,
    work: Work,
) -> None:
    """Copy the pieces and put them into files or onto sheets."""
    across, up = recipe.copies or (1, 1)
    if recipe.sheet is not None:
        _on_sheets(pieces, marks, recipe, done, work)
        return
    if loose and recipe.sections is None:
        raise EditError(
            "tell what becomes of several outlines: union, subtract, intersect, exclude, or a sheet"
        )
    for piece, own in zip(pieces, marks, strict=True):
        if recipe.copies:
            both = place.copied([*piece, *own], across, up, recipe.gap)
            turns = range(0, len(both), len(piece) + len(own))
            done.files.append([p for k in turns for p in both[k : k + len(piece)]])
            done.marks.append(
                [p for k in turns for p in both[k + len(piece) : k + len(piece) + len(own)]]
            )
        else:
            done.files.append(piece)
            done.marks.append(list(own))


def _on_sheets(
    pieces: list[list[Path]],
    marks: list[list[Path]],
    recipe: Recipe,
    done: Built,
    work: Work,
) -> None:
    assert recipe.sheet is not None
    across, up = recipe.copies or (1, 1)
    if not 1 <= across * up <= place.MOST or across < 1:
        raise EditError(f"from 1 to {place.MOST:,} copies can be made, not {across} × {up}")
    margin = _SHEET_MARGIN if recipe.margin is None else recipe.margin
    sheet = Sheet(*recipe.sheet, margin, recipe.gap)
    whole = [[*piece, *own] for piece, own in zip(pieces, marks, strict=True)]
    got = placed(whole * (across * up), sheet, most_sheets=MOST_SHEETS, work=work)
    if got.left:
        k = got.left[0] % len(pieces)
        left, bottom, right, top = bounding_box(pieces[k])
        raise EditError(
            f"{len(got.left)} of {len(pieces) * across * up} parts do not fit the sheet, such as "
            f"number {k + 1} of {right - left:.1f} × {top - bottom:.1f} mm on {sheet.width:g} × "
            f"{sheet.height:g} mm with a margin of {margin:g} mm; take a larger sheet"
        )
    done.placed, done.fill = got.placed, got.fill
    for on in got.sheets:
        done.files.append([])
        done.marks.append([])
        for number, paths in on:
            many = len(pieces[number % len(pieces)])
            done.files[-1] += paths[:many]
            done.marks[-1] += paths[many:]

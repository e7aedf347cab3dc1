"""What goes into a cut file: parts in their place, told apart by operation.

Words used here
    part      one solid piece: a loop of even depth and the holes right inside it
    origin    "corner": the outline's lower left is (0, 0); "picture": the picture's lower left is;
              "chosen": a place on the part is
    layer     the name under which a file keeps an operation
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from silhueta.core.cutting.about import About
from silhueta.core.errors import FileError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Loop, OpenPath, Path
from silhueta.core.geometry.solids import solids
from silhueta.core.geometry.transform import shifted
from silhueta.core.job import FrameOrigin
from silhueta.core.trace_settings import Rgb
from silhueta.core.units import Unit

OUTSIDE, INSIDE, MARK, ENGRAVE = "CUT_OUTSIDE", "CUT_INSIDE", "MARK", "ENGRAVE"
LARGEST = 1e6  # mm from zero: a kilometre; farther out six decimals are not kept


@dataclass(frozen=True, eq=False)
class Part:
    """A solid loop and its holes, mm; of a split picture, with its colour."""

    outer: Loop
    holes: tuple[Loop, ...]
    colour: Rgb | None = None


@dataclass(frozen=True, eq=False)
class Drawing:
    """Everything a format needs to write a file.

    Parameters
    ----------
    parts : tuple of Part
        Inner parts (islands) before what lies around them.
    marks : tuple of Path
        Marked: what is set so, and paths with two ends.
    engraved : tuple of Loop
        Engraved inside; before anything is cut, while the sheet is whole.
    shift : (x, y) in mm
        From the outline's frame to the file's.
    about : About
        What is told of it to people.
    frame : (width, height) in mm
        Of the page, its lower left at (0, 0).
    units : {"mm", "in"}
        Of the file; the geometry here is in mm.

    """

    parts: tuple[Part, ...]
    marks: tuple[Path, ...]
    frame: tuple[float, float]
    units: Unit
    engraved: tuple[Path, ...] = ()
    shift: tuple[float, float] = (0.0, 0.0)
    about: About = field(default_factory=About)

    def layered(self) -> Iterator[tuple[str, Path]]:
        """Yield (layer, path) in the order of work.

        Engraved and marked while the sheet is whole. Then each part, the deepest first, its holes
        before its outer loop: nothing is cut in what has come loose already.
        """
        for loop in self.engraved:
            yield ENGRAVE, loop
        for mark in self.marks:
            yield MARK, mark
        for part in self.parts:
            for hole in part.holes:
                yield INSIDE + suffix(part.colour), hole
            yield OUTSIDE + suffix(part.colour), part.outer

    def paths(self) -> list[Path]:
        """Return every path."""
        return [path for _, path in self.layered()]

    def groups(self) -> list[list[Path]]:
        """Return the paths of each colour, which meet and do not hold each other."""
        found: dict[Rgb | None, list[Path]] = {}
        for part in self.parts:
            found.setdefault(part.colour, []).extend((part.outer, *part.holes))
        found.setdefault(None, []).extend(mark for mark in self.marks if not mark.closed)
        alone = [[path] for path in (*self.engraved, *self.marks) if path.closed]
        return [group for group in found.values() if group] + alone


def suffix(colour: Rgb | None) -> str:
    """Return what a layer's name ends in for a colour, "" for none."""
    return "" if colour is None else "_{:02X}{:02X}{:02X}".format(*colour)


def draw(
    outline: Outline,
    units: Unit = "mm",
    origin: FrameOrigin = "corner",
    picture_frame: tuple[float, float] | None = None,
    zero: tuple[float, float] | None = None,
    about: About | None = None,
) -> Drawing:
    """Return the drawing of what is cut in `outline`.

    Parameters
    ----------
    outline : Outline
        In the picture's frame, mm.
    units : {"mm", "in"}
    origin : {"corner", "picture", "chosen"}
    picture_frame : (width, height) in mm
        Size of the picture; needed for the origin "picture".
    zero : (x, y) in mm
        Needed for the origin "chosen".
    about : About or None
        What is told of it to people.

    Raises
    ------
    FileError
        If nothing is cut, or the frame is missing.

    """
    if not outline.taken:
        raise FileError(
            "nothing is set to be cut, so there is nothing to write; trace a part first"
        )
    if origin == "picture" and picture_frame is None:
        raise FileError("the picture's frame is not known; put the origin at the outline's corner")
    if origin == "chosen" and zero is None:
        raise FileError(
            "the edges that the zero point was put on are gone; choose it anew at True up, or "
            "another one at Cut file"
        )
    left, bottom, right, top = outline.bounds
    if not max(abs(v) for v in (left, bottom, right, top)) <= LARGEST:
        raise FileError(
            f"the outline reaches to {max(abs(v) for v in outline.bounds):.3g} mm, farther than "
            f"{LARGEST:,.0f} mm; check the file's unit and the scale"
        )
    shift = -np.array(zero if origin == "chosen" else [left, bottom], np.float64)
    shift = np.zeros(2) if origin == "picture" else shift
    frame = picture_frame if origin == "picture" and picture_frame else (right - left, top - bottom)
    parts = [
        replace(part, colour=colour)
        for colour, paths in outline.groups
        for part in parts_of([shifted(p, shift) for p in paths if isinstance(p, Loop)])
    ]
    loose = [path for _, paths in outline.groups for path in paths if isinstance(path, OpenPath)]
    marked = [path for what, path in outline.others if what == "mark" or not path.closed]
    engraved = [path for what, path in outline.others if what == "engrave" and path.closed]
    made = Drawing(
        tuple(parts),
        tuple(shifted(path, shift) for path in (*marked, *loose)),
        frame,
        units,
        tuple(shifted(path, shift) for path in engraved),
        (float(shift[0]), float(shift[1])),
        about or About(),
    )
    if len(made.paths()) != len(outline.taken):
        raise FileError(
            f"{len(made.paths())} outlines of {len(outline.taken)} would be written; weld what "
            "overlaps first, and please report this"
        )
    return made


def parts_of(loops: Sequence[Loop]) -> tuple[Part, ...]:
    """Return `loops` grouped into parts, outer loops counter-clockwise, the deepest first."""
    return tuple(Part(solid.outer, solid.holes) for solid in solids(loops))

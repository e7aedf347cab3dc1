"""Words as outlines.

Words used here
    cap height   of a capital H; what letters are measured by
    advance      how far the next letter stands from one
    clusters     letters that are set as one: a ligature, a letter and its accent
"""

from __future__ import annotations

import math
import unicodedata
from dataclasses import replace
from itertools import groupby, pairwise
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from silhueta.core.build.fonts import opened
from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import CUBIC, LINE, Floats, Loop
from silhueta.core.geometry.region.region import covered
from silhueta.core.geometry.transform import transform
from silhueta.core.wording import counted
from silhueta.core.words import Lettering

if TYPE_CHECKING:
    import uharfbuzz

MOST = 2_000  # letters
_LARGEST = 10_000.0  # mm of cap height
_SMALLEST = 0.5  # mm
_LEADING = 1.6  # cap heights from line to line; common practice, no source
_LEFTWARD = ("R", "AL", "AN", "RLE", "RLO", "RLI")  # classes of Unicode that are read leftward
_CONTROLS = {"\t": "tab", "\r": "carriage return", "\v": "vertical tab", "\f": "form feed"}
_RUNS_TOGETHER = 1e-3  # of a cap height squared, that letters on a circle may share by rounding
_FLAT = 0.01  # mm that a curve may be off where overlaps are measured
_SAME = 1e-6  # of the font's unit: two places of a contour that are one


class _Glyph(NamedTuple):
    """A glyph of a line: its outline in font units, and where it stands along the line."""

    loops: list[Loop]
    start: float
    advance: float


def lettered(words: Lettering) -> list[Loop]:
    """Return words as outlines, mm: solids counter-clockwise, holes clockwise; overlaps welded.

    A straight line begins at (0, 0), further lines below it, all centred on the first; words on a
    circle stand about (0, 0).

    Raises
    ------
    EditError
        If there is nothing to set, too much, or a letter that the font does not have.
    FileError
        If the font is not there.

    """
    text = unicodedata.normalize("NFC", words.text).strip("\n")
    letters = sum(not c.isspace() for c in text)
    if not letters:
        raise EditError("there are no letters to set; type a word")
    if len(text) > MOST:
        raise EditError(f"the text has {len(text):,} letters; up to {MOST:,} can be set at once")
    if not _SMALLEST <= words.cap_height <= _LARGEST:
        raise EditError(
            f"a cap height from {_SMALLEST} to {_LARGEST:,.0f} mm can be set, not "
            f"{words.cap_height:g} mm"
        )
    if not abs(words.spacing) <= 10 * words.cap_height:
        raise EditError("letters can be spaced by up to ten cap heights")
    loops = [loop for line in _glyphs(text, words) for glyph in line for loop in glyph]
    if not loops:
        raise EditError("these letters have no outline; type others")
    return covered(loops, "nonzero")


def crowded(words: Lettering) -> str:
    """Return a sentence where letters of words on a circle run into each other; else "".

    Letters that touch in a straight line, too, are meant to.
    """
    if not words.arc:
        return ""
    text = unicodedata.normalize("NFC", words.text).strip("\n")
    bent = _overlaps(_glyphs(text, words))
    straight = _overlaps(_glyphs(text, replace(words, arc=0.0)))
    most = _RUNS_TOGETHER * words.cap_height**2
    count = sum(one > other + most for one, other in zip(bent, straight, strict=True))
    if not count:
        return ""
    return (
        f"{counted(count, 'pair')} of letters run into each other on the circle; give more space "
        "between letters, smaller letters or a larger circle"
    )


def _overlaps(lines: list[list[list[Loop]]]) -> list[float]:
    """Return what each letter covers of the next one in its line, mm²."""
    import shapely

    found: list[float] = []
    for line in lines:
        shapes = [
            shapely.union_all([shapely.Polygon(flatten(loop, _FLAT)).buffer(0) for loop in glyph])
            for glyph in line
        ]
        found += [float(a.intersection(b).area) for a, b in pairwise(shapes)]
    return found


def _glyphs(text: str, words: Lettering) -> list[list[list[Loop]]]:
    """Return the outlines of each glyph of each line, where they stand, mm."""
    font = opened(words.font)
    size = words.cap_height / cap_height(font)
    lines = [_line(font, line, words, size) for line in text.split("\n")]
    wide = [_width(line) for line in lines]
    placed: list[list[list[Loop]]] = []
    for number, line in enumerate(lines):
        drop = -number * _LEADING * words.cap_height
        if words.arc:
            placed.append(_on_circle(line, wide[number], size, words.arc / 2, drop))
        else:
            shift = (wide[0] - wide[number]) / 2
            own = [_placed(g, np.eye(2) * size, (shift + g.start, drop)) for g in line]
            placed.append(own)
    return placed


def cap_height(font: uharfbuzz.Font) -> float:
    """Return the height of a font's capital H, in its unit; of its tallest letter without one."""
    for letter in "HEXIx0":
        glyph = font.get_nominal_glyph(ord(letter))
        extents = font.get_glyph_extents(glyph) if glyph else None
        if extents is not None and extents.y_bearing > 0:
            return float(extents.y_bearing)
    return 0.7 * float(font.face.upem)


def _line(font: uharfbuzz.Font, text: str, words: Lettering, size: float) -> list[_Glyph]:
    """Return the glyphs of a line from left to right, shaped; places and advances in mm."""
    import uharfbuzz

    glyphs: list[_Glyph] = []
    at = 0.0
    for run, leftward in runs_of(text):
        buffer = uharfbuzz.Buffer()
        buffer.add_str(run)
        buffer.guess_segment_properties()
        buffer.direction = "rtl" if leftward else "ltr"
        uharfbuzz.shape(font, buffer, {"liga": words.spacing == 0, "kern": True})
        missing = {run[info.cluster] for info in buffer.glyph_infos if info.codepoint == 0}
        if missing:
            named = ", ".join(map(_named, sorted(missing)))
            raise EditError(
                f"the font {words.font} has no {named}; take another font, or leave out"
            )
        for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
            shift = (place.x_offset, place.y_offset)
            moved = [transform(one, np.eye(2), shift) for one in glyph_loops(font, info.codepoint)]
            loops = [loop for loop in moved if isinstance(loop, Loop)]
            advance = place.x_advance * size + (words.spacing if place.x_advance else 0.0)
            glyphs.append(_Glyph(loops, at, advance))
            at += advance
    return glyphs


def runs_of(line: str) -> list[tuple[str, bool]]:
    """Return the runs of a line from left to right, and whether each is read leftward.

    The Unicode Bidirectional Algorithm (Unicode Standard Annex #9, revision 48), by python-bidi.
    """
    if not line:
        return []
    if not any(unicodedata.bidirectional(c) in _LEFTWARD for c in line):
        return [(line, False)]
    from bidi import algorithm

    storage = algorithm.get_empty_storage()
    level = algorithm.get_base_level(line)
    storage["base_level"], storage["base_dir"] = level, ("L", "R")[level]
    algorithm.get_embedding_levels(line, storage)
    algorithm.explicit_embed_and_overrides(storage)
    algorithm.resolve_weak_types(storage)
    algorithm.resolve_neutral_types(storage, False)
    algorithm.resolve_implicit_levels(storage, False)
    runs = [
        ("".join(one["ch"] for one in own), level)
        for level, own in groupby(storage["chars"], key=lambda one: one["level"])
    ]
    # rule L2: what is read leftward is turned round, the deepest first
    for depth in range(max((level for _, level in runs), default=0), 0, -1):
        turned: list[tuple[str, int]] = []
        begin = 0  # of the present stretch that is turned round
        for run in runs:
            turned.insert(begin if run[1] >= depth else len(turned), run)
            begin = begin if run[1] >= depth else len(turned)
        runs = turned
    return [(text, level % 2 == 1) for text, level in runs]


def _named(sign: str) -> str:
    """Return a sign and its name, as people may look it up; of one that does not show, the name."""
    name = unicodedata.name(sign, _CONTROLS.get(sign, f"sign U+{ord(sign):04X}")).lower()
    return f"“{sign}” ({name})" if sign.isprintable() and not sign.isspace() else name


def _width(line: list[_Glyph]) -> float:
    return line[-1].start + line[-1].advance if line else 0.0


def _placed(glyph: _Glyph, matrix: Floats, shift: tuple[float, float]) -> list[Loop]:
    made = [transform(loop, matrix, shift) for loop in glyph.loops]
    return [loop for loop in made if isinstance(loop, Loop)]


def _on_circle(
    line: list[_Glyph], wide: float, size: float, radius: float, drop: float
) -> list[list[Loop]]:
    """Return a line on a circle about (0, 0), its middle on top; below zero: at the bottom.

    Every letter stays as it is, its middle square to the circle.
    """
    way = math.copysign(1.0, radius)
    around = abs(radius) + way * drop
    if around <= 0 or wide > 2 * math.pi * around:
        raise EditError(
            f"the words are {wide:.1f} mm long, more than go round a circle of "
            f"{2 * abs(radius):.1f} mm; set them smaller or the circle larger"
        )
    placed: list[list[Loop]] = []
    for glyph in line:
        middle = glyph.start + glyph.advance / 2
        turn = -way * (middle - wide / 2) / around
        c, s = math.cos(turn), math.sin(turn)
        matrix = np.array([[c, -s], [s, c]])
        foot = matrix @ np.array([-glyph.advance / 2, way * around])
        placed.append(_placed(glyph, matrix * size, (float(foot[0]), float(foot[1]))))
    return placed


class _Pen:
    """Takes a glyph's contours, in the font's unit."""

    def __init__(self) -> None:
        self.loops: list[Loop] = []
        self._nodes: list[tuple[float, float]] = []
        self._kinds: list[int] = []
        self._controls: list[tuple[tuple[float, float], tuple[float, float]]] = []

    def moveTo(self, at: tuple[float, float]) -> None:
        """Begin a contour."""
        self._nodes, self._kinds, self._controls = [at], [], []

    def lineTo(self, to: tuple[float, float]) -> None:
        """Go straight."""
        self._add(to, LINE, ((0.0, 0.0), (0.0, 0.0)))

    def curveTo(self, *points: tuple[float, float]) -> None:
        """Go along a cubic."""
        one, two, to = points
        self._add(to, CUBIC, (one, two))

    def qCurveTo(self, *points: tuple[float, float]) -> None:
        """Go along a quadratic, which is a cubic with its control points at two thirds."""
        (ax, ay), (bx, by), (cx, cy) = self._nodes[-1], *points
        one = (ax + 2 / 3 * (bx - ax), ay + 2 / 3 * (by - ay))
        two = (cx + 2 / 3 * (bx - cx), cy + 2 / 3 * (by - cy))
        self._add((cx, cy), CUBIC, (one, two))

    def closePath(self) -> None:
        """End the contour where it began."""
        nodes = np.array(self._nodes, np.float64)
        kinds, controls = list(self._kinds), list(self._controls)
        if len(nodes) > 1 and np.hypot(*(nodes[0] - nodes[-1])) < _SAME:
            nodes = nodes[:-1]
        else:
            kinds.append(LINE)
            controls.append(((0.0, 0.0), (0.0, 0.0)))
        if len(nodes) >= 2:
            shape = (np.array(kinds, np.uint8), np.zeros(len(kinds)), np.array(controls, float))
            self.loops.append(Loop(nodes, *shape))

    endPath = closePath

    def _add(
        self, to: tuple[float, float], kind: int, hull: tuple[tuple[float, float], ...]
    ) -> None:
        if math.dist(to, self._nodes[-1]) < _SAME and kind == LINE:
            return
        self._nodes.append(to)
        self._kinds.append(kind)
        self._controls.append((hull[0], hull[1]))


def glyph_loops(font: uharfbuzz.Font, glyph: int) -> list[Loop]:
    """Return the contours of a glyph as the font has them, in its unit."""
    pen = _Pen()
    font.draw_glyph_with_pen(glyph, pen)
    return pen.loops

"""SVG 1.1: one path a part, in real units, a group an operation, nothing else."""

from __future__ import annotations

import math
from itertools import groupby

from silhueta import __version__
from silhueta.core.cutting.drawing import Drawing
from silhueta.core.cutting.plan_drawing import PlanDrawing
from silhueta.core.geometry.path import Path
from silhueta.core.geometry.receive import Point, send
from silhueta.core.units import MM_PER_UNIT

_DIGITS = 6  # after the point: a millionth of a mm or inch
_SHORT = 3e-6  # file units: more than rounding takes off half a chord
_LEAST = 1.0  # file units, that a page is wide and high
_HAIRLINE_MM = 0.1
RUN = "--"  # between the name of a layer and the number of a later run on it


def svg_bytes(drawing: Drawing | PlanDrawing) -> bytes:
    """Return the drawing as an SVG 1.1 file.

    One user unit is one mm (or inch): ``width`` and ``height`` carry the unit, ``viewBox`` the
    same numbers. y is turned to run down, as SVG has it. Holes share their part's path under the
    even-odd rule. (W3C Recommendation "Scalable Vector Graphics (SVG) 1.1 (Second Edition)",
    16 August 2011, sections 7.10, 8.3 and 11.3.)
    """
    unit = MM_PER_UNIT[drawing.units]
    # a page without height shows nothing, though a level line has none
    width, height = (max(side / unit, _LEAST) for side in drawing.frame)
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f"<!-- Silhueta {__version__}; one user unit is one {drawing.units} -->",
        '<svg xmlns="http://www.w3.org/2000/svg" version="1.1" '
        f'width="{_number(width)}{drawing.units}" height="{_number(height)}{drawing.units}" '
        f'viewBox="0 0 {_number(width)} {_number(height)}">',
    ]
    if isinstance(drawing, PlanDrawing):
        lines += _ways(drawing, unit, height)
        lines.append("</svg>\n")
        return "\n".join(lines).encode()
    if drawing.parts:
        lines.append('<g id="cut" fill="#000000" fill-rule="evenodd" stroke="none">')
        for part in drawing.parts:
            data = " ".join(_path_data(loop, unit, height) for loop in (part.outer, *part.holes))
            own = "" if part.colour is None else ' fill="#{:02x}{:02x}{:02x}"'.format(*part.colour)
            lines.append(f'<path{own} fill-rule="evenodd" d="{data}"/>')
        lines.append("</g>")
    if drawing.engraved:
        lines.append('<g id="engrave" fill="#808080" fill-rule="evenodd" stroke="none">')
        lines += [f'<path d="{_path_data(loop, unit, height)}"/>' for loop in drawing.engraved]
        lines.append("</g>")
    if drawing.marks:
        stroke = _number(_HAIRLINE_MM / unit)
        lines.append(f'<g id="mark" fill="none" stroke="#000000" stroke-width="{stroke}">')
        lines += [f'<path d="{_path_data(mark, unit, height)}"/>' for mark in drawing.marks]
        lines.append("</g>")
    lines.append("</svg>\n")
    return "\n".join(lines).encode()


def _ways(drawing: PlanDrawing, unit: float, height: float) -> list[str]:
    """Return where tools go, in the order of work: a group for each run on one layer.

    No two groups have one name: a later run on a layer has its number behind the name.
    """
    stroke = _number(_HAIRLINE_MM / unit)
    lines: list[str] = []
    runs: dict[str, int] = {}
    for layer, rows in groupby(drawing.rows, key=lambda row: row[0]):
        count = runs[layer] = runs.get(layer, 0) + 1
        name = layer.lower() + (f"{RUN}{count}" if count > 1 else "")
        lines.append(f'<g id="{name}" fill="none" stroke="#000000" stroke-width="{stroke}">')
        lines += [f'<path d="{_path_data(path, unit, height)}"/>' for _, path in rows]
        lines.append("</g>")
    return lines


def _path_data(path: Path, unit: float, height: float) -> str:
    """Return the path's data attribute in file units, y down."""
    words = _Words(unit, height)
    send(path, words)
    return " ".join(words.said)


class _Words:
    """Says paths as SVG does, in file units, y down."""

    def __init__(self, unit: float, height: float) -> None:
        self.said: list[str] = []
        self._unit, self._height = unit, height
        self._from: Point = (0.0, 0.0)  # as it is written

    def move(self, to: Point) -> None:
        """Begin a path."""
        self.said.append(f"M{self._at(to)}")
        self._from = self._rounded(to)

    def line(self, to: Point) -> None:
        """Go straight on."""
        self.said.append(f"L{self._at(to)}")
        self._from = self._rounded(to)

    def arc(self, to: Point, bulge: float) -> None:
        """Go on along an arc."""
        # of the ends as they are written: what rounding does to them must not move the centre
        end = self._rounded(to)
        radius = _radius(math.hypot(end[0] - self._from[0], end[1] - self._from[1]), bulge)
        large = int(abs(bulge) > 1)
        sweep = int(bulge < 0)  # clockwise with y up is SVG's positive angle
        self.said.append(f"A{radius},{radius} 0 {large} {sweep} {self._at(to)}")
        self._from = end

    def cubic(self, one: Point, two: Point, to: Point) -> None:
        """Go on along a cubic."""
        self.said.append(f"C{self._at(one)} {self._at(two)} {self._at(to)}")
        self._from = self._rounded(to)

    def close(self) -> None:
        """End a loop; a line back to where it began need not be said."""
        if self.said[-1].startswith("L"):
            self.said.pop()
        self.said.append("Z")

    def end(self) -> None:
        """End an open path."""

    def _at(self, point: Point) -> str:
        return f"{_number(point[0] / self._unit)},{_number(self._height - point[1] / self._unit)}"

    def _rounded(self, point: Point) -> Point:
        return round(point[0] / self._unit, _DIGITS), round(point[1] / self._unit, _DIGITS)


def _radius(chord: float, bulge: float) -> str:
    """Return the radius of an arc over a chord, with more digits than its ends have.

    Near a half circle the centre hangs on the last digits: a radius rounded up moves it far. One
    a little too small is scaled up by every reader until the half circle fits exactly (section
    F.6.6 of the recommendation), so that is what a half circle gets.
    """
    radius = chord * (1 + bulge * bulge) / (4 * abs(bulge))
    half = abs(abs(bulge) - 1) < 1e-6
    return _number(radius - _SHORT if half else radius, _DIGITS + 6)


def _number(value: float, digits: int = _DIGITS) -> str:
    """Return `value` with at most `digits` decimals and no tail of zeros."""
    if not math.isfinite(value):
        raise ValueError("a coordinate is not finite")
    text = f"{value:.{digits}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text

"""SVG 1.1: one path a part, in real units, a group an operation, nothing else."""

from __future__ import annotations

import math

import numpy as np

from silhueta import __version__
from silhueta.core.cutting.drawing import Drawing
from silhueta.core.geometry.path import ARC, CUBIC, Path
from silhueta.core.units import MM_PER_UNIT

_DIGITS = 6  # after the point: a millionth of a mm or inch
_SHORT = 3e-6  # file units: more than rounding takes off half a chord
_LEAST = 1.0  # file units, that a page is wide and high
_HAIRLINE_MM = 0.1


def svg_bytes(drawing: Drawing) -> bytes:
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


def _path_data(path: Path, unit: float, height: float) -> str:
    """Return the path's data attribute in file units, y down."""

    def at(point: np.ndarray) -> str:
        return f"{_number(point[0] / unit)},{_number(height - point[1] / unit)}"

    starts, ends = path.starts, path.ends
    # of the ends as they are written: what rounding does to them must not move the centre
    chords = np.hypot(*(np.round(ends / unit, _DIGITS) - np.round(starts / unit, _DIGITS)).T)
    words = [f"M{at(starts[0])}"]
    for i, kind in enumerate(path.kinds):
        if kind == ARC:
            radius = _radius(float(chords[i]), float(path.bulges[i]))
            large = int(abs(path.bulges[i]) > 1)
            sweep = int(path.bulges[i] < 0)  # clockwise with y up is SVG's positive angle
            words.append(f"A{radius},{radius} 0 {large} {sweep} {at(ends[i])}")
        elif kind == CUBIC:
            one, two = path.controls[i]
            words.append(f"C{at(one)} {at(two)} {at(ends[i])}")
        elif not (path.closed and i == len(path.kinds) - 1):
            words.append(f"L{at(ends[i])}")
    return " ".join(words) + (" Z" if path.closed else "")


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

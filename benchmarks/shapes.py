"""Shapes whose outlines are known exactly: glyphs, icons, and lines and arcs of a workshop."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path as File
from typing import Any

import numpy as np
from fontTools.pens.recordingPen import DecomposingRecordingPen, RecordingPen
from fontTools.svgLib.path import parse_path
from fontTools.svgLib.path.arc import EllipticalArc
from fontTools.ttLib import TTFont

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, circle_loop
from silhueta.core.geometry.transform import transform
from silhueta.demo.render import coverage

ROOT = File(__file__).parent.parent
FONTS = (
    ROOT / "silhueta/fonts/Barlow_500Medium.ttf",
    ROOT / "tests/data/fonts/CrimsonText_400Regular.ttf",
)
ICONS = ROOT / "tests/data/icons/icons.json"
GLYPHS = "ABCDEFGHJKLMNPQRSTUVXYZabcdefghkmnopqrstuvwxyz23456789&"


def glyph_loops(font: File, character: str) -> list[Loop]:
    """Return a glyph's loops in font units, y up; quadratics as the cubics they equal."""
    face = TTFont(font)
    glyphs = face.getGlyphSet()
    pen = DecomposingRecordingPen(glyphs)
    glyphs[face.getBestCmap()[ord(character)]].draw(pen)
    return _loops(pen.value)


class _ArcPen(RecordingPen):
    """Records the arcs of an SVG path as well."""

    def arcTo(self, *values: Any) -> None:
        """Take radii, rotation, flags and end as the path gives them."""
        self.value.append(("arcTo", values))


def icon_loops(path: str) -> list[Loop]:
    """Return the loops of an SVG path, y up; its circular arcs as arcs."""
    pen = _ArcPen()
    parse_path(path, pen)
    return [transform(loop, np.diag([1.0, -1.0])) for loop in _loops(pen.value)]


def _loops(recorded: list[tuple[str, Any]]) -> list[Loop]:
    loops: list[Loop] = []
    nodes: list[Floats] = []
    kinds: list[int] = []
    bulges: list[float] = []
    controls: list[Floats] = []

    def add(kind: int, end: Floats, control: Floats | None = None, bulge: float = 0.0) -> None:
        if np.allclose(end, nodes[-1], atol=1e-9):
            return
        kinds.append(kind)
        bulges.append(bulge)
        controls.append(np.zeros((2, 2)) if control is None else control)
        nodes.append(end)

    for name, values in recorded:
        if name == "arcTo":
            rx, ry, turn, large, sweep, to = values
            chord = float(np.hypot(*(np.array(to) - nodes[-1])))
            if rx == ry:
                half = np.arcsin(min(chord / (2 * rx), 1.0))
                angle = 2 * (np.pi - half if large else half)
                add(ARC, np.array(to, float), None, np.tan(angle / 4) * (1 if sweep else -1))
                continue
            inner = RecordingPen()
            start = complex(*nodes[-1])
            EllipticalArc(start, rx, ry, turn, large, sweep, complex(*to)).draw(inner)
            for _, hull in inner.value:
                add(CUBIC, np.array(hull[2], float), np.array(hull[:2], float))
            continue
        points = [None if p is None else np.array(p, float) for p in values]
        if name == "moveTo":
            nodes, kinds, controls, bulges = [points[0]], [], [], []
        elif name == "lineTo":
            add(LINE, points[0])
        elif name == "curveTo":
            add(CUBIC, points[2], np.array(points[:2]))
        elif name == "qCurveTo":
            ends = [*points[:-2], points[-2]] if len(points) > 1 else []
            for i, off in enumerate(ends):
                on = points[-1] if i == len(ends) - 1 else (off + ends[i + 1]) / 2
                start = nodes[-1]
                add(CUBIC, on, np.array([start + (off - start) * 2 / 3, on + (off - on) * 2 / 3]))
        elif name in ("closePath", "endPath"):
            if np.allclose(nodes[-1], nodes[0], atol=1e-6):
                nodes = nodes[:-1]
            else:
                kinds.append(LINE)
                bulges.append(0.0)
                controls.append(np.zeros((2, 2)))
            loops.append(Loop(np.array(nodes), np.array(kinds, np.uint8), bulges, controls))
    return loops


def workshop_shapes() -> dict[str, list[Loop]]:
    """Return outlines of lines and arcs alone, in mm, such as a workshop draws."""
    slot = Loop([[0, 0], [60, 0], [60, 20], [0, 20]], [LINE, ARC, LINE, ARC], [0, 1, 0, 1])
    plate = Loop(
        [[6, 0], [94, 0], [100, 6], [100, 54], [94, 60], [6, 60], [0, 54], [0, 6]],
        [LINE, ARC] * 4,
        [0, np.tan(np.pi / 8)] * 4,
    )
    star_angle = np.arange(10) * np.pi / 5
    star_radius = np.where(np.arange(10) % 2, 18.0, 45.0)
    star = Loop(
        np.column_stack([star_radius * np.cos(star_angle), star_radius * np.sin(star_angle)])
    )
    gear_angle = np.repeat(np.arange(12) * np.pi / 6, 2) + np.tile([0.0, np.pi / 12], 12)
    gear = Loop(
        40 * np.column_stack([np.cos(gear_angle), np.sin(gear_angle)]),
        [ARC, LINE] * 12,
        [np.tan(np.pi / 48), 0] * 12,
    )
    holes = [circle_loop((x, y), 4.0) for x in (12, 88) for y in (12, 48)]
    turned = np.array([[np.cos(0.3), -np.sin(0.3)], [np.sin(0.3), np.cos(0.3)]])
    return {
        "slot": [transform(slot, turned)],
        "plate": [plate, *[_back(hole) for hole in (*holes, circle_loop((50, 30), 16))]],
        "star": [transform(star, turned)],
        "gear": [gear, _back(circle_loop((0, 0), 12))],
        "washer": [circle_loop((0, 0), 30), _back(circle_loop((0, 0), 11))],
        "ell": [transform(Loop([[0, 0], [80, 0], [80, 25], [25, 25], [25, 90], [0, 90]]), turned)],
    }


def _back(loop: Loop) -> Loop:
    return Loop(loop.nodes[::-1], loop.kinds, -loop.bulges)


def placed(loops: list[Loop], side: int, margin: float = 20.3) -> list[Loop]:
    """Return `loops` scaled to fill a picture of `side` px but for the margin; y still up."""
    points = np.vstack([flatten(loop, 0.05) for loop in loops])
    low, size = points.min(axis=0), np.ptp(points, axis=0)
    factor = (side - 2 * margin) / size.max()
    return [transform(loop, np.eye(2) * factor, margin - low * factor + 0.137) for loop in loops]


def picture(loops: list[Loop], side: int) -> np.ndarray:
    """Return the (side, side) uint8 picture of `loops`, dark on light, in exact coverage."""
    outlines = [flatten(loop, 1e-3) * [1, -1] + [0, side] for loop in loops]
    return np.round(255 * (1 - coverage(outlines, side, side))).astype(np.uint8)


@cache
def every_shape() -> dict[str, list[Loop]]:
    """Return all shapes by name."""
    shapes = workshop_shapes()
    for font in FONTS:
        for character in GLYPHS:
            shapes[f"{font.stem} {character}"] = glyph_loops(font, character)
    for name, path in json.loads(ICONS.read_text())["paths"].items():
        shapes[name] = icon_loops(path)
    return shapes

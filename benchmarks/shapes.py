"""Shapes whose outlines are known exactly: glyphs of open-licence fonts, and lines and arcs."""

from __future__ import annotations

from pathlib import Path as File

import numpy as np
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, circle_loop
from silhueta.core.geometry.transform import transform
from silhueta.demo.render import coverage

ROOT = File(__file__).parent.parent
FONTS = (
    ROOT / "silhueta/app/look/fonts/Barlow_500Medium.ttf",
    ROOT / "tests/data/fonts/CrimsonText_400Regular.ttf",
)
GLYPHS = "ABCDEFGHJKLMNPQRSTUVXYZabcdefghkmnopqrstuvwxyz23456789&"


def glyph_loops(font: File, character: str) -> list[Loop]:
    """Return a glyph's loops in font units, y up; quadratics as the cubics they equal."""
    face = TTFont(font)
    glyphs = face.getGlyphSet()
    pen = DecomposingRecordingPen(glyphs)
    glyphs[face.getBestCmap()[ord(character)]].draw(pen)
    loops: list[Loop] = []
    nodes: list[Floats] = []
    kinds: list[int] = []
    controls: list[Floats] = []

    def add(kind: int, end: Floats, control: Floats) -> None:
        if kind == LINE and np.allclose(end, nodes[-1]):
            return
        kinds.append(kind)
        controls.append(control)
        nodes.append(end)

    for name, values in pen.value:
        points = [None if p is None else np.array(p, float) for p in values]
        if name == "moveTo":
            nodes, kinds, controls = [points[0]], [], []
        elif name == "lineTo":
            add(LINE, points[0], np.zeros((2, 2)))
        elif name == "curveTo":
            add(CUBIC, points[2], np.array(points[:2]))
        elif name == "qCurveTo":
            ends = [*points[:-2], points[-2]] if len(points) > 1 else []
            for i, off in enumerate(ends):
                on = points[-1] if i == len(ends) - 1 else (off + ends[i + 1]) / 2
                start = nodes[-1]
                add(CUBIC, on, np.array([start + (off - start) * 2 / 3, on + (off - on) * 2 / 3]))
        elif name in ("closePath", "endPath"):
            if np.allclose(nodes[-1], nodes[0]):
                nodes = nodes[:-1]
            else:
                kinds.append(LINE)
                controls.append(np.zeros((2, 2)))
            loops.append(
                Loop(
                    np.array(nodes),
                    np.array(kinds, np.uint8),
                    np.zeros(len(kinds)),
                    np.array(controls),
                )
            )
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


def every_shape() -> dict[str, list[Loop]]:
    """Return all shapes by name."""
    shapes = workshop_shapes()
    for font in FONTS:
        for character in GLYPHS:
            shapes[f"{font.stem} {character}"] = glyph_loops(font, character)
    return shapes

"""A picture of what a file cuts: kerfs or what bits leave, what came free, what went wrong."""

from __future__ import annotations

from pathlib import Path as File
from typing import Any

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.geometry.measure import Box
from silhueta.core.geometry.path import Floats
from silhueta.core.rehearsal.course import Carving, Course, box_of
from silhueta.core.rehearsal.relief import shaded

Picture = NDArray[np.uint8]

_WIDE = 1200  # px of the longer side
_PAD = 48  # px all round
_PARTS = 4  # binary digits after the point that OpenCV's places have: a sixteenth of a pixel
# red, green, blue; by eye, so that each differs from the others in grey as well
_STEEL, _FREE = (140, 146, 153), (233, 223, 196)  # the sheet, and what came free of it
_KERF, _WRONG = (28, 35, 41), (192, 32, 58)  # what was taken away, and rings round events
_PALE = 0.35  # of its own colour, that a freed piece of wood gets: what it was carved into shows
_RING, _LINE = 9, 3  # px of a ring round an event, and how wide it is drawn


def write_picture(course: Course, target: File) -> None:
    """Write the picture as a PNG.

    Raises
    ------
    FileError
        If nothing is cut, or it cannot be written.

    """
    scene, done = course.scene, course.done
    if not scene.table.working.any():
        raise FileError("nothing is cut, so there is no picture of it")
    widest = max(scene.bench.width, *(one.diameter_mm for one in scene.bench.tools.values()), 0.0)
    box = _both(scene.bench.sheet, box_of(scene, widest))
    frame = _Frame(box)
    shown = frame.steel() if scene.flat else frame.wood(course)
    for piece in done.freed:
        frame.fill(shown, piece, _FREE, 1.0 if scene.flat else _PALE)
    for kerf in done.kerfs:
        frame.fill(shown, kerf, _KERF)
    for one in done.events:
        x, y = np.rint(frame.places(np.array([one.at]))[0]).astype(int).tolist()
        cv2.circle(shown, (x, y), _RING, _WRONG, _LINE, cv2.LINE_AA)
    ready, written = cv2.imencode(".png", cv2.cvtColor(shown, cv2.COLOR_RGB2BGR))
    assert ready
    write_whole(target, written.tobytes())


class _Frame:
    """Where places of a sheet lie in the picture."""

    def __init__(self, box: Box) -> None:
        left, bottom, right, top = box
        self.box = box
        self.scale = _WIDE / max(right - left, top - bottom, 1e-6)
        self.wide = max(1, round((right - left) * self.scale))
        self.high = max(1, round((top - bottom) * self.scale))

    def steel(self) -> Picture:
        """Return a sheet that nothing was cut from."""
        shown = np.full((self.high + 2 * _PAD, self.wide + 2 * _PAD, 3), 255, np.uint8)
        half = _PAD // 2
        shown[half:-half, half:-half] = _STEEL
        return shown

    def wood(self, course: Course) -> Picture:
        """Return what bits leave of a sheet, lit from one side."""
        relief = Carving(course, self.box).at(course.seconds)
        lit = shaded(relief.heights(), relief.cell, course.scene.bench.thickness)[::-1]
        lit = np.where(lit[..., 3:] > 0, lit[..., :3], np.array(_KERF, np.uint8))
        size = (self.wide, self.high)
        small: Any = cv2.resize(lit, size, interpolation=cv2.INTER_AREA)
        sides, white = (_PAD, _PAD, _PAD, _PAD), (255, 255, 255)
        shown: Any = cv2.copyMakeBorder(small, *sides, cv2.BORDER_CONSTANT, value=white)
        return np.ascontiguousarray(shown)

    def places(self, points: Floats) -> Floats:
        """Return places (N, 2) mm in the picture, px; its rows go down."""
        left, _, _, top = self.box
        return np.array([1.0, -1.0]) * (points - [left, top]) * self.scale + _PAD

    def fill(
        self, shown: Picture, shape: shapely.Polygon, colour: tuple[int, ...], over: float = 1.0
    ) -> None:
        """Paint a shape with its holes left out; `over`: how much of it covers what was there."""
        rings = [
            np.rint(self.places(shapely.get_coordinates(ring)) * 2**_PARTS).astype(np.int32)
            for ring in (shape.exterior, *shape.interiors)
        ]
        if over >= 1:
            cv2.fillPoly(shown, rings, colour, cv2.LINE_AA, _PARTS)
            return
        painted = shown.copy()
        cv2.fillPoly(painted, rings, colour, cv2.LINE_AA, _PARTS)
        cv2.addWeighted(painted, over, shown, 1 - over, 0.0, shown)


def _both(one: Box | None, two: Box) -> Box:
    """Return the box that holds two."""
    if one is None:
        return two
    low, high = np.minimum(one[:2], two[:2]), np.maximum(one[2:], two[2:])
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])

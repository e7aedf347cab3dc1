"""DXF R12 and R2000: closed polylines with bulges, full circles as CIRCLE, a layer an operation."""

from __future__ import annotations

import io
import logging
from typing import Any

import numpy as np

from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, MARK, OUTSIDE, Drawing
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import ARC, CUBIC, Loop, OpenPath
from silhueta.core.geometry.receive import Point, send
from silhueta.core.job import DxfVersion
from silhueta.core.units import MM_PER_UNIT

# $INSUNITS: 1 inches, 4 millimetres; $MEASUREMENT: 0 English, 1 metric
# (Autodesk, "DXF Reference", HEADER section group codes)
_INSUNITS = {"mm": 4, "in": 1}
_MEASUREMENT = {"mm": 1, "in": 0}
CURVE_ERROR = 0.005  # mm; a polyline has no cubics, so they are written as tangent arcs
# indices of the standard table, told apart on screen
_COLOURS = {INSIDE: 5, OUTSIDE: 7, MARK: 3, ENGRAVE: 8}


def dxf_bytes(drawing: Drawing, version: DxfVersion) -> bytes:
    """Return the drawing as a DXF file in ASCII, lengths in the drawing's units."""
    from ezdxf.filemanagement import new

    logging.getLogger("ezdxf").setLevel(logging.ERROR)  # R12 has no unit: see _with_units
    unit = MM_PER_UNIT[drawing.units]
    document = new(version, setup=False, units=_INSUNITS[drawing.units])
    written = [with_arcs(path, CURVE_ERROR) for path in drawing.paths()]
    left, bottom, right, top = (value / unit for value in bounding_box(written))
    modelspace = document.modelspace()
    low, high = (left, bottom, 0.0), (right, top, 0.0)
    modelspace.reset_extents(low, high)  # copied to the header when written, unless at (0, 0, 0)
    document.header["$EXTMIN"], document.header["$EXTMAX"] = low, high
    if version != "R12":
        document.header["$MEASUREMENT"] = _MEASUREMENT[drawing.units]
    for layer in dict.fromkeys(layer for layer, _ in drawing.layered()):
        document.layers.add(layer, color=_colour(layer))
    entities = _Entities(modelspace, unit, version)
    for layer, path in drawing.layered():
        entities.layer = layer
        send(path, entities)
    stream = io.StringIO()
    document.write(stream)
    text = stream.getvalue()
    if version == "R12":
        text = _with_units(text, drawing.units)
    return text.encode("ascii", errors="replace")


def _colour(layer: str) -> int:
    return next(index for name, index in _COLOURS.items() if layer.startswith(name))


class _Entities:
    """Puts paths into a DXF: full circles as CIRCLE, all others as polylines with bulges."""

    def __init__(self, modelspace: Any, unit: float, version: DxfVersion) -> None:
        self.layer = OUTSIDE
        self._space, self._unit, self._version = modelspace, unit, version
        self._rows: list[tuple[float, float, float]] = []  # of each node, and the bulge after it

    def move(self, to: Point) -> None:
        """Begin a polyline."""
        self._rows = [(*to, 0.0)]

    def line(self, to: Point) -> None:
        """Go straight on."""
        self._rows.append((*to, 0.0))

    def arc(self, to: Point, bulge: float) -> None:
        """Go on along an arc."""
        self._rows[-1] = (*self._rows[-1][:2], bulge)
        self._rows.append((*to, 0.0))

    def cubic(self, one: Point, two: Point, to: Point) -> None:
        """Go on along arcs that keep to the curve."""
        ends, controls = np.array([self._rows[-1][:2], to]), np.array([[one, two]])
        curve = OpenPath(ends, np.array([CUBIC], np.uint8), np.zeros(1), controls)
        arcs = with_arcs(curve, CURVE_ERROR)
        for (x, y), bulge in zip(arcs.nodes[1:].tolist(), arcs.bulges.tolist(), strict=True):
            self.arc((x, y), bulge)

    def close(self) -> None:
        """Add a closed polyline, or the circle that it is."""
        rows = self._rows[:-1]  # the last is the first again
        nodes, bulges = np.array([row[:2] for row in rows]), np.array([row[2] for row in rows])
        if (bulges != 0).all():
            circle = full_circle(Loop(nodes, np.full(len(rows), ARC, np.uint8), bulges))
            if circle is not None:
                (x, y), radius = circle
                self._space.add_circle(
                    (x / self._unit, y / self._unit),
                    radius / self._unit,
                    dxfattribs={"layer": self.layer},
                )
                return
        self._add(rows, closed=True)

    def end(self) -> None:
        """Add an open polyline."""
        self._add(self._rows, closed=False)

    def _add(self, rows: list[tuple[float, float, float]], closed: bool) -> None:
        unit = self._unit
        add = self._space.add_polyline2d if self._version == "R12" else self._space.add_lwpolyline
        add(
            [(x / unit, y / unit, bulge) for x, y, bulge in rows],
            format="xyb",
            close=closed,
            dxfattribs={"layer": self.layer},
        )


def _with_units(text: str, units: str) -> str:
    """Return an R12 file with the unit in its header: not in that version, but widely read."""
    head, mark, rest = text.partition("  0\nENDSEC\n")
    lines = (
        f"  9\n$INSUNITS\n 70\n{_INSUNITS[units]}\n  9\n$MEASUREMENT\n 70\n{_MEASUREMENT[units]}\n"
    )
    return head + lines + mark + rest

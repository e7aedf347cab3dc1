"""DXF R12 and R2000: closed polylines with bulges, full circles as CIRCLE, a layer an operation."""

from __future__ import annotations

import io
import logging
from typing import Any

from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, MARK, OUTSIDE, Drawing
from silhueta.core.cutting.plan_drawing import (
    CUT,
    DRILL,
    LEAD,
    POCKET,
    TAB,
    VGROOVE,
    PlanDrawing,
)
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import bounding_box, circle_of
from silhueta.core.geometry.path import Floats
from silhueta.core.geometry.receive import Point, send
from silhueta.core.units import MM_PER_UNIT

# $INSUNITS: 1 inches, 4 millimetres; $MEASUREMENT: 0 English, 1 metric
# (Autodesk, "DXF Reference", HEADER section group codes)
_INSUNITS = {"mm": 4, "in": 1}
_MEASUREMENT = {"mm": 1, "in": 0}
CURVE_ERROR = 0.005  # mm; a polyline has no cubics, so they are written as tangent arcs
# indices of the standard table, told apart on screen
_COLOURS = {INSIDE: 5, OUTSIDE: 7, MARK: 3, ENGRAVE: 8}
_COLOURS |= {CUT: 7, POCKET: 30, VGROOVE: 40, DRILL: 6, LEAD: 9, TAB: 2}  # of a plan


def dxf_bytes(drawing: Drawing | PlanDrawing, version: str) -> bytes:
    """Return the drawing as a DXF file in ASCII, lengths in the drawing's units.

    `version`: "R12" or "R2000".
    """
    from ezdxf.filemanagement import new

    logging.getLogger("ezdxf").setLevel(logging.ERROR)  # R12 has no unit: see _with_units
    unit = MM_PER_UNIT[drawing.units]
    document = new(version, setup=False, units=_INSUNITS[drawing.units])
    written = [(layer, with_arcs(path, CURVE_ERROR)) for layer, path in drawing.layered()]
    box = bounding_box([path for _, path in written])
    left, bottom, right, top = (value / unit for value in box)
    modelspace = document.modelspace()
    low, high = (left, bottom, 0.0), (right, top, 0.0)
    modelspace.reset_extents(low, high)  # copied to the header when written, unless at (0, 0, 0)
    document.header["$EXTMIN"], document.header["$EXTMAX"] = low, high
    if version != "R12":
        document.header["$MEASUREMENT"] = _MEASUREMENT[drawing.units]
    for layer in dict.fromkeys(layer for layer, _ in written):
        document.layers.add(layer, color=_colour(layer))
    entities = _Entities(modelspace, unit, version)
    begun = isinstance(drawing, PlanDrawing)  # a way is begun where its first node is
    for layer, path in written:
        entities.layer = layer
        circle = None if begun and not layer.startswith(DRILL) else circle_of(path)
        if circle is not None:
            entities.circle(*circle)
        else:
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
    """Puts paths of lines and arcs into a DXF as polylines with bulges, and full circles."""

    def __init__(self, modelspace: Any, unit: float, version: str) -> None:
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

    def cubic(self, _one: Point, _two: Point, _to: Point) -> None:
        """Refuse: a polyline has no cubics, arcs were put in their place."""
        raise AssertionError("cubics are written as arcs")

    def circle(self, centre: Floats, radius: float) -> None:
        """Add a full circle."""
        x, y = (centre / self._unit).tolist()
        self._space.add_circle((x, y), radius / self._unit, dxfattribs={"layer": self.layer})

    def close(self) -> None:
        """Add a closed polyline."""
        self._add(self._rows[:-1], closed=True)  # the last is the first again

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

"""DXF R12 and R2000: closed polylines with bulges, full circles as CIRCLE, a layer an operation."""

from __future__ import annotations

import io
import logging

import numpy as np

from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, MARK, OUTSIDE, Drawing
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import Floats, Path
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
    for layer, path in drawing.layered():
        attributes = {"layer": layer}
        circle = full_circle(path)
        if circle is not None:
            (x, y), radius = circle
            modelspace.add_circle((x / unit, y / unit), radius / unit, dxfattribs=attributes)
            continue
        points, bulges = _polyline(path)
        rows = [(x / unit, y / unit, b) for (x, y), b in zip(points, bulges, strict=True)]
        if version == "R12":
            modelspace.add_polyline2d(rows, format="xyb", close=path.closed, dxfattribs=attributes)
        else:
            modelspace.add_lwpolyline(rows, format="xyb", close=path.closed, dxfattribs=attributes)
    stream = io.StringIO()
    document.write(stream)
    text = stream.getvalue()
    if version == "R12":
        text = _with_units(text, drawing.units)
    return text.encode("ascii", errors="replace")


def _colour(layer: str) -> int:
    return next(index for name, index in _COLOURS.items() if layer.startswith(name))


def _polyline(path: Path) -> tuple[Floats, Floats]:
    """Return vertices and bulges of `path`; cubics as arcs that keep to the curve."""
    path = with_arcs(path, CURVE_ERROR)
    return path.nodes, path.bulges if path.closed else np.append(path.bulges, 0.0)


def _with_units(text: str, units: str) -> str:
    """Return an R12 file with the unit in its header: not in that version, but widely read."""
    head, mark, rest = text.partition("  0\nENDSEC\n")
    lines = (
        f"  9\n$INSUNITS\n 70\n{_INSUNITS[units]}\n  9\n$MEASUREMENT\n 70\n{_MEASUREMENT[units]}\n"
    )
    return head + lines + mark + rest

"""Curves of somebody's SVG in the files that are written of it: read by ezdxf and by fontTools.

Autodesk's DXF Reference, LWPOLYLINE: group 42 is the tangent of a quarter of an arc's angle.
"""

from __future__ import annotations

import ezdxf
import numpy as np
import pytest
import shapely
from ezdxf import path as ezdxf_path
from fontTools.pens.areaPen import AreaPen
from fontTools.pens.boundsPen import BoundsPen
from fontTools.svgLib.path import parse_path

from silhueta.core.cutting.drawing import draw
from silhueta.core.files.drawing_open import on_page
from silhueta.core.files.export import export
from silhueta.core.files.svg_read import read_svg

SHAPES = {
    "leaf": "M10 50 C10 10 60 -10 90 50 C70 90 30 95 10 50 Z",
    "bean": "M20 30 C40 -20 90 20 70 50 C55 75 80 80 60 92 C20 110 5 60 20 30 Z",
    "plate": "M10 10 H70 C85 10 90 15 90 30 V80 C60 95 40 60 10 80 Z",
}


def written(tmp_path, shape: str, suffix: str, mm: float = 100.0):
    page = f'width="{mm}mm" height="{mm}mm" viewBox="0 0 100 100"'
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" {page}><path fill="#000" d="{shape}"/></svg>'
    outline = on_page(read_svg(svg.encode(), "x.svg")).outline
    target = tmp_path / f"out{suffix}"
    export(draw(outline, "mm", "corner", None), target)
    return target


def fonttools(pen, shape: str):
    parse_path(shape, pen)
    return pen


@pytest.mark.parametrize("mm", [5.0, 100.0, 6000.0])
@pytest.mark.parametrize("name", SHAPES)
def test_a_dxf_holds_few_arcs_without_corners_round_the_same_area(tmp_path, name, mm):
    file = written(tmp_path, SHAPES[name], ".dxf", mm)
    (line,) = ezdxf.readfile(file).modelspace().query("LWPOLYLINE")
    points = np.array([(v.x, v.y) for v in ezdxf_path.make_path(line).flattening(1e-4)])
    true = abs(fonttools(AreaPen(None), SHAPES[name]).value) * (mm / 100) ** 2
    left, low, right, high = fonttools(BoundsPen(None), SHAPES[name]).bounds
    length = shapely.length(shapely.LinearRing(points))
    assert shapely.Polygon(points).area == pytest.approx(true, abs=0.005 * length)
    assert np.ptp(points, axis=0) == pytest.approx(
        np.array([right - left, high - low]) * mm / 100, abs=0.011
    )
    assert len(line) < {5.0: 30, 100.0: 60, 6000.0: 250}[mm]


@pytest.mark.parametrize("name", SHAPES)
def test_an_svg_keeps_the_curves_as_they_were_drawn(tmp_path, name):
    text = written(tmp_path, SHAPES[name], ".svg").read_text()
    data = text.split(' d="')[1].split('"')[0]
    assert data.count("C") == SHAPES[name].count("C")
    again = abs(fonttools(AreaPen(None), data).value)
    assert again == pytest.approx(abs(fonttools(AreaPen(None), SHAPES[name]).value), rel=1e-6)

"""A picture of what a file cuts: kerfs, what came free, and where something went wrong."""

from __future__ import annotations

import io
from pathlib import Path as File

import numpy as np
import shapely

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.paper import way_of
from silhueta.core.geometry.measure import Box
from silhueta.core.rehearsal.event import Rehearsed

_WIDE = 1200.0  # px of the longer side
_PAD = 0.04  # of it, all round
_STEEL, _FREE, _KERF, _WRONG = "#8c9299", "#e9dfc4", "#1c2329", "#c0203a"
_RING = 9.0  # px of a ring round an event


def write_picture(done: Rehearsed, sheet: Box | None, target: File) -> None:
    """Write the picture as a PNG.

    Raises
    ------
    FileError
        If nothing is cut through, or it cannot be written.

    """
    import pypdfium2
    from reportlab.lib.colors import HexColor
    from reportlab.pdfgen.canvas import Canvas

    if not done.kerfs:
        raise FileError("nothing is cut through, so there is no picture of it")
    left, bottom, right, top = shapely.total_bounds(list(done.kerfs))
    if sheet is not None:
        left, bottom = min(left, sheet[0]), min(bottom, sheet[1])
        right, top = max(right, sheet[2]), max(top, sheet[3])
    scale = _WIDE / max(right - left, top - bottom, 1e-6)
    pad = _PAD * _WIDE
    size = ((right - left) * scale + 2 * pad, (top - bottom) * scale + 2 * pad)
    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=size, invariant=1)

    def fill(shape: shapely.Polygon, colour: str) -> None:
        canvas.setFillColor(HexColor(colour))
        rings = [
            ((shapely.get_coordinates(ring) - [left, bottom]) * scale + pad, True)
            for ring in (shape.exterior, *shape.interiors)
        ]
        canvas.drawPath(way_of(canvas, rings), stroke=0, fill=1, fillMode=0)

    whole = shapely.box(left, bottom, right, top) if sheet is None else None
    fill(whole.buffer(pad / scale / 2) if whole else shapely.box(*sheet or ()), _STEEL)
    for piece in done.freed:
        fill(piece, _FREE)
    for kerf in done.kerfs:
        fill(kerf, _KERF)
    canvas.setStrokeColor(HexColor(_WRONG))
    canvas.setLineWidth(3)
    for one in done.events:
        x, y = ((np.array(one.at) - [left, bottom]) * scale + pad).tolist()
        canvas.circle(x, y, _RING)
    canvas.showPage()
    canvas.save()
    shown = pypdfium2.PdfDocument(stream.getvalue())[0].render(scale=1).to_pil()
    out = io.BytesIO()
    shown.save(out, "PNG")
    write_whole(target, out.getvalue())

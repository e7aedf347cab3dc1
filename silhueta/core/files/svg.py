"""The format SVG: how it is written and proven."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from silhueta.core.files.format import Came, Format

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.job import CutFileSettings


_PLANNED = re.compile(r"_T\d+$")  # layers of a plan end in the tool's number


def _write(drawing: Drawing | PlanDrawing, _: CutFileSettings) -> bytes:
    from silhueta.core.files import svg_write

    return svg_write.svg_bytes(drawing)


def _read_back(written: bytes) -> Came:
    from silhueta.core.files import svg_write
    from silhueta.core.files.svg_read import read_svg

    drawing = read_svg(written, "the SVG")
    page = None if drawing.frame is None else drawing.frame[2:]
    layers = [layer.partition(svg_write.RUN)[0] for layer in drawing.layers]
    return Came(drawing.paths, drawing.units, layers, page)


def _group(layer: str) -> str:
    """Return the group of a layer: one for all that is cut."""
    planned = _PLANNED.search(layer) is not None
    return "cut" if layer.startswith("CUT") and not planned else layer.lower()


SVG = Format(
    key="svg",
    title="SVG",
    one="an SVG",
    about="For most laser and knife programs.",
    write=_write,
    read_back=_read_back,
    layer=_group,
    paged=True,
)

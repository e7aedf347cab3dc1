"""The format SVG: how it is written and proven."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.files.format import Came, Format

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.job import CutFileSettings


def _write(drawing: Drawing, _: CutFileSettings) -> bytes:
    from silhueta.core.files import svg_write

    return svg_write.svg_bytes(drawing)


def _read_back(written: bytes) -> Came:
    from silhueta.core.files.svg_read import read_svg

    drawing = read_svg(written, "the SVG")
    page = None if drawing.frame is None else drawing.frame[2:]
    return Came(drawing.paths, drawing.units, drawing.layers, page)


def _group(layer: str) -> str:
    """Return the group of a layer: one for all that is cut."""
    return "cut" if layer.startswith("CUT") else layer.lower()


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

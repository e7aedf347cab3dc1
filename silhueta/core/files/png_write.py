"""Pictures of an outline (PNG) for people: lines, filled, or over the picture that it came from.

Drawn by reportlab and pdfium, which know how edges are smoothed; the file says its own physical
size (pHYs, W3C, Portable Network Graphics, third edition, 11.3.4.3).
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import FileError
from silhueta.core.files.paper import way_of
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import Box, bounding_box, length_of
from silhueta.core.geometry.path import Path
from silhueta.core.units import MM_PER_INCH

if TYPE_CHECKING:
    from silhueta.core.cutting.about import Under
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing

_MOST_PIXELS = 60_000_000  # of a picture: drawing takes a few hundred MB for that
_LINE = 0.35  # mm: width of lines
_OVER = 2.0  # px: least width of the line over a picture, which has its own size of pixels
_OVER_SHARE = 900  # of the picture's longer side, that it is at least: to be seen when all is
_OVER_INK = (0.85, 0.1, 0.35)  # red, green, blue: stands out from most photos
_CHORD = 0.2  # px, within which curves are drawn
_AREA_OFF = 2e-3  # of the area of what is filled, besides half a pixel round half its outline


class Look(NamedTuple):
    """What a picture is to be.

    shows : {"lines", "filled", "picture"}
    dpi : float
    ground : bool
        Whether its ground is white, or none.
    page : bool
        Whether it shows the page that the outline came on, or the outline's own box.
    """

    shows: str
    dpi: float
    ground: bool
    page: bool


class _Canvas:
    """How large a picture is, and where its lower left lies in the drawing."""

    def __init__(self, drawing: Drawing | PlanDrawing, look: Look) -> None:
        self.shows, self.dpi, self.ground, _ = look
        self.under: Under | None = None
        if self.shows == "picture":
            self.under = _under(drawing)
            self.dpi = MM_PER_INCH / self.under.mm_per_px
            high, wide = self.under.grey.shape
            self.corner = drawing.shift
            self.size = wide, high
        else:
            box = _room(drawing, look, _LINE / 2 if self.shows == "lines" else 0.0)
            sides = (box[2] - box[0], box[3] - box[1])
            wide, high = (max(1, math.ceil(side / MM_PER_INCH * self.dpi - 1e-6)) for side in sides)
            self.size = wide, high
            # what rounding up to whole pixels adds lies below and on the right, as rows go down
            self.corner = (box[0], box[3] - high / self.dpi * MM_PER_INCH)
        if wide * high > _MOST_PIXELS:
            raise FileError(
                f"the picture would have {wide:,} x {high:,} px; {_MOST_PIXELS:,} are the most: "
                "give fewer dpi"
            )


def _room(drawing: Drawing | PlanDrawing, look: Look, more: float) -> Box:
    """Return what the picture shows, mm: the outline's own box, or the page that it came on."""
    if look.page:
        return 0.0, 0.0, drawing.frame[0], drawing.frame[1]
    left, bottom, right, top = bounding_box(drawing.paths())
    return left - more, bottom - more, right + more, top + more


def _under(drawing: Drawing | PlanDrawing) -> Under:
    if drawing.about.under is None:
        raise FileError(
            "there is no picture that the outline could be drawn over: it was not traced here; "
            "take lines or filled"
        )
    return drawing.about.under


def picture_bytes(drawing: Drawing | PlanDrawing, look: Look) -> bytes:
    """Return a picture of a drawing as a PNG."""
    from PIL import Image

    canvas = _Canvas(drawing, look)
    solid, lines = _parts(drawing, canvas)
    ink = _ink(canvas, lines=lines)
    if solid:  # lines on what is filled are left out of it
        filled = _ink(canvas, solid=solid)
        ink = np.maximum(filled, ink) - np.minimum(filled, ink)
    if canvas.under is not None:
        shown = np.empty((*ink.shape, 3), np.uint8)
        share = ink.astype(np.float32) / 255
        for k, colour in enumerate(_OVER_INK):  # one after the other: floats take much memory
            shown[..., k] = np.round(canvas.under.grey * (1 - share) + share * (255 * colour))
    elif canvas.ground:
        shown = 255 - ink
    else:
        shown = np.zeros((*ink.shape, 4), np.uint8)
        shown[..., 3] = ink
    stream = io.BytesIO()
    Image.fromarray(shown).save(stream, "PNG", dpi=(canvas.dpi, canvas.dpi))
    return stream.getvalue()


def _parts(drawing: Drawing | PlanDrawing, canvas: _Canvas) -> tuple[list[list[Path]], list[Path]]:
    """Return what is filled, in groups that hold each other, and what is drawn as lines."""
    if canvas.shows != "filled":
        return [], drawing.paths()
    cut = {id(path) for layer, path in drawing.layered() if layer.startswith("CUT")}
    solid = [[path for path in group if path.closed] for group in drawing.groups()]
    solid = [[path for path in group if id(path) in cut] for group in solid]
    filled = {id(path) for group in solid for path in group}
    return [group for group in solid if group], [p for p in drawing.paths() if id(p) not in filled]


def _ink(
    canvas: _Canvas, solid: Sequence[Sequence[Path]] = (), lines: Sequence[Path] = ()
) -> NDArray[np.uint8]:
    """Return how much of each pixel is covered, (H, W) from 0 to 255, rows downward."""
    import pypdfium2
    from reportlab.pdfgen.canvas import Canvas

    wide, high = canvas.size
    scale = canvas.dpi / MM_PER_INCH
    if not solid and not lines:
        return np.zeros((high, wide), np.uint8)
    stream = io.BytesIO()
    # a point of the page is a pixel of the picture
    page = Canvas(stream, pagesize=(wide, high), invariant=1)

    def chain(path: Path) -> tuple[NDArray[np.float64], bool]:
        return (flatten(path, _CHORD / scale) - canvas.corner) * scale, path.closed

    for group in solid:
        way = way_of(page, [chain(path) for path in group])
        page.drawPath(way, stroke=0, fill=1, fillMode=0)  # 0: even and odd
    over = max(_OVER, max(wide, high) / _OVER_SHARE)
    page.setLineWidth(over if canvas.under is not None else _LINE * scale)
    page.setLineJoin(1)
    for path in lines:
        page.drawPath(way_of(page, [chain(path)]), stroke=1, fill=0)
    page.showPage()
    page.save()
    document = pypdfium2.PdfDocument(stream.getvalue())
    shown = document[0].render(scale=1, grayscale=True)
    drawn = np.asarray(shown.to_numpy(), np.uint8).reshape(shown.height, shown.width)
    if drawn.shape != (high, wide):
        raise FileError(f"the picture came out as {drawn.shape[1]} x {drawn.shape[0]} px")
    return 255 - drawn


def prove_picture(drawing: Drawing | PlanDrawing, look: Look, written: bytes, name: str) -> None:
    """Hold a picture against its drawing: its size on paper, and how much of it is covered."""
    from PIL import Image

    canvas = _Canvas(drawing, look)
    try:
        with Image.open(io.BytesIO(written)) as image:
            image.load()
            told = image.info.get("dpi", (0.0, 0.0))
            values = np.asarray(image, np.uint8)
    except (OSError, ValueError) as error:
        raise FileError(f"{name} could not be read back: {error}; not kept") from error
    # the file counts whole pixels a metre
    if max(abs(one - canvas.dpi) for one in told) > 0.5 * MM_PER_INCH / 1000 + 1e-6:
        raise FileError(f"{name} came back with {told[0]:g} dpi instead of {canvas.dpi:g}")
    if values.shape[:2] != (canvas.size[1], canvas.size[0]):
        raise FileError(f"{name} came back in another size; not kept, please report this")
    if canvas.shows != "filled":
        return
    covered = 255 - values if values.ndim == 2 else values[..., 3]
    got = float(covered.sum(dtype=np.float64)) / 255 * (MM_PER_INCH / canvas.dpi) ** 2
    from silhueta.core.inspection.figures import figures

    solid, lines = _parts(drawing, canvas)
    made = figures([path for group in solid for path in group], solid)
    slack = _AREA_OFF * made.area_mm2 + made.cut_length_mm / 4 * MM_PER_INCH / canvas.dpi
    slack += sum(length_of(path) for path in lines) * 2 * _LINE
    if not abs(got - made.area_mm2) <= slack:
        raise FileError(
            f"{name} came back with {got:.1f} mm² filled instead of {made.area_mm2:.1f}; not kept, "
            "please report this"
        )

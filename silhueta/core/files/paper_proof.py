"""The paper proof: an outline at its own size on paper, to lay the real part on.

Written by reportlab, proven by pdfium: each sheet is drawn, its bars are measured, and ink is
looked for along the outline.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from datetime import date
from typing import TYPE_CHECKING, Any

import numpy as np

from silhueta.core.errors import FileError
from silhueta.core.files.about_job import told
from silhueta.core.files.pages import (
    BAR,
    EDGE,
    OVERLAP,
    Pages,
    Sheet,
    laid_out,
)
from silhueta.core.files.paper import line_on, plain
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import Box, bounding_box, circle_of
from silhueta.core.geometry.path import Floats
from silhueta.core.units import MM_PER_INCH

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing

_LINE, _THIN = 0.18, 0.1  # mm: widths of the outline's line and of all others
_DASH = [1.6, 1.0]  # mm: dash and gap of what is marked or engraved
_CHORD = 0.005  # mm, within which curves are drawn: a fiftieth of what a printer can show
_TICK = 2.5  # mm, half of a bar's end lines
_CROSS = 2.0  # mm, half of the cross in a hole's middle
_OFF_SIDE = 7.0  # mm from the outline to the dimension of its whole width or height
_SMALL = 2.6  # mm: size of small letters
_PALE = 0.75  # grey of a sheet's end
_CORNER = 20.0  # mm from a sheet's corner to its crosses
_MOST_HOLES = 200  # that are labelled: more cannot be read
_DPI = 300  # at which a proof is looked at again
_BAR_OFF = 0.05  # mm, that a bar may be off
_INK = 0.25  # of black, that is seen at the least where the outline's line is
_EVERY = 1.0  # mm between the places at which ink is looked for
_MOST_PLACES = 20_000  # on one sheet


def proof_bytes(drawing: Drawing | PlanDrawing, paper: str, printed: tuple[float, float]) -> bytes:
    """Return the proof of an outline as a PDF.

    Parameters
    ----------
    drawing : Drawing or PlanDrawing
    paper : {"a4", "a3", "letter"}
    printed : (x, y), mm
        What the printer made of the bars.

    Raises
    ------
    FileError
        If it would be more sheets than anybody lays together.

    """
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    pages = laid_out(bounding_box(drawing.paths()), paper, printed)
    stream = io.BytesIO()
    width, height = pages.size
    canvas = Canvas(stream, pagesize=(width * mm, height * mm), invariant=1)
    canvas.setTitle(f"Paper proof: {drawing.about.name or 'part'}")
    for sheet in pages.sheets:
        canvas.scale(mm, mm)
        _Page(canvas, pages, sheet, drawing).draw()
        canvas.showPage()
    canvas.save()
    return stream.getvalue()


class _Page:
    """Draws one sheet; the canvas counts in mm."""

    def __init__(
        self, canvas: Any, pages: Pages, sheet: Sheet, drawing: Drawing | PlanDrawing
    ) -> None:
        self.canvas, self.pages, self.sheet, self.drawing = canvas, pages, sheet, drawing

    def draw(self) -> None:
        self._head()
        self._bars()
        self.canvas.saveState()
        x, y = self.sheet.at
        window, factor = self.sheet.window, self.pages.factor
        clip = self.canvas.beginPath()
        clip.rect(x, y, (window[2] - window[0]) * factor[0], (window[3] - window[1]) * factor[1])
        self.canvas.clipPath(clip, stroke=0)
        self._outline()
        self._dimensions()
        self.canvas.restoreState()
        self._marks()

    def _on(self, points: Floats) -> Floats:
        return placed(points, self.pages, self.sheet)

    def _head(self) -> None:
        canvas, drawing, (width, height) = self.canvas, self.drawing, self.pages.size
        about, units = drawing.about, drawing.units
        left, bottom, right, top = bounding_box(drawing.paths())
        count = len(self.pages.sheets)
        y = height - EDGE - 3.6
        canvas.setFont("Helvetica-Bold", 4.2)
        canvas.drawString(EDGE, y, plain(f"{about.name or 'Part'}: paper proof, 1:1")[:70])
        canvas.setFont("Helvetica", 2.9)
        canvas.drawRightString(width - EDGE, y, date.today().isoformat())
        lines = [f"{told(right - left, units)} x {told(top - bottom, units)}"]
        if about.deviation is not None:
            mean, most, worst = about.deviation
            lines[0] += (
                f"; the trace is off the picture's edge by {mean:.3f} mm on average, 95 % within "
                f"{most:.3f} mm, {worst:.3f} mm at most"
            )
        lines.append(
            "Print at 100 %, not “fit to page”. Measure both bars; if they are not 100 mm, type "
            "what they are and print again."
        )
        if count > 1:
            column, row = self.sheet.column + 1, self.sheet.row + 1
            number = self.sheet.row * self.pages.columns + column
            lines.append(
                f"Sheet {number} of {count}: column {column} of {self.pages.columns} from the "
                f"left, row {row} of {self.pages.rows} from below. Lay the crosses on each other."
            )
        for k, line in enumerate(lines, 1):
            canvas.drawString(EDGE, y - 3.9 * k, plain(line))

    def _bars(self) -> None:
        canvas = self.canvas
        along, up = self.pages.bars()
        canvas.setLineWidth(_LINE)
        for (a, b, c, d), (u, v) in ((along, (0.0, _TICK)), (up, (_TICK, 0.0))):
            canvas.line(a, b, c, d)
            canvas.line(a - u, b - v, a + u, b + v)
            canvas.line(c - u, d - v, c + u, d + v)
        canvas.setFont("Helvetica", _SMALL)
        canvas.drawString(along[0] + 2, along[1] - 2.9, "100 mm")
        canvas.saveState()
        canvas.translate(up[0] - 0.9, up[1] + 2)
        canvas.rotate(90)
        canvas.drawString(0, 0, "100 mm")
        canvas.restoreState()

    def _outline(self) -> None:
        canvas = self.canvas
        for layer, path in self.drawing.layered():
            canvas.setLineWidth(_LINE)
            canvas.setDash(_DASH if _dashed(layer) else [])
            line_on(canvas, self._on(flatten(path, _CHORD)), path.closed)
        canvas.setDash([])

    def _dimensions(self) -> None:
        canvas, drawing, units = self.canvas, self.drawing, self.drawing.units
        canvas.setLineWidth(_THIN)
        canvas.setFont("Helvetica", _SMALL)
        rounds = [circle_of(path) for _, path in drawing.layered() if path.closed]
        for one in [one for one in rounds if one is not None][:_MOST_HOLES]:
            centre = np.asarray(one[0], np.float64)
            x, y = self._on(centre[None])[0].tolist()
            reach = min(_CROSS, one[1] * self.pages.factor[0] * 0.8)
            canvas.line(x - reach, y, x + reach, y)
            canvas.line(x, y - reach, x, y + reach)
            text = plain(f"Ø {told(2 * one[1], units)}")
            radius = one[1] * self.pages.factor[0]
            room = canvas.stringWidth(text, "Helvetica", _SMALL) + 1.6 < radius
            canvas.drawString(x + 0.8 if room else x + radius + 0.8, y + 0.8, text)
        left, bottom, right, top = bounding_box(drawing.paths())
        off = _OFF_SIDE
        if self.pages.beside:
            self._between((left, bottom - off), (right, bottom - off), told(right - left, units))
            self._between((left - off, bottom), (left - off, top), told(top - bottom, units))
        dx, dy = drawing.shift
        for text, (a, b), (c, d) in drawing.about.measured:
            self._between((a + dx, b + dy), (c + dx, d + dy), text)

    def _between(self, start: tuple[float, float], end: tuple[float, float], text: str) -> None:
        """Draw a dimension's line with short lines across its ends, and what it says."""
        canvas = self.canvas
        a, b = self._on(np.array([start, end]))
        long = float(np.hypot(*(b - a)))
        if long < 1e-6:
            canvas.drawString(a[0] + 0.8, a[1] - 3.2, plain(text))
            return
        canvas.line(*a.tolist(), *b.tolist())
        across = np.array([a[1] - b[1], b[0] - a[0]]) / long
        for point in (a, b):
            canvas.line(*(point - across).tolist(), *(point + across).tolist())
        canvas.saveState()
        canvas.translate(*((a + b) / 2).tolist())
        turn = float(np.degrees(np.arctan2(b[1] - a[1], b[0] - a[0])))
        canvas.rotate(turn - 180 if turn > 90 or turn <= -90 else turn)
        canvas.drawCentredString(0, 0.7, plain(text))
        canvas.restoreState()

    def _marks(self) -> None:
        """Draw the crosses that neighbours share in their overlap, and where a sheet ends."""
        sheet, pages, canvas = self.sheet, self.pages, self.canvas
        if len(pages.sheets) == 1:
            return
        left, bottom, right, top = sheet.window
        canvas.setLineWidth(_THIN)
        canvas.setStrokeGray(_PALE)
        (x, y), (u, v) = self._on(np.array([[left, bottom], [right, top]])).tolist()
        canvas.rect(x, y, u - x, v - y)
        canvas.setStrokeGray(0)
        half = OVERLAP / 2
        last, highest = sheet.column == pages.columns - 1, sheet.row == pages.rows - 1
        xs = [left + half] * (sheet.column > 0) + [right - half] * (not last)
        ys = [bottom + half] * (sheet.row > 0) + [top - half] * (not highest)
        places = [(x, y) for x in xs for y in (bottom + _CORNER, top - _CORNER)]
        places += [(x, y) for y in ys for x in (left + _CORNER, right - _CORNER)]
        for x, y in places:
            self._cross(x, y)

    def _cross(self, x: float, y: float) -> None:
        u, v = self._on(np.array([[x, y]]))[0].tolist()
        self.canvas.line(u - 4, v, u + 4, v)
        self.canvas.line(u, v - 4, u, v + 4)
        self.canvas.circle(u, v, 2)


def placed(points: Floats, pages: Pages, sheet: Sheet) -> Floats:
    """Return places of the content, (N, 2) mm, where they lie on a sheet's paper."""
    found: Floats = (points - sheet.window[:2]) * pages.factor + sheet.at
    return found


# the proof


def prove_proof(
    drawing: Drawing | PlanDrawing,
    how: tuple[str, tuple[float, float]],
    written: bytes,
    name: str,
) -> None:
    """Draw each sheet by other code, measure its bars, and look for ink along the outline.

    `how` is the paper, and what the printer made of the bars.

    Raises
    ------
    FileError
        Naming the sheet, and what is not as it was meant.

    """
    from pypdfium2 import PdfDocument, PdfiumError

    pages = laid_out(bounding_box(drawing.paths()), *how)
    chains = [
        (flatten(path, _CHORD), path.closed, _dashed(layer)) for layer, path in drawing.layered()
    ]
    try:
        document = PdfDocument(written)
        if len(document) != len(pages.sheets):
            raise FileError(
                f"{name} came back with {len(document)} sheets instead of {len(pages.sheets)}; not "
                "kept, please report this"
            )
        for number, sheet in enumerate(pages.sheets, 1):
            shown = document[number - 1].render(scale=_DPI / 72, grayscale=True)
            ink = (
                1
                - np.asarray(shown.to_numpy(), np.float64).reshape(shown.height, shown.width)
                / 255.0
            )
            size = (shown.width * MM_PER_INCH / _DPI, shown.height * MM_PER_INCH / _DPI)
            off = max(abs(size[0] - pages.size[0]), abs(size[1] - pages.size[1]))
            if off > 1.5 * MM_PER_INCH / _DPI:
                raise FileError(f"sheet {number} of {name} came back in another size; not kept")
            _prove_sheet(ink, pages, sheet, chains, f"sheet {number} of {name}")
    except PdfiumError as error:
        raise FileError(f"{name} could not be read back: {error}; not kept") from error


def _dashed(layer: str) -> bool:
    """Return whether lines of a layer are dashed: those that are not cut."""
    return not layer.startswith("CUT")


def _along(points: Floats, closed: bool, dashed: bool) -> Floats:
    """Return places along a chain, (N, 2) mm, about `_EVERY` mm apart, at which ink must be."""
    if closed:
        points = np.concatenate([points, points[:1]])
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    count = int(min(max(at[-1] / _EVERY, 8), _MOST_PLACES))
    where = (np.arange(count) + 0.5) / count * at[-1]
    if dashed:  # the middle of each dash
        where = np.arange(_DASH[0] / 2, at[-1], sum(_DASH))[:_MOST_PLACES]
    return np.column_stack([np.interp(where, at, points[:, k]) for k in (0, 1)])


def _prove_sheet(
    ink: Floats,
    pages: Pages,
    sheet: Sheet,
    chains: Sequence[tuple[Floats, bool, bool]],
    name: str,
) -> None:
    """Raise FileError where a bar is off, or ink is missing along the outline."""
    for bar, k in zip(pages.bars(), (0, 1), strict=True):
        wanted = BAR * pages.factor[k]
        long = measured_bar(ink, _DPI, pages.size[1], bar, k)
        if not abs(long - wanted) <= _BAR_OFF:
            raise FileError(
                f"{name} came back with a bar of {long:.2f} mm instead of {wanted:.2f} mm; not "
                "kept, please report this"
            )
    window = placed(np.reshape(sheet.window, (2, 2)), pages, sheet)
    points = np.concatenate(
        [_along(placed(chain, pages, sheet), closed, dashed) for chain, closed, dashed in chains]
    )
    inside = (points > window[0] + _LINE) & (points < window[1] - _LINE)
    own = points[inside.all(axis=1)][:_MOST_PLACES]
    if not len(own):
        return
    seen = ink_at(ink, _DPI, pages.size[1], own)
    if seen.min() < _INK:
        x, y = own[int(seen.argmin())]
        raise FileError(
            f"{name} came back without the outline at {x:.1f}, {y:.1f} mm of the paper; not kept, "
            "please report this"
        )


def measured_bar(ink: Floats, dpi: float, height: float, bar: Box, axis: int) -> float:
    """Return the length of a bar on a drawn sheet, mm: between the middles of its end lines.

    Parameters
    ----------
    ink : (H, W) ndarray
        0 where the paper is white, 1 where it is black; the first row is the paper's upper edge.
    dpi : float
    height : float, mm
        Of the paper.
    bar : (x, y, x, y), mm
        From end to end, where it is meant to be.
    axis : int
        0: along x; 1: along y.

    """
    found = []
    for x, y in ((bar[0], bar[1]), (bar[2], bar[3])):
        # across the end line, beside the bar itself
        reach = np.arange(-1.5, 1.5, 0.02)
        beside = np.linspace(_TICK * 0.3, _TICK * 0.8, 5)
        if axis == 0:
            places = np.array([[x + r, y + b] for b in beside for r in reach])
        else:
            places = np.array([[x + b, y + r] for b in beside for r in reach])
        dark = ink_at(ink, dpi, height, places).reshape(len(beside), len(reach)).mean(axis=0)
        if dark.sum() < 0.1:
            return 0.0
        found.append((x, y)[axis] + float((dark * reach).sum() / dark.sum()))
    return found[1] - found[0]


def ink_at(ink: Floats, dpi: float, height: float, places: Floats) -> Floats:
    """Return the ink at places on the paper, (N, 2) mm from its lower left."""
    from scipy.ndimage import map_coordinates

    columns = places[:, 0] / MM_PER_INCH * dpi - 0.5
    rows = (height - places[:, 1]) / MM_PER_INCH * dpi - 0.5
    found: Floats = map_coordinates(ink, [rows, columns], order=1, cval=0.0)
    return found

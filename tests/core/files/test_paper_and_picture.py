"""The paper proof and the picture: measured as other readers draw them, and refused when wrong.

Sizes of paper are those of ISO 216 and, for Letter, 8.5 x 11 in (from memory); a picture's physical
size is in the chunk pHYs, in whole pixels a metre (W3C, Portable Network Graphics, 11.3.4.3).
"""

from __future__ import annotations

import io
import struct
from dataclasses import replace

import cv2
import numpy as np
import pypdfium2
import pytest
from PIL import Image
from skimage import io as skimage_io

from silhueta.core.cutting.about import About, Under
from silhueta.core.cutting.drawing import draw
from silhueta.core.errors import FileError
from silhueta.core.files.cut_job import export_job
from silhueta.core.files.export import export
from silhueta.core.files.pdf import PDF
from silhueta.core.files.png import PNG
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import OpenPath, circle_loop
from silhueta.core.job import CutFileSettings, Job
from silhueta.core.relations import WHOLE, Dimension, Ref
from tests.conftest import square

PAPERS = {"a4": (210.0, 297.0), "a3": (297.0, 420.0), "letter": (215.9, 279.4)}
DPI = 600


def plate(size: float = 120.0) -> Outline:
    return Outline((Contour(square(size)), Contour(circle_loop((40, 70), 12))))


def pages_of(data: bytes) -> list[np.ndarray]:
    """Ink of each page, 1 where it is black, as pdfium draws it at 600 dpi."""
    document = pypdfium2.PdfDocument(data)
    drawn = [page.render(scale=DPI / 72, grayscale=True).to_numpy() for page in document]
    return [1 - one.reshape(one.shape[:2]) / 255.0 for one in drawn]


def bars(ink: np.ndarray) -> tuple[float, float]:
    """Length of both bars, found as the two short dark lines across a long one.

    They lie lowest and leftmost of all that is drawn, letters left out.
    """
    found = []
    for turned in (ink, ink.T[::-1, ::-1]):
        # the lowest row that is dark over a tenth of the paper is the bar along it
        rows = np.flatnonzero((turned > 0.5).sum(axis=1) > 0.9 * 100 / 25.4 * DPI)
        row = rows.max()
        # the longest dark run in it: letters may stand in line with it
        dark = np.flatnonzero(turned[row] > 0.5)
        parts = np.split(dark, np.flatnonzero(np.diff(dark) > 1) + 1)
        columns = max(parts, key=len)
        ends = []
        for end in (columns.min(), columns.max()):
            own = turned[row - 50 : row - 12, end - 20 : end + 21].mean(axis=0)
            ends.append(end - 20 + float((own * np.arange(41)).sum() / own.sum()))
        found.append((ends[1] - ends[0]) / DPI * 25.4)
    return found[0], found[1]


@pytest.mark.parametrize("paper", PAPERS)
def test_a_proof_is_as_large_as_it_says(paper):
    data = PDF.write(draw(plate()), CutFileSettings().choosing("pdf.paper", paper))
    (ink,) = pages_of(data)
    size = np.array(ink.shape[::-1]) / DPI * 25.4
    assert sorted(size) == pytest.approx(sorted(PAPERS[paper]), abs=0.1)
    assert bars(ink) == pytest.approx((100, 100), abs=0.05)


def test_the_next_print_is_corrected():
    chosen = CutFileSettings().choosing("pdf.bar-across", 99.0).choosing("pdf.bar-up", 101.0)
    (ink,) = pages_of(PDF.write(draw(plate()), chosen))
    assert bars(ink) == pytest.approx((100 / 0.99, 100 / 1.01), abs=0.05)
    # the plate is wider and lower than it is by as much: its sides are the longest lines
    rows = np.flatnonzero((ink > 0.5).sum(axis=1) > 119 / 25.4 * DPI)
    assert (rows.max() - rows.min()) / DPI * 25.4 >= 120 / 1.01 - 0.2


def test_neighbouring_sheets_show_the_same_crosses(tmp_path):
    big = draw(plate(400.0))
    proof = export(big, tmp_path / "p.pdf")
    sheets = pages_of(proof.file.read_bytes())
    assert len(sheets) == 6
    # what the first shows along its right side, the second shows along its left
    strip = round(9.5 / 25.4 * DPI)
    text = pypdfium2.PdfDocument(proof.file)[1].get_textpage().get_text_range()
    assert "Sheet 2 of 6: column 2 of 3" in text
    right = _content(sheets[0])
    left = _content(sheets[1])
    low = slice(left[1], left[3])
    one = sheets[0][low, right[2] - strip : right[2]]
    two = sheets[1][low, left[0] : left[0] + strip]
    assert (one > 0.5).sum() > 500
    best = min(
        np.abs(one[:, 20:-20] - two[:, 20 + k : strip - 20 + k]).mean() for k in range(-14, 15)
    )
    assert best < 0.1 * one.mean()


def _content(ink: np.ndarray) -> tuple[int, int, int, int]:
    """Where the pale frame of a sheet's window lies, px."""
    pale = (ink > 0.1) & (ink < 0.5)
    columns = np.flatnonzero(pale.sum(axis=0) > 0.4 * ink.shape[0])
    rows = np.flatnonzero(pale.sum(axis=1) > 0.4 * ink.shape[1])
    return columns.min(), rows.min(), columns.max(), rows.max()


def test_what_was_measured_stands_on_the_proof(tmp_path):
    job = Job("Lid / 3", outline=plate())
    hole = job.outline.contours[1]
    dims = (Dimension("diameter", (Ref(hole.key, WHOLE),), 24.1), Dimension("width"))
    job = replace(job, calipers=dims)
    proof = export_job(job, None, tmp_path / "p.pdf")
    text = pypdfium2.PdfDocument(proof.file)[0].get_textpage().get_text_range()
    assert "Lid / 3: paper proof, 1:1" in text
    assert "Ø 24.00 mm (measured 24.10 mm)" in text
    assert "120.00 mm" in text


@pytest.mark.parametrize("how", ["scale", "moved", "a line less", "a page more"])
def test_a_spoiled_proof_is_refused(how):
    drawing, settings = draw(plate()), CutFileSettings()
    assert PDF.prove is not None
    good = PDF.write(drawing, settings)
    PDF.prove(drawing, settings, good, "p.pdf")
    if how == "scale":
        bad = PDF.write(drawing, settings.choosing("pdf.bar-up", 99.8))
        with pytest.raises(FileError, match=r"a bar of 100\.20 mm"):
            PDF.prove(drawing, settings, bad, "p.pdf")
        return
    other = {
        "moved": draw(Outline((plate().contours[0], Contour(circle_loop((40.4, 70), 12))))),
        "a line less": draw(Outline(plate().contours[:1])),
        "a page more": draw(plate(400)),
    }[how]
    with pytest.raises(FileError, match=r"without the outline|sheets instead"):
        PDF.prove(drawing, settings, PDF.write(other, settings), "p.pdf")


def test_too_many_sheets_are_refused_with_a_remedy(tmp_path):
    with pytest.raises(FileError, match=r"sheets of A4; take larger paper"):
        export(draw(plate(9000)), tmp_path / "p.pdf")
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("dpi", [96.0, 300.0, 254.0])
def test_a_picture_has_its_size(tmp_path, dpi):
    target = tmp_path / "p.png"
    chosen = CutFileSettings().choosing("png.dpi", dpi).choosing("png.shows", "filled")
    export(draw(plate()), target, chosen)
    data = target.read_bytes()
    at = data.index(b"pHYs")
    x, y, unit = struct.unpack(">IIB", data[at + 4 : at + 13])
    assert (x, y, unit) == (round(dpi / 0.0254), round(dpi / 0.0254), 1)
    covered = 120.0**2 - np.pi * 12**2
    for values in (
        np.asarray(Image.open(io.BytesIO(data))),
        cv2.imread(str(target), cv2.IMREAD_GRAYSCALE),
        skimage_io.imread(target),
    ):
        assert values.shape == (np.ceil(120 * dpi / 25.4 - 1e-6),) * 2
        dark = (255.0 - values).sum() / 255 * (25.4 / dpi) ** 2
        assert dark == pytest.approx(covered, rel=2e-4)
        # the hole's middle, counted from the upper left
        rows, columns = np.nonzero(values > 128)
        hole = (columns < len(values) - 2) & (rows < len(values) - 2)
        middle = (columns[hole].mean() + 0.5) * 25.4 / dpi, (rows[hole].mean() + 0.5) * 25.4 / dpi
        assert middle == pytest.approx((40, 50), abs=0.05)


def test_lines_no_ground_and_the_picture_below(tmp_path):
    mark = Contour(OpenPath(np.array([[10.0, 10], [30, 10]])), operation="mark")
    outline = Outline((*plate().contours, mark))
    clear = CutFileSettings().choosing("png.ground", False)
    export(draw(outline), tmp_path / "l.png", clear)
    values = np.asarray(Image.open(tmp_path / "l.png"))
    assert values.shape[2] == 4
    # there are lines, and nothing at all between them
    assert values[..., 3].max() == 255
    assert np.median(values[..., 3]) == 0
    grey = np.full((240, 260), 200, np.uint8)
    over = replace(
        draw(outline, origin="picture", picture_frame=(130.0, 120.0)),
        about=About("x", under=Under(grey, 0.5)),
    )
    below = CutFileSettings().choosing("png.shows", "picture")
    export(over, tmp_path / "o.png", below)
    values = np.asarray(Image.open(tmp_path / "o.png")).astype(int)
    assert values.shape == (240, 260, 3)
    assert (values[100, 150] == 200).all()
    y, x = 120 * 2 - 70 * 2, (40 + 12) * 2  # the hole's right side, y down
    assert values[y, x - 1 : x + 1, 0].max() > 200
    assert values[y, x - 1 : x + 1, 1].min() < 100
    with pytest.raises(FileError, match="no picture that the outline could be drawn over"):
        export(draw(outline), tmp_path / "n.png", below)


def test_a_spoiled_or_huge_picture_is_refused(tmp_path):
    chosen = CutFileSettings().choosing("png.shows", "filled").choosing("png.dpi", 100.0)
    drawing = draw(plate())
    assert PNG.prove is not None
    other = PNG.write(drawing, chosen.choosing("png.dpi", 101.0))
    with pytest.raises(FileError, match="dpi instead of 100"):
        PNG.prove(drawing, chosen, other, "p.png")
    less = PNG.write(draw(Outline(plate().contours[:1])), chosen)
    with pytest.raises(FileError, match="mm² filled instead of"):
        PNG.prove(drawing, chosen, less, "p.png")
    with pytest.raises(FileError, match="could not be read back"):
        PNG.prove(drawing, chosen, b"no picture" + less, "p.png")
    with pytest.raises(FileError, match="give fewer dpi"):
        export(draw(plate(3000)), tmp_path / "p.png", chosen.choosing("png.dpi", 2400.0))
    assert not list(tmp_path.iterdir())

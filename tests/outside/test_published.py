"""The main job against published standards, handbook relations and worked examples."""

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.datums import DpiDatum
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.export import export
from silhueta.core.fitting.circle import fit_circle
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.job import CutFileSettings, TraceSettings
from silhueta.core.trace.trace import trace
from silhueta.core.units import MM_PER_INCH, parse_length
from tests.conftest import grey_picture

# ISO 216:2007, table 1: main A series, trimmed sizes in mm
ISO_216 = {"A4": (210, 297), "A5": (148, 210), "A6": (105, 148)}


@pytest.mark.parametrize("name", sorted(ISO_216))
def test_iso_216_sheets_scanned_at_300_dpi_come_out_at_their_size(name, tmp_path):
    # a dark sheet on a light glass; its edges fall between pixels, so pixels are partly covered
    sheet = np.array(ISO_216[name])
    size_px = sheet / 25.4 * 300
    start = np.array([40.37, 52.81])
    width, height = (np.ceil(size_px + start) + 45).astype(int)

    def covered(count: int, low: float, high: float) -> np.ndarray:
        edges = np.arange(count + 1)
        return np.clip(np.minimum(edges[1:], high) - np.maximum(edges[:-1], low), 0, 1)

    across = covered(width, start[0], start[0] + size_px[0])
    down = covered(height, start[1], start[1] + size_px[1])
    grey = np.round(255 - 215 * np.outer(down, across)).astype(np.uint8)
    traced = trace(grey_picture(grey), DpiDatum(300), TraceSettings())
    left, bottom, right, top = bounding_box(traced.outline.taken)
    # the tolerance of ISO 216 is 1.5 mm up to 150 mm and 2 mm above; ours is a fiftieth of that
    assert (right - left, top - bottom) == pytest.approx(tuple(sheet), abs=0.02)
    assert len(traced.outline.loops[0].kinds) == 4
    export(draw(traced.outline), tmp_path / "sheet.dxf")
    box = bounding_box(read_tags((tmp_path / "sheet.dxf").read_bytes()).paths)
    assert box == pytest.approx((0, 0, *sheet), abs=0.02)


def test_the_inch_of_nist_sp_811():
    # NIST Special Publication 811 (2008), appendix B.8: inch (in) to millimetre: 2.54 E+01, exact;
    # foot (ft) to metre: 3.048 E-01, exact
    assert MM_PER_INCH == 25.4
    assert parse_length("1 in") == 25.4
    assert parse_length("1 ft") == pytest.approx(304.8)
    # common practice, no source: a quarter-inch bit is 6.35 mm
    assert parse_length('1/4"') == pytest.approx(6.35)


def test_the_circle_of_gander_golub_and_strebel():
    # W. Gander, G. H. Golub, R. Strebel, "Least-squares fitting of circles and ellipses", BIT 34
    # (1994) 558-578, section 2: these six points; geometric fit z = (4.7398, 2.9835), r = 4.7142.
    # (Points and results recalled from the paper.)
    points = np.array([[1, 7], [2, 6], [5, 8], [7, 7], [9, 5], [3, 7]], float)
    x, y, radius, square, worst = fit_circle(points)
    assert (x, y, radius) == pytest.approx((4.7398, 2.9835, 4.7142), abs=6e-5)
    off = np.hypot(points[:, 0] - x, points[:, 1] - y) - radius
    assert square == pytest.approx((off**2).sum())
    assert worst == pytest.approx(np.abs(off).max())


@pytest.mark.parametrize(("units", "insunits", "measurement"), [("in", 1, 0), ("mm", 4, 1)])
def test_the_header_values_of_the_dxf_reference(units, insunits, measurement, tmp_path):
    # Autodesk, "DXF Reference", HEADER section: $INSUNITS 1 = inches, 4 = millimetres;
    # $MEASUREMENT 0 = English, 1 = metric; $ACADVER AC1009 = R11/R12, AC1015 = AutoCAD 2000;
    # LWPOLYLINE group 70 bit 1 = closed. (Values recalled from the reference.)
    picture = np.full((60, 80), 255, np.uint8)
    picture[10:50, 10:70] = 0
    outline = trace(grey_picture(picture), DpiDatum(254), TraceSettings()).outline
    for version, code in (("R12", "AC1009"), ("R2000", "AC1015")):
        export(
            draw(outline, units),
            tmp_path / "part.dxf",
            CutFileSettings().choosing("dxf.version", version),
        )
        lines = [line.strip() for line in (tmp_path / "part.dxf").read_text().splitlines()]
        assert lines[lines.index("$ACADVER") + 2] == code
        assert int(lines[lines.index("$INSUNITS") + 2]) == insunits
        assert int(lines[lines.index("$MEASUREMENT") + 2]) == measurement
        entity = "LWPOLYLINE" if version == "R2000" else "POLYLINE"
        body = lines[lines.index("ENTITIES") :]
        start = body.index(entity)
        codes = body[start + 1 :: 2]
        assert int(body[start + 2 + 2 * codes.index("70")]) & 1


@pytest.mark.parametrize(
    ("one", "two", "difference"),
    [
        ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
        ((50.0, 3.1571, -77.2803), (50.0, 0.0, -82.7485), 2.8615),
        ((50.0, 2.8361, -74.0200), (50.0, 0.0, -82.7485), 3.4412),
        ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0000),
        ((50.0, 2.5, 0.0), (50.0, 0.0, -2.5), 4.3065),
        ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
        ((50.0, 2.5, 0.0), (61.0, -5.0, 29.0), 22.8977),
    ],
)
def test_colour_differences_of_sharma_wu_and_dalal(one, two, difference):
    # G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula", Color Research and
    # Application 30(1), 2005, table 1; pairs 1, 2, 3, 4, 13, 17 and 18, from memory
    from skimage.color import deltaE_ciede2000

    assert float(deltaE_ciede2000(one, two)) == pytest.approx(difference, abs=5e-5)

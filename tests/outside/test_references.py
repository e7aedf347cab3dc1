"""The main job against reference libraries that registry packages carry."""

import io
import xml.etree.ElementTree as Xml

import dxfgrabber
import ezdxf
import numpy as np
import pytest
import shapely
import skimage.data
import skimage.filters
import skimage.measure
from ezdxf import recover
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from resvg_py import svg_to_bytes

from benchmarks.shapes import FONTS, glyph_loops, placed, workshop_shapes
from silhueta.core.cutting.drawing import draw
from silhueta.core.datums import PixelDatum
from silhueta.core.files.dxf_write import dxf_bytes
from silhueta.core.files.svg_write import svg_bytes
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.path import ARC, CUBIC, Loop
from silhueta.core.job import TraceSettings
from silhueta.core.trace.edge.contours import contours
from silhueta.core.trace.edge.threshold import histogram, otsu
from silhueta.core.trace.pen.skeleton import chains_of
from silhueta.core.trace.trace import trace
from tests.conftest import drawn, grey_picture

coordinate = st.floats(-50, 50)


@settings(deadline=None)
@given(
    st.lists(st.tuples(coordinate, coordinate), min_size=3, max_size=7, unique=True),
    st.lists(st.floats(-0.9, 0.9), min_size=7, max_size=7),
    st.lists(st.integers(0, 2), min_size=7, max_size=7),
)
def test_area_and_perimeter_agree_with_geos(nodes, bulges, kinds):
    count = len(nodes)
    bulges = np.where(np.abs(bulges[:count]) < 0.05, 0.05, bulges[:count])
    kinds = np.array(kinds[:count])
    nodes = np.array(nodes)
    controls = np.stack([nodes + [3, -7], np.roll(nodes, -1, axis=0) + [11, 2]], axis=1)
    loop = Loop(
        nodes,
        kinds,
        np.where(kinds == ARC, bulges, 0),
        np.where((kinds == CUBIC)[:, None, None], controls, 0),
    )
    points = flatten(loop, 1e-5)
    ring = shapely.LinearRing(points)
    # GEOS measures the flattened ring; its area is signed by the shoelace of the same points
    x, y = points.T
    shoelace = (x @ np.roll(y, -1) - np.roll(x, -1) @ y) / 2
    if ring.is_simple:
        assert abs(shapely.Polygon(ring).area) == pytest.approx(abs(shoelace))
    assert signed_area(loop) == pytest.approx(shoelace, abs=1e-5 * length(loop) + 1e-6)
    # within 5e-4 where a cubic turns on the spot (a cusp), far closer elsewhere
    assert length(loop) == pytest.approx(ring.length, rel=5e-4, abs=1e-3)
    assert bounding_box([loop]) == pytest.approx(ring.bounds, abs=2e-5)


@pytest.mark.parametrize("name", ["coins", "page", "camera", "horse"])
def test_otsu_agrees_with_scikit_image(name):
    picture = getattr(skimage.data, name)()
    if picture.dtype == bool:
        picture = np.where(picture, 200, 30).astype(np.uint8)
    assert abs(otsu(histogram(picture)) - skimage.filters.threshold_otsu(picture)) <= 1


def test_contours_lie_where_scikit_image_finds_them():
    # its positions are in pixel centres, (row, column); ours in pixel corners, (x, y)
    picture = skimage.data.coins()
    ours = contours(picture, 110.5)
    theirs = [
        c for c in skimage.measure.find_contours(picture, 110.5) if np.array_equal(c[0], c[-1])
    ]
    lines = [shapely.LineString(c[:, ::-1] + 0.5) for c in theirs]
    assert len(lines) > 20
    rings = [shapely.LinearRing(ours.contour(i)) for i in range(len(ours))]
    tree = shapely.STRtree(rings)
    for line in lines:
        if line.length < 40:
            continue
        # the two may join pixels that meet at a corner differently, but lie on the same points
        near = shapely.union_all([rings[i] for i in tree.query(line)])
        assert shapely.distance(shapely.points(shapely.get_coordinates(line)), near).max() < 0.75
        assert (
            np.median(shapely.distance(shapely.points(shapely.get_coordinates(line)), near)) < 1e-6
        )


def test_the_horse_is_one_piece():
    # scikit-image's horse: one silhouette on a plain ground, verified by eye
    horse = skimage.data.horse()
    picture = grey_picture(np.where(horse, 255, 0).astype(np.uint8))
    loops = trace(picture, PixelDatum(1), TraceSettings(speck=50)).outline.loops
    solid = [loop for loop in loops if signed_area(loop) > 0]
    assert len(solid) == 1
    assert signed_area(solid[0]) == pytest.approx((~horse).sum(), rel=0.01)


def test_the_heading_of_the_unevenly_lit_page_is_read_against_its_surroundings():
    # scikit-image's page, its heading "Region-based segmentation", counted by eye: 23 letters
    # and a hyphen, each i and its dot apart, are 26 pieces; R e g o, b a e d, e g e a o are holes
    heading = np.ascontiguousarray(skimage.data.page()[10:35, :300])
    settings = TraceSettings(speck=3, pinhole=1, mode="local", window=20)
    loops = trace(grey_picture(heading), PixelDatum(1), settings).outline.loops
    areas = np.array([signed_area(loop) for loop in loops])
    assert ((areas > 0).sum(), (areas < 0).sum()) == (26, 13)


def gear_drawing(units: str = "mm"):
    true = placed(workshop_shapes()["gear"], 300)
    outline = trace(drawn(true, 300, 300), PixelDatum(0.2), TraceSettings(speck=1)).outline
    return draw(outline, units), outline


@pytest.mark.parametrize("version", ["R12", "R2000"])
@pytest.mark.parametrize("units", ["mm", "in"])
def test_our_dxf_passes_the_audit_of_ezdxf_and_is_read_by_dxfgrabber(version, units):
    drawing, outline = gear_drawing(units)
    data = dxf_bytes(drawing, version)
    document, auditor = recover.read(io.BytesIO(data))
    assert not auditor.errors
    assert not auditor.fixes
    assert document.dxfversion == ezdxf.lldxf.const.acad_release_to_dxf_version[version]
    old = dxfgrabber.read(io.StringIO(data.decode()))
    kinds = sorted(entity.dxftype for entity in old.entities)
    assert kinds == sorted(["CIRCLE", "LWPOLYLINE" if version == "R2000" else "POLYLINE"])
    ring = next(entity for entity in old.entities if entity.dxftype != "CIRCLE")
    assert ring.is_closed
    points = np.array([point[:2] for point in ring.points])
    size = 1.0 if units == "mm" else 25.4
    assert len(points) == len(outline.loops[0].nodes)
    assert (points.max(axis=0) <= np.array(drawing.frame) / size + 1e-6).all()
    bulges = np.array(ring.bulge if hasattr(ring, "bulge") else [v.bulge for v in ring.vertices])
    assert (np.abs(bulges) > 1e-9).sum() == (outline.loops[0].kinds == ARC).sum()
    circle = next(entity for entity in old.entities if entity.dxftype == "CIRCLE")
    assert circle.radius * size == pytest.approx(12 * (300 - 40.6) / 80 * 0.2, rel=0.005)


def rendered(svg: bytes, width: int) -> np.ndarray:
    """The picture that resvg makes of an SVG, as grey values on white."""
    image = Image.open(
        io.BytesIO(bytes(svg_to_bytes(svg_string=svg.decode(), width=width, dpi=96)))
    )
    ground = Image.new("RGBA", image.size, "white")
    ground.alpha_composite(image.convert("RGBA"))
    return np.asarray(ground.convert("L")).astype(float)


@pytest.mark.parametrize(
    "loops",
    [placed(glyph_loops(FONTS[0], c), 320) for c in "aB8"]
    + [placed(workshop_shapes()["plate"], 320)],
    ids=["a", "B", "8", "plate"],
)
def test_our_svg_rendered_by_resvg_is_the_picture_again(loops):
    picture = drawn(loops, 320, 320)
    outline = trace(picture, PixelDatum(0.25), TraceSettings(speck=0.1)).outline
    svg = svg_bytes(draw(outline, origin="picture", picture_frame=(80.0, 80.0)))
    again = rendered(svg, 320)
    assert again.shape == (320, 320)
    off = np.abs(again - picture.grey)
    # of 255; half a pixel to one side makes 1.9 for the letters, a filled hole far more
    assert off.mean() < 1.0
    assert (off > 128).mean() < 5e-4


def test_the_size_a_browser_would_give_our_svg():
    # CSS Values and Units 3, section 6.2: 1in = 96px = 25.4mm
    drawing, _ = gear_drawing()
    root = Xml.fromstring(svg_bytes(drawing))
    width = float(root.get("width").removesuffix("mm"))
    image = Image.open(
        io.BytesIO(bytes(svg_to_bytes(svg_string=svg_bytes(drawing).decode(), dpi=96)))
    )
    assert image.width == pytest.approx(width / 25.4 * 96, abs=1.5)


def test_the_horse_of_scikit_image_is_one_piece():
    # counted by eye: one horse, no gap between its legs is closed off; the picture cuts nothing
    horse = skimage.data.horse()
    grey = np.where(horse, 255, 0).astype(np.uint8)
    traced = trace(grey_picture(grey), PixelDatum(1.0), TraceSettings(speck=20.0))
    (loop,) = traced.outline.loops
    # area against the same pixels counted
    assert signed_area(loop) == pytest.approx((~horse).sum(), rel=0.01)


def test_twenty_four_coins_lie_on_uneven_ground():
    # counted by eye: four rows of six, each over 1,000 px; in the uneven light no one level does
    coins = skimage.data.coins()
    settings = TraceSettings(speck=600.0, pinhole=3000.0, invert=True, mode="local", window=100.0)
    traced = trace(grey_picture(coins), PixelDatum(1.0), settings)
    assert len(traced.outline.loops) == 24


def test_simplifying_keeps_within_the_tolerance_with_fewer_nodes_than_shapely():
    angle = np.linspace(0, 2 * np.pi, 3000, endpoint=False)
    radius = 150 + 20 * np.sin(5 * angle)
    wave = Loop(200 + radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)]))
    settings = TraceSettings(speck=4.0, tolerance=0.5)
    traced = trace(drawn([wave], 400, 400), PixelDatum(1.0), settings)
    ours = traced.outline.loops[0]
    theirs = shapely.simplify(shapely.LinearRing(wave.nodes), 0.5)
    assert len(ours.nodes) < 0.7 * (shapely.get_num_coordinates(theirs) - 1)
    assert traced.deviation.worst <= 0.5


def test_chains_hold_every_pixel_of_scikit_images_own_skeleton():
    from skimage.morphology import skeletonize

    skeleton = np.pad(skeletonize(~skimage.data.horse()), 1)
    chains = chains_of(skeleton)
    held = np.zeros_like(skeleton)
    for chain in chains:
        held[chain[:, 0], chain[:, 1]] = True
        steps = np.abs(np.diff(chain, axis=0)).max(axis=1)
        assert (steps == 1).all()  # from pixel to neighbour, none left out
    assert (held == skeleton).all()

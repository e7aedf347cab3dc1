"""Build against other libraries and closed forms.

References: GEOS by shapely (sets, buffers, validity), FreeType (boxes of letters), the formulas of
J. Steiner for parallel curves (area A + L r + pi r², length L + 2 pi r of a convex shape grown by
r, as in any text on integral geometry).
"""

import math
import string

import freetype
import numpy as np
import pytest
import shapely

from silhueta.core.build.fonts import FOLDER, SHIPPED
from silhueta.core.build.lettering import lettered
from silhueta.core.build.offset import offset
from silhueta.core.build.sets import parted, put_together
from silhueta.core.build.shapes import holes_on_circle, negative, polygon, rectangle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length, signed_area
from silhueta.core.geometry.path import Loop
from silhueta.core.words import Lettering


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


def star(rng, corners: int, centre) -> np.ndarray:
    angle = np.sort(rng.uniform(0, 2 * np.pi, corners))
    far = rng.uniform(5, 20, corners)
    return np.column_stack([np.cos(angle), np.sin(angle)]) * far[:, None] + centre


@pytest.mark.parametrize("seed", range(12))
def test_sets_of_stars_have_the_areas_that_geos_finds(seed):
    rng = np.random.default_rng(seed)
    made = [star(rng, int(rng.integers(5, 30)), rng.uniform(-6, 6, 2)) for _ in range(3)]
    theirs = [shapely.Polygon(points) for points in made]
    ours = [[Loop(points)] for points in made]
    if not all(one.is_valid for one in theirs):
        pytest.skip("a star about a place outside of it crosses itself")
    a, b, c = theirs
    meant = {
        "union": a | b | c,
        "subtract": a - b - c,
        "intersect": a & b & c,
        "exclude": a ^ b ^ c,
    }
    for how, shape in meant.items():
        if shape.area < 1e-9:
            continue
        found = put_together(how, ours)
        assert area(found) == pytest.approx(shape.area, abs=1e-6)
        holes = sum(len(piece.interiors) for piece in shapely.get_parts(shape))
        assert sum(signed_area(loop) < 0 for loop in found) == holes


@pytest.mark.parametrize("sides", [3, 5, 12])
@pytest.mark.parametrize("by", [0.5, 4.0])
def test_convex_shapes_grow_as_steiner_says(sides, by):
    shape = polygon(sides, 30)
    grown = offset([shape], by)
    assert area(grown) == pytest.approx(
        signed_area(shape) + length(shape) * by + math.pi * by * by, abs=1e-9
    )
    assert length(grown[0]) == pytest.approx(length(shape) + 2 * math.pi * by, abs=1e-9)
    (back,) = offset(grown, -by)  # its arcs are points again
    assert signed_area(back) == pytest.approx(signed_area(shape), abs=1e-9)


@pytest.mark.parametrize("by", [2.0, -1.2])
def test_letters_grow_as_geos_buffers_them(by):
    words = lettered(Lettering("Rg8", 60.0, "Slab"))
    outer = shapely.Polygon()
    for loop in sorted(words, key=lambda one: -abs(signed_area(one))):
        outer = outer ^ shapely.Polygon(flatten(loop, 1e-4)).buffer(0)
    meant = outer.buffer(by, quad_segs=128)
    assert area(offset(words, by)) == pytest.approx(meant.area, rel=2e-4)


@pytest.mark.parametrize("font", SHIPPED)
def test_letters_reach_as_far_as_freetype_says(font):
    face = freetype.Face(str(FOLDER / font.file))
    face.set_char_size(64 * face.units_per_EM)  # a font unit is 64 of its units

    def box_of(letter):
        face.load_char(letter, freetype.FT_LOAD_NO_HINTING | freetype.FT_LOAD_NO_BITMAP)
        box = face.glyph.outline.get_bbox()
        return np.array([box.xMin, box.yMin, box.xMax, box.yMax]) / 64

    scale = 100 / box_of("H")[3]
    for letter in string.ascii_letters + string.digits:
        found = bounding_box(lettered(Lettering(letter, 100.0, font.name)))
        assert found == pytest.approx(box_of(letter) * scale, abs=0.02)


def test_a_plate_with_a_ring_of_holes_is_valid_and_parted_as_geos_parts_it():
    whole = negative(holes_on_circle(9, 6, 60, (0, 0)), [rectangle(100, 80, 12)])
    meant = shapely.Polygon(flatten(whole[0], 1e-4), [flatten(hole, 1e-4) for hole in whole[1:]])
    assert meant.is_valid
    half = shapely.box(-100, -100, 7, 100)
    left, right = parted(whole, (7, 0), (7, 1))
    assert area(left) == pytest.approx((meant & half).area, abs=0.01)
    assert area(right) == pytest.approx((meant - half).area, abs=0.01)

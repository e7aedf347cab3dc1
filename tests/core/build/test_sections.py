"""Sections that meet again, sheets of parts, colour layers, sets and thin webs."""

import math

import numpy as np
import pytest
import shapely

from silhueta.core.build.layers import layers
from silhueta.core.build.lettering import lettered
from silhueta.core.build.sections import divided
from silhueta.core.build.sets import backing, border, parted, put_together, thickened
from silhueta.core.build.shapes import negative, polygon, rectangle, slot
from silhueta.core.build.sheet import Sheet, placed
from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import circle_loop
from silhueta.core.geometry.region.region import combined
from silhueta.core.words import Lettering


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


@pytest.fixture(scope="module")
def panel():
    holes = [slot(120, 30, (x, y)) for x in range(-560, 600, 160) for y in (-200, 0, 200)]
    return negative(holes, [rectangle(1400, 560, 20)])


@pytest.mark.parametrize("joint", ["straight", "step", "tongue"])
def test_sections_fit_the_bed_meet_exactly_and_keep_clear_of_holes(panel, joint):
    done = divided(panel, (600, 600), joint)
    assert len(done.sections) == 3
    assert not done.doubts
    for section in done.sections:
        assert max(section.size) <= 600
    whole = combined([s.loops for s in done.sections], lambda inside: inside.any(axis=0), "evenodd")
    assert area(whole) == pytest.approx(area(panel), abs=1e-6)
    assert sum(area(s.loops) for s in done.sections) == pytest.approx(area(panel), abs=1e-6)
    for where in done.ups:  # between columns of slots, which are 40 mm apart
        assert (
            min(abs(where - (x + side * 60)) for x in range(-560, 600, 160) for side in (1, -1)) > 8
        )
    marks = [done.marks_of(section) for section in done.sections]
    assert [len(m) for m in marks] == [1, 2, 1]
    assert marks[0][0].nodes[0] == pytest.approx(marks[1][0].nodes[0])


def test_a_groove_is_larger_than_its_tongue_by_the_clearance_but_not_at_the_shoulders(panel):
    done = divided(panel, (600, 600), "tongue", 0.2)
    polygons = [
        shapely.Polygon(flatten(max(s.loops, key=signed_area), 0.001)) for s in done.sections
    ]
    assert polygons[0].intersection(polygons[1]).area < 1e-6
    met = polygons[0].boundary.intersection(polygons[1].boundary.buffer(1e-6)).length
    assert met > 0.7 * 560  # the shoulders
    gap = area(panel) - sum(area(s.loops) for s in done.sections)
    assert gap > 0


def test_rows_and_columns_are_cut_where_both_ways_are_too_long():
    done = divided([rectangle(900, 700)], (400, 300), "straight")
    assert {(s.column, s.row) for s in done.sections} == {
        (i, j) for i in range(3) for j in range(2)
    }
    chosen = divided([rectangle(100, 50)], (80, 80), at=([10.0], []))
    assert sorted(round(s.size[0]) for s in chosen.sections) == [40, 60]
    with pytest.raises(EditError, match="too small for this joint"):
        divided([rectangle(900, 700)], (30, 30), "tongue")
    with pytest.raises(EditError, match="more than 400"):
        divided([rectangle(9000, 7000)], (100, 100))


def test_parts_on_a_sheet_keep_their_spacing_and_what_does_not_fit_is_named():
    parts = [[loop] for loop in lettered(Lettering("EFLT", 60.0))] * 5
    sheet = Sheet(400, 260, 5, 4)
    done = placed(parts, sheet)
    assert done.placed == 20
    lying = [path for _, paths in done.sheets[0] for path in paths]
    solids = [shapely.Polygon(flatten(path, 0.01)) for path in lying]
    tree = shapely.STRtree(solids)
    one, two = tree.query(solids, predicate="dwithin", distance=3.999)
    assert (one == two).all()
    box = bounding_box(lying)
    assert min(box[:2]) >= 5 - 1e-9
    assert box[2] <= 395 + 1e-9
    assert box[3] <= 255 + 1e-9
    assert done.fill[0] == pytest.approx(sum(map(area, parts)) / (400 * 260))
    few = placed([[rectangle(90, 90)]] * 5, Sheet(200, 200, 5, 5))
    assert (few.placed, few.left) == (4, [4])
    turned = placed([[rectangle(50, 180)]], Sheet(200, 80, 5, 5))
    assert turned.placed == 1
    with pytest.raises(EditError, match="larger than its margins"):
        placed(parts, Sheet(8, 100))


def test_layers_reach_under_those_above_and_lie_on_a_solid_base():
    disc = circle_loop((0, 0), 20)
    square = rectangle(20, 20)
    rest = negative([square], [disc])
    red, blue = (200, 0, 0), (0, 0, 200)
    base, low, high = layers([(blue, [square]), (red, rest)], trap=1.5, base=True)
    assert (base.colour, low.colour, high.colour) == (None, red, blue)
    assert area(base.loops) == pytest.approx(math.pi * 400)
    assert area(low.loops) == pytest.approx(math.pi * 400 - 17 * 17, abs=1e-6)
    assert area(high.loops) == pytest.approx(400)
    assert len(low.marks) == 12
    assert [p.nodes.tolist() for p in low.marks] == [p.nodes.tolist() for p in high.marks]
    (flat,) = layers([(red, [polygon(3, 20, (5, 0))])], mirrored=True, marks=False)
    tip = flat.loops[0].nodes[flat.loops[0].nodes[:, 1].argmax()]
    assert tip[0] == pytest.approx(5)
    with pytest.raises(EditError, match="no colours"):
        layers([])


def test_a_line_parts_a_plate_and_both_sides_are_the_whole():
    plate = [rectangle(100, 60), circle_loop((0, 0), 10)]
    left, right = parted(plate, (0, -1), (10, 20))
    assert area(left) + area(right) == pytest.approx(6000 - math.pi * 100, abs=1e-9)
    with pytest.raises(EditError, match="does not cross"):
        parted(plate, (200, 0), (200, 10))


def test_sets_border_and_backing_have_the_areas_that_formulas_say():
    # two discs of radius r, d apart: the lens is 2 r² acos(d/2r) - d/2 sqrt(4r² - d²)
    r, d = 10.0, 12.0
    lens = 2 * r * r * math.acos(d / (2 * r)) - d / 2 * math.sqrt(4 * r * r - d * d)
    discs = [[circle_loop((0, 0), r)], [circle_loop((d, 0), r)]]
    assert area(put_together("intersect", discs)) == pytest.approx(lens, abs=1e-9)
    assert area(put_together("union", discs)) == pytest.approx(2 * math.pi * r * r - lens, abs=1e-9)
    with pytest.raises(EditError, match="nothing is left"):
        put_together("subtract", [discs[0], [circle_loop((0, 0), 11)]])
    assert area(border([rectangle(40, 20)], 3)) == pytest.approx(2 * 60 * 3 + math.pi * 9)
    ring = negative([rectangle(10, 10)], [rectangle(40, 20)])
    assert area(backing(ring, 2)) == pytest.approx(44 * 24 - 16 + math.pi * 4)


def test_thin_webs_are_grown_and_the_rest_is_untouched():
    bars = [[rectangle(20, 20, 0, (-20, 0))], [rectangle(30, 0.8)], [rectangle(20, 20, 3, (20, 0))]]
    whole = put_together("union", bars)
    made = thickened(whole, 3.0)
    assert bounding_box(made) == pytest.approx(bounding_box(whole), abs=1e-9)
    web = shapely.Polygon(flatten(made[0], 0.001)).intersection(shapely.box(-5, -10, 5, 10))
    assert web.bounds[3] - web.bounds[1] == pytest.approx(3.0, abs=0.4)
    assert web.area / 10 >= 3.0 - 1e-3
    fat = [rectangle(20, 20)]
    assert area(thickened(fat, 3.0)) == pytest.approx(400, abs=1e-6)
    assert np.isfinite(area(thickened(whole, 100.0)))

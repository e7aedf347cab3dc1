import numpy as np
import pytest

from silhueta.core.cutting.drawing import INSIDE, MARK, OUTSIDE, draw, parts_of
from silhueta.core.errors import FileError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import OpenPath, circle_loop
from silhueta.core.inspection.figures import figures
from tests.conftest import hole, square

RING = [
    square(100, (7, 9)),
    hole(square(80, (17, 19))),
    square(60, (27, 29)),
    hole(circle_loop((57, 59), 5)),
]


def outline(*paths, skipped=()) -> Outline:
    return Outline(tuple(Contour(p, taken=i not in skipped) for i, p in enumerate(paths)))


def test_the_lower_left_comes_to_zero():
    drawing = draw(outline(*RING))
    assert bounding_box(drawing.paths()) == pytest.approx((0, 0, 100, 100))
    assert drawing.frame == pytest.approx((100, 100))


def test_the_pictures_own_frame_is_kept_when_asked():
    drawing = draw(outline(*RING), origin="picture", picture_frame=(150, 120))
    assert bounding_box(drawing.paths()) == pytest.approx((7, 9, 107, 109))
    assert drawing.frame == (150, 120)
    with pytest.raises(FileError, match="frame"):
        draw(outline(*RING), origin="picture")


def test_parts_own_their_holes_and_inner_parts_come_first():
    parts = parts_of(RING)
    assert [signed_area(part.outer) for part in parts] == pytest.approx([3600, 10_000])
    assert [len(part.holes) for part in parts] == [1, 1]
    assert signed_area(parts[1].holes[0]) == pytest.approx(-6400)


def test_marks_come_first_and_nothing_is_cut_in_what_is_loose_already():
    mark = OpenPath(np.array([[10, 10], [20, 20.0]]))
    made = list(draw(outline(*RING, mark)).layered())
    assert [layer for layer, _ in made] == [MARK, INSIDE, OUTSIDE, INSIDE, OUTSIDE]
    # an island lies in the slug of the hole round it, and is cut before that hole
    areas = [abs(signed_area(path)) for _, path in made[1:]]
    assert areas == sorted(areas)


def test_skipped_loops_are_not_written_and_do_not_nest():
    # without the ring's hole, the island in it would be a hole in a solid: a finding for later,
    # but never a loop of the wrong sense
    drawing = draw(outline(*RING, skipped={1, 3}))
    assert [layer for layer, _ in drawing.layered()] == [INSIDE, OUTSIDE]


def test_nothing_to_cut_is_said():
    with pytest.raises(FileError, match="nothing is set to be cut"):
        draw(outline(square(5), skipped={0}))


def test_of_outlines_that_overlap_none_is_lost():
    # two plates over each other, a hole where they are, and one in it
    drawn = [square(20), square(20, (12, 0)), square(6, (13, 4)), square(2, (14, 5))]
    made = draw(Outline(tuple(Contour(loop) for loop in drawn)))
    assert len(made.paths()) == 4
    assert figures(made.paths(), crossing=True).area_mm2 == pytest.approx(2 * 240 + 36 - 4)

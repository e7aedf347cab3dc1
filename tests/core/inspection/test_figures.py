import numpy as np
import pytest

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, circle_loop
from silhueta.core.inspection.figures import double_count, figures, outline_figures, report
from tests.conftest import hole, square


def test_figures_of_a_plate_by_hand():
    got = figures(
        [square(100), hole(circle_loop((50, 50), 10)), OpenPath(np.array([[0, 0], [3, 4.0]]))]
    )
    assert got.size_mm == pytest.approx((100, 100))
    assert (got.outer_loops, got.holes, got.open_paths) == (1, 1, 1)
    assert got.area_mm2 == pytest.approx(10_000 - 100 * np.pi)
    assert got.cut_length_mm == pytest.approx(400 + 20 * np.pi + 5)
    # the circle is one node and one arc, however it is kept
    assert (got.nodes, got.lines, got.arcs, got.curves) == (4 + 1 + 2, 5, 1, 0)
    assert got.segments == 6


def test_an_island_in_a_hole_is_solid_again():
    got = figures([square(100), hole(square(80, (10, 10))), square(20, (40, 40))])
    assert (got.outer_loops, got.holes) == (2, 1)
    assert got.area_mm2 == pytest.approx(10_000 - 6400 + 400)


def test_figures_of_nothing_are_zero():
    got = figures([])
    assert got.size_mm == (0, 0)
    assert got.segments == 0


def test_skipped_loops_do_not_count_and_figures_are_kept():
    outline = Outline((Contour(square(10)), Contour(square(2, (4, 4)), taken=False)))
    assert outline_figures(outline).holes == 0
    assert outline_figures(outline) is outline_figures(outline)


def test_reports_hold_the_promised_names():
    bow_tie = Loop(np.array([[0, 0], [2, 2], [2, 0], [0, 2.0]]))
    got = report([bow_tie], "mm")
    assert list(got) == [
        "file_units",
        "size_mm",
        "outer_loops",
        "holes",
        "open_paths",
        "nodes",
        "segments",
        "self_crossings",
        "area_mm2",
        "cut_length_mm",
    ]
    assert got["self_crossings"] == 1
    assert got["segments"] == {"line": 4, "arc": 0, "curve": 0}


def test_doubles_are_counted_once_each():
    assert double_count([square(5), square(5), square(5), square(6)]) == 2

import numpy as np
import pytest

from silhueta.core.datum.fixing import (
    PROVISIONAL_MM,
    describe,
    fixing_datum,
    kind_of,
    mm_per_px,
    present_mm_per_px,
    true_size,
)
from silhueta.core.datum.scale import Scale
from silhueta.core.datums import DpiDatum, LengthDatum, OverallDatum, PixelDatum
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import ARC, CUBIC, Loop
from silhueta.core.job import Job


@pytest.mark.parametrize(
    ("datum", "size", "kind"),
    [
        (DpiDatum(254), 0.1, "dpi"),
        (PixelDatum(0.25), 0.25, "pixel-size"),
        (OverallDatum("width", 100), 0.5, "overall-width"),
        (OverallDatum("height", 100), 2.0, "overall-height"),
        (LengthDatum((10, 10), (40, 50), 25), 0.5, "known-length"),
    ],
)
def test_each_datum_fixes_the_scale(datum, size, kind):
    assert mm_per_px(datum, (200.0, 50.0)) == pytest.approx(size)
    assert kind_of(datum) == kind
    assert describe(datum)


def test_the_frame_stands_on_the_pictures_lower_left():
    scale = Scale(0.5, 100, "dpi")
    corners = np.array([[0, 0], [0, 100], [30, 100.0]])
    assert scale.to_mm(corners).tolist() == [[0, 50], [0, 0], [15, 0]]
    assert scale.to_px(scale.to_mm(corners)) == pytest.approx(corners)


def test_paths_keep_their_side_when_y_turns_over():
    # drawn on the page, this lens bulges to the right whichever way y is counted
    controls = np.array([np.zeros((2, 2)), [[20, 60], [20, 40.0]]])
    lens = Loop(
        np.array([[50, 20], [50, 80.0]]), np.array([ARC, CUBIC]), np.array([-0.5, 0]), controls
    )
    moved = Scale(0.1, 100, "dpi").path_to_mm(lens)
    left, bottom, right, top = bounding_box([lens])
    wanted = (left / 10, (100 - top) / 10, right / 10, (100 - bottom) / 10)
    assert bounding_box([moved]) == pytest.approx(wanted)
    assert signed_area(moved) == pytest.approx(-signed_area(lens) / 100)


@pytest.mark.parametrize("size", [0, 1e-9, 1e9, float("nan")])
def test_a_scale_that_cannot_be_is_refused(size):
    with pytest.raises(ScaleError, match="cannot be"):
        Scale(size, 100, "dpi")


def test_an_overall_length_of_nothing_is_refused():
    with pytest.raises(ScaleError, match="no outline"):
        mm_per_px(OverallDatum("width", 100), (0.0, 0.0))


def test_a_job_without_datum_has_a_provisional_scale_and_says_so():
    assert not true_size(Job())
    assert fixing_datum(Job()) == PixelDatum(PROVISIONAL_MM)
    assert present_mm_per_px(Job(datums=(DpiDatum(254),))) == pytest.approx(0.1)
    assert present_mm_per_px(Job(datums=(OverallDatum("width", 50),))) == PROVISIONAL_MM

"""Stored values and light: the curve of IEC 61966-2-1."""

import numpy as np
import pytest

from silhueta.core.picture.light import TOP, in_light, light_table, linear_of


def test_the_curve_is_the_standards():
    # IEC 61966-2-1:1999, 5.2: linear below 0.04045 by 12.92, then ((v + 0.055) / 1.055) ** 2.4
    assert linear_of(0) == 0
    assert linear_of(255) == pytest.approx(1.0)
    assert linear_of(10) == pytest.approx(10 / 255 / 12.92)
    # worked by hand: (0.501961 + 0.055) / 1.055 = 0.527925; its power of 2.4 is 0.215861
    assert linear_of(128) == pytest.approx(0.215861, abs=1e-6)


@pytest.mark.parametrize("value", [0, 3, 10, 11, 60, 128, 200, 254, 255])
def test_a_whole_picture_is_turned_to_light_as_each_of_its_values(value):
    assert in_light(np.array([[value]], np.uint8))[0, 0] == round(TOP * linear_of(value))


def test_the_table_of_light_is_that_of_each_value_and_is_not_written_over():
    table = light_table()
    assert table[[0, 10, 128, 255]] == pytest.approx([0, 10 / 12.92, 55.0444, 255], abs=1e-3)
    assert (np.diff(table) > 0).all()
    with pytest.raises(ValueError, match="read-only"):
        table[0] = 1.0

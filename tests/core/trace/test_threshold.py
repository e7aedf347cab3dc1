import numpy as np
import pytest

from silhueta.core.errors import TraceError
from silhueta.core.job import TraceSettings
from silhueta.core.trace.edge.threshold import automatic_level, histogram, level_of, otsu
from tests.conftest import grey_picture


def counts(**levels: int) -> np.ndarray:
    made = np.zeros(256, np.int64)
    for level, number in levels.items():
        made[int(level[1:])] = number
    return made


def test_the_histogram_counts_every_pixel():
    grey = np.array([[0, 0, 7], [255, 7, 7]], np.uint8)
    got = histogram(grey)
    assert got[[0, 7, 255]].tolist() == [2, 3, 1]
    assert got.sum() == 6
    assert histogram(grey.astype(np.uint16) * 257).tolist() == got.tolist()


def test_otsu_by_hand():
    # two values only: the split falls on the lower one
    assert otsu(counts(v10=30, v200=70)) == 10


def test_the_level_is_half_way_between_the_two_sides():
    assert automatic_level(counts(v40=500, v240=500, v140=3)) == 140
    assert automatic_level(counts(v0=9000, v255=1000, v128=10)) == pytest.approx(127.5)


def test_with_three_tones_otsu_keeps_them_apart():
    three = counts(v0=3000, v120=3000, v255=4000)
    level = automatic_level(three)
    assert level == pytest.approx(otsu(three) + 0.5, abs=60)
    assert level not in (0, 120, 255)
    assert 0 < level < 120 or 120 < level < 255


def test_one_grey_has_no_edge():
    with pytest.raises(TraceError, match="one grey value"):
        otsu(counts(v77=100))


def test_a_threshold_by_hand_takes_what_is_darker():
    picture = grey_picture(np.array([[0, 255]], np.uint8))
    assert level_of(picture, TraceSettings(threshold=128)) == 127.5
    assert level_of(picture, TraceSettings()) == 127.5

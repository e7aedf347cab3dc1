"""Holes and webs close up, and what is doubted of them."""

import numpy as np
import pytest

from silhueta.core.trace.part.find import _holes
from silhueta.core.trace.part.finer import _thin_webs, _without_specks

Y, X = np.mgrid[:200, :300]
NOTHING = np.zeros(Y.shape, bool)


def plate(*holes: tuple[float, float, float]) -> np.ndarray:
    made = (abs(X - 150) < 130) & (abs(Y - 100) < 80)
    for x, y, radius in holes:
        made &= np.hypot(X - x, Y - y) > radius
    return made


def leaning(made: np.ndarray) -> np.ndarray:
    return np.where(made, 4.0, -4.0).astype(np.float32)


@pytest.mark.parametrize(
    ("holes", "doubts"),
    [
        (((100.0, 100.0, 20.0),), 0),
        (((90.0, 100.0, 20.0), (124.0, 100.0, 20.0)), 1),  # two that ran into one
        (((90.0, 100.0, 20.0), (140.0, 100.0, 20.0)), 0),  # two with a web
        (tuple((90.0 + k, 100.0, 12.0) for k in range(60)), 0),  # a slot
        (((90.0, 100.0, 24.0), (118.0, 100.0, 8.0)), 0),  # a keyhole
    ],
)
def test_a_hole_with_a_waist_may_be_two_and_a_slot_is_one(holes, doubts):
    made = plate(*holes)
    found = _thin_webs(leaning(made), made, NOTHING, 0.3)
    assert len(found) == doubts
    if doubts:
        assert np.hypot(found[0][0] - 107, found[0][1] - 100) < 2


def test_a_web_that_hardly_leans_either_way_is_doubted():
    made = plate((90.0, 100.0, 20.0), (134.0, 100.0, 20.0))
    web = (abs(X - 112) < 3) & (abs(Y - 100) < 30)
    shaky = np.where(web, -0.5, leaning(made)).astype(np.float32)
    assert _thin_webs(shaky, shaky > 0, NOTHING, 0.3)
    assert not _thin_webs(leaning(made), made, NOTHING, 0.3)


def test_a_band_across_a_hole_is_no_web_where_it_was_opened_knowingly():
    made = plate((112.0, 100.0, 20.0))
    band = (abs(X - 112) < 3) & ~made
    shaky = np.where(band, -0.5, leaning(made)).astype(np.float32)
    assert _thin_webs(shaky, made, NOTHING, 0.3)
    assert not _thin_webs(shaky, made, band, 0.3)


def test_specks_are_face_and_clear_holes_stay():
    made = plate((90.0, 100.0, 10.0), (150.0, 100.0, 1.5))
    faint = np.hypot(X - 210, Y - 100) < 10  # as large as a hole, and hardly unlike the face
    clear = leaning(made)
    clear[faint] = -0.4
    kept = _without_specks((clear > 0), clear, 0.3)
    assert _holes(kept, 5.0) == 1
    assert not kept[100, 90]
    assert kept[100, 150]
    assert kept[100, 210]


def test_only_the_largest_piece_is_the_part():
    made = plate()
    made[:, 200:206] = False
    kept = _without_specks(made, leaning(made), 0.3)
    assert kept[100, 100]
    assert not kept[100, 250]

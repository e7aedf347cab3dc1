"""`silhueta true` on files that are exact already: they stay, and a second time changes nothing."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from silhueta.core.build.lettering import lettered
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.truing.apply import trued
from silhueta.core.truing.foreign import noise_of_file
from silhueta.core.words import Lettering
from tests.conftest import hole, square


def outline_of(*loops):
    return keyed(Outline(tuple(Contour(loop, origin="imported") for loop in loops)), 0)[0]


def made_true(outline, mode):
    return trued(outline, noise_of_file(outline), mode).outline


def apart(one, two):
    """How far two outlines lie from each other, mm."""
    lines = [
        shapely.MultiLineString(
            [flatten(c.path, 1e-5)[[*range(len(flatten(c.path, 1e-5))), 0]] for c in o.contours]
        )
        for o in (one, two)
    ]
    return shapely.hausdorff_distance(*lines)


def plate(corner, taper=0.0):
    """A plate of 80 x 50 mm, its corners rounded, its top edge falling by `taper` degrees."""
    c, fall = corner, 80 * np.tan(np.radians(taper))
    nodes = [[c, 0], [80 - c, 0], [80, c], [80, 50 - fall - c], [80 - c, 50 - fall], [c, 50]]
    bulge = np.tan(np.pi / 8)
    kinds = [LINE, ARC, LINE, ARC, LINE, ARC, LINE, ARC]
    return Loop([*nodes, [0, 50 - c], [0, c]], kinds, [0, bulge] * 4)


@pytest.mark.parametrize(
    "small",
    [
        Loop([[9, 9], [9.2, 9], [9.2, 9.1], [9, 9.1]]),
        Loop([[9, 9], [9.3, 9], [9.3, 9.3], [9, 9.3]]),
        Loop([[9, 9], [19, 9], [19, 18.8], [18.8, 19], [9, 19]]),  # a chamfer of 0.2
    ],
)
@pytest.mark.parametrize("fillet", [0.2, 0.3])
def test_small_things_that_are_drawn_stay_as_they_are(small, fillet):
    given_ = outline_of(plate(fillet), hole(small))
    assert apart(made_true(given_, "safe"), given_) < 1e-6
    assert [len(c.path.kinds) for c in made_true(given_, "safe").contours] == [8, len(small.kinds)]


def test_letters_and_a_blob_drawn_by_hand_stay_as_they_are():
    letters = outline_of(*lettered(Lettering("Maré Alta", 20.0)))
    assert apart(made_true(letters, "safe"), letters) < 5e-3
    rng = np.random.default_rng(4)
    turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    radius = 30 + np.cumsum(rng.normal(0, 0.8, 60))
    blob = outline_of(Loop(radius[:, None] * np.column_stack([np.cos(turn), np.sin(turn)])))
    assert apart(made_true(blob, "safe"), blob) < 5e-3


def test_a_taper_that_is_clear_stays_even_with_all():
    given_ = outline_of(plate(3.0, taper=0.3), hole(circle_loop((30, 20), 5)))
    made = made_true(given_, "all").contours[0].path
    top = made.ends[4] - made.starts[4] if made.kinds[4] == LINE else made.ends[5] - made.starts[5]
    assert abs(np.degrees(np.arctan2(top[1], top[0]))) % 180 == pytest.approx(0.3, abs=0.05) or abs(
        180 - abs(np.degrees(np.arctan2(top[1], top[0])))
    ) == pytest.approx(0.3, abs=0.05)


@settings(max_examples=25)
@given(
    st.integers(0, 10_000), st.sampled_from([0.0, 0.001, 0.05]), st.sampled_from(["safe", "all"])
)
def test_a_second_time_changes_nothing(seed, off, mode):
    rng = np.random.default_rng(seed)
    holes = [hole(circle_loop((x, 25), rng.uniform(2, 6))) for x in (15, 40, 65)]
    nodes = np.array([[0, 0], [80, 0], [80, 50], [40, 50], [40, 40], [0, 40.0]])
    rim = Loop(nodes + rng.normal(0, off, nodes.shape))
    once = made_true(outline_of(rim, *holes), mode)
    assert apart(made_true(once, mode), once) < 1e-6


def test_a_file_that_was_made_true_comes_out_the_same(call, tmp_path):
    first, second, third = (tmp_path / f"{k}.dxf" for k in range(3))
    source = tmp_path / "plate.svg"
    source.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="90mm" height="60mm" viewBox="0 0 90 60">'
        '<path fill="black" d="M5 5.02 L85 5.3 L85.1 55.2 L5.1 55 Z"/></svg>'
    )
    assert call("true", source, "-o", first)[0] == 0
    assert call("true", first, "-o", second)[0] == 0
    assert call("true", second, "-o", third)[0] == 0
    one, two, three = (read_tags(f.read_bytes()).paths for f in (first, second, third))
    assert np.abs(one[0].nodes - two[0].nodes).max() < 1e-5
    assert np.abs(two[0].nodes - three[0].nodes).max() < 1e-5
    assert square(1).closed

"""What a person says of edges and holes, one or two."""

import math

import numpy as np
import pytest

from silhueta.core.errors import EditError, TruingError
from silhueta.core.geometry.arcs import arc_centres, full_circle
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Ref
from silhueta.core.truing.by_hand import corner_cut, relate
from silhueta.core.truing.edits import held
from tests.conftest import hole


@pytest.fixture
def job() -> Job:
    plate = Loop([[0, 0], [80, 3], [79, 50], [1, 52.0]])
    paths = (plate, hole(circle_loop((20, 25), 4)), hole(circle_loop((60, 25), 5)))
    return set_imported(Job(), Outline(tuple(Contour(p) for p in paths)), "Plate")


def nodes(job):
    return job.outline.contours[0].path.nodes


def test_edges_get_directions_lengths_and_each_other(job):
    made = relate(job, "level", [Ref(1, 0)])
    assert np.ptp(nodes(made)[:2, 1]) < 1e-9
    made = relate(made, "perpendicular", [Ref(1, 0), Ref(1, 1)])
    made = relate(made, "length", [Ref(1, 0)], 81.5)
    x, y = (nodes(made)[1] - nodes(made)[0]).tolist()
    assert (x, y) == pytest.approx((81.5, 0), abs=1e-9)
    assert (nodes(made)[2] - nodes(made)[1])[0] == pytest.approx(0, abs=1e-9)
    # another direction takes the place of the first; what is square to it turns along
    tilted = relate(made, "angle", [Ref(1, 0)], 10.0)
    assert [r.kind for r in tilted.relations] == ["perpendicular", "length", "angle"]
    way = nodes(tilted)[1] - nodes(tilted)[0]
    assert math.degrees(math.atan2(way[1], way[0])) == pytest.approx(10, abs=1e-7)
    assert all(one.state == "holds" for one in held(tilted))


def test_holes_get_a_size_and_each_other(job):
    made = relate(job, "radius", [Ref(2)], 4.25)
    made = relate(made, "equal radius", [Ref(2), Ref(3)])
    radii = [full_circle(c.path)[1] for c in made.outline.contours[1:]]
    assert radii == pytest.approx([4.25, 4.25], abs=1e-9)
    with pytest.raises(TruingError, match="release that first"):
        relate(made, "radius", [Ref(3)], 6.0)
    with pytest.raises(TruingError, match="names what is none"):
        relate(made, "level", [Ref(2)])


def test_a_corner_is_rounded_or_cut_off_and_what_holds_stays_with_its_edge(job):
    made = relate(job, "plumb", [Ref(1, 1)])
    made = relate(made, "level", [Ref(1, 0)])
    rounded = corner_cut(made, [Ref(1, 0), Ref(1, 1)], 6.0, rounded=True)
    path = rounded.outline.contours[0].path
    (centre,), (radius,) = arc_centres(path.starts[1:2], path.ends[1:2], path.bulges[1:2])
    assert radius == pytest.approx(6, abs=1e-9)
    corner = nodes(made)[1]
    assert centre == pytest.approx(corner + [-6, 6], abs=1e-9)  # square, of level and plumb
    assert [one.state for one in held(rounded)] == ["holds", "holds"]
    assert rounded.relations[0].refs[0].segment == 2
    cut = corner_cut(made, [Ref(1, 1), Ref(1, 0)], 5.0, rounded=False)
    assert nodes(cut)[1:3] == pytest.approx(np.array([corner - [5, 0], corner + [0, 5]]), abs=1e-9)


@pytest.mark.parametrize(
    ("refs", "size", "says"),
    [
        ([Ref(1, 0), Ref(1, 2)], 3, "meet in a corner"),
        ([Ref(1, 0), Ref(2)], 3, "meet in a corner"),
        ([Ref(1, 0)], 3, "meet in a corner"),
        ([Ref(1, 0), Ref(1, 1)], 60, "give a smaller one"),
        ([Ref(1, 0), Ref(1, 1)], -1, "no corner"),
    ],
)
def test_corners_that_cannot_be_cut_say_why(job, refs, size, says):
    with pytest.raises(EditError, match=says):
        corner_cut(job, refs, size, rounded=True)

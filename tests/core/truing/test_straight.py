"""A ragged stretch as one edge; the zero point on a hole or in a corner."""

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.errors import EditError, FileError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.tidy import node_edits
from silhueta.core.truing.calipers import says
from silhueta.core.truing.refs import followed
from silhueta.core.truing.straight import straightened
from silhueta.core.truing.zero import set_zero, zero_of
from tests.conftest import hole


def job_of(*paths) -> Job:
    return set_imported(Job(), Outline(tuple(Contour(p) for p in paths)), "Plate")


@pytest.fixture
def ragged() -> Job:
    """A plate of 80 x 50 whose lower edge wavers by 0.1 mm about y = 0, in four pieces."""
    nodes = [[0, 0.1], [20, -0.1], [40, 0.1], [60, -0.1], [80, 0.1], [80, 50], [0, 50.0]]
    return job_of(Loop(nodes), hole(circle_loop((20, 25), 4)))


@pytest.mark.parametrize("start", [0, 2, 5])
def test_a_stretch_becomes_one_edge_that_its_neighbours_meet(ragged, start):
    nodes = np.roll(ragged.outline.contours[0].path.nodes, -start, axis=0)
    job = job_of(Loop(nodes))
    first, last = (0 - start) % 7, (3 - start) % 7
    top, right = (5 - start) % 7, (4 - start) % 7
    kept = Relation("level", (Ref(1, top),))
    lost = Relation("level", (Ref(1, (1 - start) % 7),))
    row = Dimension("length", (Ref(1, right),), 50.0)
    job = replace(job, relations=(kept, lost), calipers=(row,))
    made = straightened(job, [Ref(1, last), Ref(1, first)])
    path = made.outline.contours[0].path
    assert len(path.kinds) == 4
    low = path.nodes[path.nodes[:, 1] < 10]
    assert sorted(low[:, 0].tolist()) == pytest.approx([0, 80], abs=0.01)
    assert np.abs(low[:, 1]).max() < 0.06
    (relation,) = made.relations
    edge = relation.refs[0].segment
    assert path.starts[edge, 1] == path.ends[edge, 1] == 50
    assert says(made.outline, made.calipers[0]) == pytest.approx(50, abs=0.06)


def test_what_cannot_be_one_edge_is_told(ragged):
    with pytest.raises(EditError, match="first and the last edge"):
        straightened(ragged, [Ref(1, 0), Ref(2)])
    three = job_of(Loop([[0, 0], [10, 0], [10, 10.0]]))
    with pytest.raises(EditError, match="too little"):
        straightened(three, [Ref(1, 0), Ref(1, 1)])


def test_the_zero_is_on_a_hole_or_where_edges_would_meet():
    slope = 2 - 2**0.5
    corner = Loop(
        [[2, 0], [80, 0], [80, 50], [0, 50], [0, 2]], [0, 0, 0, 0, 1], [0, 0, 0, 0, slope / 2]
    )
    job = job_of(corner, hole(circle_loop((20, 25), 4)))
    assert zero_of(job.outline, set_zero(job, [Ref(1, 0), Ref(1, 3)]).zero) == pytest.approx((0, 0))
    made = set_zero(job, [Ref(2)])
    zero = zero_of(made.outline, made.zero)
    drawing = draw(made.outline, "mm", made.cut_file.origin, zero=zero)
    assert drawing.shift == pytest.approx((-20, -25))
    with pytest.raises(EditError, match="meet in a corner"):
        set_zero(job, [Ref(1, 0), Ref(1, 2)])
    with pytest.raises(FileError, match="gone; choose it anew"):
        draw(made.outline, "mm", "chosen", zero=zero_of(made.outline, (Ref(9),)))


def test_the_list_and_the_zero_stay_at_their_edges_through_an_edit(ragged):
    row = Dimension("length", (Ref(1, 4, (80.0, 25.05)),), 50.0)
    job = set_zero(replace(ragged, calipers=(row,)), [Ref(1, 4, (80.0, 25.05)), Ref(1, 5)])
    after = followed(job, node_edits.halve(job, {(0, 0)}))
    assert says(after.outline, after.calipers[0]) == pytest.approx(49.9)
    assert zero_of(after.outline, after.zero) == pytest.approx((80, 50))

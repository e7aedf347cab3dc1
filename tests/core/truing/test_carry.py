"""What holds goes along when nodes are moved, added or taken away."""

import numpy as np
import pytest

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Ref
from silhueta.core.tidy import node_edits
from silhueta.core.truing.by_hand import relate
from silhueta.core.truing.carry import carried
from silhueta.core.truing.edits import held
from tests.conftest import hole


@pytest.fixture
def job() -> Job:
    plate = Loop([[0, 0], [80, 0], [80, 50], [0, 50.0]])
    paths = (plate, hole(circle_loop((20, 25), 4)))
    made = set_imported(Job(), Outline(tuple(Contour(p) for p in paths)), "Plate")
    for kind, refs in (
        ("level", [Ref(1, 0)]),
        ("perpendicular", [Ref(1, 0), Ref(1, 1)]),
        ("parallel", [Ref(1, 1), Ref(1, 3)]),
        ("parallel", [Ref(1, 0), Ref(1, 2)]),
    ):
        made = relate(made, kind, refs)
    return made


def nodes(job):
    return job.outline.contours[0].path.nodes


def test_a_corner_that_is_dragged_takes_along_what_is_related_to_it(job):
    after = carried(job, node_edits.move(job, {(0, 2)}, 6.0, 4.0))
    assert nodes(after)[2] == pytest.approx([86, 54], abs=0.05)
    assert nodes(after)[1] == pytest.approx([86, 0], abs=0.1)
    assert nodes(after)[3] == pytest.approx([0, 54], abs=0.1)
    assert [one.state for one in held(after)] == ["holds"] * 4
    edges = nodes(after) - np.roll(nodes(after), 1, axis=0)
    assert np.abs(edges).min(axis=1).max() < 1e-8


def test_what_holds_follows_its_edge_when_nodes_come_and_go(job):
    more = carried(job, node_edits.halve(job, {(0, 0)}))
    assert len(nodes(more)) == 5
    states = [one.state for one in held(more)]
    # the edge that was halved is another one now; what was of the others holds on
    assert states.count("gone") == 3
    assert states.count("holds") == 1
    assert [ref.segment for ref in more.relations[2].refs] == [2, 4]


def test_edits_elsewhere_and_jobs_without_relations_stay_as_they_are(job):
    lone = set_imported(Job(), job.outline, "Lone")
    moved = node_edits.move(lone, {(0, 2)}, 1.0, 1.0)
    assert carried(lone, moved) is moved
    assert carried(job, job) is job

"""What holds goes along when nodes are moved, added or taken away."""

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Ref
from silhueta.core.tidy import node_edits
from silhueta.core.truing.by_hand import relate
from silhueta.core.truing.carry import carried
from silhueta.core.truing.edits import held, take_offers
from silhueta.core.truing.features import Noise
from silhueta.core.truing.merge import simpler
from silhueta.core.truing.offers import find_offers
from silhueta.core.work import Work
from tests.conftest import hole

FOREIGN = Noise(0.02, 0.5, 0.01)  # of a trace of which nothing is known


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


def test_what_holds_stays_with_its_edge_when_offers_put_pieces_together(job):
    # the lowest edge in two pieces: taking offers makes it one, and all others get other numbers
    plate = Loop([[0, 0], [40, 0.01], [80, 0], [80, 50], [0, 50.0]])
    made = set_imported(Job(), Outline((Contour(plate),)), "Plate")
    made = relate(made, "plumb", [Ref(1, 2)])
    found = find_offers(simpler(made.outline, FOREIGN), FOREIGN)
    sure = [offer for offer in found.offers if offer.safe]
    after, _ = take_offers(made, sure, found.features, FOREIGN, Work())
    (plumb,) = [r for r in after.relations if r.kind == "plumb"]
    assert len(nodes(after)) == 4
    assert plumb.refs[0].segment == 1
    assert np.ptp(nodes(after)[1:3, 0]) < 1e-9


def test_what_does_not_hold_any_more_stays_on_the_list_when_more_is_asked_for(job):
    moved = replace(job, outline=node_edits.move(job, {(0, 2)}, 6.0, 4.0).outline)
    off = [one.relation for one in held(moved) if one.state == "off"]
    assert off
    after = relate(moved, "radius", [Ref(2)], 4.5)
    assert set(off) <= set(after.relations)

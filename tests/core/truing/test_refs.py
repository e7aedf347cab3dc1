"""What points at an edge points at the same edge after edits and new traces, or says it is gone."""

from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from silhueta.core.datums import PixelDatum
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import LINE
from silhueta.core.job import Job
from silhueta.core.picture.decode import decode
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.tidy import node_edits
from silhueta.core.tidy.offers.kinds import take_all
from silhueta.core.tidy.offers.offer import Limits
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.truing.refs import followed, followed_trace
from tests.conftest import drawn, encoded


def traced_job(settings=None, mm=0.2):
    from silhueta.core.geometry.path import Loop

    angles = np.linspace(0, 2 * np.pi, 15)[:-1]
    radii = np.where(np.arange(14) % 2, 180, 120)
    star = Loop(np.column_stack([250 + radii * np.cos(angles), 200 + radii * np.sin(angles)]))
    picture = drawn([star], 500, 400)
    file = encoded(Image.fromarray(picture.grey), "PNG")
    job = Job(picture=file, datums=(PixelDatum(mm),))
    if settings:
        job = replace(job, trace=replace(job.trace, **settings))
    return trace_job(job, decode(file)).job


def pointing(job):
    """The job with all kinds of pointers at each line of its outline."""
    refs = []
    for contour in job.outline.contours:
        path = contour.path
        for k in range(len(path.kinds)):
            x, y = ((path.starts[k] + path.ends[k]) / 2).tolist()
            refs.append(Ref(contour.key, k, (x, y)))
    return replace(
        job,
        relations=tuple(Relation("level", (ref,)) for ref in refs),
        calipers=tuple(Dimension("length", (ref,)) for ref in refs),
        zero=(refs[0], refs[1]),
    )


def all_refs(job):
    for one in (*job.relations, *job.calipers):
        yield from one.refs
    yield from job.zero


def strays(before, after, off, size=1.0):
    """Refs that lie on another edge than before, and how many are gone."""
    old = {c.key: c.path for c in before.outline.contours}
    new = {c.key: c.path for c in after.outline.contours}
    wrong, gone = [], 0
    for was, now in zip(all_refs(before), all_refs(after), strict=True):
        path = new.get(now.key)
        if path is None or not now.segment < len(path.kinds):
            gone += 1
            continue
        k = now.segment
        assert path.kinds[k] == old[was.key].kinds[was.segment]
        middle = (old[was.key].starts[was.segment] + old[was.key].ends[was.segment]) / 2
        if path.kinds[k] == LINE:
            one = type(path)(path.nodes, path.kinds, path.bulges, path.controls)
            found = nearest(one, size * middle[None])
            if found.distance[0] > off or found.segment[0] != k:
                wrong.append((was, now))
    return wrong, gone


@pytest.mark.parametrize(
    ("settings", "mm"), [({"tolerance": 3.0}, 0.2), ({"smooth": 2.0}, 0.2), ({}, 0.3)]
)
def test_a_new_trace_keeps_what_points_at_its_edges(settings, mm):
    before = pointing(traced_job())
    fresh = traced_job(settings, mm)
    after = followed_trace(before, replace(before, outline=fresh.outline, traced=fresh.traced))
    wrong, gone = strays(before, after, 4.0, mm / 0.2)
    assert wrong == []
    assert gone < len(list(all_refs(before))) / 2


def test_an_edge_that_is_gone_is_not_another_one():
    before = pointing(traced_job())
    fresh = traced_job({"tolerance": 25.0})  # mm: the star's tips are cut off
    after = followed_trace(before, replace(before, outline=fresh.outline, traced=fresh.traced))
    wrong, _ = strays(before, after, 100.0)
    assert wrong == []


@pytest.mark.parametrize("seed", range(20))
def test_edits_keep_what_points_at_edges(seed):
    rng = np.random.default_rng(seed)
    job = pointing(traced_job())
    for _ in range(4):
        many = len(job.outline.contours[0].path.nodes)
        at = int(rng.integers(many))
        edit = rng.choice(["halve", "delete", "tidy", "start", "turn", "move"])
        try:
            if edit == "halve":
                made = node_edits.halve(job, {(0, at)})
            elif edit == "delete":
                made = node_edits.delete(job, {(0, at)})
            elif edit == "start":
                made = node_edits.start(job, (0, at))
            elif edit == "turn":
                made = node_edits.turn(job, {0})
            elif edit == "move":
                made = node_edits.move(job, {(0, at)}, 3.0, 1.0)
            else:
                tidied = take_all(job.outline, replace(Limits(), tolerance=0.5, short=2.0))
                made = replace(job, outline=tidied.outline)
        except Exception as error:
            assert "silhueta" in type(error).__module__
            continue
        after = followed(job, made)
        wrong, _ = strays(job, after, 4.0 if edit == "move" else 0.02)
        assert wrong == [], edit
        job = pointing(after)

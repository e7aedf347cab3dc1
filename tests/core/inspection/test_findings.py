"""Findings: planted faults are found where they are, nothing else is, and remedies mend them."""

import json
from collections import Counter
from dataclasses import replace

import ezdxf
import numpy as np
import pytest

from silhueta.core.errors import UnitsError
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, circle_loop
from silhueta.core.inspection.registry import TITLES, findings
from silhueta.core.job import Inputs, Job, TraceSettings, TraceStamp
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.units import parse_within
from tests.conftest import hole, square


def job_of(*contours):
    """A plate with two holes, and what is given beside them."""
    plate = Contour(square(100))
    holes = [Contour(hole(circle_loop(at, 6))) for at in ((25, 25), (75, 70))]
    return Job(outline=Outline((plate, *holes, *contours)))


BOW = Loop([[20, 50], [40, 60], [40, 50], [20, 60.0]])  # crosses itself at (30, 55)
TINY = Loop([[60, 20], [80, 20], [80, 20.01], [80, 40], [60, 40.0]])
# what is planted, its code, where it is, and how many times it is told
FAULTS = {
    "open": (Contour(OpenPath([[50, 80], [60, 84], [64, 90.0]])), "open-path", (64, 90)),
    "bow": (Contour(BOW), "self-crossing", (30, 55)),
    "cross": (Contour(square(20, (90, 40))), "loops-cross", (100, 40)),
    "double": (Contour(hole(circle_loop((25.01, 25), 6))), "doubled", (31.01, 25)),
    "tiny": (Contour(TINY), "short-segment", (80, 20)),
}


def test_a_sound_part_has_none_and_every_code_has_words():
    assert findings(job_of()) == []
    marked = Contour(OpenPath([[10, 90], [30, 90.0]]), operation="mark")
    skipped = Contour(BOW, taken=False)
    two = (Contour(square(100, (100, 0)), colour=(9, 9, 9)),)  # of another colour: they may meet
    assert findings(job_of(marked, skipped, *two)) == []
    assert len(TITLES) == len(set(TITLES.values())) > 20


@pytest.mark.parametrize("name", FAULTS)
def test_each_is_found_at_its_place_and_only_it(name):
    contour, code, place = FAULTS[name]
    (found,) = findings(job_of(contour))
    assert found.code == code
    if name == "cross":
        assert found.extent == pytest.approx((100, 40, 100, 60))
    else:
        assert found.place == pytest.approx(place, abs=0.02)
    assert found.text
    assert found.remedies


@pytest.mark.parametrize("name", FAULTS)
def test_a_remedy_mends_its_fault_and_changes_nothing_else(name):
    job = job_of(FAULTS[name][0])
    (found,) = findings(job)
    edit = found.remedies[0].edit
    after = edit(job)
    assert findings(after) == []
    mine = set(found.keys) if name == "cross" else {found.keys[-1]}
    untouched = {c.key: c for c in job.outline.contours if c.key not in mine}
    assert {c.key: c for c in after.outline.contours if c.key in untouched} == untouched


def test_all_together_what_stops_the_cut_comes_first():
    found = findings(job_of(*(contour for contour, _, _ in FAULTS.values())))
    order = {"stop": 0, "hurt": 1, "look": 2}
    assert sorted(found, key=lambda one: order[one.severity]) == found
    counts = Counter(one.code for one in found)
    assert set(counts) == {code for _, code, _ in FAULTS.values()}
    assert [one.code for one in findings(Job())] == ["nothing-to-cut"]


def test_what_a_job_knows_is_found_as_well():
    job = job_of()
    circle = job.outline.contours[1]
    wrong = Relation("radius", (Ref(circle.key, -1, (25.0, 25.0)),), 6.5)
    gone = Relation("level", (Ref(99, 0, (3.0, 4.0)),))
    stamp = TraceStamp(
        Inputs((), TraceSettings()), 0.1, 90.0, 0, 0.2, doubts=((40.0, 41.0, "a dim edge"),)
    )
    job = replace(job, relations=(wrong, gone), traced=stamp, zero=(Ref(99, 0),))
    job = replace(job, cut_file=replace(job.cut_file, origin="chosen"))
    found = {one.code: one for one in findings(job)}
    assert set(found) == {"zero-gone", "trace-doubt", "not-held", "edge-gone"}
    assert found["trace-doubt"].place == (40.0, 41.0)
    assert found["edge-gone"].place == (3.0, 4.0)
    assert found["not-held"].measured == pytest.approx(0.5, abs=1e-6)
    again = found["not-held"].remedies[0].edit
    assert "not-held" not in {one.code for one in findings(again(replace(job, relations=(wrong,))))}
    free = found["edge-gone"].remedies[0].edit
    assert "edge-gone" not in {one.code for one in findings(free(job))}


def test_the_command_line_tells_them_and_ends_with_three(call, tmp_path):
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (100, 0), (100, 100), (0, 100)], close=True)
    space.add_lwpolyline(BOW.nodes.tolist(), close=True)
    space.add_line((5, 80), (30, 90))
    space.add_line((5, 70), (30, 70), dxfattribs={"layer": "MARK"})
    document.saveas(tmp_path / "faulty.dxf")
    code, out, _ = call("inspect", tmp_path / "faulty.dxf", "--report", tmp_path / "r.json")
    assert code == 3
    assert "STOPS THE CUT: self-crossing at 30.00, 55.00 mm: an outline crosses itself" in out
    told = json.loads((tmp_path / "r.json").read_text())["findings"]
    assert [(one["code"], one["severity"]) for one in told] == [
        ("self-crossing", "stop"),
        ("open-path", "hurt"),
    ]
    assert np.allclose(told[1]["at_mm"], (30, 90))
    assert told[1]["remedies"][0] == "Mark it"


def test_a_size_with_a_limit_is_held_to_it():
    job = job_of()
    for measured, within, code in ((100.3, 0.2, "size-off"), (100.0, 0.2, None)):
        row = Dimension("width", (), measured, within)
        told = {one.code for one in findings(replace(job, calipers=(row,)))}
        assert told == ({code} if code else set())
    with pytest.raises(UnitsError, match="two ±"):
        parse_within("3 ± 1 ± 1")
    assert parse_within("86.5 +- 0.2") == (86.5, 0.2)
    assert parse_within("1 ± 0.1 in") == pytest.approx((25.4, 2.54))
    assert parse_within("22") == (22.0, None)

"""Findings mended, waved through, and held against a person's own limits."""

import gc
import math
import weakref
from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.build.edits import move, scale
from silhueta.core.errors import EditError
from silhueta.core.files.job_record import job_of_record, record_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, OpenPath, circle_loop
from silhueta.core.inspection import processes
from silhueta.core.inspection.limits import Limits, least_hole, limits_of
from silhueta.core.inspection.mending import mend_one, mended
from silhueta.core.inspection.processes import read_profiles
from silhueta.core.inspection.registry import findings, inspected
from silhueta.core.inspection.waving import parted, wave
from silhueta.core.job import Job, set_inspect
from tests.conftest import hole, square


def part(*paths, size=100.0):
    return Job(outline=Outline(tuple(Contour(path) for path in (square(size), *paths))))


def codes(job, limits):
    return [one.code for one in findings(job, limits)]


def test_a_web_between_two_windows_is_grown_and_nothing_else_is_touched():
    windows = [hole(square(20, (20, 40))), hole(square(20, (41, 40)))]
    job = part(*windows, hole(circle_loop((80, 20), 5)))
    limits = Limits(web=3.0)
    (one,) = findings(job, limits)
    assert (one.code, one.measured) == ("thin-web", pytest.approx(1.0))
    after = mend_one(job, one, 0, limits)
    assert findings(after, limits) == []
    untouched = [c for c in job.outline.contours if c.key not in one.keys]
    assert [c for c in after.outline.contours if c.key not in one.keys] == untouched


def test_a_slit_is_widened_to_the_bit_and_ends_round():
    nodes = [(0, 0), (48, 0), (48, 20), (52, 20), (52, 0), (100, 0), (100, 60), (0, 60)]
    job = Job(outline=Outline((Contour(Loop(np.array(nodes, float))),)))
    limits = Limits("router", width=6.0)
    found = findings(job, limits)
    assert {one.code for one in found} == {"narrow-slot", "tight-corner"}
    after = mend_one(job, next(f for f in found if f.code == "narrow-slot"), 0, limits)
    assert findings(after, limits) == []
    assert after.outline.bounds == pytest.approx((0, 0, 100, 60))


def test_a_square_hole_gets_the_bits_corners_or_a_relief():
    job = part(hole(square(30, (30, 30))))
    limits = Limits("router", width=6.0)
    corners = findings(job, limits)
    assert [one.code for one in corners] == ["tight-corner"] * 4
    # what stays standing in a square corner: r (sqrt 2 - 1) along its diagonal
    assert "1.24 mm stay standing" in corners[0].text
    assert codes(mended(job, ["tight-corner"], limits).job, limits) == []
    relieved = mend_one(job, corners[0], 1, limits)
    assert len(findings(relieved, limits)) == 3


def test_an_island_is_tied_as_the_bit_leaves_it_and_a_harmful_remedy_is_refused():
    job = part(hole(circle_loop((50, 50), 30)), circle_loop((50, 50), 12))
    limits = Limits("router", width=6.0)
    (island, *_) = findings(job, limits)
    assert codes(mend_one(job, island, 0, limits), limits) == []
    wrong = island._replace(remedies=(island.remedies[0]._replace(edit=lambda job: job),))
    with pytest.raises(EditError, match="by hand"):
        mend_one(job, wrong, 0, limits)
    tight = part(hole(circle_loop((50, 50), 13.0)), circle_loop((50, 50), 12))
    kept = mended(tight, ["nothing-to-cut", "island"], Limits("laser"))
    assert kept.counts == {"island": 1}


def test_only_what_was_asked_for_is_mended_and_what_a_person_must_do_is_said():
    gap = OpenPath([[20, 20], [40, 20], [40, 40], [20, 40], [20, 21.0]])
    job = part(gap, circle_loop((95, 50), 20))
    job = set_inspect(job, Limits(sheet=(50.0, 40.0)))
    done = mended(job, ["open-path", "off-sheet"], limits_of(job))
    assert done.counts == {"open-path": 1}
    assert [one.code for one in done.left] == ["loops-cross", "off-sheet"]
    assert any("a person must do it" in words for words in done.refused)


def test_a_part_that_fits_askew_is_turned():
    at = np.array([[-60, -8], [60, -8], [60, 8], [-60, 8.0]])
    turn = math.radians(30)
    matrix = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    job = Job(outline=Outline((Contour(Loop(at @ matrix.T + 80)),)))
    limits = Limits(sheet=(130.0, 40.0), margin=4.0)
    (one,) = findings(job, limits)
    assert "turned by -30°, it fits" in one.text
    after = mend_one(job, one, 0, limits)
    left, bottom, right, top = after.outline.bounds
    assert (right - left, top - bottom) == pytest.approx((120, 16))
    assert 4 <= left <= 6
    assert 4 <= bottom <= 20
    assert findings(after, limits) == []


def test_what_is_waved_through_stays_so_until_it_changes():
    job = set_inspect(part(hole(circle_loop((50, 92), 7))), Limits("plasma"))
    ((one,), ()) = inspected(job)
    with pytest.raises(EditError, match="say why"):
        wave(job, one, "  ")
    passed = wave(job, one, "welded over")
    kept = job_of_record(record_bytes(passed), None, "kept")
    for same in (passed, kept, move(passed, (), 13.37, -4.2)):
        assert inspected(same).open == ()
    for other in (
        move(passed, (2,), 0.0, 0.05),
        scale(passed, (), 101.0),
        set_inspect(passed, Limits("plasma", width=1.6)),
    ):
        assert [f.code for f in inspected(other).open] == ["thin-web"]
    assert parted(passed, [one._replace(code="other")]).waved == ()


def test_a_persons_own_limits_go_over_the_shipped_ones(tmp_path, monkeypatch):
    shipped, none = processes.known()
    assert none == ()
    text = b'[plasma]\nhole_thickness = 2.0\nweb_mm = "wide"\nkerf = 3\n[torch]\nweb_mm = 1\n'
    made, wrong = read_profiles(text, "processes.toml", shipped)
    assert made["plasma"] == replace(shipped["plasma"], hole_thickness=2.0)
    assert made["laser"] == shipped["laser"]
    assert [words.split(": ", 1)[1] for words in wrong] == [
        "[plasma] web_mm (line 3): must be a number",
        "[plasma] kerf (line 4): there is no such limit",
        "'torch' is no process; there are plasma, laser, router, knife, water, saw",
    ]
    own = tmp_path / "processes.toml"
    monkeypatch.setattr(processes, "own_file", lambda: own)
    own.write_bytes(b"[plasma]\nhole_thickness = 2.0\n")
    assert least_hole(Limits("plasma", thickness=6.0))[0] == 12.0
    own.write_bytes(b"[plasma\n")
    assert least_hole(Limits("plasma", thickness=6.0))[0] == 6.0
    assert "line 1" in processes.known()[1][0]


def test_what_was_found_does_not_keep_its_job_alive():
    limits = Limits("router", width=6.0, sheet=(50.0, 120.0), margin=1.0, web=3.0)
    job = part(hole(circle_loop((50, 93), 6)), hole(square(20, (20, 20))), square(4, (24, 24)))
    found = findings(job, limits)
    assert len({one.code for one in found}) > 4
    there = weakref.ref(job)
    del job
    gc.collect()
    assert there() is None
    assert found

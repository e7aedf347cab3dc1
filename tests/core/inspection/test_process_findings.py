"""Findings that depend on process and sheet, against closed forms."""

import json
import math

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.errors import EditError
from silhueta.core.files.export import export
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.inspection.limits import PROCESSES, Limits, least_hole
from silhueta.core.inspection.registry import findings
from silhueta.core.job import Job
from tests.conftest import hole, square


def part(*holes, at=(0.0, 0.0), size=100.0):
    return Job(outline=Outline((Contour(square(size, at)), *(Contour(loop) for loop in holes))))


def codes(job, **limits):
    return [one.code for one in findings(job, Limits(**limits))]


def slot(long, wide):
    """A slot about (50, 50): two lines and two half circles."""
    x, r = long / 2 - wide / 2, wide / 2
    nodes = np.array([[50 - x, 50 - r], [50 + x, 50 - r], [50 + x, 50 + r], [50 - x, 50 + r]])
    return hole(Loop(nodes, np.array([0, 1, 0, 1], np.uint8), np.array([0, 1, 0, 1.0])))


@pytest.mark.parametrize(
    ("loop", "wide"),
    [
        (hole(circle_loop((30, 30), 1.6)), 3.2),
        (slot(20, 2.8), 2.8),
        (hole(square(3, (40, 40))), 3.0),
        # of a triangle the inscribed circle: twice the area over half the way round
        (hole(Loop([[40, 40], [46, 40], [40, 48.0]])), 2 * 24 / 12),
    ],
)
def test_how_wide_a_hole_is(loop, wide):
    job = part(loop)
    limits = Limits("router", width=wide + 0.5)
    (found,) = findings(job, limits)
    assert found.code == "small-hole"
    assert found.measured == pytest.approx(wide, abs=0.005)
    assert found.limit == wide + 0.5
    assert set(codes(job, process="router", width=wide - 0.01)) <= {"tight-corner"}
    after = found.remedies[0].edit(job)
    assert [c.operation for c in after.outline.contours] == ["cut", "mark"]
    assert findings(after, limits) == []


def test_what_each_process_asks_of_a_hole():
    five = part(hole(circle_loop((50, 50), 2.5)))
    assert codes(five, process="plasma", thickness=6.0) == ["small-hole", "slug"]
    assert codes(five, process="plasma", thickness=5.0) == []
    assert codes(five, process="laser", thickness=6.0) == ["slug"]
    assert codes(five, process="router") == []
    assert codes(five, process="router", width=6.0) == ["small-hole"]
    assert codes(part(hole(circle_loop((50, 50), 0.9))), process="knife") == ["small-hole"]
    for process in PROCESSES:
        assert least_hole(Limits(process))[1]
    assert codes(five) == []  # nothing is asked


def test_what_lies_loose_in_a_hole_drops_out():
    ring = hole(circle_loop((50, 50), 30))
    inner, bore = circle_loop((50, 50), 12), hole(circle_loop((50, 50), 4))
    found = findings(part(ring, inner, bore), Limits("laser"))
    assert [one.code for one in found] == ["island", "island"]
    assert found[0].extent == pytest.approx((38, 38, 62, 62))
    assert findings(part(ring, inner, bore)) == []


@pytest.mark.parametrize(
    ("at", "size", "says", "by"),
    [
        ((250, 20), 100, "50.00 mm over the sheet of 300 x 200 mm to the right; moved", 50),
        ((20, -3), 100, "3.00 mm over the sheet of 300 x 200 mm below; moved", 3),
        ((-320, 20), 100, "to the left; moved", 320),
        ((10, 10), 250, "60.00 mm over the sheet of 300 x 200 mm above; it does not fit", 60),
    ],
)
def test_a_part_over_its_sheet(at, size, says, by):
    (found,) = findings(part(at=at, size=size), Limits(sheet=(300.0, 200.0)))
    assert (found.code, found.severity) == ("off-sheet", "stop")
    assert says in found.text
    assert found.measured == pytest.approx(by)


def test_a_part_that_fits_turned_and_one_near_the_edge():
    tall = Job(outline=Outline((Contour(Loop([[0, 0], [90, 0], [90, 250], [0, 250.0]])),)))
    (found,) = findings(tall, Limits(sheet=(300.0, 200.0)))
    assert "turned by 90°, it fits" in found.text
    (near,) = findings(part(at=(4, 30)), Limits(sheet=(300.0, 200.0), margin=5.0))
    assert (near.code, near.measured, near.place) == ("margin", 4.0, (4.0, 80.0))
    assert codes(part(at=(5, 30)), sheet=(300.0, 200.0), margin=5.0) == []
    assert codes(part(at=(4, 30)), sheet=(300.0, 200.0)) == []


@pytest.mark.parametrize("wrong", [{"thickness": math.nan}, {"sheet": (0.0, 5.0)}, {"margin": -1}])
def test_limits_that_mean_nothing_are_refused(wrong):
    with pytest.raises(EditError):
        Limits("laser", **wrong)


def test_from_the_command_line(call, tmp_path):
    job = part(
        hole(circle_loop((20, 20), 2)), hole(circle_loop((60, 60), 25)), circle_loop((60, 60), 5)
    )
    file = tmp_path / "plate.dxf"
    export(draw(job.outline), file)
    given = ("inspect", file, "--process", "plasma", "--thickness", "6mm", "--sheet", "90x200mm")
    code, out, _ = call(*given, "--report", tmp_path / "r.json")
    assert code == 3
    assert "STOPS THE CUT: off-sheet at 100.00, 50.00 mm" in out
    told = json.loads((tmp_path / "r.json").read_text())["findings"]
    assert [one["code"] for one in told] == [
        "off-sheet",
        "island",
        "small-hole",
        "small-piece",
        "slug",
    ]
    assert (told[2]["value"], told[2]["limit"]) == (pytest.approx(4.0), 6.0)
    assert call("inspect", file)[0] == 0
    for wrong, says in (
        (("--bit", "3mm"), "--bit does nothing without --process"),
        (("--margin", "3mm"), "--margin does nothing without --sheet"),
        (("--process", "router", "--bit", "3mm", "--kerf", "1mm"), "two words for one width"),
    ):
        code, _, said = call("inspect", file, *wrong)
        assert code == 2
        assert says in said

"""The caliper list: scaled to, driven by, and what does not fit together."""

import math
from dataclasses import replace

import pytest

from silhueta.core.errors import EditError, TruingError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.job import Job, set_imported
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.truing.calipers import dimension_of, driven, fit_scale, rows, scaled
from silhueta.core.truing.edits import held, hold_again, release, set_calipers
from silhueta.core.truing.features import Noise, features
from silhueta.core.truing.stretch import fit_stretch, stretched
from tests.conftest import hole

NOISE = Noise(0.03, 1.0, 0.02, 0.002)
WIDTH = Dimension("width", (), 101.0)


@pytest.fixture
def job() -> Job:
    plate = Loop([[0, 0], [100, 0.2], [100, 60], [0, 60.0]])
    holes = [hole(circle_loop((20, 30), 4)), hole(circle_loop((80, 30), 5))]
    return set_imported(Job(), Outline(tuple(Contour(p) for p in (plate, *holes))), "Plate")


def listed(job, *dimensions) -> Job:
    return set_calipers(job, tuple(dimensions))


def test_rows_say_what_the_outline_says_and_by_how_much_it_is_off(job):
    found = rows(
        listed(
            job,
            WIDTH,
            Dimension("diameter", (Ref(2),), 8.2),
            Dimension("length", (Ref(1, 1),)),
            Dimension("distance", (Ref(2), Ref(3))),
            Dimension("distance", (Ref(3), Ref(1, 1))),
            Dimension("diameter", (Ref(9),)),
        ),
        NOISE,
    )
    assert [row.says for row in found] == [
        pytest.approx(v) if v else None for v in (100, 8, 59.8, 60, 20, None)
    ]
    assert [row.off for row in found[:3]] == [pytest.approx(-1), pytest.approx(-0.2), None]
    # both edges of a hole by 0.03 / 2 and 0.02 each, and 0.2 % of 8.2
    assert found[1].sigma == pytest.approx(math.hypot(math.sqrt(2) * 0.025, 0.0164))


def test_one_factor_brings_the_outline_to_the_list(job):
    made = listed(job, WIDTH, Dimension("distance", (Ref(2), Ref(3)), 60.6))
    fit = fit_scale(rows(made, NOISE))
    assert fit.factor == pytest.approx(1.01)
    assert fit.together
    after = scaled(made, fit.factor)
    assert [row.off for row in rows(after, NOISE)] == pytest.approx([0, 0], abs=1e-9)
    # a list that does not fit together says so
    twisted = listed(job, WIDTH, Dimension("distance", (Ref(2), Ref(3)), 59.0))
    assert not fit_scale(rows(twisted, NOISE)).together


@pytest.mark.parametrize(
    ("measured", "says"), [(None, "at least one dimension"), (2540.0, "check the unit")]
)
def test_a_factor_that_cannot_be_meant_is_refused(job, measured, says):
    with pytest.raises(EditError, match=says):
        fit_scale(rows(listed(job, Dimension("width", (), measured)), NOISE))


def test_measured_sizes_become_exact_and_are_held(job):
    made = driven(
        listed(
            job,
            Dimension("diameter", (Ref(2),), 8.2),
            Dimension("diameter", (Ref(3),), 10.1),
            Dimension("distance", (Ref(2), Ref(3)), 60.5),
            Dimension("length", (Ref(1, 0),)),
        )
    )
    (a, ra), (b, rb) = (full_circle(c.path) for c in made.outline.contours[1:])
    assert (2 * ra, 2 * rb) == pytest.approx((8.2, 10.1), abs=1e-9)
    assert math.dist(a, b) == pytest.approx(60.5, abs=1e-9)
    assert [one.state for one in held(made)] == ["holds"] * 3
    # typed anew, a row takes the place of what it held before
    again = driven(listed(made, Dimension("diameter", (Ref(2),), 8.3)))
    assert 2 * full_circle(again.outline.contours[1].path)[1] == pytest.approx(8.3, abs=1e-9)
    assert len(again.relations) == 3


@pytest.mark.parametrize(
    ("dimension", "row", "says"),
    [
        (Dimension("diameter", (Ref(2),), 11.0), 0, "check the row and its unit"),
        (Dimension("diameter", (Ref(8),), 11.0), 0, "is gone"),
        (Dimension("distance", (Ref(2), Ref(3)), 55.0), 0, "cannot hold together"),
    ],
)
def test_a_row_that_cannot_be_is_named(job, dimension, row, says):
    from dataclasses import replace

    fixed = Relation("distance", (Ref(2), Ref(3)), 60.0)
    other = replace(job, relations=(Relation("distance", (Ref(3), Ref(2)), 60.0), fixed)[:1])
    with pytest.raises(TruingError, match=says) as caught:
        driven(listed(other, dimension))
    assert caught.value.relation == row


def test_two_edges_have_a_distance_or_an_angle(job):
    found = features(job.outline, NOISE)
    assert dimension_of([found[0], found[1]]).kind == "angle"
    with pytest.raises(EditError, match="two different"):
        dimension_of([found[0], found[0]])
    assert dimension_of([found[1], found[3]]).kind == "distance"
    assert dimension_of([found[4]]).kind == "diameter"


def test_what_no_longer_holds_says_so_and_holds_again_or_is_released(job):
    made = driven(listed(job, Dimension("diameter", (Ref(2),), 8.2)))
    moved = scaled(made, 1.01)
    assert held(moved)[0].relation.value == pytest.approx(4.141)  # sizes go with it

    plain = Outline(
        tuple(
            replace(c, path=circle_loop((20, 30), 4.3)) if c.key == 2 else c
            for c in made.outline.contours
        )
    )
    edited = replace(made, outline=plain)
    (one,) = held(edited)
    assert one.state == "off"
    assert one.off == pytest.approx(0.2)
    assert full_circle(hold_again(edited).outline.contours[1].path)[1] == pytest.approx(4.1)
    assert not release(edited, edited.relations[0]).relations
    gone = replace(made, outline=Outline(made.outline.contours[:1]))
    assert held(gone)[0].state == "gone"
    assert not hold_again(gone).relations


def test_a_scanner_that_stretches_one_way_is_undone_and_circles_stay_circles(job):
    true = replace(job)
    seen = stretched(job, 1.004, 0.99)
    seen = listed(
        seen,
        Dimension("width", (), 100.0),
        Dimension("height", (), 60.0),
        Dimension("distance", (Ref(2), Ref(3)), 60.0),
    )
    fit = fit_stretch(seen.outline, rows(seen, NOISE))
    assert (fit.across, fit.up) == pytest.approx((1 / 1.004, 1 / 0.99), abs=1e-6)
    assert fit.together
    held_before = replace(seen, relations=(Relation("distance", (Ref(2), Ref(3)), 60.24),))
    made = stretched(held_before, fit.across, fit.up)
    assert full_circle(made.outline.contours[1].path) == (pytest.approx((20, 30)), pytest.approx(4))
    assert made.outline.bounds == pytest.approx(true.outline.bounds, abs=1e-4)
    assert made.relations[0].value == pytest.approx(60)


@pytest.mark.parametrize(
    ("dimensions", "said"),
    [
        ([Dimension("width", (), 100.0)], "one that runs up"),
        ([Dimension("width", (), 100.0), Dimension("height", (), 52.0)], "no scanner does"),
        ([Dimension("width", (), 3.9), Dimension("height", (), 2.4)], "check the unit"),
    ],
)
def test_two_factors_that_cannot_be_meant_are_refused(job, dimensions, said):
    with pytest.raises(EditError, match=said):
        fit_stretch(job.outline, rows(listed(job, *dimensions), NOISE))


def test_radii_of_arcs_and_angles_between_edges_are_measured_and_driven():
    corner = Loop(
        [[0, 0], [50, 0], [60, 10], [60, 40], [20, 42.0]],
        [0, 1, 0, 0, 0],
        [0, math.tan(math.pi / 8), 0, 0, 0],
    )
    job = set_imported(Job(), Outline((Contour(corner),)), "Plate")
    found = {f.ref.segment: f for f in features(job.outline, NOISE)}
    radius = dimension_of([found[1]])
    angle = dimension_of([found[4], found[0]])
    assert (radius.kind, angle.kind) == ("radius", "angle")
    told = rows(listed(job, radius, angle), NOISE)
    assert [row.says for row in told] == pytest.approx([10, math.degrees(math.atan2(42, 20))])
    wanted = listed(job, replace(radius, measured=9.5), replace(angle, measured=65.0))
    made = driven(wanted)
    assert [row.off for row in rows(made, NOISE)] == pytest.approx([0, 0], abs=1e-7)
    assert all(one.state == "holds" for one in held(made))
    with pytest.raises(EditError, match="check the unit"):
        fit_scale(rows(listed(job, replace(radius, measured=0.4)), NOISE))
    alone = listed(job, replace(angle, measured=65.0))
    with pytest.raises(EditError, match="at least one dimension"):
        fit_scale(rows(alone, NOISE))

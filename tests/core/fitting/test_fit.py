import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from benchmarks.shapes import workshop_shapes
from silhueta.core.fitting.fit import fit_contour, polygon
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.march import march
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, LINE, Loop, circle_loop
from silhueta.core.geometry.transform import transform
from silhueta.core.trace.edge.contours import contours
from tests.conftest import drawn


def fitted(loop: Loop, size: int = 300, tolerance: float = 0.5) -> Loop:
    """The loop fitted to a picture of `loop` (px, y up), turned back to y up."""
    found = contours(drawn([loop], size, size).grey, 127.5)
    assert len(found) == 1
    made = fit_contour(found.contour(0), tolerance).loop
    return transform(made, np.diag([1.0, -1.0]), (0, size))


def turned(loop: Loop, angle: float = 0.31, at: tuple[float, float] = (150, 150)) -> Loop:
    c, s = np.cos(angle), np.sin(angle)
    return transform(loop, np.array([[c, -s], [s, c]]), at)


def test_a_turned_rectangle_gets_its_four_corners_back():
    true = turned(Loop(np.array([[-90, -50], [90, -50], [90, 50], [-90, 50.0]])))
    made = fitted(true)
    assert made.kinds.tolist() == [LINE] * 4
    for corner in true.nodes:
        assert np.hypot(*(made.nodes - corner).T).min() < 0.08


def test_a_small_radius_stays_a_radius():
    r, bulge = 6.0, np.tan(np.pi / 8)
    nodes = [[-80 + r, -50], [80 - r, -50], [80, -50 + r], [80, 50 - r]]
    nodes += [[80 - r, 50], [-80 + r, 50], [-80, 50 - r], [-80, -50 + r]]
    made = fitted(
        turned(Loop(np.array(nodes), np.array([LINE, ARC] * 4), np.array([0, bulge] * 4)))
    )
    assert sorted(made.kinds.tolist()) == [LINE] * 4 + [ARC] * 4
    arcs = made.kinds == ARC
    chord = np.hypot(*(made.ends - made.starts)[arcs].T)
    radii = chord * (1 + made.bulges[arcs] ** 2) / (4 * np.abs(made.bulges[arcs]))
    assert radii == pytest.approx(np.full(4, r), abs=0.6)


@pytest.mark.parametrize("radius", [4.0, 11.3, 60.0, 140.0])
def test_a_circle_comes_out_as_a_circle(radius):
    found = full_circle(fitted(circle_loop((150.2, 149.6), radius)))
    assert found is not None
    assert found[0] == pytest.approx([150.2, 149.6], abs=0.02)
    assert found[1] == pytest.approx(radius, abs=0.03)


@pytest.mark.parametrize("name", sorted(workshop_shapes()))
def test_workshop_shapes_keep_within_the_tolerance(name):
    outer = workshop_shapes()[name][0]
    points = flatten(outer, 0.05)
    true = transform(outer, np.eye(2) * 250 / np.ptp(points, axis=0).max())
    low = flatten(true, 0.05).min(axis=0)
    true = transform(true, np.eye(2), 25.3 - low)
    made = fitted(true)
    # away from sharp tips, which a picture of this size blunts
    places, _ = march(true, 1.0)
    off = nearest(made, places).distance
    assert np.percentile(off, 95) < 0.15
    assert off.max() < 1.2
    assert len(crossings([made])) == 0


def test_a_larger_tolerance_never_costs_segments():
    wave = np.linspace(0, 2 * np.pi, 90, endpoint=False)
    radius = 100 + 12 * np.sin(7 * wave)
    loop = Loop(np.column_stack([150 + radius * np.cos(wave), 150 + radius * np.sin(wave)]))
    counts = [len(fitted(loop, tolerance=t).kinds) for t in (0.2, 0.5, 1.0, 3.0)]
    assert counts == sorted(counts, reverse=True)
    assert counts[-1] < counts[0] / 2


@settings(deadline=None, max_examples=40)
@given(st.integers(0, 2**32 - 1), st.sampled_from([0.3, 0.6, 1.5]))
@example(222455, 0.3)  # left its contour by 1.39 px once
@example(78, 0.3)  # and this one by 1.42
@example(145571317, 0.3)  # three sides almost in line ran past one another
def test_random_blobs_stay_within_the_tolerance(seed, tolerance):
    rng = np.random.default_rng(seed)
    angle = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    radius = 70 + sum(
        rng.normal(0, 14 / k) * np.sin(k * angle + rng.uniform(0, 6)) for k in range(2, 9)
    )
    radius = np.clip(radius, 15, 140)
    loop = Loop(np.column_stack([150 + radius * np.cos(angle), 150 + radius * np.sin(angle)]))
    found = contours(drawn([loop], 300, 300).grey, 127.5)
    for i in range(len(found)):
        points = found.contour(i)
        fit = fit_contour(points, tolerance)
        off = nearest(fit.loop, points).distance
        assert off.max() <= max(tolerance, fit.deviation) + 0.51  # half a pixel for blur at corners
        assert fit.deviation <= tolerance + 0.75


def test_the_smallest_contours_are_fitted_too():
    for size in (2, 3, 4):
        grey = np.full((12, 12), 255, np.uint8)
        grey[4 : 4 + size, 4 : 4 + size] = 0
        made = fit_contour(contours(grey, 127.5).contour(0), 0.5).loop
        assert np.isfinite(made.nodes).all()


@pytest.mark.parametrize("seed", [30, 51, 87])
def test_a_noisy_sliver_is_no_loop_of_two_straight_lines(seed):
    random = np.random.default_rng(seed)
    x = np.arange(0, random.uniform(10, 30))
    bow = 0.4 * np.sin(x / 6)
    sliver = np.vstack([np.c_[x, 0.2 + bow], np.c_[x, -0.2 + bow][::-1]])
    sliver[:, 1] += random.normal(0, 0.08, (2 * len(x), 2))[:, 1]
    loop = fit_contour(sliver, 0.5, 0.11, 4, np.radians(35), 25.0).loop
    assert len(loop.nodes) > 2 or (loop.kinds == ARC).any()


def test_noise_that_stands_out_of_the_tolerance_buys_no_segments():
    """A wide corner that overlaps cut deep, where single points lie past the tolerance."""
    random = np.random.default_rng(4)
    turn = np.linspace(0, 2 * np.pi, 1500, endpoint=False)
    disc = 240 * np.column_stack([np.cos(turn), np.sin(turn)])
    flat = np.column_stack([np.full(400, 200.0), np.linspace(-132, 132, 400)])
    points = np.vstack([flat, disc[disc[:, 0] < 200]])
    points = points[np.argsort(np.arctan2(points[:, 1], points[:, 0]), kind="stable")]
    noisy = points * (1 + random.normal(0, 0.15, len(points)) / np.hypot(*points.T))[:, None]
    assert len(fit_contour(noisy, 0.5, 0.15).loop.nodes) <= 4


def test_the_polygon_of_last_resort_is_the_contour():
    points = contours(drawn([circle_loop((30, 30), 20)], 60, 60).grey, 127.5).contour(0)
    assert len(polygon(points, 0.0).nodes) >= 0.5 * len(points)
    assert len(polygon(points, 0.5).nodes) < 0.5 * len(points)

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from silhueta.core.fitting.primitives import SUMS, add_point, best_primitive, circle_fit, line_fit
from silhueta.core.geometry.path import ARC, LINE


def sums_of(points: np.ndarray) -> np.ndarray:
    sums = np.zeros(SUMS)
    for x, y in points:
        add_point(sums, x, y)
    return sums


def arc_points(radius: float, turn: float, count: int = 60) -> np.ndarray:
    angle = np.linspace(0.3, 0.3 + turn, count)
    return radius * np.column_stack([np.cos(angle), np.sin(angle)])


def test_the_line_fit_agrees_with_the_singular_value_decomposition():
    points = np.random.default_rng(5).normal(size=(40, 2)) @ [[5, 2], [0, 0.3]] + [70, -20]
    x, y, angle, square = line_fit(sums_of(points))
    _, singular, axes = np.linalg.svd(points - points.mean(axis=0))
    assert (x, y) == pytest.approx(points.mean(axis=0))
    assert square == pytest.approx(singular[1] ** 2)
    assert abs(np.cos(angle) * axes[0, 0] + np.sin(angle) * axes[0, 1]) == pytest.approx(1)


@given(st.floats(1, 2000), st.floats(0.2, 6.0))
def test_exact_arcs_are_found_again(radius, turn):
    points = arc_points(radius, turn)
    x, y, found, square = circle_fit(sums_of(points - points[0]))
    assert found == pytest.approx(radius, rel=1e-4)
    assert (x + points[0, 0], y + points[0, 1]) == pytest.approx((0, 0), abs=1e-3 * radius)
    assert square < 1e-6 * radius**2


def test_a_short_noisy_arc_is_hardly_biased():
    # an algebraic fit of the simplest kind shrinks such arcs by a tenth and more
    rng = np.random.default_rng(2)
    radii = []
    for _ in range(200):
        points = arc_points(100, 0.5) + rng.normal(0, 0.05, (60, 2))
        radii.append(circle_fit(sums_of(points - points[0]))[2])
    assert np.median(radii) == pytest.approx(100, rel=0.01)


def test_the_cheaper_primitive_wins():
    out = np.zeros(6)
    straight = np.column_stack([np.arange(30.0), 0.02 * (-1.0) ** np.arange(30)])
    assert best_primitive(sums_of(straight - straight[0]), straight, 0, 29, 0.5, 0.05, out)
    assert out[0] == LINE
    bent = arc_points(50, 1.0)
    assert best_primitive(sums_of(bent - bent[0]), bent, 0, 59, 0.5, 0.05, out)
    assert out[0] == ARC
    assert out[3] == pytest.approx(50, rel=1e-6)
    corner = np.vstack(
        [
            np.column_stack([np.arange(20.0), np.zeros(20)]),
            np.column_stack([np.full(20, 19.0), np.arange(1, 21.0)]),
        ]
    )
    assert not best_primitive(sums_of(corner - corner[0]), corner, 0, 39, 0.5, 0.05, out)

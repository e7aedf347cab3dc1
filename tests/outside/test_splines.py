"""Splines of a DXF against other evaluators: de Boor's algorithm in scipy and in geomdl's stead.

scipy.interpolate.BSpline evaluates the polynomial ones and, in homogeneous coordinates, the
rational ones; ezdxf writes the files. The full circle is the worked example of L. Piegl and
W. Tiller, "The NURBS Book", 2nd edition, 1997, section 7.5 (nine points, weights 1 and 1/sqrt 2).
"""

import io

import ezdxf
import numpy as np
import pytest
import shapely
from scipy.interpolate import BSpline

from silhueta.core.files.dxf_read import read_dxf
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Loop


def read(control, knots, degree, weights=(), flags=0):
    document = ezdxf.new("R2000")
    document.header["$INSUNITS"] = 4
    spline = document.modelspace().add_spline(degree=degree)
    spline.control_points = [(*p, 0) for p in control]
    spline.knots = list(knots)
    spline.weights = list(weights)
    spline.dxf.flags = flags
    stream = io.StringIO()
    document.write(stream)
    (path,) = read_dxf(stream.getvalue().encode(), "a.dxf").paths
    return path


def random_spline(rng):
    """Control points, knots, degree and weights: clamped, periodic, close knots, rational."""
    degree = int(rng.integers(2, 6))
    count = int(rng.integers(degree + 1, 14))
    periodic = bool(rng.random() < 0.4)
    control = rng.uniform(0, 60, (count, 2))
    gaps = rng.uniform(0.05, 1, count + degree)
    gaps[rng.random(len(gaps)) < 0.15] = 1e-4  # close by each other
    if periodic:
        gaps = np.tile(gaps[:count], 3)[: count + 2 * degree]
        control = np.vstack([control, control[:degree]])
        knots = np.append(0, np.cumsum(gaps))[: len(control) + degree + 1]
    else:
        inner = np.cumsum(gaps)[: count - degree - 1]
        end = (inner[-1] if len(inner) else 0) + 1
        knots = np.concatenate([np.zeros(degree + 1), inner, np.full(degree + 1, end)])
    weights = rng.uniform(0.3, 3, count) if rng.random() < 0.5 else np.ones(count)
    if periodic:
        weights = np.append(weights, weights[:degree])
    return control, knots, degree, weights, periodic


def test_300_random_splines_lie_where_another_evaluator_has_them():
    rng = np.random.default_rng(8)
    closed = 0
    for _ in range(300):
        control, knots, degree, weights, periodic = random_spline(rng)
        path = read(control, knots, degree, weights, 1 + 2 * periodic if periodic else 0)
        whole = BSpline(knots, np.column_stack([control * weights[:, None], weights]), degree)
        inner = np.unique(knots[degree : len(control) + 1])
        at = np.concatenate(
            [np.linspace(a, b, 300) for a, b in zip(inner[:-1], inner[1:], strict=True)]
        )
        there = whole(at)
        truth = there[:, :2] / there[:, 2:]
        found = flatten(path, 1e-4)
        line = np.vstack([found, found[:1]]) if path.closed else found
        off = shapely.distance(shapely.LineString(line), shapely.points(truth))
        assert off.max() < 0.001
        back = shapely.distance(shapely.LineString(truth), shapely.points(found))
        assert back.max() < 0.02  # the chords between those places are as far off
        closed += isinstance(path, Loop)
        assert isinstance(path, Loop) == periodic
    assert closed > 80


def test_a_circle_of_nine_points_is_one():
    half = np.sqrt(0.5)
    points = [[1, 0], [1, 1], [0, 1], [-1, 1], [-1, 0], [-1, -1], [0, -1], [1, -1], [1, 0]]
    knots = np.array([0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 4]) / 4
    weights = [1, half, 1, half, 1, half, 1, half, 1]
    path = read(10 * np.array(points, float), knots, 2, weights, 1)
    assert isinstance(path, Loop)
    assert np.abs(np.hypot(*flatten(path, 1e-5).T) - 10).max() < 1e-4


@pytest.mark.parametrize("wrong", [[3, 2, 1, 0, 0, 0, 0, 0], [0, 0, 0, 0, 0, 0, 0, 0]])
def test_knots_that_make_no_curve_are_left_out_and_said(wrong):
    document = ezdxf.new("R2000")
    document.modelspace().add_line((0, 0), (9, 9))
    spline = document.modelspace().add_spline(degree=3)
    spline.control_points = [(0, 0, 0), (1, 4, 0), (5, 4, 0), (9, 0, 0)]
    spline.knots = wrong
    stream = io.StringIO()
    document.write(stream)
    found = read_dxf(stream.getvalue().encode(), "a.dxf")
    assert len(found.paths) == 1
    assert found.left_out == {"empty or damaged things": 1}


def test_a_spline_that_is_removed_as_damaged_is_said():
    document = ezdxf.new("R2000")
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (10, 0), (10, 10)], close=True)
    spline = space.add_spline()
    spline.dxf.degree = 3
    spline.control_points = [(0, 0, 0), (1, 1, 0), (2, 0, 0), (3, 1, 0)]
    spline.knots = [0, 0, 0, 1, 1, 1]
    stream = io.StringIO()
    document.write(stream)
    found = read_dxf(stream.getvalue().encode(), "damaged.dxf")
    assert len(found.paths) == 1
    assert found.left_out == {"empty or damaged things": 1}

import numpy as np
import pytest
import shapely
from scipy.ndimage import gaussian_filter1d

from silhueta.core.fitting.fit import fit_contour
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats

TURN, SIDE = np.pi / 4, 300.0
ERROR, ALONG = 0.5, 25.0  # px, and points that err together, as a photo's holes may tell


def octagon(radius: float) -> Floats:
    """Points a px apart along an octagon whose corners have a radius, px."""
    angle = TURN * np.arange(8)
    corners = SIDE / (2 * np.sin(TURN / 2)) * np.column_stack([np.cos(angle), np.sin(angle)])
    ring: shapely.Polygon = shapely.Polygon(corners).buffer(-radius, join_style="mitre")
    around = shapely.segmentize(ring.buffer(radius, quad_segs=400).exterior, 1.0)
    even = shapely.line_interpolate_point(around, np.arange(0.0, around.length, 1.0))
    return shapely.get_coordinates(even)


def wavy(points: Floats, seed: int) -> Floats:
    """The points, those of the right half pushed to and fro by errors that go along."""
    rng = np.random.default_rng(seed)
    off = gaussian_filter1d(rng.normal(size=len(points)), ALONG / 3.5, mode="wrap")
    off *= ERROR / off.std() * (points[:, 0] > 0)
    off += rng.normal(0, 0.05, len(points))
    return points * (1 + off / np.hypot(*points.T))[:, None]


def away(points: Floats, made: Floats) -> Floats:
    """How far points lie from a loop's, px."""
    return np.asarray(shapely.distance(shapely.LinearRing(made), shapely.points(points)))


@pytest.mark.parametrize("seed", range(3))
def test_a_rounding_on_the_clean_side_is_no_corner_for_errors_of_the_other(seed):
    true = octagon(36.0)
    loop = fit_contour(
        wavy(true, seed), 8 * ERROR, ERROR, corner=np.radians(20), along=ALONG, rough=True
    ).loop
    clean = true[true[:, 0] < -60]
    assert away(clean, flatten(loop, 0.01)).max() < 0.5  # 3 px at the corners without an arc
    assert len(loop.nodes) <= 16


def test_a_sharp_corner_that_blur_has_rounded_stays_one():
    blurred = gaussian_filter1d(octagon(0.01), 3.0, axis=0, mode="wrap")
    loop = fit_contour(
        wavy(blurred, 1), 8 * ERROR, ERROR, corner=np.radians(20), along=ALONG, rough=True
    ).loop
    assert len(loop.nodes) == 8
    assert not loop.bulges.any()

"""An edge that is noisy along one side: few segments there, and all detail elsewhere."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import lfilter
from scipy.spatial import cKDTree

from silhueta.core.fitting.fit import fit_contour
from silhueta.core.picture.decode import decode
from silhueta.core.trace.edge.uneven import evened, local_noise
from silhueta.core.trace.job_trace import trace_job
from silhueta.demo.drawings import heron_job

_NOISE, _ALONG = 0.2, 25.0


def _fitted(points, times=1.0):
    return fit_contour(points, times * 1.0, times * _NOISE, along=_ALONG, rough=True).loop


@pytest.fixture
def shape():
    """A box of 900 by 500 px with a notch of 12 px at the left; noisy at the right."""
    corners = [(0, 0), (900, 0), (900, 500), (0, 500), (0, 300), (12, 300), (12, 240), (0, 240)]
    ring = np.array([*corners, corners[0]], float)
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    at = np.arange(0, along[-1], 1.0)
    true = np.column_stack([np.interp(at, along, ring[:, k]) for k in range(2)])
    random = np.random.default_rng(7)
    points = true + random.normal(0, 0.04, true.shape)
    side = true[:, 0] > 899
    slow = lfilter([1], [1, -0.9], random.normal(0, 1, side.sum()))
    points[side, 0] += 1.3 * slow / slow.std()
    return points, np.array(corners, float)


def test_noise_is_told_where_it_is(shape):
    points, _ = shape
    local, (x, y) = local_noise(points), points.T
    assert np.median(local[(x > 800) & (np.abs(y - 250) < 100)]) > 0.5
    assert np.median(local[y < 1]) < 0.08


def test_a_noisy_side_buys_no_segments_and_costs_no_detail(shape):
    points, corners = shape
    plain = _fitted(points)
    made = _fitted(evened(points, _NOISE, lambda times: _fitted(points, times)))
    assert len(made.nodes) <= len(corners) + 2
    assert len(plain.nodes) > 2 * len(made.nodes)
    left = corners[4:]
    assert cKDTree(made.nodes).query(left)[0].max() < 0.5


def test_an_even_edge_stays_as_it_is(shape):
    points, corners = shape
    side = points[:, 0] > 880
    even = np.where(side[:, None], np.minimum(points, corners[2]), points)
    even[side & (points[:, 1] > 5) & (points[:, 1] < 495), 0] = 900.0
    assert evened(even, _NOISE, _fitted) is even


def test_the_two_edges_of_a_pencil_line_are_not_drawn_together():
    job = heron_job()
    job = replace(job, trace=replace(job.trace, pen=None, close_gaps=0.0, speck=0.05))
    done, _, _ = trace_job(job, decode(job.picture))
    assert sum(len(contour.path.kinds) for contour in done.outline.contours) < 900

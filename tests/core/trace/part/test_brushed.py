"""Marks along a face: found where they run one way; what is not of the face stands out."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from silhueta.core.trace.part.brushed import marks

_MM = 0.3


def _grain(reach, angle):
    """Grain of spread 0.1 that reaches so many px along an angle, and noise of 0.02."""
    rng = np.random.default_rng(5)
    grain = gaussian_filter(rng.normal(size=(500, 500)), (0.7, reach))
    turn = cv2.getRotationMatrix2D((250, 250), angle, 1.0)
    grain = cv2.warpAffine(grain, turn, (500, 500))[150:350, 130:370]
    grain = grain * 0.1 / grain.std() - 0.7
    return (grain + rng.normal(scale=0.02, size=grain.shape)).astype(np.float32)


@pytest.mark.parametrize("angle", [0, 37, 90, -20])
def test_a_hole_as_grey_as_the_face_stands_out_of_its_marks(angle):
    level = _grain(60, angle)
    face = np.zeros(level.shape, bool)
    face[20:180, 20:220] = True
    hole = np.zeros(level.shape, np.uint8)
    cv2.circle(hole, (120, 100), 12, 1, -1)
    inner = cv2.erode(hole, np.ones((5, 5))) > 0
    level[hole > 0] = -0.82  # well within the face's range
    found = marks(level, np.full_like(level, -0.7), face, _MM)
    assert found is not None
    assert found.spread < 0.5 * level[face].std()
    off = np.abs(level - found.light)
    rest = face & (cv2.dilate(hole, np.ones((9, 9))) == 0) & np.isfinite(off)
    assert rest.sum() > 0.9 * face.sum()
    clear = np.median(off[inner]) / np.median(off[rest])
    assert clear > 1.5 * np.median(np.abs(level + 0.7)[inner]) / np.median(
        np.abs(level + 0.7)[rest]
    )


def test_grain_that_runs_no_way_has_no_marks():
    level = _grain(0.7, 0)
    assert marks(level, np.full_like(level, -0.7), np.ones(level.shape, bool), _MM) is None


def test_a_face_of_nothing_has_no_marks():
    level = np.zeros((40, 40), np.float32)
    assert marks(level, level, np.zeros(level.shape, bool), _MM) is None
    assert marks(level, level, np.ones(level.shape, bool), _MM) is None

"""How looks are counted: a face far lighter than the ground is not as light as its blurred rim."""

import numpy as np
import pytest

from silhueta.core.trace.part.bins import bins_of, leaning_of
from silhueta.core.trace.part.looks import Looks, Seen

Y, X = np.mgrid[:80, :120]
PART = (abs(X - 60) < 40) & (abs(Y - 40) < 28)


@pytest.mark.parametrize("face", [3.0, 0.0, -0.5])
def test_the_rim_of_a_hole_is_no_face_however_much_lighter_that_is_than_the_ground(face):
    rng = np.random.default_rng(3)
    hole, rim = np.hypot(X - 60, Y - 40) < 8, abs(np.hypot(X - 60, Y - 40) - 10) < 2
    level = np.where(PART, face, 0.0 if face > 1 else 0.6) + rng.normal(0, 0.03, Y.shape)
    level[hole], level[rim] = face - 2.5, face - 1.0
    nothing = np.zeros(Y.shape, bool)
    look = np.dstack([level, 0 * level, 0 * level]).astype(np.float32)
    looks = Looks(look, PART, nothing, nothing)
    light, grain = np.exp(look), np.full(Y.shape, 0.01, np.float32)
    whole = np.ones(Y.shape, bool)
    seen = Seen(light, grain, whole, nothing, whole, 0.3, 2.0, np.zeros(Y.shape, np.float32))
    bins = bins_of(looks, seen, PART)
    core = PART & ~hole & ~rim
    leaning = leaning_of(bins, core, bins, (~PART, hole | rim))
    assert leaning[core].mean() > 3
    assert leaning[rim].mean() < -2

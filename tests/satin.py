"""A bright plate in marks on a sheet as light as itself, dark only along its edges."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from silhueta.core.picture.light import stored_of

Y, X = np.mgrid[:700, :900]
PLATE = (abs(X - 450) < 300) & (abs(Y - 350) < 200)
HOLES = np.hypot(X - 300, Y - 280) < 40, np.hypot(X - 620, Y - 430) < 30


def satin(part: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """A photo of a part (700, 900), (700, 900, 3)."""
    rng = np.random.default_rng(8)
    marks = gaussian_filter(rng.normal(size=part.shape), (1.5, 90.0))
    light = np.full(part.shape, 0.72)
    light[part] = 0.70 * np.exp(0.03 * marks / marks.std())[part]
    edge = np.exp(-(((gaussian_filter(part + 0.0, 1.5) - 0.5) * 4) ** 2))
    light *= 1 - 0.25 * edge
    light = gaussian_filter(light, 0.9)[..., None] * np.array([0.99, 1.0, 1.01])
    light = light + rng.normal(0, 0.004, light.shape)
    return np.uint8(np.round(255 * np.asarray(stored_of(np.clip(light, 0, 1)))))

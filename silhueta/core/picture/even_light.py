"""Take uneven light out of a picture: what the light made darker is made as bright as the rest.

Words used here
    ground    what lies round the part and would be of one grey in even light
    light     how bright that ground is at each place
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats

_SMALL = 160  # px of the long side on which the light is worked out
_DEGREE = 4
_TURNS = 8
_GROUND = 230.0  # grey that the ground is given


def light_on(
    grey: NDArray[np.uint8], mask: NDArray[np.bool_] | None = None, bright: bool = True
) -> Floats | None:
    """Return the light on the ground of `grey`, (h, w) coarse, or None where no ground shows.

    Parameters
    ----------
    grey : (H, W) array of uint8
    mask : (H, W) array of bool, optional
        Where ground and part are; elsewhere the light is carried on smoothly.
    bright : bool
        Whether the ground is brighter than the part.

    Notes
    -----
    A polynomial surface fitted by repeated weighting, in which what lies on the part's side of the
    surface counts for little (P. J. Huber, "Robust Statistics", 1981, chapter 7).

    """
    import cv2

    factor = min(1.0, _SMALL / max(grey.shape))
    size = (max(2, round(grey.shape[1] * factor)), max(2, round(grey.shape[0] * factor)))
    small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA).astype(np.float64)
    known = np.ones(small.shape, bool)
    if mask is not None:
        share = cv2.resize(mask.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
        known = share > 250
    if known.sum() < 60:
        return None
    y, x = np.mgrid[-1 : 1 : size[1] * 1j, -1 : 1 : size[0] * 1j]
    terms = np.stack(
        [x**i * y**j for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)], axis=-1
    )
    rows, values = terms[known], small[known]
    if not bright:
        values = 255 - values
    start = np.quantile(values, 0.85)
    weight = (values > 0.55 * start).astype(float)
    if weight.sum() < 40:
        return None
    for turn in range(_TURNS):
        # few terms first: a free surface would dip into the part
        degree = min(_DEGREE, 1 + turn)
        use = np.array(
            [i + j <= degree for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)]
        )
        scaled = rows[:, use] * weight[:, None]
        ridge = 1e-3 * weight.sum() * np.eye(int(use.sum()))
        ridge[0, 0] = 0.0
        normal = scaled.T @ rows[:, use] + (ridge if degree > 2 else 0 * ridge)
        fitted = np.linalg.lstsq(normal, scaled.T @ values, rcond=None)[0]
        surface = rows[:, use] @ fitted
        away = (values - surface) / np.maximum(surface, 10.0)
        spread = max(1.4826 * float(np.median(np.abs(away[weight > 0.1]))), 0.01)
        weight = 1 / (1 + (away / (2.5 * spread)) ** 4)
        weight[away < -0.25] = 0.0
    light = terms[..., use] @ fitted
    return np.asarray(np.maximum(light, 0.15 * float(np.median(surface))) if bright else light)


def evened_light(
    grey: NDArray[np.uint8], mask: NDArray[np.bool_] | None = None
) -> NDArray[np.uint8]:
    """Return `grey` with its bright ground evenly lit; as it is where no ground shows."""
    import cv2

    light = light_on(grey, mask)
    if light is None:
        return grey
    height, width = grey.shape
    made = np.empty_like(grey)
    gain = (_GROUND / light).astype(np.float32)
    whole = cv2.resize(gain, (width, height), interpolation=cv2.INTER_LINEAR)
    cv2.multiply(grey, whole, made, dtype=cv2.CV_8U)
    return made

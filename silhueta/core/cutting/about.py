"""What a drawing is told for people who look at it: its part, what was measured of it, its picture.

Files for machines do not have it; the paper proof and the picture do.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Measured(NamedTuple):
    """A dimension of a part, in the outline's coordinates.

    text : str
        What it is and what it comes to.
    start, end : (x, y), mm
        Between which it lies; the same twice beside a round.
    """

    text: str
    start: tuple[float, float]
    end: tuple[float, float]


@dataclass(frozen=True, eq=False)
class Under:
    """The picture that an outline was taken from.

    Parameters
    ----------
    grey : (H, W) ndarray of uint8, read-only
        Its lower left is the outline's (0, 0).
    mm_per_px : float

    """

    grey: NDArray[np.uint8]
    mm_per_px: float


@dataclass(frozen=True, eq=False)
class About:
    """What is told of a part.

    Parameters
    ----------
    name : str
    measured : tuple of Measured
        Of the caliper list.
    deviation : (mean, 95 %, largest) or None, mm
        Of the picture's edge from the outline, when it was traced.
    under : Under or None

    """

    name: str = ""
    measured: tuple[Measured, ...] = ()
    deviation: tuple[float, float, float] | None = None
    under: Under | None = None

"""How exact an outline from a file is by itself: a program's drawing, or lines that are a bit off.

Nothing tells how a file's outline was made. But who draws with a program has edges that are level,
upright or square to the last digit, and who traced or drew by hand has edges that nearly are.
"""

from __future__ import annotations

import math

import numpy as np

from silhueta.core.geometry.measure import length_of
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats
from silhueta.core.truing.features import Noise, features

# nothing is merged in either: a file's fillet of 0.2 mm is one
ROUGH = Noise(0.02, 0.5, 0.01, own=True)  # of edges that nearly are what they are meant to be
EXACT = Noise(0.002, 0.5, 0.001, own=True)  # what rounding to two decimals may leave
_LEAST = 2.0  # mm of an edge, from which its direction is meant
_NEARLY = math.radians(1.0)  # off a long edge's direction, or square to it
_SHARE = 0.3  # of all that is drawn, that such edges make up at least where they tell something
_TRIES = 6  # of the longest edges, that the others are held against: one of them may be a taper
_OFF = 0.008  # mm at an edge's end: typically farther off than that is rough


def noise_of_file(outline: Outline) -> Noise:
    """Return how far the edges of a file's outline may be off, as they themselves tell.

    Rough where most of what nearly runs along, or square to, a long edge does not quite, whichever
    long edge that is.
    """
    lines = [f for f in features(outline, EXACT) if f.kind == "line" and f.size >= _LEAST]
    if not lines:
        return EXACT
    angles = np.array([f.angle for f in lines])
    long = np.array([f.size for f in lines])
    drawn = sum(map(length_of, outline.taken))
    tries = np.argsort(-long, kind="stable")[:_TRIES].tolist()
    return EXACT if min(_typical(k, angles, long, drawn) for k in tries) <= _OFF else ROUGH


def _typical(k: int, angles: Floats, long: Floats, drawn: float) -> float:
    """Return how far at its end the typical edge is off along or square to edge `k`, mm."""
    off = np.abs((angles - angles[k] + math.pi / 4) % (math.pi / 2) - math.pi / 4)
    near = off < _NEARLY
    if long[near].sum() < _SHARE * drawn or near.sum() < 2:
        return 0.0
    near[k] = False  # it is along itself
    far = (off * long)[near]
    order = np.argsort(far)
    weight = np.cumsum(long[near][order])
    return float(far[order][np.searchsorted(weight, 0.5 * weight[-1])])

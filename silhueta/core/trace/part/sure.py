"""Whether what was found is one plausible part, edge by edge.

Words used here
    weak     a place of an edge beside which both sides look alike
    doubt    what may be wrong, where, and what to do about it

The looks that tell face from ground were learned from the rough part itself; where they tell
nothing on the two sides of an edge, the edge is guessed, however steep the picture is there.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.datum.edges import sample
from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.trace.part.border import Sight, outward_of

# mm from the edge, or px if that is more, at which its sides are held against each other
_BESIDE = ((0.5, 1.5), (0.8, 3.0), (1.1, 4.5))
_WEAK = 2.0  # leaning that the inside must have over the outside
_GUESSED = 0.5  # share of an edge that is weak, from which it is none
_SHAKY = 0.1  # share of the outer edge that is weak, from which nothing is said for sure
_LARGE_MM2 = 20.0  # of something that may be a hole: too large to leave open


class Doubt(NamedTuple):
    """What may be wrong: place in px of the photo at true size, and the words for a person."""

    place: tuple[float, float]
    text: str


def weak_share(ring: Floats, sight: Sight) -> tuple[float, Floats]:
    """Return the share of an edge that is weak, and the middle of its weak places, px."""
    outward = outward_of(ring)

    def leaning(sign: float) -> Floats:
        away = [max(mm / sight.mm, px) for mm, px in _BESIDE]
        places = [(ring + sign * d * outward) * sight.factor for d in away]
        return np.array([sample(sight.leaning, place) for place in places])

    # colour bleeds over an edge by some pixels: the clearest of three places counts
    weak = leaning(-1.0).max(0) - leaning(1.0).min(0) < _WEAK
    middle = ring[weak].mean(0) if weak.any() else ring.mean(0)
    return float(weak.mean()), middle


def judged(
    rings: list[Floats], areas: list[float], sight: Sight
) -> tuple[list[int], tuple[Doubt, ...]]:
    """Return which rings are edges of the part, and what is doubtful about the rest.

    Parameters
    ----------
    rings : list of (N, 2), px
        The first is the outer edge.
    areas : list of float, px²
        Negative for holes.
    sight : Sight
        What they were seen in.

    Raises
    ------
    TraceError
        If the outer edge is guessed, or something that may be a large hole is.

    """
    kept, doubts = [], []
    for number, (ring, area) in enumerate(zip(rings, areas, strict=True)):
        weak, middle = weak_share(ring, sight)
        place = (float(middle[0]), float(middle[1]))
        if area > 0 and weak > _SHAKY:
            raise TraceError(
                f"{100 * weak:.0f} % of the part's edge cannot be told from what lies beside it, "
                "so a shadow or a piece of the ground may have been taken for part; paint ink on "
                "the part and scrape on the shadow there at Picture, or take the photo in softer "
                "light on something of another colour"
            )
        if area < 0 and weak > _GUESSED:
            large = abs(area) * sight.mm**2
            if large > _LARGE_MM2:
                raise TraceError(
                    f"something of {large:.0f} mm² on the part may be a hole or a mark on its "
                    "face; paint scrape on it at Picture if it is a hole, ink if it is not"
                )
            text = "may be a hole or a mark on the face; it was left out"
            doubts.append(Doubt(place, text))
            continue
        kept.append(number)
    return kept, tuple(doubts)

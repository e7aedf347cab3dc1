"""One truing offer: what all kinds share.

Words used here
    offer     something that seems to hold, as relations that would make it hold exactly
    share     probability that it was meant: a difference as small as the one seen is likely where
              it was, and one of many where it was not
    safe      of at least 95 %, and it moves nothing by more than its own uncertainty

A share follows Bayes: two lines of a part are parallel with some probability beforehand
(`BEFORE`); if they are not, any angle is as likely as any other.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from silhueta.core.relations import Ref, Relation

OfferKind = Literal[
    "straight",
    "tangent",
    "parallel",
    "perpendicular",
    "collinear",
    "equal length",
    "equal radius",
    "concentric",
    "evenly on a circle",
    "in a row",
    "in a grid",
    "plain shape",
    "symmetric",
    "level",
    "size",
    "fixed",  # holds already
]
KINDS: tuple[OfferKind, ...] = (
    "straight",
    "tangent",
    "perpendicular",
    "parallel",
    "collinear",
    "equal radius",
    "concentric",
    "equal length",
    "level",
    "evenly on a circle",
    "in a row",
    "in a grid",
    "plain shape",
    "symmetric",
    "size",
)
SAFE_KINDS = frozenset(
    ("tangent", "parallel", "perpendicular", "collinear", "equal radius", "concentric")
)
SAFE, LIKELY = 0.95, 0.8
BEFORE = {  # probability beforehand; common practice, no source
    "tangent": 0.5,
    "parallel": 0.3,
    "perpendicular": 0.3,
    "collinear": 0.2,
    "equal length": 0.2,
    "equal radius": 0.5,
    "concentric": 0.3,
    "level": 0.3,
    "evenly on a circle": 0.3,
    "in a row": 0.3,
    "in a grid": 0.3,
    "plain shape": 0.3,
    "symmetric": 0.3,
}


@dataclass(frozen=True)
class TruingOffer:
    """One thing that seems to be meant.

    Parameters
    ----------
    kind : str
    relations : tuple of Relation
        That make it hold.
    share : float
        Probability that it was meant.
    text : str
        As a machinist would remark on it.
    place : (x, y), mm
    features : tuple of int
        Places in the list of features.
    run : (Ref, int), optional
        The first segment, and how many, that become one straight edge.

    """

    kind: OfferKind
    relations: tuple[Relation, ...]
    share: float
    text: str
    place: tuple[float, float]
    features: tuple[int, ...]
    run: tuple[Ref, int] | None = None

    @property
    def safe(self) -> bool:
        """Whether it may be taken unseen."""
        return self.kind in SAFE_KINDS and self.share >= SAFE


def same_share(off: float, sigma: float, before: float, spread: float) -> float:
    """Return the probability that two things are the same which are `off` by so much.

    Parameters
    ----------
    off, sigma : float
        Difference seen, and its standard uncertainty.
    before : float
        Probability that they are, before anything is seen.
    spread : float
        Of differences where they are not: any within it is as likely.

    """
    sigma = max(sigma, 1e-12)
    here = before * math.exp(-0.5 * (off / sigma) ** 2) / (sigma * math.sqrt(2 * math.pi))
    return here / (here + (1 - before) / spread)

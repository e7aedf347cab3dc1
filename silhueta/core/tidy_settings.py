"""What a person may set at Tidy."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

KeepDouble = Literal["outer", "inner", "middle"]


@dataclass(frozen=True)
class TidySettings:
    """Limits of what counts as clean that a person has set; None: as suits the outline.

    What each means stands beside `tidy.offers.offer.Limits`.
    """

    speck: float | None = None  # mm²
    double: float | None = None  # mm, as all below
    keep_double: KeepDouble | None = None
    gap: float | None = None
    extend: bool | None = None
    short: float | None = None
    tolerance: float | None = None
    neck: float | None = None
    neck_width: float | None = None

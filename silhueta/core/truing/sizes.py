"""Sizes that holes are made to, and how usual each is.

Words used here
    weight    how usual a size is beside others near it
    share     probability that a measured hole was made to a size

Sources: whole and half millimetres by common practice, no source; twist drills in steps of 0.1 mm
to ISO 235 (from memory); clearance holes to ISO 273:1979, fine, medium and coarse series (from
memory); inch fractions and number drills to ASME B94.11M (from memory); clearance holes for inch
screws to ASME B18.2.8-1999, normal, close and loose fit, 1/4 to 1 in (from memory).
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal, NamedTuple

Table = Literal["mm", "drill", "inch"]
_INCH = 25.4
_CLEARANCE = (  # ISO 273: fine, medium, coarse
    *(2.2, 2.4, 2.6, 2.7, 2.9, 3.1, 3.2, 3.4, 3.6, 4.3, 4.5, 4.8, 5.3, 5.5, 5.8, 6.4, 6.6, 7.0),
    *(8.4, 9.0, 10.0, 10.5, 11.0, 12.0, 13.0, 13.5, 14.5, 15.0, 15.5, 16.5, 17.0, 17.5, 18.5),
    *(21.0, 22.0, 24.0, 25.0, 26.0, 28.0, 31.0, 33.0, 35.0),
)
_CLEARANCE_64THS = frozenset(  # ASME B18.2.8: normal, close, loose
    (18, 22, 26, 30, 36, 44, 52, 60, 70, 17, 21, 25, 29, 34, 42, 50, 58, 66)
    + (19, 23, 27, 31, 39, 47, 58, 66, 74)
)
_NUMBERED = (  # ASME B94.11M, no. 1 to 60, in
    *(0.2280, 0.2210, 0.2130, 0.2090, 0.2055, 0.2040, 0.2010, 0.1990, 0.1960, 0.1935, 0.1910),
    *(0.1890, 0.1850, 0.1820, 0.1800, 0.1770, 0.1730, 0.1695, 0.1660, 0.1610, 0.1590, 0.1570),
    *(0.1540, 0.1520, 0.1495, 0.1470, 0.1440, 0.1405, 0.1360, 0.1285, 0.1200, 0.1160, 0.1130),
    *(0.1110, 0.1100, 0.1065, 0.1040, 0.1015, 0.0995, 0.0980, 0.0960, 0.0935, 0.0890, 0.0860),
    *(0.0820, 0.0810, 0.0785, 0.0760, 0.0730, 0.0700, 0.0670, 0.0635, 0.0595, 0.0550, 0.0520),
    *(0.0465, 0.0430, 0.0420, 0.0410, 0.0400),
)
_LARGEST = 200.0  # mm, up to which sizes are listed
_DRILLED = 13.0  # mm, up to which drills come in tenths
_OTHER = 0.25  # share of holes that were made to no listed size
_NEAR = 6.0  # standard uncertainties, within which sizes are looked at


class Size(NamedTuple):
    """A size, mm, what people call it, and its weight."""

    mm: float
    name: str
    weight: float


class Near(NamedTuple):
    """A size and the probability that it is meant."""

    size: Size
    share: float


@lru_cache(maxsize=3)
def sizes(table: Table) -> tuple[Size, ...]:
    """Return the sizes of a table, ascending.

    mm: whole and half millimetres and metric drills; drill: metric drills and clearance holes;
    inch: fractions of an inch and number drills.
    """
    found: dict[int, Size] = {}

    def add(mm: float, name: str, weight: float) -> None:
        key = round(mm * 1e4)
        if key not in found or found[key].weight < weight:
            found[key] = Size(mm, name, weight)

    if table == "inch":
        for k in range(2, 64 * 8):
            weight = next(
                w for step, w in ((8, 1.0), (4, 0.7), (2, 0.4), (1, 0.2)) if k % step == 0
            )
            weight = max(weight, 0.7 if k in _CLEARANCE_64THS else 0.0)
            whole, part = divmod(k, 64)
            over = math.gcd(part, 64)
            text = f"{whole} " * (whole > 0) + f"{part // over}/{64 // over}" * (part > 0)
            add(k / 64 * _INCH, f"{text.strip()} in", weight)
        for number, inch in enumerate(_NUMBERED, start=1):
            add(inch * _INCH, f"no. {number} drill", 0.1)
    else:
        for tenth in range(10, round(10 * _DRILLED) + 1):
            add(tenth / 10, f"{tenth / 10:g} mm", 0.04 if table == "mm" else 0.3)
        for mm in _CLEARANCE:
            add(mm, f"{mm:g} mm", 0.3 if table == "mm" else 1.0)
        for half in range(2, round(2 * _LARGEST) + 1):
            whole = half % 2 == 0
            drilled = table == "drill" and half / 2 > _DRILLED and not whole
            add(half / 2, f"{half / 2:g} mm", 1.0 if whole else 0.3 if drilled else 0.5)
    return tuple(sorted(found.values()))


def near(diameter: float, sigma: float, table: Table) -> list[Near]:
    """Return the sizes that a hole may have been made to, the most probable first.

    Parameters
    ----------
    diameter, sigma : float, mm
        As measured, with its standard uncertainty.
    table : {"mm", "drill", "inch"}

    """
    listed = sizes(table)
    reach = _NEAR * sigma
    close = [size for size in listed if abs(size.mm - diameter) < reach]
    if not close:
        return []
    # weights of all sizes about there, a millimetre: what a hole of any size would meet
    around = [size for size in listed if abs(size.mm - diameter) < 1.0 + reach]
    dense = sum(size.weight for size in around) / (2 * (1.0 + reach))

    def likely(size: Size) -> float:
        off = (diameter - size.mm) / sigma
        bell = math.exp(-0.5 * off * off) / (sigma * math.sqrt(2 * math.pi))
        return (1 - _OTHER) * size.weight / dense * bell

    values = [likely(size) for size in close]
    total = sum(values) + _OTHER
    found = [Near(size, value / total) for size, value in zip(close, values, strict=True)]
    return sorted(found, key=lambda one: -one.share)

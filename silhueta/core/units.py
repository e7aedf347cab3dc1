"""Lengths and areas as people type them.

Inside, a length is a float in millimetres. One inch is 25.4 mm exactly (NIST Special
Publication 811, 2008 edition, appendix B.8).
"""

from __future__ import annotations

import math
import re
from typing import Literal

from silhueta.core.errors import UnitsError

Unit = Literal["mm", "in"]

MM_PER_INCH = 25.4
MM_PER_UNIT: dict[Unit, float] = {"mm": 1.0, "in": MM_PER_INCH}
_LONGEST_MM = 1e6  # a kilometre: beyond this a typing mistake is certain

_FACTORS = {
    "": None,
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "in": MM_PER_INCH,
    "inch": MM_PER_INCH,
    "inches": MM_PER_INCH,
    '"': MM_PER_INCH,
    "”": MM_PER_INCH,
    "″": MM_PER_INCH,
    "ft": 12 * MM_PER_INCH,
    "'": 12 * MM_PER_INCH,
}
_NUMBER = r"(?:\d+(?:[.,]\d*)?|[.,]\d+)"
_FORM = re.compile(
    rf"""\s*(?:
        (?P<whole>\d+)(?:\s+|\s*-\s*)(?P<num>\d+)\s*/\s*(?P<den>\d+)   # 3 3/8, 3-3/8
      | (?P<num1>\d+)\s*/\s*(?P<den1>\d+)                              # 3/8
      | (?P<plain>{_NUMBER})                                           # 86.5
    )\s*(?P<unit>mm|cm|m|inches|inch|in|ft|"|”|″|')?\s*""",
    re.VERBOSE | re.IGNORECASE,
)


# what says that a limit is none
_ZERO = re.compile(r"(none|off|0+([.,]0*)?\s*(mm|cm|in|\")?)?")


def parse_length(text: str, default: Unit = "mm", *, zero: bool = False) -> float:
    """Return the length that `text` names, in mm.

    Parameters
    ----------
    text : str
        ``86.5``, ``86,5``, ``86.5 mm``, ``3.4 in``, ``3 3/8"``, ``3-3/8 in``, ``2 ft``.
    default : {"mm", "in"}
        Unit taken when none is typed.
    zero : bool
        Whether nothing at all (``0``, ``0 mm``, ``none``, an empty text) is a length, too: 0.

    Returns
    -------
    float
        Millimetres, above zero unless `zero` says otherwise.

    Raises
    ------
    UnitsError
        If the text is no length, is zero or negative, or is longer than 1 km.

    """
    shown = text.strip()[:40]
    if zero and _ZERO.fullmatch(text.strip().lower()):
        return 0.0
    if re.match(r"\s*[-−]", text):
        raise UnitsError(f"“{shown}” is negative; type a length above zero, such as 86.5 mm")
    found = _FORM.fullmatch(text)
    if found is None:
        raise UnitsError(f"“{shown}” is not a length; type it as 86.5 mm, 3.4 in or 3 3/8 in")
    if found["plain"] is not None:
        value = float(found["plain"].replace(",", "."))
    else:
        numerator, denominator = (
            (found["num"], found["den"]) if found["whole"] else (found["num1"], found["den1"])
        )
        if int(denominator) == 0:
            raise UnitsError(f"“{shown}” divides by zero; type it as 3 3/8 in")
        value = int(found["whole"] or 0) + int(numerator) / int(denominator)
    factor = _FACTORS[(found["unit"] or "").lower()] or MM_PER_UNIT[default]
    length = value * factor
    if length <= 0:
        raise UnitsError(f"“{shown}” is zero; type a length above zero, such as 86.5 mm")
    if length > _LONGEST_MM or not math.isfinite(length):
        raise UnitsError(f"“{shown}” is longer than a kilometre; check the unit")
    return length


_WITHIN = re.compile(r"\+\s*/?\s*-|±")


def parse_within(text: str, default: Unit = "mm") -> tuple[float, float | None]:
    """Return a length and how far off it may be, mm: ``86.5 ± 0.2``, ``86.5 +- 0.2 mm``, ``86.5``.

    Raises
    ------
    UnitsError
        As :func:`parse_length`, of either.

    """
    parts = _WITHIN.split(text)
    if len(parts) > 2:
        raise UnitsError(f"“{text.strip()[:40]}” has two ±; type it as 86.5 ± 0.2 mm")
    unit = default
    if len(parts) == 2:  # a unit at the end is meant for both
        bare = parts[1].strip().lower()
        unit = "in" if bare.endswith(("in", '"')) else "mm" if bare.endswith("mm") else default
    length = parse_length(parts[0], unit, zero=True)
    return length, parse_length(parts[1], unit) if len(parts) == 2 else None


def parse_area(text: str, default: Unit = "mm") -> float:
    """Return the area that `text` names, in mm²: ``2``, ``2mm2``, ``2 mm²``, ``0.01 in2``, ``0``.

    Raises
    ------
    UnitsError
        If the text is no area or is negative. Zero is allowed: it means no limit.

    """
    shown = text.strip()[:40]
    found = re.fullmatch(rf"\s*({_NUMBER})\s*(?:(mm|cm|in)\s*(?:2|²|\^2))?\s*", text, re.IGNORECASE)
    if found is None:
        raise UnitsError(f"“{shown}” is not an area of zero or more; type it as 2 mm2")
    factor = _FACTORS[(found[2] or default).lower()] or 1.0
    return float(found[1].replace(",", ".")) * factor * factor


def format_area(mm2: float, unit: Unit = "mm", decimals: int | None = None) -> str:
    """Return `mm2` in `unit` squared with its name, to three digits unless decimals are told."""
    value = mm2 / MM_PER_UNIT[unit] ** 2
    if decimals is not None:
        return f"{value:,.{decimals}f} {unit}²"
    shown = float(f"{value:.3g}")
    places = max(0, 2 - math.floor(math.log10(shown))) if 0 < shown < 100 else 0
    text = f"{shown:.{places}f}"
    return f"{text.rstrip('0').rstrip('.') if '.' in text else text} {unit}²"


def format_length(mm: float, unit: Unit = "mm", decimals: int | None = None) -> str:
    """Return `mm` in `unit` with the unit's name, to 0.01 mm or 0.001 in unless told otherwise."""
    places = decimals if decimals is not None else (2 if unit == "mm" else 3)
    value = mm / MM_PER_UNIT[unit]
    if abs(value) < 0.5 * 10**-places:
        value = 0.0  # never a minus sign before a zero
    return f"{value:,.{places}f} {unit}"


def format_exact(mm: float, unit: Unit = "mm") -> str:
    """Return what was typed, mm, in `unit`, with no more decimals than it has, three at most."""
    return f"{round(mm / MM_PER_UNIT[unit], 3):,.10g} {unit}"


def format_sides(wide: float, high: float, unit: Unit = "mm") -> str:
    """Return a width and a height, mm, in `unit`, with no more decimals than they have."""
    sides = (f"{round(v / MM_PER_UNIT[unit], 3):,.10g}" for v in (wide, high))
    return " × ".join(sides) + f" {unit}"


_TOLD = re.compile(r"(\d[\d,]*(?:\.\d+)?)(?: x (\d[\d,]*(?:\.\d+)?))? mm\b(?![²³])")


def lengths_in(text: str, unit: Unit) -> str:
    """Return a sentence whose lengths are in mm ("2.5 mm", "30 x 20 mm") in another unit."""
    if unit == "mm":
        return text

    def other(found: re.Match[str]) -> str:
        sides = [float(side.replace(",", "")) / MM_PER_INCH for side in found.groups() if side]
        return " x ".join(f"{side:,.3f}" for side in sides) + " in"

    return _TOLD.sub(other, text)

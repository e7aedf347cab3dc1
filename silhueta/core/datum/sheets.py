"""Sheets of known size."""

from __future__ import annotations

import re

from silhueta.core.errors import UnitsError
from silhueta.core.units import parse_length

# mm, upright. ISO 216:2007 (A series), ANSI/ASME Y14.1 A (Letter), ISO/IEC 7810:2019 (ID-1);
# Legal is 8.5 x 14 in by common practice.
SIZES = {
    "a3": (297.0, 420.0),
    "a4": (210.0, 297.0),
    "a5": (148.0, 210.0),
    "letter": (215.9, 279.4),
    "legal": (215.9, 355.6),
    "card": (53.98, 85.60),
}
TITLES = {
    "a3": "A3",
    "a4": "A4",
    "a5": "A5",
    "letter": "Letter",
    "legal": "Legal",
    "card": "bank card (ID-1)",
}


def sheet_size(text: str) -> tuple[str, tuple[float, float]]:
    """Return name and (width, height) in mm of "a4", "card" or "120x80mm".

    Raises
    ------
    UnitsError
        If it is neither a known name nor two lengths.

    """
    name = text.strip().lower()
    if name in SIZES:
        return name, SIZES[name]
    sides = re.split(r"[x×]", name)
    if len(sides) != 2:
        raise UnitsError(
            f"“{text[:40]}” is no sheet; give {', '.join(SIZES)}, or a size such as 120x80mm"
        )
    unit = re.search(r"[a-z\"']+\s*$", sides[1])
    first = sides[0] if re.search(r"[a-z\"']", sides[0]) else sides[0] + (unit[0] if unit else "")
    width, height = parse_length(first), parse_length(sides[1])
    return f"{width:g}x{height:g}mm", (width, height)


def title(name: str) -> str:
    """Return a sheet's name as people read it."""
    return TITLES.get(name, name.replace("x", " × "))

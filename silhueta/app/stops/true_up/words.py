"""How truing offers and relations are told to people."""

from __future__ import annotations

import re

from silhueta.core.relations import Relation
from silhueta.core.truing.offer import OfferKind
from silhueta.core.units import MM_PER_INCH, Unit, format_length

_LENGTH = re.compile(r"\d+\.\d+(?![\d.]*°)")
# one, many, and what is done, as a step of the history
WORDS: dict[OfferKind, tuple[str, str, str]] = {
    "straight": ("worn edge", "worn edges", "Made straight"),
    "tangent": ("smooth joint", "smooth joints", "Made smooth"),
    "perpendicular": ("square edge", "square edges", "Made square"),
    "parallel": ("parallel edge", "parallel edges", "Made parallel"),
    "collinear": ("pair in one line", "pairs in one line", "Put in one line"),
    "equal length": ("equal length", "equal lengths", "Made as long"),
    "equal radius": ("equal radius", "equal radii", "Made equal"),
    "concentric": ("shared centre", "shared centres", "Made concentric"),
    "level": ("level or plumb edge", "level or plumb edges", "Made level"),
    "evenly on a circle": ("circle of holes", "circles of holes", "Spaced evenly"),
    "in a row": ("row of holes", "rows of holes", "Spaced evenly"),
    "in a grid": ("grid of holes", "grids of holes", "Spaced evenly"),
    "plain shape": ("plain shape", "plain shapes", "Made plain"),
    "symmetric": ("mirror line", "mirror lines", "Made symmetric"),
    "size": ("hole size", "hole sizes", "Drilled to size"),
}


def told(kind: OfferKind, count: int) -> str:
    """Return so many offers of a kind in words."""
    one, many, _ = WORDS[kind]
    return f"{count:,} {one if count == 1 else many}"


def in_units(text: str, units: Unit) -> str:
    """Return an offer's text, whose lengths are in mm, in the unit on screen.

    Sizes by name, after a colon, stay what they are called.
    """
    if units == "mm":
        return text
    told, colon, name = text.partition(": ")
    told = _LENGTH.sub(lambda m: f"{float(m[0]) / MM_PER_INCH:.3f}", told)
    return told.replace(" mm", " in") + colon + name


def relation_told(relation: Relation, units: Unit) -> str:
    """Return a relation in words."""
    kind, value, count = relation.kind, relation.value, len(relation.refs)
    match kind:
        case "radius" if value is not None:
            return f"diameter {format_length(2 * value, units, 3)}"
        case "distance" | "length" if value is not None:
            return f"{kind} {format_length(value, units, 3)}"
        case "angle":
            return f"at {value:g}°"
        case "between":
            return f"two edges at {value:g}° to each other"
        case "tangent":
            return "edge and arc tangent"
        case "evenly on a circle" | "in a row" | "in a grid":
            return f"{count} holes {kind}"
        case "regular":
            return f"{count} even sides"
        case "symmetric":
            return f"both sides agree, {count // 2} pairs"
        case "equal radius" | "concentric":
            return f"{count} of {kind}" if kind == "equal radius" else f"{count} concentric"
        case "perpendicular":
            return "edge square to another"
        case "parallel":
            return f"{count} edges parallel"
        case "collinear":
            return f"{count} edges in one line"
        case "equal length":
            return f"{count} edges as long"
    return f"edge {kind}"

"""What a layer's name says of the paths on it: how they are worked, and in which colour.

The names are those that this program writes. Any other layer is cut, unless a person says what is
on it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Literal, NamedTuple, get_args

from silhueta.core.cutting.drawing import ENGRAVE, INSIDE, MARK, OUTSIDE
from silhueta.core.cutting.plan_drawing import CUT, DRILL, LEAD, POCKET, TAB, VGROOVE
from silhueta.core.errors import UnitsError
from silhueta.core.geometry.outline import Operation
from silhueta.core.trace_settings import Rgb

OnLayer = Literal["cut", "engrave", "mark", "skip"]
_PLANNED = re.compile(
    rf"((?:{OUTSIDE}|{INSIDE}|{CUT}|{DRILL}|{POCKET}|{VGROOVE}|{ENGRAVE}|{MARK}|{LEAD}|{TAB})"
    r"(?:_[0-9A-F]{6})?)_T\d+$"
)  # of a plan: with the tool's number
_RUN = re.compile(r"--\d+$")  # of an SVG's later run on one layer
_COLOURED = re.compile(r"CUT_(?:OUTSIDE|INSIDE)_([0-9A-F]{6})$")


class Worked(NamedTuple):
    """How the paths of a layer are worked; `taken` is False for what is skipped."""

    operation: Operation
    taken: bool = True
    colour: Rgb | None = None


def worked(layer: str, told: Mapping[str, OnLayer]) -> Worked:
    """Return how the paths of a layer are worked: as it was told, else as its name says.

    Names are the same in capitals and small letters, as they are in DXF. `told` has small letters.
    """
    how = told.get(layer.casefold())
    if how == "skip":
        return Worked("cut", False)
    if how is not None:
        return Worked(how)
    name = _RUN.sub("", layer.upper())
    planned = _PLANNED.match(name)
    if planned is not None:
        # where a tool goes: leads and tabs are no part, a field is worked inside
        name = {LEAD: MARK, TAB: MARK, POCKET: ENGRAVE, VGROOVE: ENGRAVE}.get(
            planned[1], planned[1]
        )
    if name in (MARK, ENGRAVE):
        return Worked("mark" if name == MARK else "engrave")
    coloured = _COLOURED.match(name)
    if coloured is None:
        return Worked("cut")
    red, green, blue = bytes.fromhex(coloured[1])
    return Worked("cut", colour=(red, green, blue))


def is_ours(layer: str) -> bool:
    """Return whether this program writes a layer of that name, which says how it is worked."""
    name = layer.upper()
    if _PLANNED.match(_RUN.sub("", name)) is not None:
        return True
    return name in (MARK, ENGRAVE, OUTSIDE, INSIDE) or _COLOURED.match(name) is not None


def told_layers(texts: tuple[str, ...]) -> dict[str, OnLayer]:
    """Return what was told of layers, "NAME=cut", by their names in small letters.

    Raises
    ------
    UnitsError
        For a text of another form.

    """
    found: dict[str, OnLayer] = {}
    for text in texts:
        name, mark, how = text.rpartition("=")
        name, how = name.strip(), how.strip().lower()
        if not mark or not name or how not in get_args(OnLayer):
            raise UnitsError(
                f"“{text[:60]}” tells no layer; say NAME=cut, NAME=engrave, NAME=mark or NAME=skip"
            )
        found[name.casefold()] = how  # type: ignore[assignment]
    return found

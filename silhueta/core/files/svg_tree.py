"""An SVG's tree without what refers elsewhere: uses, symbols and inner pages become groups.

W3C Scalable Vector Graphics (SVG) 1.1 (Second Edition), sections 5.6 (use), 5.5 (symbol), 7.8
(preserveAspectRatio) and 7.9 (inner `svg` elements).
"""

from __future__ import annotations

import copy
import re
from typing import Any

View = tuple[float, float]  # width and height that percentages are of, in user units
_LINK = "{http://www.w3.org/1999/xlink}href"
_PLACE = ("x", "y", "width", "height")
# what is never drawn where it stands (SVG 1.1, chapters 5, 11, 13, 14, 15, 23)
_NOT_SHOWN = {
    "symbol",
    "mask",
    "marker",
    "filter",
    "pattern",
    "linearGradient",
    "radialGradient",
    "foreignObject",
    "title",
    "desc",
    "metadata",
}
_PX = {"": 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}


def kind_of(element: Any) -> str:
    """Return an element's name without its namespace."""
    return str(element.tag).rpartition("}")[2]


def link_of(element: Any) -> str:
    """Return the id that an element refers to, or ""."""
    return (element.get(_LINK) or element.get("href") or "").removeprefix("#")


def unfold(root: Any) -> None:
    """Put groups in place of uses, symbols and inner pages; uses must not hold themselves."""
    used = {link_of(element) for element in root.iter() if kind_of(element) == "use"}
    kept = {
        key: copy.deepcopy(element)
        for element in root.iter()
        if (key := element.get("id")) is not None and key in used
    }
    for key in ("x", "y"):
        root.attrib.pop(key, None)  # a page's own place means nothing, and must not be handed down
    box = view_box(root)
    size = tuple(_length(root.get(key), 0.0, 100.0) for key in ("width", "height"))
    _inside(root, (box[2], box[3]) if box else (size[0], size[1]), kept)


def _inside(parent: Any, view: View, by_id: dict[str, Any]) -> None:
    for place, child in enumerate(list(parent)):
        kind = kind_of(child)
        if kind == "use":
            target = by_id.get(link_of(child))
            group = _group(child, _PLACE)
            shift = [
                _length(child.get(key), 0.0, size) for key, size in zip("xy", view, strict=True)
            ]
            _move(group, f"translate({shift[0]!r} {shift[1]!r})")
            if target is not None and kind_of(target) != "clipPath":
                inner = copy.deepcopy(target)
                if kind_of(target) in ("symbol", "svg"):
                    for key in ("width", "height"):
                        if child.get(key) is not None:
                            inner.set(key, child.get(key))
                    inner.tag = str(inner.tag).replace("symbol", "svg")
                group.append(inner)
            parent[place] = group
            _inside(group, view, by_id)
        elif kind == "svg":
            group = _group(child, (*_PLACE, "viewBox", "preserveAspectRatio"))
            own = [
                _length(child.get(key), 0.0 if key in ("x", "y") else size, size)
                for key, size in zip(_PLACE, (*view, *view), strict=True)
            ]
            box = view_box(child)
            _move(group, f"translate({own[0]!r} {own[1]!r})")
            if box is not None:
                _move(group, _fitted(box, (own[2], own[3]), child.get("preserveAspectRatio")))
            group.extend(list(child))
            parent[place] = group
            _inside(group, (box[2], box[3]) if box else (own[2], own[3]), by_id)
        elif kind != "symbol":
            if kind == "g":
                for key in _PLACE:
                    child.attrib.pop(key, None)
            _inside(child, view, by_id)
    for child in [child for child in parent if kind_of(child) in _NOT_SHOWN]:
        parent.remove(child)


def _group(element: Any, without: tuple[str, ...]) -> Any:
    """Return a group with an element's attributes but those."""
    group = element.makeelement(str(element.tag).rpartition("}")[0] + "}g", {})
    if "}" not in str(element.tag):
        group.tag = "g"
    for key, value in element.attrib.items():
        if key not in without and not key.endswith("href"):
            group.set(key, value)
    return group


def _move(group: Any, by: str) -> None:
    group.set("transform", f"{group.get('transform') or ''} {by}".strip())


def _fitted(box: tuple[float, float, float, float], size: View, how: str | None) -> str:
    """Return the transform that puts a view box into a page of a size."""
    left, top, wide, high = box
    words = (how or "xMidYMid meet").split()
    words = words[1:] if words[:1] == ["defer"] else words
    across, down = size[0] / wide, size[1] / high
    if words[:1] == ["none"]:
        return f"scale({across!r} {down!r}) translate({-left!r} {-top!r})"
    even = max(across, down) if words[1:2] == ["slice"] else min(across, down)
    align = words[0] if words else ""
    shares = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}
    spare = [
        (full - even * part) * shares.get(align[at : at + 3], 0.5)
        for full, part, at in ((size[0], wide, 1), (size[1], high, 5))
    ]
    return f"translate({spare[0]!r} {spare[1]!r}) scale({even!r}) translate({-left!r} {-top!r})"


def view_box(element: Any) -> tuple[float, float, float, float] | None:
    """Return left, top, width and height of an element's view box; None where it has none."""
    try:
        left, top, wide, high = map(
            float, re.split(r"[\s,]+", (element.get("viewBox") or "").strip())
        )
    except ValueError:
        return None
    return (left, top, wide, high) if wide > 0 and high > 0 else None


def length_of(text: str | None) -> tuple[float, str] | None:
    """Return number and unit of a length, "%" among them; None where there is none."""
    found = re.fullmatch(r"\s*([-+.\deE]*[.\d])\s*([a-z%]*)\s*", text or "")
    if found is None:
        return None
    try:
        return float(found[1]), found[2]
    except ValueError:
        return None


def _length(text: str | None, other: float, whole: float) -> float:
    """Return a length in user units; `other` where there is none."""
    found = length_of(text)
    if found is None:
        return other
    number, unit = found
    return number / 100 * whole if unit == "%" else number * _PX.get(unit, 1.0)

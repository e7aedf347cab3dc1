"""Outlines out of anybody's SVG: parsed defensively, nothing fetched, bounded in size.

Sizes follow the file: real units on width and height where it has them, else 96 px an inch as
CSS has it (W3C "CSS Values and Units Module Level 3", section 6.2).
"""

from __future__ import annotations

import io
import re
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from silhueta.core.apart.rehearse import rehearse_xml
from silhueta.core.errors import FileError, GeometryError
from silhueta.core.files.limits import MOST_BYTES, MOST_NUMBERS, MOST_SHAPES
from silhueta.core.files.svg_paint import Paint, paint_of, simplified
from silhueta.core.files.svg_path import (
    MM_PER_PX,
    STRETCHED,
    laid_out,
    path_of,
    stretch,
    stroke_width,
)
from silhueta.core.files.svg_tree import kind_of, length_of, link_of, unfold, view_box
from silhueta.core.geometry.measure import REACH, box_of, within_reach
from silhueta.core.geometry.path import Path
from silhueta.core.geometry.transform import scale
from silhueta.core.units import MM_PER_INCH

FileUnit = Literal["mm", "in", "px"]
_MM_PER = {
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "in": MM_PER_INCH,
    "ft": 12 * MM_PER_INCH,
    "pt": MM_PER_INCH / 72,
    "pc": MM_PER_INCH / 6,
    "px": MM_PER_PX,
}  # CSS Values and Units Module Level 3, section 6.2; a file without a unit counts as mm
_DEEPEST = 200
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)")


@dataclass(frozen=True, eq=False)
class ReadDrawing:
    """What a foreign file holds.

    Parameters
    ----------
    paths : list of Path
        In mm, y up.
    units : str
        The unit it speaks: "mm", "in", "cm", "pt", ...; "px" or "unitless" where it names none.
    frame : (left, bottom, right, top), mm, or None
        Of its page, where it has one.
    left_out : dict of str to int
        How many things of other kinds were left out: "texts", "pictures", "hidden", ...

    """

    paths: list[Path]
    units: str
    frame: tuple[float, float, float, float] | None = None
    left_out: dict[str, int] = field(default_factory=dict)
    paints: tuple[Paint, ...] = ()  # of each path; none where the file knows of no paint
    says_paint: bool = True  # whether it says anywhere how shapes are painted
    layers: tuple[str, ...] = ()  # of each path, "" where it is on none; none where all are

    @property
    def widths(self) -> tuple[float, ...]:
        """Width of each path's stroke, mm."""
        return tuple(paint.width for paint in self.paints)

    @property
    def says_units(self) -> bool:
        """Whether the file names a unit of length."""
        return self.units not in ("px", "unitless")

    def taken_as(self, units: FileUnit) -> ReadDrawing:
        """Return the same drawing with its numbers taken as so many `units`."""
        factor = _MM_PER[units] / _MM_PER.get(self.units, 1.0)
        if factor == 1.0:
            return self
        frame = self.frame
        if frame is not None:
            frame = (frame[0] * factor, frame[1] * factor, frame[2] * factor, frame[3] * factor)
        paths = [scale(path, factor) for path in self.paths]
        paints = tuple(paint._replace(width=paint.width * factor) for paint in self.paints)
        return replace(self, paths=paths, frame=frame, paints=paints)


def within(drawing: ReadDrawing, name: str) -> ReadDrawing:
    """Return a drawing without what lies farther away than anything can, which it counts.

    Raises
    ------
    FileError
        If that is all of it.

    """
    near = [within_reach(path) for path in drawing.paths]
    if all(near):
        return drawing
    if not any(near):
        raise FileError(
            f"all of {name} lies or reaches over {REACH / 1e6:g} km away; check the file's unit"
        )
    paths = [path for path, is_near in zip(drawing.paths, near, strict=True) if is_near]
    paints = tuple(paint for paint, is_near in zip(drawing.paints, near, strict=False) if is_near)
    layers = tuple(layer for layer, is_near in zip(drawing.layers, near, strict=False) if is_near)
    left_out = drawing.left_out | {"shapes over 10 km away": near.count(False)}
    return replace(drawing, paths=paths, paints=paints, left_out=left_out, layers=layers)


def read_svg(data: bytes, name: str) -> ReadDrawing:
    """Return the outlines in an SVG file.

    Shapes that are painted, with how they are; what has neither fill nor stroke, clip paths, masks,
    symbols that are not used, text and embedded pictures are left out.

    Raises
    ------
    FileError
        If it is no SVG, is damaged, defines entities, or unfolds to more than can be read
        (`limits`).

    """
    if len(data) > MOST_BYTES["SVG"]:
        raise FileError(f"{name} is over 100 MB, more than can be read; save it smaller")
    root, clean, missed = _parsed(data, name)
    import svgelements

    svg_path: Any = svgelements.Path  # the package has no types
    try:
        document = _document(clean, missed)
        height = float(document.height or 0.0)
        paths: list[Path] = []
        paints: list[Paint] = []
        layers: dict[int, str] = {}  # of each shape
        for number, element in enumerate(document.elements()):
            if isinstance(element, svgelements.Shape):
                whole = svg_path(element)
                even = stretch(whole.transform) < STRETCHED
                whole, to_page = laid_out(whole, height)
                paint = paint_of(element, number, stroke_width(whole))
                if paint.fill is None and paint.stroke is None:
                    missed["unpainted shapes"] = missed.get("unpainted shapes", 0) + 1
                    continue
                layers[number] = str((element.values or {}).get(_LAYER) or "")
                for kind in simplified(element, paint, even):
                    missed[kind] = missed.get(kind, 0) + 1
                for piece in whole.as_subpaths():
                    try:
                        made = path_of(piece, to_page)
                    except GeometryError:  # numbers beyond all bounds
                        made = None
                        missed["damaged shapes"] = missed.get("damaged shapes", 0) + 1
                    if made is not None:
                        paths.append(made)
                        paints.append(paint)
    except (GeometryError, FileError):
        raise
    except RecursionError as error:
        raise FileError(
            f"{name} is nested too deeply to be read; save it again, flattened"
        ) from error
    except Exception as error:  # a parser met what it did not expect
        raise FileError(f"{name} cannot be understood as SVG; open and save it again") from error
    width = float(document.width or 0.0)
    frame = (0.0, 0.0, width * MM_PER_PX, height * MM_PER_PX) if width and height else None
    paths, paints = _on_page(paths, paints, frame, missed)
    units, says = _units(root.get("width")), _says_paint(root)
    named = tuple(layers[paint.shape] for paint in paints)
    return within(ReadDrawing(paths, units, frame, missed, tuple(paints), says, named), name)


def _document(clean: bytes, missed: dict[str, int]) -> Any:
    """Return svgelements' document; shapes that it cannot read are left out, and counted."""
    from xml.etree import ElementTree

    import svgelements

    parse: Any = svgelements.SVG.parse
    try:
        return parse(io.BytesIO(clean), reify=False, ppi=96.0)
    except Exception:  # one bad shape makes it give up: which?
        root = ElementTree.fromstring(clean)
        shell = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>'
        for parent in list(root.iter()):
            for child in list(parent):
                if kind_of(child) not in _SHAPES:
                    continue
                alone = ElementTree.fromstring(shell)
                alone.append(child)
                try:
                    parse(io.BytesIO(ElementTree.tostring(alone)), reify=False, ppi=96.0)
                except Exception:  # this one
                    parent.remove(child)
                    missed["damaged shapes"] = missed.get("damaged shapes", 0) + 1
        return parse(io.BytesIO(ElementTree.tostring(root)), reify=False, ppi=96.0)


_LAYER = "data-layer"
_SHAPES = ("path", "polygon", "polyline", "rect", "circle", "ellipse", "line")


def _parsed(data: bytes, name: str) -> tuple[Any, bytes, dict[str, int]]:
    """Return the root, the file again without what is not to be seen, and what is no outline.

    Nothing in what is returned can unfold without end.
    """
    from xml.etree import ElementTree

    from defusedxml import ElementTree as DefusedTree
    from defusedxml.common import DefusedXmlException

    rehearse_xml(data, name, FileError)
    try:
        root = DefusedTree.fromstring(data, forbid_dtd=False, forbid_entities=True)
    except DefusedXmlException as error:
        raise FileError(
            f"{name} defines entities or refers to other files, which is unsafe"
        ) from error
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        line, column = getattr(error, "position", (1, 0))
        raise FileError(
            f"{name} is damaged or no SVG: it cannot be read on from line {line}, column "
            f"{column + 1}; save it again"
        ) from error
    if kind_of(root) != "svg":
        raise FileError(f"{name} is XML, but no SVG")
    _bound_uses(root, name)
    units = root.get("width")
    missed = _without_hidden(root)
    _give_size(root)
    unfold(root)
    _bound_paths(root, name)
    for parent in list(root.iter()):
        for child in list(parent):  # W3C SVG 1.1, section 8.3.1: without data it is not drawn
            if kind_of(child) == "path" and not child.get("d"):
                parent.remove(child)
    for group in root.iter():
        if kind_of(group) == "g" and (layer := group.get("id")):
            group.set(_LAYER, layer)  # which the shapes in it inherit
    clean = ElementTree.tostring(root)
    if units is not None:
        root.set("width", units)
    return root, clean, missed


_KINDS_LEFT = {
    "text": "texts",
    "image": "pictures",
    "clipPath": "clip frames",
    "mask": "masks",
    "marker": "line ends",
    "filter": "filters",
    "foreignObject": "pages of other kinds",
}


def _without_hidden(root: Any) -> dict[str, int]:
    """Take out what is not to be seen; return how much of that, and of texts and pictures."""
    missed: dict[str, int] = {}
    for parent in list(root.iter()):
        for child in list(parent):
            kind = kind_of(child)
            style = (child.get("style") or "").replace(" ", "").lower()
            if (
                (child.get("display") or "").strip() == "none"
                or (child.get("visibility") or "").strip() in ("hidden", "collapse")
                or "display:none" in style
                or "visibility:hidden" in style
            ):
                parent.remove(child)
                missed["hidden"] = missed.get("hidden", 0) + 1
            elif kind in _KINDS_LEFT:
                name = _KINDS_LEFT[kind]
                missed[name] = missed.get(name, 0) + 1
    return missed


def _give_size(root: Any) -> None:
    """Give the root the width and height that its viewBox tells, where they are not lengths.

    SVG 2, section 7.2: what is not given is 100 %; without a window round it, the proportions
    of the viewBox are kept, a unit of it being a px.
    """
    given = {key: _length(root.get(key)) for key in ("width", "height")}
    for key, length in given.items():
        if length is not None and length[1] in _MM_PER:  # in px, without loss
            px = length[0] * _MM_PER[length[1]] / MM_PER_PX
            given[key] = (px, "")
            root.set(key, repr(px))
    box = view_box(root)
    if box is None:
        return
    wide, high = box[2:]
    if given["width"] and not given["height"]:
        number, unit = given["width"]
        root.set("height", f"{number * high / wide!r}{unit}")
    elif given["height"] and not given["width"]:
        number, unit = given["height"]
        root.set("width", f"{number * wide / high!r}{unit}")
    elif not given["width"] and not given["height"]:
        root.set("width", repr(wide))
        root.set("height", repr(high))


def _on_page(
    paths: list[Path],
    paints: list[Paint],
    frame: tuple[float, float, float, float] | None,
    missed: dict[str, int],
) -> tuple[list[Path], list[Paint]]:
    """Return what is to be seen on the page: not the few shapes that lie wholly off it.

    Where most do, the page is not meant.
    """
    if frame is None or not paths:
        return paths, paints
    left, bottom, right, top = np.array([box_of(path) for path in paths]).T
    off = (left > frame[2]) | (right < frame[0]) | (bottom > frame[3]) | (top < frame[1])
    shape = np.array([paint.shape for paint in paints])
    gone = np.setdiff1d(shape, shape[~off])
    if not len(gone) or 2 * len(gone) > len(np.unique(shape)):
        return paths, paints
    missed["off-page shapes"] = len(gone)
    stays = np.flatnonzero(~np.isin(shape, gone)).tolist()
    return [paths[i] for i in stays], [paints[i] for i in stays]


def _length(text: str | None) -> tuple[float, str] | None:
    """Return number and unit of a size; None for a percentage, or none at all."""
    found = length_of(text)
    return found if found is not None and found[0] > 0 and found[1] != "%" else None


def _bound_uses(root: Any, name: str) -> None:
    """Raise when `use` elements unfold into too many, or into themselves."""
    by_id = {element.get("id"): element for element in root.iter() if element.get("id")}
    sizes: dict[int, int] = {}
    open_now: set[int] = set()

    def size(element: Any, depth: int) -> int:
        key = id(element)
        if key in sizes:
            return sizes[key]
        if key in open_now:
            raise FileError(
                f"{name} uses a shape within itself, without end; save it again, flattened"
            )
        if depth > _DEEPEST:
            raise FileError(
                f"{name} has groups within groups, over {_DEEPEST} deep; save it again, ungrouped"
            )
        open_now.add(key)
        total = 1 + sum(size(child, depth + 1) for child in element)
        if kind_of(element) == "use":
            target = by_id.get(link_of(element))
            if target is not None:
                total += size(target, depth + 1)
        open_now.discard(key)
        if total > 2 * MOST_SHAPES:  # a group may hold one shape
            raise FileError(
                f"{name} unfolds into over {MOST_SHAPES:,} shapes, more than can be read: save it "
                "in parts, or without what is not to be cut"
            )
        sizes[key] = total
        return total

    size(root, 0)


def _bound_paths(root: Any, name: str) -> None:
    """Raise when an unfolded tree's paths hold more numbers than can be read in good time."""
    numbers = 0
    for element in root.iter():
        for key in ("d", "points"):
            text = element.get(key)
            if text:
                numbers += len(_NUMBER.findall(text))
        if numbers > MOST_NUMBERS:
            raise FileError(
                f"{name} holds over {MOST_NUMBERS:,} numbers in its paths, more than can be read: "
                "save it in parts, or with fewer nodes"
            )


_PAINTED_BY = "stroke", "class", "fill"


def _says_paint(root: Any) -> bool:
    """Return whether a file says anywhere how its shapes are painted."""
    for element in root.iter():
        if any(element.get(key) is not None for key in _PAINTED_BY):
            return True
        style = (element.get("style") or "").replace(" ", "").lower()
        if "fill:" in style or "stroke:" in style:
            return True
    return False


def _units(width: str | None) -> str:
    found = re.fullmatch(r"\s*[-+.\deE]+\s*([a-z%]*)\s*", width or "")
    if found is None or found[1] in ("", "px", "%"):
        return "px"
    return found[1]
